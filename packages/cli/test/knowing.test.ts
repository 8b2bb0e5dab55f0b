import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { botOf } from '../../core/test/harbour.js';
import { pageBot } from '../../server/test/support/page-bot.js';
import { FOLDER, theService, type TestService } from '../../server/test/support/service.js';
import { runHere } from './support.js';

const GUIDE = `# Dogs on board

Dogs travel free of charge on both boats. Keep them on a lead on the car deck.

# Folding bicycles

A folding bicycle in a bag counts as hand luggage and needs no ticket.
`;

describe('the client of those who keep knowledge and pages', () => {
  let service: TestService;
  let folder: string;
  before(async () => {
    service = await theService();
    folder = mkdtempSync(join(FOLDER || tmpdir(), 'cli-knowing-'));
    writeFileSync(join(folder, 'deck-rules.md'), GUIDE);
  });
  after(() => rmSync(folder, { recursive: true, force: true }));

  const file = (name: string) => join(folder, name);
  const run = (...args: string[]) =>
    runHere(args, { PRIMROSE_ADDRESS: service.address, PRIMROSE_TOKEN: service.token, XDG_CONFIG_HOME: folder });
  const out = async (...args: string[]) => {
    const ran = await run(...args);
    if (ran.code !== 0) throw new Error(`${args.join(' ')}: ${ran.code} ${ran.err}`);
    return ran.out;
  };
  const json = async (...args: string[]) => JSON.parse(await out(...args, '--json')) as Record<string, unknown>;
  const made = async (document: unknown) =>
    (await service.client.call('createBot', { body: { from: 'document', document: document as never } })).bot.id;
  const knowing = (bases: readonly string[] = ['guide']) =>
    made(botOf({}, { knowledge: Object.fromEntries(bases.map((b) => [b, { documents: {} }])) }));

  it('adds a document, looks it up, replaces it and takes it out', async () => {
    const bot = await knowing();
    expect(await out('documents', bot)).to.equal('guide has no documents.\n');
    const added = await out('documents', bot, '--add', file('deck-rules.md'));
    expect(added).to.match(/^DOCUMENT +TITLE +FORM +PAGES +PASSAGES +STATE\ndeck-rules +deck-rules +markdown +\d* +2 +ready\n/);
    expect(await out('lookup', bot, 'may my dog come along?')).to.contain('Dogs travel free of charge');
    writeFileSync(file('deck-rules.md'), GUIDE.replace('free of charge', 'for two pounds'));
    const [held] = (await json('documents', bot, '--add', file('deck-rules.md')))['items'] as Record<string, unknown>[];
    expect(held).to.include({ document: 'deck-rules', title: 'deck-rules', state: 'ready' });
    expect(await out('lookup', bot, 'may my dog come along?'))
      .to.contain('for two pounds')
      .and.not.contain('free of charge');
    expect(await out('documents', bot, '--remove', 'deck-rules')).to.contain('guide has no documents.');
    writeFileSync(file('deck-rules.md'), GUIDE);
  });

  it('says of a document that cannot be read what is wrong with it, and ends so', async () => {
    const bot = await knowing();
    writeFileSync(file('torn.pdf'), 'this was never a PDF');
    const torn = await run('documents', bot, '--add', file('torn.pdf'));
    expect([torn.code, torn.out]).to.satisfy(
      ([code, text]: [number, string]) => code === 3 && /torn +torn +pdf .*failed/.test(text),
    );
    expect(torn.out).to.match(/\ntorn: .+\.\n/);
    const again = await run('documents', bot, '--again', 'torn');
    expect(again.code).to.equal(3);
  });

  it('names what it has where a base, a document, a form or an address is none', async () => {
    const two = await knowing(['guide', 'notices']);
    const one = await knowing();
    const wrong = async (...args: string[]) => {
      const ran = await run(...args);
      return `${ran.code} ${ran.err.trim()}`;
    };
    expect(await wrong('documents', two))
      .to.contain('2 ')
      .and.contain('Say which with --in: guide, notices.');
    expect(await wrong('documents', two, '--in', 'papers')).to.contain('no knowledge base "papers". It has: guide, notices.');
    expect(await out('documents', two, '--in', 'notices')).to.equal('notices has no documents.\n');
    expect(await wrong('documents', await made(botOf({})))).to.contain('has no knowledge base.');
    expect(await wrong('documents', one, '--remove', 'nothing')).to.contain('guide has no document "nothing".');
    expect(await wrong('documents', one, '--add', file('deck.exe'))).to.contain('is read by its ending, which is none of');
    expect(await wrong('documents', one, '--fetch', 'ferry help')).to.contain('"ferry help" is no address');
    expect(await wrong('evaluate', one)).to.contain('guide has no evaluation set. Add questions with --add FILE.csv');
    expect(await wrong('evaluate', one, '--split', 'chapters')).to.contain('"chapters" is no splitting. Write one of headings,');
  });

  it('evaluates lookups over a set, beside other splittings, and ends with 1 below what is wanted', async () => {
    const bot = await knowing();
    await out('documents', bot, '--add', file('deck-rules.md'));
    const questions = [
      'question,document,heading',
      'are dogs allowed,deck-rules,Dogs on board',
      'do I need a ticket for a folding bicycle,deck-rules,Folding bicycles',
      'do you sell hamburgers,,',
      'where is the harbour master,deck-rules,Harbour master',
    ];
    writeFileSync(file('set.csv'), `${questions.join('\n')}\n`);
    const said = await out('evaluate', bot, '--add', file('set.csv'), '--split', 'size:400:50');
    expect(said).to.match(/^4 questions\.\nSPLIT +PASSAGES +FIRST +IN THREE/);
    expect(said).to.match(/\nas it is +2 +0\.67 /);
    expect(said, 'a heading is found among the words of what was split by size').to.match(/\nsize:400:50 +1 +0\.67 /);
    expect(said).to.contain('where is the harbour master: not found');
    expect((await run('evaluate', bot, '--least-first', '0.6')).code).to.equal(0);
    expect((await run('evaluate', bot, '--least-first', '0.9')).code).to.equal(1);
    const came = await json('evaluate', bot, '--propose');
    const [own] = came['results'] as { figures: { questions: number } }[];
    expect(own?.figures.questions).to.be.greaterThan(4);
  });

  it('lists pages, shares one, fills it in, and writes what came of it as a file by its ending', async () => {
    const bot = await made(pageBot({ models: service.models }));
    const params = { bot };
    await service.client.call('setConnection', {
      params: { ...params, connection: 'service' },
      body: { address: `${service.models}/v1` },
    });
    expect(await out('pages', bot)).to.match(/^PAGE +FLOW +LINK\nhelper +help +0 results +not shared\n$/);
    expect(await out('pages', bot, '--share', 'helper')).to.contain('(release the bot first)');
    await service.client.call('createRelease', { params, body: { note: '' } });
    const link = (await json('pages', bot, '--share', 'helper'))['link'];
    expect(await out('pages', bot)).to.contain(String(link));
    expect(await out('pages', bot, '--results', 'helper')).to.equal('Nobody has filled this page in yet.\n');

    const shown = await out('run', bot, 'helper', '--input', 'words=The ramp was wet. It rained all day.');
    expect(shown)
      .to.match(/^summary\n {2}/)
      .and.match(/\nrows\n {2}- What: words/)
      .and.match(/\d+ tokens, [\d.]+; result [\w-]+\n$/);
    const written = await out('run', bot, 'helper', '--input', 'words=The ramp was wet.', '--out', file('ramp.csv'));
    expect(written).to.match(/ramp\.csv: \d+ bytes/);
    expect(readFileSync(file('ramp.csv'), 'utf8'), 'no cell is a formula')
      .to.contain("'=1+1")
      .and.not.match(/(^|,)=1\+1/m);
    const results = await out('pages', bot, '--results', 'helper');
    expect(results).to.match(/^WHEN +BY .*TOKENS +RESULT\n/);
    expect(results.trim().split('\n')).to.have.length(3);
    expect(await out('pages', bot, '--csv', 'helper')).to.contain('The ramp was wet.');

    const wrong = async (...args: string[]) => {
      const ran = await run('run', bot, 'helper', ...args);
      return `${ran.code} ${ran.err.trim()}`;
    };
    expect(await wrong('--input', 'words=x', '--out', file('ramp.exe'))).to.match(/^2 .*should end in one of: /);
    expect(await wrong('--input', `log=${file('nothing.txt')}`, '--input', 'words=x')).to.match(/^2 .*cannot be read/);
    expect(await wrong('--input', 'loud=perhaps'), 'what is missing is named').to.match(/^[13] .*words/s);
  });
});
