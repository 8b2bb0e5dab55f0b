import { cpSync, mkdirSync, mkdtempSync, renameSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { releasedBot } from '../../server/test/support/crowd.js';
import { FOLDER, theService, type TestService } from '../../server/test/support/service.js';
import { TestVisitor } from '../../server/test/support/visitor.js';
import { demoDocument } from '../../core/test/harbour.js';
import { canteen } from '../../core/test/keeper.js';
import { runHere, runPiped, runProcess } from './support.js';

const DEMO = new URL('../../../demo/harbour-desk', import.meta.url).pathname;

describe('the command-line client', () => {
  const home = process.cwd();
  let service: TestService;
  let folder: string;
  before(async () => {
    service = await theService();
    folder = mkdtempSync(join(FOLDER || tmpdir(), 'cli-'));
    process.chdir(folder);
  });
  after(() => {
    process.chdir(home);
    rmSync(folder, { recursive: true, force: true });
  });

  const envOf = (more: Record<string, string> = {}) => {
    return { PRIMROSE_ADDRESS: service.address, PRIMROSE_TOKEN: service.token, XDG_CONFIG_HOME: folder, ...more };
  };
  const run = (args: string[], options: { input?: string; env?: Record<string, string> } = {}) =>
    runHere(args, envOf(options.env), options.input);
  const json = async (args: string[], input?: string) => {
    const { out, err, code } = await run([...args, '--json'], input === undefined ? {} : { input });
    if (code !== 0) throw new Error(`${args.join(' ')}: ${code} ${err}`);
    return JSON.parse(out.trim().split('\n').at(-1) ?? '') as Record<string, unknown>;
  };
  const edit = (file: string, from: string | RegExp, to: string) => {
    const path = join(folder, file);
    writeFileSync(path, readFileSync(path, 'utf8').replace(from, to));
  };

  it('runs as a program of its own: output, a mistake, an exit code, words from a pipe', async () => {
    const status = await runProcess(['status', '--json'], envOf(), folder);
    expect([status.code, JSON.parse(status.out)])
      .to.deep.include(0)
      .and.have.nested.property('[1].ready', true);
    const wrong = await runProcess(['pull', 'nobody'], envOf(), folder);
    expect([wrong.code, wrong.out]).to.deep.equal([2, '']);
    expect(wrong.err).to.contain('There is no bot "nobody"');
    const { bot } = await service.client.call('createBot', { body: { from: 'example', example: 'harbour-desk', name: 'Piped' } });
    const talk = await runProcess(['talk', bot.id], envOf(), folder, 'what can you do\n/nonsense\n');
    expect([talk.code, talk.err]).to.deep.equal([2, 'There is no /nonsense. /help lists what there is.\n']);
    expect(talk.out).to.contain('Talking to the draft of Piped').and.contain('you  what can you do');
  });

  it('does from files what the console does: push, change, check, talk, release, and a visitor hears it', async () => {
    cpSync(DEMO, join(folder, 'origin'), { recursive: true });
    const made = await json(['push', 'origin', '--new', '--force']);
    const bot = made['bot'] as string;
    await service.client.call('setConnection', {
      params: { bot, connection: 'booking-office' },
      body: { address: service.office, standIn: service.office },
    });
    await json(['pull', bot, 'desk']);
    edit('desk/flows/welcome.yaml', 'Which port do you leave from?', 'Where do you come aboard?');
    expect((await run(['check', 'desk'])).out).to.equal('No problems.\n');
    expect(await json(['push', 'desk'])).to.deep.include({ bot, revision: 2, errors: 0 });
    const talk = await run(['talk', bot, '--sheet'], { input: 'find a crossing\n' });
    expect(talk.out).to.contain('Where do you come aboard?').and.contain('ask-origin').and.contain('1  Find a crossing');
    // Rehearsals expect the old words, so the release wants a reason.
    const refused = await run(['release', bot, '--note', 'asks otherwise']);
    expect(refused.code).to.equal(1);
    expect(refused.err).to.contain('rehearsals fail').and.contain('it said “Where do you come aboard?”');
    const release = await json(['release', bot, '--note', 'asks otherwise', '--despite', 'the words are new']);
    expect(release['despite']).to.equal('the words are new');
    const link = (release['channels'] as { link: string }[])[0]?.link ?? '';
    const visitor = new TestVisitor(service.address, link);
    await visitor.open();
    await visitor.until('What can I do');
    await visitor.say('find a crossing');
    await visitor.until('Where do you come aboard?');
  });

  it('measures understanding on a bot’s own phrases and on a file, and teaches what was missed', async () => {
    const { bot } = await service.client.call('createBot', {
      body: { from: 'example', example: 'harbour-desk', name: 'Client measured' },
    });
    const shown = await run(['quality', bot.id]);
    expect([shown.code, shown.out]).to.deep.include(0);
    expect(shown.out).to.contain('read right; from 0.50 on').and.contain('book-crossing and next-sailing are mixed up');
    writeFileSync(join(folder, 'said.csv'), 'text,intent\n"how much luggage can I take",luggage\nfoo,nothere\n');
    const file = await run(['quality', bot.id, '--file', 'said.csv']);
    expect([file.code, file.out.includes('Line 3: The bot has no intent "nothere".')]).to.deep.equal([1, true]);
    expect((await run(['quality', bot.id, '--threshold', 'high'])).err).to.contain('a number from 0 to 1');
    expect((await run(['quality', bot.id, '--file', 'none.csv'])).code).to.equal(2);
    await run(['talk', bot.id], { input: 'zorbing for grandmothers\n' });
    expect((await run(['missed', bot.id])).out).to.contain('"zorbing for grandmothers"');
    const taught = await json(['missed', bot.id, '--teach', 'zorbing']);
    expect(taught).to.deep.include({ settled: 1, phrases: ['zorbing for grandmothers'] });
    expect((await run(['missed', bot.id])).out).to.contain('Everything was understood.');
    expect((await run(['missed', bot.id, '--leave', '--group', '9'])).code).to.equal(2);
    const why = await run(['understand', bot.id, 'is ther a ramp for whelchairs']);
    expect(why.out)
      .to.contain('nearest phrase: "is there a ramp for wheelchairs"')
      .and.contain('"whelchairs" is read as "wheelchairs"');
  });

  it('says what a bot understands and knows, lists its channels and reads its conversations', async () => {
    const { bot } = await service.client.call('createBot', { body: { from: 'example', example: 'harbour-desk', name: 'Asked' } });
    const understood = (await json(['understand', bot.id, 'a ticket to Tarn Holm on Friday'])) as Record<
      string,
      Record<string, unknown>
    >;
    expect((understood['understood']?.['intents'] as { intent: string }[])[0]?.intent).to.equal('book-crossing');
    const shown = await run(['understand', bot.id, 'a ticket to Tarn Holm on Friday']);
    expect(shown.out).to.contain('book-crossing').and.contain('destination tarn-holm').and.contain('"Tarn Holm"');
    const asked = await run(['lookup', bot.id, 'what does a bicycle cost?']);
    expect(asked.out)
      .to.match(/^Covered\.\n\n\[1\] Luggage and bicycles › Bicycles/)
      .and.contain('by bicycle, cost');
    expect((await run(['lookup', bot.id, 'do you sell hamburgers?'])).out).to.match(
      /^Not covered\. In no document: .*hamburgers/,
    );
    expect((await run(['lookup', bot.id, 'x', '--in', 'gide'])).err).to.contain('It has: ferry-papers, passenger-guide.');
    expect((await run(['lookup', bot.id, 'is the pier at Port Anselm closed in January?'])).out).to.contain(
      'Winter timetable and works › Works at Port Anselm, page 2',
    );
    await service.client.call('createRelease', { params: { bot: bot.id }, body: { note: '' } });
    const { out } = await run(['channels', bot.id]);
    expect(out).to.contain('Web chat').and.contain('Release 1');
    const visitor = new TestVisitor(service.address, /http\S+\/chat\/\S+/.exec(out)?.[0] ?? '');
    await visitor.open();
    await visitor.until('What can I do');
    await visitor.say('I want to talk to a person please');
    await visitor.until('I am calling Shore desk');
    const listed = await run(['conversations', bot.id, '--handed']);
    expect(listed.out).to.contain('handed over').and.contain('1 conversation waits for a person.');
    const id = /[0-9a-f-]{36}/.exec(listed.out)?.[0] ?? '';
    const read = await run(['conversation', bot.id, id]);
    expect(read.out).to.contain(' VISITOR  I want to talk to a person please').and.contain('Handed over:');
    const whole = await json(['conversation', bot.id, id]);
    expect(whole['turns']).to.have.length(2);
    const talked = await run(['talk', bot.id], { input: 'a person please\n/hand-back\n' });
    expect(talked.out).to.contain('(handed over to staff:').and.contain('This is the Harbour desk again');
  });

  it('writes a folder anew that is laid out as it was once', async () => {
    cpSync(DEMO, join(folder, 'former'), { recursive: true });
    mkdirSync(join(folder, 'former/doing'));
    renameSync(join(folder, 'former/connections/booking-office.yaml'), join(folder, 'former/doing/booking-office.yaml'));
    const { out, code } = await run(['push', 'former', '--new', '--force']);
    expect(code).to.equal(0);
    expect(out)
      .to.contain("today's places and names")
      .and.contain('  connections/booking-office.yaml\n  doing/booking-office.yaml (removed)');
    const text = (from: string) => readFileSync(join(from, 'connections/booking-office.yaml'), 'utf8');
    expect(text(join(folder, 'former'))).to.equal(text(DEMO));
    expect((await run(['push', 'former'])).out).to.not.contain('removed');
  });

  it('merges edits to other places when pushing, and refuses where both changed the same', async () => {
    const { bot } = await service.client.call('createBot', {
      body: { from: 'example', example: 'harbour-desk', name: 'Edited twice' },
    });
    const theirs = async (path: string, value: string) => {
      const { revision } = await service.client.call('getDraft', { params: { bot: bot.id } });
      await service.client.call('patchDraft', {
        params: { bot: bot.id },
        body: { revision, patch: [{ op: 'replace', path, value }] },
      });
    };
    const botFile = () => readFileSync(join(folder, 'twice/bot.yaml'), 'utf8');
    await json(['pull', bot.id, 'twice']);
    edit('twice/bot.yaml', 'zone:', '# our own zone\nzone:');
    await theirs('/about', 'Newer.');
    edit('twice/bot.yaml', 'name: Edited twice', 'name: Edited here');
    const push = await run(['push', 'twice']);
    expect(push.code).to.equal(0);
    expect(push.out).to.contain('Others had changed other places').and.contain('bot.yaml');
    expect(botFile()).to.contain('# our own zone').and.contain('about: Newer.').and.contain('name: Edited here');
    await theirs('/name', 'Edited there');
    edit('twice/bot.yaml', 'name: Edited here', 'name: Edited again');
    const clash = await run(['push', 'twice']);
    expect(clash.code).to.equal(4);
    expect(clash.err).to.contain('(/name)').and.contain('replace /name').and.contain('Nothing was pushed');
    expect((await run(['pull', bot.id, 'twice'])).code).to.equal(4);
    expect((await run(['pull', bot.id, 'twice', '--force'])).code).to.equal(0);
    expect(botFile()).to.contain('# our own zone').and.contain('about: Newer.').and.contain('name: Edited there');
  });

  it('lists history, undoes, redoes and restores; lists, compares and makes releases live', async () => {
    const { bot } = await service.client.call('createBot', {
      body: { from: 'example', example: 'harbour-desk', name: 'Versions' },
    });
    const patch = (path: string, value: string, revision: number) =>
      service.client.call('patchDraft', { params: { bot: bot.id }, body: { revision, patch: [{ op: 'replace', path, value }] } });
    expect((await run(['releases', bot.id])).out).to.contain('has not been released yet');
    await run(['release', bot.id, '-m', 'first']);
    await patch('/about', 'Finds boats.', 1);
    expect((await run(['history', bot.id])).out).to.match(/ 2 .*Owner\n +the bot’s about was “.*”, is now “Finds boats.”/);
    expect((await run(['undo', bot.id])).out).to.contain('is at revision 3');
    expect((await run(['undo', bot.id])).err).to.contain('no edit left to undo');
    expect((await run(['redo', bot.id])).out).to.contain('is at revision 4');
    expect((await run(['compare', bot.id, '1'])).out)
      .to.contain('From Release 1 to the draft:')
      .and.contain('Finds boats.');
    await run(['release', bot.id, '-m', 'second']);
    expect((await run(['releases', bot.id])).out).to.match(/2 +live .*second\n1 .*first/);
    expect((await run(['roll-back', bot.id, '--move'])).out).to.contain('Release 1 is live; 0 open conversations moved');
    expect((await run(['live', bot.id, '2'])).out).to.contain('Release 2 is live');
    expect((await run(['live', bot.id, 'two'])).code).to.equal(2);
    expect((await run(['restore', bot.id, '1'])).out).to.contain('is at revision 5');
    expect((await run(['compare', bot.id, 'r1', 'draft'])).out).to.contain('are the same');
  });

  it('exports a bot into one file or a zip, and imports both', async () => {
    const { bot } = await service.client.call('createBot', {
      body: { from: 'example', example: 'harbour-desk', name: 'Moved' },
    });
    await json(['export', bot.id, '-o', 'moved.json']);
    await json(['export', bot.id, '-o', 'moved.zip']);
    for (const file of ['moved.json', 'moved.zip']) {
      const made = (await json(['import', file, '--force'])) as { bot: string };
      const document = async (id: string) => (await service.client.call('getDraft', { params: { bot: id } })).document;
      expect(await document(made.bot)).to.deep.equal(await document(bot.id));
    }
    edit('moved.json', 'Moved', 'Moved and renamed');
    expect((await run(['import', 'moved.json', '--bot', bot.id])).out).to.contain('is at revision 2');
    expect((await run(['history', bot.id])).out)
      .to.contain('imported a file')
      .and.contain('“Moved and renamed”');
    expect((await run(['import', 'nowhere.zip'])).code).to.equal(2);
  });

  it('names file and line of a mistake and exits with 3', async () => {
    const { bot } = await service.client.call('createBot', {
      body: { from: 'example', example: 'harbour-desk', name: 'Mistaken' },
    });
    await json(['pull', bot.id, 'mistaken']);
    edit('mistaken/flows/welcome.yaml', 'exits: { said: menu }', 'exits: { said: menuu }');
    const check = await run(['check', 'mistaken']);
    expect(check.code).to.equal(3);
    expect(check.out).to.match(
      /flows\/welcome\.yaml:\d+: error: The exit "said" leads to "menuu", which is not in this flow\. Did you mean menu\?/,
    );
    edit('mistaken/flows/welcome.yaml', 'kind: say', 'kind: saay');
    expect((await run(['push', 'mistaken'])).err).to.contain('Did you mean say?');
  });

  it('prints one turn a line for programs, and talks when piped', async () => {
    const { bot } = await service.client.call('createBot', { body: { from: 'example', example: 'harbour-desk', name: 'Piped' } });
    const { out } = await run(['talk', bot.id, '--json', '--language', 'de'], { input: 'Öffnungszeiten\n/quit\nnever said\n' });
    const turns = out
      .trim()
      .split('\n')
      .map((l) => JSON.parse(l) as { number: number; sheet: { messages: { text: string }[] } });
    expect(turns.map((t) => t.number)).to.deep.equal([1, 2]);
    expect(turns[1]?.sheet.messages[0]?.text).to.contain('täglich geöffnet');
  });

  it('says by its exit code and in words what is wrong', async () => {
    for (const [args, env, code, words] of [
      [['status'], { PRIMROSE_ADDRESS: 'http://127.0.0.1:1' }, 5, 'Is it started?'],
      [['status'], { PRIMROSE_TOKEN: 'prt_wrongwrongwrongwrongwrongwrong' }, 6, 'API token'],
      [['pull', 'nobody'], {}, 2, 'There is no bot "nobody"'],
      [['push', 'nowhere'], {}, 3, 'bot.yaml'],
      [['fly'], {}, 2, 'unknown command'],
    ] as const) {
      const { code: got, err } = await run([...args], { env });
      expect([args[0], got]).to.deep.equal([args[0], code]);
      expect(err).to.contain(words);
    }
  });

  it('keeps address and token in a file, after trying them', async () => {
    expect((await run(['configure', '--address', service.address, '--token', service.token])).code).to.equal(0);
    const kept = JSON.parse(readFileSync(join(folder, 'primrose/config.json'), 'utf8')) as { token: string };
    expect(kept.token).to.equal(service.token);
    expect((await run(['configure', '--address', service.address, '--token', 'prt_wrongwrongwrongwrongwrong'])).code).to.equal(6);
  });

  it('makes, lists and revokes tokens', async () => {
    const made = await json(['token', 'new', 'cli trial']);
    expect(made['secret']).to.match(/^prt_/);
    expect((await run(['token', 'list'])).out).to.contain('cli trial');
    await json(['token', 'revoke', 'cli trial']);
    expect((await run(['token', 'list'])).out).to.not.contain('cli trial');
    expect((await run(['--help'])).out).to.contain('Exit codes');
  });

  it('draws a flow of a folder, or of a draft, as a picture', async () => {
    cpSync(DEMO, join(folder, 'drawn'), { recursive: true });
    const drawn = await json(['draw', 'book-crossing', 'drawn', '-o', 'crossing.svg']);
    expect(drawn).to.include({ flow: 'book-crossing', file: 'crossing.svg' });
    const svg = readFileSync(join(folder, 'crossing.svg'), 'utf8');
    expect(svg).to.contain('<title>Harbour desk: Book a crossing</title>').and.contain('Which day would you like to sail?');
    const { out } = await run(['draw', 'book-crossing', 'drawn', '-o', '-', '--theme', 'dark', '--language', 'de']);
    expect(out).to.contain('<svg').and.contain('An welchem Tag').and.not.contain('Which day would you like');
    const { bot } = await json(['push', 'drawn', '--new', '--force']);
    expect((await run(['draw', 'welcome', '--bot', bot as string])).out).to.match(
      /^Welcome and crossings, 27 nodes in \d+ beats, is in welcome.svg/,
    );
    const wrong = await run(['draw', 'welcme', 'drawn']);
    expect(wrong).to.include({ code: 2 });
    expect(wrong.err).to.contain('Harbour desk has no flow "welcme". Did you mean welcome?');
    expect((await run(['draw', 'welcome', 'drawn', '--theme', 'blue'])).err).to.contain('Choose light or dark');
  });

  it('shows what is live and what changed, renames and puts away', async () => {
    await json(['push', 'origin', '--new', '--force']);
    writeFileSync('second.json', JSON.stringify({ ...demoDocument(), bot: 'second-desk', name: 'Second desk' }));
    const made = (await json(['import', 'second.json'])) as { bot: string };
    const row = async () => (await run(['bots'])).out.split('\n').find((l) => l.endsWith(made.bot)) ?? '';
    expect(await row())
      .to.contain('nothing is live')
      .and.contain('never released');
    await json(['release', made.bot]);
    expect(await row())
      .to.contain('Release 1')
      .and.contain('as in Release 1');
    await json(['rename', made.bot, 'Other desk']);
    expect(await row())
      .to.contain('Other desk')
      .and.contain('1 edit since Release 1');
    await json(['undo', made.bot]);
    expect(await row()).to.contain('as in Release 1');
    const again = await run(['import', 'second.json']);
    expect([again.code, again.err]).to.deep.equal([
      2,
      'There is a bot "second-desk" already (Second desk). Put this into it with --bot second-desk, or make another one with --force.\n',
    ]);
    expect((await run(['delete', made.bot])).err).to.equal(
      'Put Second desk away? Its channels fall silent. Say so with --yes.\n',
    );
    await json(['delete', made.bot, '--yes']);
    expect(await row()).to.equal('');
  });

  it('tells errors as JSON, ends by their kind, and writes to standard output where it is asked to', async () => {
    const { bot } = (await json(['push', 'origin', '--new', '--force'])) as { bot: string };
    const lost = await run(['visitor', bot, 'nobody', '--json']);
    expect([lost.code, JSON.parse(lost.err)]).to.deep.equal([
      7,
      { error: { message: 'Nothing is kept of such a visitor of this bot.', exit: 7 } },
    ]);
    expect(JSON.parse((await run(['export', bot, '-o', '-'])).out)).to.include({ primrose: 1 });
    expect(JSON.parse((await run(['pull', bot, '--file', '-'])).out)).to.include({ primrose: 1 });
    for (const command of [
      ['bots'],
      ['releases', bot],
      ['channels', bot],
      ['history', bot],
      ['token', 'list'],
      ['visitors', bot],
      ['aside', bot],
      ['connections', bot],
      ['retention', bot],
    ])
      expect(await json(command), command.join(' '))
        .to.have.property('items')
        .that.is.an('array');
  });

  it('sets where connections lead and what they show, and how long records are kept', async () => {
    const { bot } = (await json(['push', 'origin', '--new', '--force'])) as { bot: string };
    const set = await run(['connections', bot, 'booking-office', '--address', 'http://127.0.0.1:9/api']);
    expect(set.out).to.contain('http://127.0.0.1:9/api');
    expect((await run(['connections', bot, 'booking-offic'])).code).to.equal(7);
    expect((await run(['retention', bot, '--set', 'sheets=7,webhooks=usual'])).out).to.match(/sheets +7 days/);
    expect((await run(['retention', bot, '--set', 'sheets=soon'])).err).to.contain('"sheets=soon" cannot be read');
  });

  it('shows what is known of visitors, forgets, joins, parts, takes out and erases', async () => {
    const { bot, link } = await releasedBot(service, canteen());
    const visitors = [new TestVisitor(service.address, link), new TestVisitor(service.address, link)];
    for (const [i, v] of visitors.entries()) {
      await v.open();
      await v.say(i === 0 ? 'I always come with my dog' : 'I am allergic to nuts');
      await v.until('keep that in mind');
    }
    const listed = (await json(['visitors', bot]))['items'] as { id: string; facts: number }[];
    expect(listed.map((v) => v.facts)).to.deep.equal([1, 1]);
    const [other = '', one = ''] = listed.map((v) => v.id);
    const shown = async () => (await run(['visitor', bot, one])).out;
    expect(await shown())
      .to.contain('fact dog: I always come with my dog')
      .and.not.contain('nuts');
    expect((await run(['visitor', bot, one, '--same', other])).out).to.contain('one person now');
    expect(await shown())
      .to.contain('the same person as')
      .and.contain('fact allergy: I am allergic to nuts');
    const wrong = await run(['visitor', bot, one, '--forget', 'shoes']);
    expect([wrong.code, wrong.err.includes('Known: dog, allergy')]).to.deep.equal([7, true]);
    expect((await run(['visitor', bot, one, '--forget', 'dog'])).out).to.equal('Forgotten: I always come with my dog\n');
    expect((await run(['visitor', bot, other, '--part'])).out).to.contain('nobody else');
    const file = join(folder, 'visitor.json');
    await run(['visitor', bot, one, '--out', file]);
    const out = JSON.parse(readFileSync(file, 'utf8')) as { visitor: { known: { about: string }[] }; conversations: unknown[] };
    expect([out.visitor.known.map((f) => f.about), out.conversations.length]).to.deep.equal([[], 1]);
    expect((await run(['visitor', bot, one, '--erase', '--yes'])).out).to.contain('erased');
    expect((await run(['visitor', bot, one])).code).to.not.equal(0);
    expect((await json(['visitors', bot]))['items']).to.have.lengthOf(1);
  });

  it('names files that are not read, and the value and form of what does not fit', async () => {
    cpSync(DEMO, 'odd', { recursive: true });
    writeFileSync('odd/flows/extra.yml', 'flow: extra\n');
    writeFileSync('odd/flow.yaml', 'x: 1\n');
    const stray = await run(['check', 'odd']);
    expect(stray.err)
      .to.contain('flows/extra.yml: it is not read: name it flows/extra.yaml.')
      .and.contain('flow.yaml: it is not read');
    edit('odd/bot.yaml', /languages: .*/, 'languages: en\nidle: 4');
    edit('odd/connections/booking-office.yaml', /gives:/, 'givs:');
    const wrong = await run(['check', 'odd']);
    expect(wrong.code).to.equal(3);
    expect(wrong.err).to.match(/bot\.yaml:\d+: "idle" is 4, which does not fit here\. Write a time with its unit, such as 4s\./);
    expect(wrong.err).to.contain('"languages" is "en", which does not fit here. Write a list.');
    expect(wrong.err).to.contain('There is no key "givs" here. Did you mean gives?');
  });

  it('ends quietly when nobody reads on', async () => {
    const { code, err } = await runProcess(['--help'], envOf(), folder);
    expect([code, err]).to.deep.equal([0, '']);
    const closed = await runPiped('bots', envOf(), folder);
    expect(closed).to.equal('');
  });

  it('keeps tables and begins flows: rows, files, starts, runs', async () => {
    const { bot } = await service.client.call('createBot', {
      body: { from: 'example', example: 'shore-desk', name: 'Rows by hand' },
    });
    await service.client.call('createRelease', { params: { bot: bot.id }, body: { note: '' } });
    expect((await run(['tables', bot.id])).out).to.match(/^TABLE +ROWS +COLUMNS\nrepairs +0 +boat, what, seen, reporter, state/);
    await json(['table', bot.id, 'repairs', '--add', '{"boat": "Sandpiper", "what": "=horn"}']);
    writeFileSync(join(folder, 'more.csv'), 'Boat,What,Seen\nWrackline,bow ramp,2026-05-14\nTitania,mast,2026-05-14\n');
    const bad = await run(['table-import', bot.id, 'repairs', 'more.csv']);
    expect([bad.code, bad.out])
      .to.deep.include(3)
      .and.have.nested.property('[1]')
      .that.contains('line 3: boat takes a boat (wrackline, sandpiper)');
    expect(bad.out).to.contain('Nothing was imported: 1 line does not fit.');
    expect(await json(['table-import', bot.id, 'repairs', 'more.csv', '--skip'])).to.include({ added: 1, imported: true });
    const found = await json(['table', bot.id, 'repairs', '--where', 'boat=wrackline', '--where', 'seen>=2026-05-01']);
    const [row] = found['items'] as { id: string; values: Record<string, unknown> }[];
    expect(row?.values).to.include({ what: 'bow ramp', state: 'open' });
    await json(['table', bot.id, 'repairs', '--change', row?.id ?? '', '--values', '{"state": "done"}']);
    expect((await run(['table', bot.id, 'repairs', '--where', 'state=open'])).out)
      .to.contain('=horn')
      .and.not.contain('bow ramp');
    expect((await run(['table-export', bot.id, 'repairs', '-o', '-'])).out).to.match(/sandpiper,'=horn,/);
    await json(['table-export', bot.id, 'repairs', '-o', 'repairs.xlsx']);
    expect(readFileSync(join(folder, 'repairs.xlsx')).subarray(0, 2).toString()).to.equal('PK');
    expect((await run(['table', bot.id, 'repairs', '--where', 'what'])).code).to.equal(2);
    expect((await run(['table-changes', bot.id])).out).to.contain('A release would change nothing');
    await json(['table', bot.id, 'repairs', '--remove', row?.id ?? '']);

    expect((await run(['starts', bot.id])).out).to.match(/morning-list +schedule +send-open-repairs +\d{4}-\d\d-\d\d \d\d:30/);
    expect((await run(['start', bot.id, 'morning-list', '--off'])).out).to.contain('morning-list, live: off');
    // This bot has no channel that can send, so the flow fails, and says so.
    const begun = await run(['begin', bot.id, 'send-open-repairs']);
    expect([begun.code, begun.out])
      .to.deep.include(1)
      .and.have.nested.property('[1]')
      .that.contains('failed: its flow ended as failed');
    const runs = (await json(['runs', bot.id, '--outcome', 'failed']))['items'] as { id: string }[];
    expect((await run(['run', bot.id, runs[0]?.id ?? ''])).out).to.contain(
      'The notice to shore-room was not sent: the bot has no channel that can send',
    );
    expect((await run(['run', bot.id, runs[0]?.id ?? '', '--again', 'live'])).out).to.contain('It runs again');
    expect((await run(['begin', bot.id, 'send-open-repairs', 'boat:=nothing'])).err).to.contain('is no JSON');
    expect((await run(['notices', bot.id])).out).to.equal('No notices yet.\n');
  });
});
