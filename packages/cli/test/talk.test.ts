import { runHere } from './support.js';
import { cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import type { TurnRecord } from '@primrose/contract';
import { FOLDER, theService, type TestService } from '../../server/test/support/service.js';

const DEMO = new URL('../../../demo/harbour-desk', import.meta.url).pathname;

describe('trying a bot in the terminal', () => {
  const home = process.cwd();
  let service: TestService;
  let folder: string;
  let bot: string;
  before(async () => {
    service = await theService();
    folder = mkdtempSync(join(FOLDER || tmpdir(), 'talk-'));
    process.chdir(folder);
    const body = { from: 'example', example: 'harbour-desk', name: 'Talked to' } as const;
    bot = (await service.client.call('createBot', { body })).bot.id;
    const standIns = { 'booking-office': service.office, 'model-service': `${service.models}/v1` };
    for (const [connection, standIn] of Object.entries(standIns))
      await service.client.call('setConnection', { params: { bot, connection }, body: { standIn } });
  });
  after(() => {
    process.chdir(home);
    rmSync(folder, { recursive: true, force: true });
  });

  const run = (args: string[], lines: readonly string[] = []) => {
    const env = { PRIMROSE_ADDRESS: service.address, PRIMROSE_TOKEN: service.token, XDG_CONFIG_HOME: folder };
    return runHere(args, env, lines.map((l) => `${l}\n`).join(''));
  };
  /** The lines that were printed after a line was typed, up to the next that is the visitor's or a command. */
  const printed = (out: string, typed: string): string => {
    const from = out.indexOf(`${typed}\n`);
    expect(from, `${typed} in ${out}`).to.be.at.least(0);
    const rest = out.slice(from + typed.length + 1);
    const end = rest.search(/^(you {2}| {5}\/(?!branch NUMBER))/m);
    return end < 0 ? rest : rest.slice(0, end);
  };

  it('goes back, branches, shows the tree and the sheet of any turn', async () => {
    const { out, code } = await run(
      ['talk', bot, '--clock', '2026-05-14T09:00Z'],
      [
        'book a crossing from Kelpwick to Tarn Holm on Friday',
        'with a car',
        '/back 2',
        'with a bicycle',
        '/branches',
        '/branch 3',
        '/sheet 2',
        '/quit',
        'never said',
      ],
    );
    expect(code).to.equal(0);
    expect(printed(out, 'you  with a car')).to.contain('On Friday 15 May').and.not.contain('Sandpiper');
    expect(printed(out, '/back 2')).to.contain('after turn 2:').and.contain('Do you bring a car');
    expect(printed(out, 'you  with a bicycle')).to.contain('08:30 Sandpiper');
    expect(printed(out, '/branches')).to.equal(
      [
        '     |   1  turn 1: (open)',
        '     |   2  turn 2: book a crossing from Kelpwick to Tarn Holm on Friday',
        '         3  turn 3: with a car',
        '     *   4      turn 3: with a bicycle',
        '     /branch NUMBER talks on there',
        '',
      ].join('\n'),
    );
    expect(printed(out, '/branch 3')).to.not.contain('Sandpiper');
    expect(printed(out, '/sheet 2')).to.contain('── turn 2').and.contain('read-wish');
    expect(out).to.not.contain('never said');
  });

  it('starts at a node, sets the clock, speaks as somebody, says what was kept, steps through', async () => {
    const { out, err } = await run(
      ['talk', bot, '--as', 'Ada'],
      [
        '/clock 2026-05-14T09:00Z',
        '/start next-sailing/fill-in flow.origin=kelpwick flow.destination=tarn-holm',
        '/say dog-question',
        '/zone Pacific/Auckland',
        '/language de',
        '/new',
        '/outside booking-office samples',
        '/step on',
        'tschüss',
        '/set visitor.first_name=Adelheid',
        '/next',
        '/run',
        '/name Odd one',
      ],
    );
    expect(err).to.equal('');
    expect(out).to.contain('as Ada, of whom is kept: {}').and.contain('Hello Ada, this is the Harbour desk');
    expect(printed(out, '/clock 2026-05-14T09:00Z')).to.contain('the clock stands at 2026-05-14T09:00:00.000Z');
    expect(printed(out, 'flow.destination=tarn-holm')).to.contain('The next one is the 13:15 with the Sandpiper');
    expect(printed(out, '/say dog-question')).to.contain('[1]');
    expect(printed(out, '/new')).to.contain('Willkommen zurück, Ada.');
    expect(printed(out, '/outside booking-office samples'))
      .to.contain('booking-office: samples')
      .and.contain('model-service: stand-in');
    expect(printed(out, 'you  tschüss')).to.contain('pauses before');
    expect(printed(out, '/run')).to.contain('guten Wind');
    const taken = await run(['talk', bot, '--simulation', 'Odd one'], ['/sheet']);
    expect(taken.out).to.contain('you  tschüss');
  });

  it('says all again and prints what answers otherwise; keeps the talk as a rehearsal', async () => {
    const lines = ['office hours', '/again', '/keep Office hours by hand'];
    const { out } = await run(['talk', bot, '--clock', '2026-05-14T09:00Z'], lines);
    expect(printed(out, '/again')).to.equal('     turn 1: as before\n     turn 2: as before\n');
    expect(out).to.contain('kept as rehearsals/office-hours-by-hand.yaml');
    const { document } = await service.client.call('getDraft', { params: { bot } });
    expect(document.rehearsals?.['office-hours-by-hand']?.turns[1]).to.deep.include({ says: 'office hours' });
  });

  it('lets named samples answer first, and keeps the language of what is kept', async () => {
    const lines = [
      '/outside booking-office samples',
      '/samples office-does-not-answer',
      'find a crossing',
      'Kelpwick',
      'Tarn Holm',
      'Friday',
      'on foot',
    ];
    expect((await run(['talk', bot], lines)).out).to.contain('I cannot reach the booking office');
    await run(['talk', bot, '--language', 'de'], ['Öffnungszeiten', '/keep auf Deutsch kurz']);
    const { document } = await service.client.call('getDraft', { params: { bot } });
    expect(document.rehearsals?.['auf-deutsch-kurz']?.visitor).to.deep.equal({ language: 'de' });
    expect((await run(['rehearse', bot, '--only', 'auf-deutsch-kurz'])).code).to.equal(0);
    expect((await run(['rehearse'])).err).to.equal('Say which bot, or which folder with --folder.\n');
  });

  it('in a pipe ends at a mistake, and says it', async () => {
    const { err, code } = await run(['talk', bot], ['/backwards', 'never said']);
    expect([code, err]).to.deep.equal([2, 'There is no /backwards. /help lists what there is.\n']);
    expect((await run(['talk', bot], ['/help'])).out)
      .to.contain('/branch NUMBER')
      .and.contain('/start FLOW/NODE');
    expect((await run(['talk', bot], ['/clock yesterday'])).err).to.contain('"yesterday" is no moment.');
  });

  it('prints whole turn sheets for programs', async () => {
    const { out } = await run(['talk', bot, '--json'], ['office hours', '/sheet 1']);
    const turns = out
      .trim()
      .split('\n')
      .map((l) => JSON.parse(l) as TurnRecord);
    expect(turns.map((t) => t.number)).to.deep.equal([1, 2, 1]);
    expect(turns[1]?.parent).to.equal(turns[0]?.id);
    expect(turns[1]?.sheet.variables).to.have.keys('flow', 'session', 'visitor');
  });

  it('rehearses a draft and a folder: a table, JSON, JUnit XML, an exit code', async () => {
    cpSync(DEMO, join(folder, 'desk'), { recursive: true });
    const good = await run(['rehearse', '--folder', 'desk', '--only', 'dog-aboard, last-place-gone', '--coverage']);
    expect(good.code).to.equal(0);
    expect(good.out)
      .to.match(/^dog-aboard +passed +1 turns/m)
      .and.contain('2 passed, 0 failed')
      .and.contain('Exits never taken:');
    const file = join(folder, 'desk/flows/book-crossing.yaml');
    writeFileSync(file, readFileSync(file, 'utf8').replace('the last place was taken a moment ago', '<it> is gone & away'));
    const bad = await run(['rehearse', '--folder', 'desk', '--junit', 'out.xml']);
    expect(bad.code).to.equal(1);
    expect(bad.out)
      .to.match(/^last-place-gone +FAILED/m)
      .and.contain('turn 3: The bot should say “the last place was taken a moment ago”');
    const xml = readFileSync(join(folder, 'out.xml'), 'utf8');
    expect(xml).to.match(/<testsuites tests="\d+" failures="1" skipped="0"/);
    expect(xml).to.contain('name="last-place-gone"').and.contain('&#60;it&#62; is gone &#38; away');
    const { out, code } = await run(['rehearse', bot, '--only', 'dog-aboard', '--json']);
    expect([code, (JSON.parse(out) as { passed: number }).passed]).to.deep.equal([0, 1]);
  });
});
