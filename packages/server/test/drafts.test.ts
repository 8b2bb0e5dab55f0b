import { expect } from 'chai';
import { zipSync, strToU8 } from 'fflate';
import { createConnection } from 'mysql2/promise';
import { ApiError, createClient, type ApiProblemCode, type Client, type FileContent } from '@primrose/contract';
import { applyPatch, draftPatch, readFolder, type BotDocument } from '@primrose/core';
import { largeBot } from '../../../bench/bots.mjs';
import { botOf, demoDocument } from '../../core/test/harbour.js';
import { asKept } from './support/kept.js';
import { hashSecret } from '../src/base/clock.js';
import { releasedBot } from './support/crowd.js';
import { DATABASE_URL, theService, type TestService } from './support/service.js';
import { TestVisitor } from './support/visitor.js';

const HELLO = { kind: 'say', says: 'Hello.', exits: { said: 'menu' } };
const MENU = {
  kind: 'choice',
  says: 'What now?',
  choices: ['boats', 'fares', 'times'].map((id) => ({ id, says: `See ${id}` })),
  exits: { boats: 'stop', fares: 'stop', times: 'stop', other: 'stop' },
};
const trial = () => botOf({ hello: HELLO, menu: MENU, stop: { kind: 'end', ends: 'conversation' } });

/** The problem that a call ends with. */
async function problem(call: Promise<unknown>): Promise<ApiError['details']> {
  const failure = await call.then(
    () => undefined,
    (error: unknown) => error,
  );
  if (!(failure instanceof ApiError)) throw new Error('a problem was expected', { cause: failure });
  return failure.details;
}
const code = async (call: Promise<unknown>): Promise<ApiProblemCode> => (await problem(call)).code;

