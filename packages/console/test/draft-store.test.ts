import { expect } from 'chai';
import type { BotDocument } from '@primrose/core';
import { botOf } from '../../core/test/harbour.js';
import { chanceOf } from '../../core/test/chance.js';
import { theService, type TestService } from '../../server/test/support/service.js';
import { until } from '../../server/test/support/until.js';
import type { DraftStore } from '../src/draft/store.js';
import { botWith } from './support.js';
import { closeLine, holdNews, line, openLine, openWindow } from './windows.js';

const NODES = {
  hello: { kind: 'say', says: 'Hello.', exits: { done: 'ask' } },
  ask: { kind: 'ask', says: 'Which boat?', expects: 'text', into: 'session.boat', exits: { answered: 'bye', 'gave-up': 'bye' } },
  bye: { kind: 'end', says: 'Goodbye.' },
} as const;

/** What is said at a node, in other words. */
const saying =
  (node: keyof typeof NODES, says: string) =>
  (document: BotDocument): BotDocument => {
    const flow = document.flows['main'];
    const found = flow?.nodes[node];
    if (!flow || !found) throw new Error(`there is no node ${node}`);
    const nodes = { ...flow.nodes, [node]: { ...found, says } as typeof found };
    return { ...document, flows: { ...document.flows, main: { ...flow, nodes } } };
  };
const saidAt = (document: BotDocument, node: keyof typeof NODES) =>
  (document.flows['main']?.nodes[node] as { says?: unknown } | undefined)?.says;

