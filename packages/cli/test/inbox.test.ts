import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { releasedBot } from '../../server/test/support/crowd.js';
import { knowingBot } from '../../server/test/support/known-bot.js';
import { FOLDER, theService, type TestService } from '../../server/test/support/service.js';
import { TestVisitor } from '../../server/test/support/visitor.js';
import { runHere } from './support.js';

describe('the client of those who answer', () => {
  let service: TestService;
  let folder: string;
  before(async () => {
    service = await theService();
    folder = mkdtempSync(join(FOLDER || tmpdir(), 'cli-inbox-'));
  });
  after(() => rmSync(folder, { recursive: true, force: true }));

  const run = (args: string[]) =>
    runHere(args, { PRIMROSE_ADDRESS: service.address, PRIMROSE_TOKEN: service.token, XDG_CONFIG_HOME: folder });
  const out = async (...args: string[]) => {
    const ran = await run(args);
    if (ran.code !== 0) throw new Error(`${args.join(' ')}: ${ran.code} ${ran.err}`);
    return ran.out;
  };
  const json = async (...args: string[]) => JSON.parse(await out(...args, '--json')) as Record<string, unknown>;
  const waiting = async () => {
    const { bot, link } = await releasedBot(service, knowingBot());
    const visitor = new TestVisitor(service.address, link);
    await visitor.open();
    await visitor.say('talk to a person');
    await visitor.until('Calling.');
    const { items } = await service.client.call('listInbox', { params: { bot }, query: {} });
    return { bot, visitor, conversation: items[0]?.id ?? '' };
  };

  it('lists who waits, reads a talk, takes it, notes, answers and closes', async () => {
    const { bot, visitor, conversation } = await waiting();
    expect(await out('inbox', bot))
      .to.contain('1 waiting, 0 mine, 1 in all')
      .and.contain(conversation);
    expect(await out('answer', bot, conversation))
      .to.contain('Wants a person: talk to a person')
      .and.contain('Calling.');
    expect(await out('answer', bot, conversation, 'Good day.', '--take', '--note', 'calls often')).to.equal(
      'Owner has it now.\nNoted.\nSaid as Owner.\n',
    );
    expect(await out('answer', bot, conversation))
      .to.contain('Note of Owner: calls often')
      .and.contain('OWNER  Good day.');
    expect(await json('answer', bot, conversation, 'Goodbye.', '--close')).to.deep.equal({ done: ['Closed.'] });
    const said = (await visitor.open()).filter((l) => l.who === 'staff').map((l) => l.message.text);
    expect(said).to.deep.equal(['Good day.', 'Goodbye.']);
    expect(await out('inbox', bot)).to.contain('0 waiting, 0 mine, 0 in all');
    const again = await run(['answer', bot, conversation, 'Too late.']);
    expect([again.code, again.out]).to.deep.equal([1, '']);
    expect((await run(['inbox', bot, '--view', 'theirs'])).err).to.contain('Choose waiting, mine, all.');
  });

  it('lets somebody answer, and says who there is where a name is none of theirs', async () => {
    const { bot, conversation } = await waiting();
    expect(await out('staff', bot, '--add', 'Orla')).to.match(/^Orla signs in with this link, once and within a day:\nhttp.*#/);
    expect(await out('staff', bot))
      .to.match(/Owner +owns the bot[^\n]*\n/)
      .and.contain('Orla');
    const { items } = await service.client.call('listStaff', { params: { bot } });
    const orla = items.find((s) => s.name === 'Orla')?.id ?? '';
    await service.client.call('takeConversation', { params: { bot, conversation }, body: { from: null, to: orla } });
    const refused = await run(['answer', bot, conversation, 'Me too']);
    expect(refused.err).to.contain('Orla has taken this conversation');
    expect(await out('answer', bot, conversation, '--take', '--from', 'orla')).to.equal('Owner has it now.\n');
    expect((await run(['staff', bot, '--link', 'Bram'])).err).to.contain('Nobody of the staff is called "Bram". There are: ');
    expect(await out('staff', bot, '--remove', 'orla')).to.contain('answers here no more');
  });

  it('shows how a web chat comes into a page, sets it, and keeps keys of host pages', async () => {
    const { bot } = await waiting();
    expect(await out('web-chat', bot))
      .to.match(/A bubble +<script src="http/)
      .and.contain('Visitors sign in by nothing');
    const file = join(folder, 'look.json');
    writeFileSync(file, JSON.stringify({ accent: '#204060', origins: ['https://ferries.example'] }));
    expect(await out('web-chat', bot, '--set', file)).to.contain('Shown by            https://ferries.example');
    expect(await out('web-chat', bot, '--key', 'site')).to.match(/^The secret of site, shown this once: \S{32,}\n$/);
    expect(await out('web-chat', bot)).to.contain('tokens of site (HS256)');
    expect(await out('web-chat', bot, '--withdraw', 'site')).to.contain('Visitors sign in by nothing');
    writeFileSync(file, 'accent: red');
    expect((await run(['web-chat', bot, '--set', file])).err).to.contain('holds no JSON object of settings');
    expect((await run(['web-chat', bot, '--set', join(folder, 'none.json')])).err).to.contain('could not be read');
    writeFileSync(file, JSON.stringify({ accent: 'red' }));
    expect((await run(['web-chat', bot, '--set', file])).err).to.contain('accent');
  });

  it('tells what visitors thought of answers, the worst first', async () => {
    const { bot, visitor } = await waiting();
    expect(await out('feedback', bot)).to.contain('No visitor has said what they think');
    const bad = (await visitor.open()).find((l) => l.message.text.startsWith('Hello'))?.seq ?? 0;
    await visitor.post('/feedback', { line: bad, helpful: false, words: 'I have a name' });
    const told = await out('feedback', bot);
    expect(told).to.contain('0 answers helped, 1 did not.').and.contain('main/hello').and.contain('I have a name');
    // What was asked before a useless answer stands in Missed, with what was thought.
    const called = (await visitor.open()).find((l) => l.message.text === 'Calling.')?.seq ?? 0;
    await visitor.post('/feedback', { line: called, helpful: false, words: 'nobody came' });
    expect(await out('missed', bot))
      .to.contain('talk to a person')
      .and.contain('nobody came');
  });

  it('connects channels, shows how they stand, tries, copies and deletes them', async () => {
    const { bot } = await releasedBot(service, knowingBot());
    expect(await out('connect', bot))
      .to.contain('a nickname at an IRC server')
      .and.contain('long-polling');
    const settings = join(folder, 'irc.yaml');
    writeFileSync(settings, 'host: 127.0.0.1\nport: 1\ntls: false\nnick: desk\n');
    expect(await out('connect', bot, 'irc', '--name', 'Old harbour', '--settings', settings)).to.match(
      /^Old harbour \(irc\), on\n[^]*irc:\/\/127\.0\.0\.1:1\/desk,isnick/,
    );
    expect((await run(['connect', bot, 'gull'])).err).to.contain('There is no kind "gull". There are: messenger, mail');
    expect((await run(['connect', bot, 'messenger'])).err).to.contain('one of token-in-path, signed-webhooks');
    expect((await run(['connect', bot, 'messenger', '--mapping', 'challenge'])).err).to.contain('--address');
    const ready = [
      'connect',
      bot,
      'messenger',
      '--mapping',
      'challenge',
      '--address',
      'http://127.0.0.1:1',
      '--name',
      'Post',
      '--secret',
    ];
    const made = await runHere(
      ready,
      { PRIMROSE_ADDRESS: service.address, PRIMROSE_TOKEN: service.token, XDG_CONFIG_HOME: folder },
      't0ken\n',
    );
    expect(made.out).to.contain('Secrets        token').and.contain('Set the address of the webhooks at the messenger');
    writeFileSync(settings, 'host: 127.0.0.1\nport: 2\ntls: false\nnick: no nick\n');
    expect((await run(['channel', bot, 'irc', '--settings', settings])).err).to.contain('/settings/nick');
    expect(await out('channel', bot, 'Old harbour', '--off', '--rename', 'Quay')).to.contain('Quay (irc), OFF');
    expect((await run(['channel', bot, 'Quay', '--test', 'isla'])).err).to.contain('switched off');
    expect(await out('channel', bot, 'Quay', '--copy', 'Second')).to.contain('Second (irc), OFF');
    expect((await run(['channel', bot, 'Second', '--delete'])).err).to.contain('--yes');
    expect(await out('channel', bot, 'Second', '--delete', '--yes')).to.contain('its conversations are kept');
    expect((await run(['channel', bot, 'Second'])).err).to.contain('There are: Web chat, Quay, Post.');
    await out('connect', bot, 'bot-api', '--name', 'Programs');
    expect(await out('channel', bot, 'Programs', '--caller', 'kiosk')).to.match(/^The key of kiosk, shown this once: \S{43}\n$/);
    expect(await out('channel', bot, 'Programs')).to.contain('Callers        kiosk');
    expect(await out('channel', bot, 'Programs', '--withdraw', 'kiosk')).to.contain('is withdrawn');
    expect(await out('channel', bot, 'Programs', '--events')).to.equal('Nothing came in or went out yet.\n');
    expect(await json('channel', bot, 'Programs')).to.deep.include({ kind: 'bot-api', callers: [] });
  });
});