describe('a draft', () => {
  let service: TestService;
  let client: Client;
  before(async () => {
    service = await theService();
    client = service.client;
  });
  const create = async (document: BotDocument = trial()) =>
    (await client.call('createBot', { body: { from: 'document', document: document as never } })).bot.id;
  const draft = async (bot: string) => client.call('getDraft', { params: { bot } });
  /** An edit made at a revision, as the console makes it: by the difference. */
  const edit = async (bot: string, revision: number, change: (d: BotDocument) => void, as: Client = client) => {
    const base = revisions.get(`${bot} ${revision}`) ?? (await draft(bot)).document;
    revisions.set(`${bot} ${revision}`, base);
    const after = JSON.parse(JSON.stringify(base)) as BotDocument;
    change(after);
    return as.call('patchDraft', { params: { bot }, body: { revision, patch: draftPatch(base, after) } });
  };
  const revisions = new Map<string, BotDocument>();
  const node = (d: BotDocument, id: string) => d.flows['main']?.nodes[id] as unknown as Record<string, unknown>;
  const choices = async (bot: string) =>
    (node((await draft(bot)).document, 'menu')['choices'] as { says: string }[]).map((c) => c.says);

  it('streams edits as they come, those missed first, and tells whoever is too far behind', async () => {
    const bot = await create();
    const base = (await draft(bot)).document;
    const rename = (revision: number, name: string) =>
      client.call('patchDraft', { params: { bot }, body: { revision, patch: [{ op: 'replace', path: '/name', value: name }] } });
    await rename(1, 'One');
    const listen = async (since: number, headers: Record<string, string> = {}) => {
      const stop = new AbortController();
      const address = `${service.address}/api/bots/${bot}/draft/stream?since=${since}`;
      const answer = await fetch(address, {
        headers: { authorization: `Bearer ${service.token}`, ...headers },
        signal: stop.signal,
      });
      const reader = answer.body?.pipeThrough(new TextDecoderStream()).getReader();
      let text = '';
      const next = async (until: string) => {
        while (!text.includes(until)) text += (await reader?.read())?.value ?? '';
        return text;
      };
      return { status: answer.status, next, stop: () => stop.abort() };
    };
    const stream = await listen(1);
    await stream.next('"from":1,"revision":2');
    await rename(2, 'Two');
    const text = await stream.next('"from":2,"revision":3');
    stream.stop();
    const patches = [...text.matchAll(/^data: (\{.*\})$/gm)].map(
      (m) => JSON.parse(m[1] ?? '') as { patch: never[]; undo: boolean },
    );
    expect(patches.map((p) => p.undo)).to.deep.equal([true, true]);
    const followed = patches.reduce<unknown>((made, { patch }) => {
      const done = applyPatch(made, patch);
      return done.ok ? done.value : undefined;
    }, base);
    expect(followed).to.deep.equal((await draft(bot)).document);
    const resumed = await listen(0, { 'last-event-id': '2' });
    await resumed.next('"from":2,"revision":3');
    resumed.stop();
    for (let revision = 3; revision < 56; revision++) await rename(revision, `Name ${revision}`);
    const behind = await listen(1);
    expect(await behind.next('event: behind')).to.contain('"revision":56');
    behind.stop();
    const stranger = await fetch(`${service.address}/api/bots/${bot}/draft/stream?since=1`);
    expect(stranger.status).to.equal(401);
    expect((await listen(-1)).status).to.equal(422);
  });

  it('merges edits to different places and tells each what the other did', async () => {
    const bot = await create();
    await edit(bot, 1, (d) => (d.name = 'Theirs'));
    const mine = await edit(bot, 1, (d) => Object.assign(node(d, 'hello'), { says: 'Good day.' }));
    expect([mine.revision, mine.patch]).to.deep.equal([3, [{ op: 'replace', path: '/name', value: 'Theirs' }]]);
    const { document } = await draft(bot);
    expect([document.name, node(document, 'hello')['says']]).to.deep.equal(['Theirs', 'Good day.']);
  });

  it('finds an item of a list again by its value', async () => {
    const bot = await create();
    await edit(bot, 1, (d) => (node(d, 'menu')['choices'] as object[]).unshift({ id: 'news', says: 'See news' }));
    await edit(bot, 1, (d) => Object.assign((node(d, 'menu')['choices'] as object[])[1] ?? {}, { says: 'What does it cost?' }));
    expect(await choices(bot)).to.deep.equal(['See news', 'See boats', 'What does it cost?', 'See times']);
    await edit(bot, 1, (d) => void (node(d, 'menu')['choices'] as object[]).splice(2, 1));
    expect(await choices(bot)).to.deep.equal(['See news', 'See boats', 'What does it cost?']);
  });

  it('answers a clash with both values and stores nothing of the edit', async () => {
    const bot = await create();
    await edit(bot, 1, (d) => Object.assign(node(d, 'hello'), { says: 'Theirs.' }));
    const clash = await problem(
      edit(bot, 1, (d) => {
        d.name = 'Elsewhere';
        Object.assign(node(d, 'hello'), { says: 'Mine.' });
      }),
    );
    expect([clash.code, clash.status]).to.deep.equal(['clash', 412]);
    expect(clash['clashes']).to.deep.equal([
      { path: '/flows/main/nodes/hello/says', base: 'Hello.', mine: 'Mine.', theirs: 'Theirs.' },
    ]);
    expect((await draft(bot)).document.name).to.equal('Trial');
  });

  it('clashes where one changes what the other has taken away', async () => {
    const bot = await create();
    await edit(bot, 1, (d) => void delete (d.flows['main']?.nodes as Record<string, unknown>)['stop']);
    expect(await code(edit(bot, 1, (d) => Object.assign(node(d, 'stop'), { says: 'Bye.' })))).to.equal('clash');
  });

  it('keeps all of many edits made at once to different nodes', async () => {
    const nodes = Object.fromEntries(Array.from({ length: 8 }, (_, i) => [`say-${i}`, { kind: 'say', says: `S${i}` }]));
    const bot = await create(botOf(nodes));
    await draft(bot).then((d) => revisions.set(`${bot} 1`, d.document));
    await Promise.all(
      Array.from({ length: 8 }, (_, i) => edit(bot, 1, (d) => Object.assign(node(d, `say-${i}`), { says: `Edited ${i}` }))),
    );
    const now = await draft(bot);
    expect(now.revision).to.equal(9);
    expect(Object.values(now.document.flows['main']?.nodes ?? {}).map((n) => n['says'])).to.deep.equal(
      Array.from({ length: 8 }, (_, i) => `Edited ${i}`),
    );
  });

  describe('undone and redone', () => {
    const step = (bot: string, which: 'undoEdit' | 'redoEdit', as: Client = client) =>
      as.call(which, { params: { bot }, body: { revision: 1 } });
    const says = async (bot: string) => node((await draft(bot)).document, 'hello')['says'] as string;
    const write = (bot: string, revision: number, text: string) =>
      edit(bot, revision, (d) => Object.assign(node(d, 'hello'), { says: text }));

    it('goes back to the beginning and forward again, one edit at a time', async () => {
      const bot = await create();
      for (let n = 1; n <= 5; n++) await write(bot, n, `Text ${n}`);
      for (let n = 4; n >= 1; n--) {
        await step(bot, 'undoEdit');
        expect(await says(bot)).to.equal(`Text ${n}`);
      }
      const last = await step(bot, 'undoEdit');
      expect([await says(bot), last.undo, last.redo]).to.deep.equal(['Hello.', false, true]);
      expect(await code(step(bot, 'undoEdit'))).to.equal('nothing-to-undo');
      for (let n = 1; n <= 5; n++) {
        await step(bot, 'redoEdit');
        expect(await says(bot)).to.equal(`Text ${n}`);
      }
      expect(await code(step(bot, 'redoEdit'))).to.equal('nothing-to-undo');
      await step(bot, 'undoEdit');
      await step(bot, 'undoEdit');
      await write(bot, (await draft(bot)).revision, 'Something new');
      expect(await code(step(bot, 'redoEdit'))).to.equal('nothing-to-undo');
      await step(bot, 'undoEdit');
      expect(await says(bot)).to.equal('Text 3');
    });

    it('takes back one’s own edits and leaves those of others', async () => {
      const bot = await create();
      const db = await createConnection(DATABASE_URL);
      const other = crypto.randomUUID();
      await db.query('INSERT INTO people (id, name, created_at) VALUES (?, ?, NOW())', [other, 'Ada']);
      await db.query(`INSERT INTO edits (bot_id, revision, person_id, at, patch, differences) VALUES (?, 3, ?, NOW(), ?, '[]')`, [
        bot,
        other,
        JSON.stringify([{ op: 'replace', path: '/name', value: 'Ada’s' }]),
      ]);
      await write(bot, 1, 'Mine.');
      await db.query('UPDATE bots SET revision = 3 WHERE id = ?', [bot]);
      await db.end();
      await step(bot, 'undoEdit');
      const { document, undo } = await draft(bot);
      expect([document.name, await says(bot), undo]).to.deep.equal(['Ada’s', 'Hello.', false]);
    });

    it('says so when the place was changed since', async () => {
      const bot = await create();
      await write(bot, 1, 'First.');
      const db = await createConnection(DATABASE_URL);
      const other = crypto.randomUUID();
      await db.query('INSERT INTO people (id, name, created_at) VALUES (?, ?, NOW())', [other, 'Ada']);
      const patch = [{ op: 'replace', path: '/flows/main/nodes/hello/says', value: 'Ada’s.' }];
      await db.query(`INSERT INTO edits (bot_id, revision, person_id, at, patch, differences) VALUES (?, 3, ?, NOW(), ?, '[]')`, [
        bot,
        other,
        JSON.stringify(patch),
      ]);
      await db.query('UPDATE bots SET revision = 3 WHERE id = ?', [bot]);
      await db.end();
      expect(await code(step(bot, 'undoEdit'))).to.equal('clash');
      expect(await says(bot)).to.equal('Ada’s.');
    });
  });

  it('has a history in words, and comes back to any of its states', async () => {
    const bot = await create();
    await edit(bot, 1, (d) => Object.assign(node(d, 'hello'), { says: 'Good day.' }));
    await edit(bot, 2, (d) => Object.assign(node(d, 'menu')['exits'] ?? {}, { fares: 'hello' }));
    await edit(bot, 3, (d) => void delete (d.flows['main']?.nodes as Record<string, unknown>)['stop']);
    const { items } = await client.call('listHistory', { params: { bot }, query: {} });
    expect(items.map((e) => [e.revision, e.by, e.kind, e.changes[0]])).to.deep.equal([
      [4, 'Owner', 'edit', 'main, stop: removed, “end: The conversation is over”'],
      [3, 'Owner', 'edit', 'main, menu: the exit fares leads to “hello”, no longer to “stop”'],
      [2, 'Owner', 'edit', 'main, hello: says was “Hello.”, is now “Good day.”'],
    ]);
    await client.call('restoreDraft', { params: { bot }, body: { revision: 4, to: 1 } });
    expect((await draft(bot)).document).to.deep.equal(trial());
    await client.call('undoEdit', { params: { bot }, body: { revision: 5 } });
    expect(node((await draft(bot)).document, 'hello')['says']).to.equal('Good day.');
  });

  it('of 40 flows takes hundreds of edits and any of its states can be fetched', async () => {
    const bot = await create(largeBot(40, 1500) as BotDocument);
    let document = (await draft(bot)).document;
    for (let n = 1; n <= 250; n++) {
      const path = `/flows/flow-${(n % 40) + 1}/title`;
      const patch = [{ op: 'replace' as const, path, value: `Title ${n}` }];
      await client.call('patchDraft', { params: { bot }, body: { revision: n, patch } });
      const done = applyPatch(document, patch);
      if (done.ok) document = done.value as BotDocument;
    }
    expect((await draft(bot)).document).to.deep.equal(document);
    const db = await createConnection(DATABASE_URL);
    const [snapshots] = await db.query('SELECT revision FROM snapshots WHERE bot_id = ? ORDER BY revision', [bot]);
    await db.end();
    expect((snapshots as { revision: number }[]).map((s) => s.revision)).to.deep.equal([1, 100, 200]);
    const found = await client.call('compareVersions', { params: { bot }, query: { from: 'r150', to: 'r151' } });
    expect(found.items.map((i) => i.sentence)).to.deep.equal(['flow-31: title was “Title 110”, is now “Title 150”']);
  });

  describe('as a file', () => {
    const files = async (bot: string, form: 'file' | 'folder') =>
      client.download('exportBot', { params: { bot }, query: { form } });
    const zip = (entries: Record<string, string>): FileContent => ({
      bytes: zipSync(Object.fromEntries(Object.entries(entries).map(([name, text]) => [name, strToU8(text)]))),
      type: 'application/zip',
    });
    const importInto = (bot: string, file: FileContent) =>
      client.upload('importBot', { params: { bot }, query: { revision: 1 } }, file);

    it('goes out and comes back the same, as one file and as a zip of its folder', async () => {
      const bot = await create(demoDocument());
      for (const form of ['file', 'folder'] as const) {
        const file = await files(bot, form);
        const made = await client.upload('importNewBot', {}, file);
        expect(made.document).to.deep.equal(asKept(demoDocument()));
        const again = await importInto(bot, file);
        expect([again.revision, again.patch]).to.deep.equal([1, []]);
      }
    });

    it('comes back into the same bot as an edit that can be undone', async () => {
      const bot = await create(demoDocument());
      const { bytes, type } = await files(bot, 'file');
      const changed = new TextDecoder().decode(bytes).replaceAll('Harbour desk', 'Pier desk');
      const done = await importInto(bot, { bytes: new TextEncoder().encode(changed), type });
      expect([done.revision, done.bot.name]).to.deep.equal([2, 'Pier desk']);
      const { items } = await client.call('listHistory', { params: { bot }, query: {} });
      expect(items[0]).to.include({ kind: 'import' });
      await client.call('undoEdit', { params: { bot }, body: { revision: 2 } });
      expect((await draft(bot)).document.name).to.equal('Harbour desk');
    });

    it('may stand in a folder of its own in the zip', async () => {
      const bot = await create();
      const yaml = 'primrose: 1\nbot: trial\nname: In a folder\nlanguages: [en]\nzone: Europe/Dublin\nbegins: main\n';
      const flow = 'flow: main\nbegin: stop\nnodes:\n  stop: { kind: end }\n';
      const done = await importInto(bot, zip({ 'pier/bot.yaml': yaml, 'pier/flows/main.yaml': flow, 'pier/readme.txt': 'x' }));
      expect(done.bot.name).to.equal('In a folder');
      expect(readFolder({ 'bot.yaml': yaml, 'flows/main.yaml': flow }).ok).to.equal(true);
    });

    const names = ['../bot.yaml', '/etc/bot.yaml', 'flows/../../bot.yaml', 'flows\\..\\bot.yaml', 'c:/bot.yaml'];
    for (const name of names) {
      it(`is refused with the name ${name} in it`, async () => {
        const bot = await create();
        const refusal = await problem(importInto(bot, zip({ 'bot.yaml': 'primrose: 1', [name]: 'x' })));
        expect([refusal.code, refusal.detail]).to.satisfy(
          ([c, d]: string[]) => c === 'invalid-document' && d?.includes('leads out of the folder'),
        );
        expect((await draft(bot)).revision).to.equal(1);
      });
    }

    it('is refused when it is too large unpacked, cut off, no zip, no bot, or wrong in a line', async () => {
      const bot = await create();
      const bomb = zip({ 'bot.yaml': ' '.repeat(30_000_000) });
      expect(bomb.bytes.length).to.be.lessThan(100_000);
      expect(await code(importInto(bot, bomb))).to.equal('too-large');
      const cut = zip({ 'bot.yaml': 'primrose: 1\n'.repeat(100) });
      expect(await code(importInto(bot, { ...cut, bytes: cut.bytes.slice(0, 60) }))).to.equal('invalid-document');
      const text = (words: string): FileContent => ({ bytes: new TextEncoder().encode(words), type: 'application/json' });
      expect(await code(importInto(bot, text('no json')))).to.equal('invalid-document');
      expect(await code(importInto(bot, text('{"a": 1}')))).to.equal('invalid-document');
      expect(await code(importInto(bot, zip({ 'readme.txt': 'x' })))).to.equal('invalid-document');
      expect((await problem(importInto(bot, zip({ 'bot.yaml': 'primrose: 1\nbot: [' })))).detail).to.contain('bot.yaml, line');
      expect(await code(importInto(bot, { ...text('{}'), type: 'text/plain' }))).to.equal('wrong-content-type');
    });
  });
});

