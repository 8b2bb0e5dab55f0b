import { expect } from 'chai';
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { Call } from '../../stand-ins/src/phone/call.js';
import { writeVoiceXml, type Spoken } from '../src/channels/telephone/voicexml.js';
import { peerBot, releasedPeerBot } from './support/peer-bot.js';
import { DATABASE_URL, startTestService, type TestService } from './support/service.js';
import { until } from './support/until.js';

const SCHEMA = new URL('../../../docs/channels/voicexml-subset.xsd', import.meta.url).pathname;

/** What is wrong in documents by the schema; empty where they fit. */
function faults(documents: readonly string[]): string {
  const folder = mkdtempSync(join(tmpdir(), 'primrose-voice-'));
  try {
    const files = documents.map((d, i) => {
      const file = join(folder, `${i}.vxml`);
      writeFileSync(file, d);
      return file;
    });
    const done = spawnSync('xmllint', ['--nonet', '--noout', '--schema', SCHEMA, ...files], { encoding: 'utf8' });
    if (done.error) throw done.error;
    return done.status === 0 ? '' : done.stderr;
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

describe('documents of the telephone', () => {
  it('fit the schema, whatever is said in them', () => {
    const documents: string[] = [];
    const words = fc.string({ unit: 'grapheme', maxLength: 60 });
    const spoken = fc.record({
      language: fc.constantFrom('en', 'de', 'es'),
      prompts: fc.array(fc.record({ text: words, mark: fc.nat(99).map((n) => `l${n}`) }), { maxLength: 4 }),
      choices: fc.array(words, { maxLength: 12 }),
      next: fc.constant('https://desk.example/api/calls/x/turn?a=1&b=2'),
      with: fc.record({ call: words, seen: fc.nat(9).map(String) }),
      silence: fc.integer({ min: 2, max: 60 }),
      grammar: fc.constant('builtin:speech/free'),
      then: fc.constantFrom<Spoken['then']>('listen', 'go-on', 'hang-up', { transfer: 'tel:+35315550100' }),
    });
    fc.assert(
      fc.property(spoken, (s) => void documents.push(writeVoiceXml(s))),
      { seed: 23, numRuns: 150 },
    );
    expect(faults(documents)).to.equal('');
    expect(
      faults(['<vxml version="2.1" xmlns="http://www.w3.org/2001/vxml"><form><field name="said"/></form></vxml>']),
    ).not.to.equal('');
  });
});

describe('the telephone, heard by a small interpreter', () => {
  let service: TestService;
  let bot = '';
  let channel = '';
  let link = '';
  const documents: string[] = [];
  /** The interpreter fetches as a voice platform does; what it gets is held against the schema at the end. */
  const keeping: typeof fetch = async (...args) => {
    const answer = await fetch(...args);
    const text = await answer.clone().text();
    if (answer.ok) documents.push(text);
    return answer;
  };
  const call = async (more: Record<string, string> = {}): Promise<Call> => {
    const made = new Call(
      `${link}?${new URLSearchParams({ call: `c-${Math.random().toString(36).slice(2)}`, ...more }).toString()}`,
      keeping,
    );
    await made.begin();
    return made;
  };
  const last = (c: Call): string => c.state.heard.at(-1) ?? '';
  const params = () => ({ bot, channel });

  before(async () => {
    service = await startTestService({ databaseUrl: DATABASE_URL });
    const document = peerBot() as unknown as { flows: { main: { nodes: Record<string, unknown> } } };
    const { nodes } = document.flows.main;
    nodes['heard'] = {
      ...(nodes['heard'] as object),
      says: 'Heard {{ session.count }}: {{ flow.said }}. It leaves at 07:40 and costs €12.50, see [the page](https://pages.example).',
      speech: 'I heard {{ flow.said }}. It leaves at 07:40.',
    };
    bot = await releasedPeerBot(service.client, document as never);
    const made = await service.client.call('createChannel', {
      params: { bot },
      body: { kind: 'telephone', name: 'Line', settings: { number: '+353 1 555 0100', knows_callers: true } },
    });
    channel = made.id;
    link = made.link;
  });
  after(async () => {
    await service.stop();
    expect(faults(documents)).to.equal('');
  });

  it('speaks first, hears words and keys, and says its own words for speech, numbers as they are spoken', async () => {
    const c = await call();
    expect(last(c)).to.equal('What is it?');
    await c.does({ as: 'says', words: 'a boat' });
    expect(c.state.heard).to.include('I heard a boat. It leaves at seven forty.');
    await c.does({ as: 'says', words: 'menu' });
    expect(last(c)).to.equal('Which boat? the Sandpiper; the Wrackline.');
    await c.does({ as: 'presses', key: '2' });
    expect(c.state.heard).to.include('You took the wrackline.');
    await c.does({ as: 'says', words: 'picture' });
    expect(c.state.heard).to.include('Here: the boat today');
  });

  it('asks again into silence and what was not understood, and hangs up after the third time', async () => {
    const c = await call();
    await c.does({ as: 'silence' });
    expect(c.state.heard.slice(-2)).to.deep.equal(['Are you still there?', 'What is it?']);
    await c.does({ as: 'mumbles' });
    expect(c.state.heard.slice(-2)).to.deep.equal(['I did not hear that well. Please say it again.', 'What is it?']);
    await c.does({ as: 'silence' });
    expect(c.state).to.deep.include({ over: true });
    expect(last(c)).to.equal('I cannot hear you, so I hang up now. Goodbye.');
    const { items } = await service.client.call('listChannelEvents', { params: params() });
    expect(items.filter((e) => e.about === 'nothing was said').length).to.be.at.least(2);
  });

  it('knows how far somebody listened who spoke into it', async () => {
    const c = await call({ caller: '+353155577' });
    await c.does({ as: 'says', words: 'one' });
    const heard = c.state.heard.length;
    await c.does({ as: 'says', words: 'two', after: heard - 1 });
    expect(c.state.heard.some((h) => h.includes('two'))).to.equal(true);
    await c.does({ as: 'hangs-up' });
    expect(c.state.over).to.equal(true);
    await until(async () => {
      const { items } = await service.client.call('listChannelEvents', { params: params() });
      return items.some((e) => e.about === 'the caller has hung up');
    }, 10);
  });

  it('knows a caller again by the number, in a new conversation, and nobody by none', async () => {
    const first = await call({ caller: '+353155501' });
    await first.does({ as: 'says', words: 'menu' });
    await first.does({ as: 'says', words: 'the sandpiper' });
    const second = await call({ caller: '+353155501' });
    await second.does({ as: 'says', words: 'my boat' });
    expect(second.state.heard).to.include('Your boat: sandpiper.');
    const other = await call({ caller: '+353155502' });
    await other.does({ as: 'says', words: 'my boat' });
    expect(other.state.heard).to.include('Your boat: none.');
    await service.client.call('updateChannel', { params: params(), body: { settings: { number: '+353 1 555 0100' } } });
    const unknown = await call({ caller: '+353155501' });
    await unknown.does({ as: 'says', words: 'my boat' });
    expect(unknown.state.heard).to.include('Your boat: none.');
  });

  it('takes what was heard once, and refuses the turn of a call that is somebody else’s', async () => {
    const c = await call();
    await c.does({ as: 'says', words: 'once' });
    const document = documents.at(-1) ?? '';
    const fields = Object.fromEntries(
      [...document.matchAll(/<var name="(call|seen|silences|waits)" expr="'([^']*)'"\/>/g)].map((m) => [m[1] ?? '', m[2] ?? '']),
    );
    const post = (more: Record<string, string>) =>
      fetch(`${link}/turn`, { method: 'POST', body: new URLSearchParams({ ...fields, event: 'said', said: 'again', ...more }) });
    const [one, two] = [await (await post({})).text(), await (await post({})).text()];
    expect(one).to.include('I heard again');
    expect(two).to.include('I heard again');
    const { items } = await service.client.call('listChannelEvents', { params: params() });
    expect(
      items
        .filter((e) => e.about === 'again')
        .map((e) => e.outcome)
        .sort(),
    ).to.deep.equal(['repeat', 'taken']);
    expect(
      (
        await post({
          call: (fields['call'] ?? '').replace(/~.*/, '~01234567-0123-7123-8123-012345678901~AAAAAAAAAAAAAAAAAAAAAA'),
        })
      ).status,
    ).to.equal(401);
    // Nor is a call that goes on begun once more by somebody who knows its name.
    const name = (fields['call'] ?? '').split('~')[0] ?? '';
    expect((await fetch(`${link}?call=${name}`)).status).to.equal(401);
    expect((await post({ said: 'x'.repeat(70_000) })).status).to.equal(413);
    expect((await fetch(`${link}?call=${encodeURIComponent('<x>')}`)).status).to.equal(422);
  });

  it('reads out what staff say, or hands the call on where that is set, and takes no call while it is off', async () => {
    await service.client.call('updateChannel', { params: params(), body: { on: false } });
    expect((await fetch(link)).status).to.equal(409);
    await service.client.call('updateChannel', { params: params(), body: { on: true } });
    const c = await call();
    expect(c.state.over).to.equal(false);
  });
});
