import { expect } from 'chai';
import fc from 'fast-check';
import {
  beginTurn,
  compareTurns,
  compile,
  createMind,
  followersOf,
  keepConversation,
  lastOf,
  layoutTurns,
  lineTo,
  missSentence,
  openSession,
  practiceSignIn,
  readRehearsal,
  rehearse,
  writeRehearsal,
  typeOf,
  type BotDocument,
  type CompiledBot,
  type Effect,
  type Result,
  type IncomingEvent,
  type KeptTurn,
  type Session,
  type TurnOptions,
  type TurnResult,
  type Values,
} from '@primrose/core';
import { anyTalkingBot, anyEvent, resultOf } from './any-bot.js';
import { accepted, botOf, expectSame, MONDAY, Talk, cases } from './harbour.js';

/** What comes of an effect depends on the effect alone, as it does when results are recorded. */
function answer(effect: Effect): Result {
  return resultOf(effect, effect.path.length);
}

function turnOf(
  bot: CompiledBot,
  session: Session,
  event: IncomingEvent,
  options: TurnOptions = {},
  answerTo: typeof answer = answer,
): TurnResult {
  const { steps } = beginTurn(bot, session, event, options);
  const underWay: Effect[] = [];
  let next = steps.next();
  while (!next.done) {
    underWay.push(...next.value.effects);
    const at = Math.max(
      0,
      underWay.findIndex((e) => e.type !== 'timer'),
    );
    const [effect] = underWay.splice(at, 1);
    next = steps.next(effect ? [{ path: effect.path, result: answerTo(effect) }] : []);
  }
  return next.value;
}

const said = fc.constantFrom('yes', 'no', '3', 'Kelpwick', 'friday', '', '2', '{{ flow.a }}');
const event = said.map((text): IncomingEvent => ({ type: 'message', at: MONDAY, channel: 'test', text }));
const OPEN: IncomingEvent = { type: 'open', at: MONDAY, channel: 'test' };
const talk = fc.tuple(
  anyTalkingBot,
  fc.array(event, { minLength: 1, maxLength: 7 }),
  fc.array(anyEvent, { minLength: 1, maxLength: 4 }),
  fc.nat(6),
);

/** A conversation as the simulator keeps it: the state after each turn. */
function line(bot: CompiledBot, from: Session, events: readonly IncomingEvent[]): TurnResult[] {
  const turns: TurnResult[] = [];
  for (const e of events) turns.push(turnOf(bot, turns.at(-1)?.session ?? from, e));
  return turns;
}

describe('going back', () => {
  it('and saying the same again gives the same conversation', () => {
    fc.assert(
      fc.property(talk, ([document, events, , back]) => {
        const bot = compile(document);
        const first = line(bot, openSession(bot, {}), [OPEN, ...events]);
        const at = back % first.length;
        const again = line(bot, first[at]?.session ?? openSession(bot, {}), events.slice(at));
        expectSame(again, first.slice(at + 1));
        again.forEach((t, i) => {
          const old = first[at + 1 + i];
          if (old) expect(compareTurns(old.sheet, t.sheet)).to.deep.equal([]);
        });
      }),
      { numRuns: cases(100), seed: 61 },
    );
  });

  it('and saying something else never changes the line that was left', () => {
    fc.assert(
      fc.property(talk, ([document, events, others, back]) => {
        const bot = compile(document);
        const first = line(bot, openSession(bot, {}), [OPEN, ...events]);
        const kept = JSON.stringify(first);
        line(bot, first[back % first.length]?.session ?? openSession(bot, {}), others);
        expect(JSON.stringify(first)).to.equal(kept);
        expectSame(line(bot, openSession(bot, {}), [OPEN, ...events]), JSON.parse(kept));
      }),
      { numRuns: cases(80), seed: 62 },
    );
  });
});