describe('a release', () => {
  let service: TestService;
  let client: Client;
  before(async () => {
    service = await theService();
    client = service.client;
  });
  const asking = (says: string) =>
    botOf(
      {
        ask: { kind: 'ask', says, expects: 'text', into: 'session.heard', exits: { answered: 'tell', 'gave-up': 'tell' } },
        tell: { kind: 'say', says: `${says} Heard.`, exits: { said: 'again' } },
        again: { kind: 'ask', says, expects: 'text', into: 'flow.more', exits: { answered: 'tell', 'gave-up': 'tell' } },
      },
      { variables: { session: { heard: 'text' } } },
    );
  const replace = async (bot: string, revision: number, document: BotDocument) => {
    await client.call('replaceDraft', { params: { bot }, body: { revision, document: document as never } });
    await client.call('createRelease', { params: { bot }, body: { note: '' } });
  };

  it('is compared, made live and rolled back; open conversations stay, or move when asked', async () => {
    const { bot, link } = await releasedBot(service, asking('One?'));
    const visitor = async () => {
      const one = new TestVisitor(service.address, link);
      await one.open();
      await one.until('?');
      return one;
    };
    const [stays, moves] = [await visitor(), await visitor()];
    // Who only opens a chat has no conversation yet.
    await moves.say('x');
    await moves.until('One? Heard.');
    await replace(bot, 1, asking('Two?'));
    await stays.say('x');
    await stays.until('One? Heard.');
    const third = await visitor();
    expect(await third.until('Two?')).to.have.length(1);
    await third.say('x');
    await third.until('Two? Heard.');
    const { items } = await client.call('listReleases', { params: { bot }, query: {} });
    expect(items.map((r) => [r.number, r.live, r.open])).to.deep.equal([
      [2, true, 1],
      [1, false, 2],
    ]);
    const moved = await client.call('makeLive', { params: { bot, release: 2 }, body: { move: true } });
    expect(moved.moved).to.equal(2);
    await moves.say('x');
    await moves.until('Two? Heard.');
    const back = await client.call('rollBack', { params: { bot }, body: {} });
    expect([back.release.number, back.moved]).to.deep.equal([1, 0]);
    expect(await (await visitor()).until('One?')).to.have.length(1);
    const again = await client.call('rollBack', { params: { bot }, body: {} });
    expect(again.release.number).to.equal(2);
    const found = await client.call('compareVersions', { params: { bot }, query: { from: '1', to: '2' } });
    expect(found.items.map((i) => i.sentence)).to.include('main, ask: says was “One?”, is now “Two?”');
  });

  it('can be made without going live', async () => {
    const { bot } = await releasedBot(service, asking('One?'));
    await client.call('replaceDraft', { params: { bot }, body: { revision: 1, document: asking('Two?') as never } });
    const made = await client.call('createRelease', { params: { bot }, body: { note: '', live: false } });
    expect([made.number, made.live]).to.deep.equal([2, false]);
    const [channel] = (await client.call('listChannels', { params: { bot } })).items;
    expect(channel?.live).to.equal(1);
    expect(await code(client.call('rollBack', { params: { bot }, body: {} }))).to.equal('no-release');
    expect(await code(client.call('makeLive', { params: { bot, release: 9 }, body: {} }))).to.equal('not-found');
  });

  it('ends for a conversation that has rested: the next words begin anew on the live one', async () => {
    const { bot, link } = await releasedBot(service, { ...asking('One?'), idle: '500ms' });
    const one = new TestVisitor(service.address, link);
    await one.open();
    await one.until('One?');
    await replace(bot, 1, { ...asking('Two?'), idle: '500ms' });
    await new Promise((resolve) => setTimeout(resolve, 700));
    await one.say('back again');
    const lines = await one.until('Two?');
    expect(lines.filter((l) => l.who === 'bot').map((l) => l.message.text)).to.deep.equal(['One?', 'Two?']);
  });
});

describe('what is not one’s own', () => {
  it('is not to be had with an expired session, a forged token or a used link', async () => {
    const service = await theService();
    const db = await createConnection(DATABASE_URL);
    const secret = 'e'.repeat(43);
    const [[owner]] = (await db.query('SELECT id FROM people ORDER BY id LIMIT 1')) as unknown as [{ id: string }[]];
    await db.query('INSERT INTO console_sessions (hash, person_id, expires_at) VALUES (?, ?, NOW() - INTERVAL 1 SECOND)', [
      hashSecret(secret),
      owner?.id,
    ]);
    await db.end();
    const status = async (headers: Record<string, string>) => (await fetch(`${service.address}/api/me`, { headers })).status;
    expect(await status({ cookie: `primrose_session=${secret}` })).to.equal(401);
    for (const token of [`${service.token}x`, service.token.slice(0, -1), service.token.toUpperCase(), 'prt_' + 'a'.repeat(43)])
      expect(await status({ authorization: `Bearer ${token}` })).to.equal(401);
    const link = (await service.link()).split('#').at(-1) ?? '';
    const use = () => createClient({ address: service.address }).call('signIn', { body: { link } });
    await use();
    expect(await code(use())).to.equal('link-used');
  });
});