describe('a draft that is open in windows of the console', () => {
  let service: TestService;
  let bot: string;
  let draft: () => Promise<BotDocument>;
  const open = () => openWindow(service, bot);
  const kind = (window: DraftStore) => window.view().state.kind;
  const same = (window: DraftStore) => window.view().document;
  const closing: (() => void)[] = [];
  const following = async () => {
    const window = await open();
    closing.push(window.follow());
    return window;
  };

  before(async () => {
    service = await theService();
    openLine(service);
  });
  after(closeLine);
  beforeEach(async () => {
    ({ bot, draft } = await botWith(service, botOf(NODES, { variables: { session: { boat: 'text?' } } })));
    line.asked.length = 0;
  });
  afterEach(() => {
    closing.splice(0).forEach((close) => close());
    line.away = false;
    line.hold = undefined;
  });

  it('is changed on the screen at once and saved in one piece a moment later', async () => {
    const window = await open();
    const seen: string[] = [];
    const leave = window.subscribe(() => seen.push(kind(window)));
    window.edit(saying('hello', 'Good day.'));
    window.edit(saying('bye', 'Farewell.'));
    expect([saidAt(same(window), 'hello'), kind(window)]).to.deep.equal(['Good day.', 'unsaved']);
    await until(() => Promise.resolve(kind(window) === 'saved'));
    expect(line.asked.filter((a) => a.startsWith('PATCH'))).to.have.length(1);
    expect([saidAt(await draft(), 'hello'), saidAt(await draft(), 'bye')]).to.deep.equal(['Good day.', 'Farewell.']);
    expect(seen).to.deep.equal(['unsaved', 'unsaved', 'saving', 'saved']);
    leave();
    window.edit(saying('hello', 'Hello again.'));
    expect(seen).to.have.length(4);
    expect(await window.flush()).to.equal(true);
  });

  it('asks the service for nothing where an edit changes nothing', async () => {
    const window = await open();
    window.edit((document) => document);
    expect(kind(window)).to.equal('saved');
    window.edit(saying('hello', 'Good day.'));
    window.edit(saying('hello', 'Hello.'));
    expect(await window.flush()).to.equal(true);
    expect(line.asked.filter((a) => a.startsWith('PATCH'))).to.deep.equal([]);
  });

  it('keeps what is edited while a save is under way, and saves it too', async () => {
    const window = await open();
    let answer = () => {};
    line.hold = new Promise((resolve) => (answer = resolve));
    window.edit(saying('hello', 'Good day.'));
    const saved = window.flush();
    await until(() => Promise.resolve(line.asked.length > 0));
    window.edit(saying('bye', 'Farewell.'));
    expect(window.flush(), 'whoever wants it saved waits for the same').to.equal(saved);
    answer();
    expect(await saved).to.equal(true);
    expect([saidAt(await draft(), 'hello'), saidAt(await draft(), 'bye')]).to.deep.equal(['Good day.', 'Farewell.']);
    expect(line.asked.filter((a) => a.startsWith('PATCH'))).to.have.length(2);
  });

  it('puts edits of two windows at different places together', async () => {
    const [one, two] = [await open(), await open()];
    one.edit(saying('hello', 'Good day.'));
    two.edit(saying('bye', 'Farewell.'));
    expect(await one.flush()).to.equal(true);
    expect(await two.flush()).to.equal(true);
    expect([saidAt(same(two), 'hello'), saidAt(same(two), 'bye')]).to.deep.equal(['Good day.', 'Farewell.']);
    expect(same(two)).to.deep.equal(await draft());
  });

  for (const [keep, kept] of [
    ['mine', 'Hello from two.'],
    ['theirs', 'Hello from one.'],
  ] as const)
    it(`asks where both changed the same place, and goes on with ${keep}; what clashes with nothing is kept either way`, async () => {
      const [one, two] = [await open(), await open()];
      one.edit(saying('hello', 'Hello from one.'));
      expect(await one.flush()).to.equal(true);
      two.edit(saying('hello', 'Hello from two.'));
      two.edit(saying('bye', 'Farewell.'));
      expect(await two.flush()).to.equal(false);
      const { state } = two.view();
      if (state.kind !== 'clash') throw new Error(`it is ${state.kind}`);
      expect(state.clashes.map((c) => c.path)).to.deep.equal(['/flows/main/nodes/hello/says']);
      expect(saidAt(state.theirs.document, 'hello')).to.equal('Hello from one.');
      // Somebody goes on writing before they choose, and nothing is sent meanwhile.
      two.edit(saying('ask', 'Which one?'));
      expect([kind(two), await two.flush(), saidAt(await draft(), 'ask')]).to.deep.equal(['clash', false, 'Which boat?']);
      two.settle(keep);
      expect(await two.flush()).to.equal(true);
      const now = await draft();
      expect([saidAt(now, 'hello'), saidAt(now, 'bye'), saidAt(now, 'ask')]).to.deep.equal([kept, 'Farewell.', 'Which one?']);
      two.settle('mine');
      expect(kind(two), 'there is nothing to settle any more').to.equal('saved');
    });

  it('loses nothing while the service is away, says why, and saves when it is back', async () => {
    const window = await open();
    line.away = true;
    window.edit(saying('hello', 'Good day.'));
    expect(await window.flush()).to.equal(false);
    const { state } = window.view();
    expect(state.kind === 'failed' && state.reason)
      .to.be.a('string')
      .and.not.equal('');
    expect(saidAt(same(window), 'hello')).to.equal('Good day.');
    window.edit(saying('bye', 'Farewell.'));
    await window.step('undo');
    expect(saidAt(same(window), 'bye'), 'what is not saved cannot be undone there').to.equal('Farewell.');
    line.away = false;
    // By itself: nobody presses anything.
    await until(() => Promise.resolve(kind(window) === 'saved'));
    expect([saidAt(await draft(), 'hello'), saidAt(await draft(), 'bye')]).to.deep.equal(['Good day.', 'Farewell.']);
  });

  it('undoes, redoes and restores, what is unsaved included', async () => {
    const window = await open();
    const first = window.view().saved.revision;
    window.edit(saying('hello', 'Good day.'));
    await window.flush();
    window.edit(saying('hello', 'Good evening.'));
    await window.step('undo');
    expect([saidAt(same(window), 'hello'), kind(window)]).to.deep.equal(['Good day.', 'saved']);
    await window.step('redo');
    expect(saidAt(same(window), 'hello')).to.equal('Good evening.');
    await window.restore(first);
    expect(saidAt(same(window), 'hello')).to.equal('Hello.');
    expect(same(window)).to.deep.equal(await draft());
  });

  it('tells why it cannot be brought back to what it never was, until the next change', async () => {
    const window = await open();
    await window.restore(window.view().saved.revision + 100);
    expect(window.view().notice).to.contain('revision');
    window.edit(saying('bye', 'Farewell.'));
    expect(await window.flush()).to.equal(true);
    expect(window.view().notice).to.equal(undefined);
    expect(same(window)).to.deep.equal(await draft());
  });

  it('shows at once what another window does, below what is not saved here', async () => {
    const [one, two] = [await following(), await following()];
    two.edit(saying('bye', 'Not saved yet.'));
    one.edit(saying('hello', 'Good day.'));
    await one.flush();
    await until(() => Promise.resolve(saidAt(same(two), 'hello') === 'Good day.'));
    expect(saidAt(same(two), 'bye')).to.equal('Not saved yet.');
    await two.flush();
    await until(() => Promise.resolve(saidAt(same(one), 'bye') === 'Not saved yet.'));
    expect([kind(one), kind(two)]).to.deep.equal(['saved', 'saved']);
    expect(same(one)).to.deep.equal(same(two));
  });

  it('comes to the same in all windows, whoever edits what, however late news arrives', async () => {
    for (const seed of [11, 23, 58]) {
      const chance = chanceOf(seed);
      const pick = <T>(items: readonly T[]): T => items[Math.floor(chance() * items.length)] as T;
      const windows = [await following(), await following(), await following()];
      let last = '';
      for (let i = 0; i < 24; i++) {
        const window = pick(windows);
        const release = chance() < 0.3 ? holdNews() : () => {};
        last = `seed ${seed}, edit ${i}`;
        window.edit(saying(pick(['hello', 'ask', 'bye'] as const), last));
        if (chance() < 0.6) await window.flush();
        if (kind(window) === 'clash') window.settle(pick(['mine', 'theirs']));
        release();
      }
      for (const window of windows)
        for (let tries = 0; !(await window.flush()) && tries < 5; tries++) window.settle(pick(['mine', 'theirs']));
      const now = await draft();
      const agree = () =>
        Promise.resolve(windows.every((w) => JSON.stringify(same(w)) === JSON.stringify(windows[0] && same(windows[0]))));
      await until(agree);
      for (const window of windows) {
        expect(kind(window), `seed ${seed}`).to.equal('saved');
        expect(same(window), `seed ${seed}`).to.deep.equal(now);
      }
    }
  });
});