describe('keeping any conversation', () => {
  it('makes a rehearsal that passes on the bot that it was kept from', async () => {
    // What comes back depends on the request alone, as a sample for just this request does, and is what a sample can hold.
    const answerTo = (document: BotDocument) => {
      const mind = createMind(document, { listener: undefined });
      return (effect: Effect): Result => {
        if (effect.type === 'lookup') return mind.lookup(effect) as Result;
        if (effect.type === 'sign-in') return practiceSignIn(effect);
        if (effect.type === 'understand') return mind.understand(effect) as Result;
        const asked = effect.type === 'model' ? effect.messages.at(-1)?.content : typeOf(effect).whole(effect);
        return resultOf(effect, (asked ?? '').length % (effect.type === 'model' ? 2 : 4));
      };
    };
    await fc.assert(
      fc.asyncProperty(talk, async ([document, events]) => {
        const bot = compile(document);
        const turns: KeptTurn[] = [];
        let session = openSession(bot, {}, 'de');
        let who = {};
        for (const came of [OPEN, ...events]) {
          // Who has signed in stays so.
          if ('signedIn' in came) who = { name: came.name, firstName: came.firstName, email: came.email, signedIn: true };
          const e = { ...came, ...who };
          const { session: after, sheet } = turnOf(bot, session, e, {}, answerTo(document));
          const frame = after.waiting ? after.frames.at(-1) : undefined;
          turns.push({ sheet, waitsAt: frame ? { flow: frame.flow, node: frame.node } : null });
          session = after;
        }
        const { rehearsal, samples } = keepConversation('kept', turns, document);
        const kept = compile(accepted({ ...document, samples, rehearsals: { kept: rehearsal } }));
        const outcome = await rehearse(kept, 'kept', rehearsal, createMind(kept.document, { listener: undefined }), MONDAY);
        expect(outcome.turns.flatMap((t) => t.misses.map(missSentence))).to.deep.equal([]);
        const text = readRehearsal(writeRehearsal(rehearsal));
        expect(text.ok && text.rehearsal).to.deep.equal(rehearsal);
      }),
      { numRuns: cases(120), seed: 65 },
    );
  });
});

describe('step by step', () => {
  it('a turn comes to the same as in one go', () => {
    fc.assert(
      fc.property(talk, ([document, events]) => {
        const bot = compile(document);
        let session = openSession(bot, {});
        for (const e of [OPEN, ...events]) {
          const whole = turnOf(bot, session, e);
          expectSame(turnOf(bot, session, e, { stepping: true }), whole);
          session = whole.session;
        }
      }),
      { numRuns: cases(50), seed: 63 },
    );
  });

  const bot = compile(
    botOf({
      a: { kind: 'set', sets: [{ into: 'flow.x', to: 1 }], exits: { done: 'b' } },
      b: { kind: 'say', says: 'x is {{ flow.x }}', exits: { said: 'c' } },
      c: { kind: 'end', ends: 'flow' },
    }),
  );

  /** Steps through; `set` is what is changed by hand before a node. */
  function stepped(set: Readonly<Record<string, Values>>): { result: TurnResult; places: string[] } {
    const { steps } = beginTurn(bot, openSession(bot, {}), OPEN, { stepping: true });
    const places: string[] = [];
    let next = steps.next();
    while (!next.done) {
      const [effect] = next.value.effects;
      if (effect?.type !== 'step') throw new Error('it does not step');
      places.push(`${effect.flow}/${effect.node}`);
      const change = set[effect.node];
      next = steps.next([{ path: effect.path, result: { outcome: 'go-on', ...(change ? { set: change } : {}) } }]);
    }
    return { result: next.value, places };
  }

  it('pauses before each node, and a variable can be changed there', () => {
    const { result, places } = stepped({ b: { 'flow.x': 7, 'clock.today': 'never', nonsense: 1 } });
    expect(places).to.deep.equal(['main/a', 'main/b', 'main/c']);
    expect(result.messages.map((m) => m.text)).to.deep.equal(['x is 7']);
    expect(result.sheet.path[1]?.set).to.deep.equal({ 'flow.x': 7 });
    expect(result.sheet.changes).to.deep.equal([{ name: 'flow.x', before: null, after: 7 }]);
  });

  it('can be looked at before it is done', () => {
    const { steps, soFar } = beginTurn(bot, openSession(bot, {}), OPEN, { stepping: true });
    const first = steps.next();
    if (first.done) throw new Error('it is over');
    steps.next([{ path: first.value.effects[0]?.path ?? '', result: { outcome: 'go-on' } }]);
    const { sheet } = soFar();
    expect([sheet.stopped, sheet.path.map((s) => s.node), sheet.variables?.flow]).to.deep.equal([true, ['a'], { x: 1 }]);
  });
});

describe('starting at a node', () => {
  const document = botOf({
    a: { kind: 'say', says: 'never', exits: { said: 'b' } },
    b: { kind: 'ask', says: 'Which day?', expects: 'text', into: 'flow.day', exits: { answered: 'c', 'gave-up': 'c' } },
    c: { kind: 'say', says: '{{ flow.day }} from {{ flow.port }}', exits: { said: 'd' } },
    d: { kind: 'end', ends: 'flow' },
  });
  const start = (node: string, flow: Values, only = false) =>
    ({ flow: 'main', node, variables: { flow, session: {}, visitor: {} }, ...(only ? { only } : {}) }) as const;

  it('goes on from there with the values given; an ask asks, whatever is known', () => {
    const t = new Talk(document);
    const first = t.turn({ type: 'start', start: start('b', { day: 'Monday', port: 'Kelpwick' }) });
    expect(first.messages.map((m) => m.text)).to.deep.equal(['Which day?']);
    expect(t.say('Friday')).to.deep.equal(['Friday from Kelpwick']);
  });

  it('runs one node by itself, and hears an answer where it asks', () => {
    const one = (node: string, text?: string) =>
      new Talk(document).turn({
        type: 'start',
        start: start(node, { day: 'x', port: 'y' }, true),
        ...(text === undefined ? {} : { text }),
      });
    expect(one('c').sheet.path.map((s) => [s.node, s.exit])).to.deep.equal([['c', 'said']]);
    expect(one('b').sheet.path.map((s) => s.node)).to.deep.equal(['b']);
    const heard = one('b', 'Sunday').sheet;
    expect(heard.path.map((s) => s.exit)).to.deep.equal([undefined, 'answered']);
    expect(heard.changes).to.deep.equal([{ name: 'flow.day', before: 'x', after: 'Sunday' }]);
  });

  it('records where its words came from, and what a flow that was left held', () => {
    const { sheet } = new Talk(document).turn({ type: 'start', start: start('c', { day: 'x', port: 'y' }) });
    expect(sheet.path.map((s) => s.said)).to.deep.equal([{ from: 0, to: 1 }, undefined]);
    expect(sheet.left).to.deep.equal([{ flow: 'main', values: { day: 'x', port: 'y' } }]);
  });
});

describe('the tree of turns', () => {
  const tree = fc
    .array(fc.option(fc.nat(30), { freq: 8 }), { maxLength: 30 })
    .map((picks) => picks.map((p, i) => ({ id: `t${i}`, parent: p === null || i === 0 ? null : `t${p % i}` })));

  it('puts every turn right of its parent, and no two in one place', () => {
    fc.assert(
      fc.property(tree, (turns) => {
        const placed = layoutTurns(turns);
        const byId = new Map(placed.map((p) => [p.id, p]));
        expect(placed.map((p) => p.id)).to.deep.equal(turns.map((t) => t.id));
        expect(new Set(placed.map((p) => `${p.depth} ${p.lane}`)).size).to.equal(placed.length);
        for (const p of placed) {
          const parent = p.parent === null ? undefined : byId.get(p.parent);
          expect(p.depth).to.equal(parent ? parent.depth + 1 : 0);
          expect(lineTo(turns, p.id)).to.have.length(p.depth + 1);
          if (parent) expect(p.lane).to.be.at.least(parent.lane);
        }
      }),
      { numRuns: 300, seed: 64 },
    );
  });

  it('knows the line to a turn, its end, and what else was said in a place', () => {
    const turns = [
      { id: 'a', parent: null },
      { id: 'b', parent: 'a' },
      { id: 'c', parent: 'b' },
      { id: 'd', parent: 'a' },
      { id: 'e', parent: 'd' },
    ];
    expect(lineTo(turns, 'c').map((t) => t.id)).to.deep.equal(['a', 'b', 'c']);
    expect(lineTo(turns, 'gone')).to.deep.equal([]);
    expect(lastOf(turns, 'a')).to.equal('e');
    expect(
      followersOf(turns)
        .get('a')
        ?.map((t) => t.id),
    ).to.deep.equal(['b', 'd']);
    expect(layoutTurns(turns).map((p) => [p.depth, p.lane])).to.deep.equal([
      [0, 0],
      [1, 0],
      [2, 0],
      [1, 1],
      [2, 1],
    ]);
  });
});
