import { expect } from 'chai';
import fc from 'fast-check';
import {
  beginTurn,
  callsOf,
  compile,
  NOTHING_SPENT,
  openSession,
  typeOf,
  type CompiledBot,
  type Effect,
  type IncomingEvent,
  type Result,
  type Session,
  type Spending,
  type TurnOptions,
  type TurnResult,
} from '@primrose/core';
import { anyBot, anyEvent, resultOf } from './any-bot.js';
import { botOf, expectSame, MONDAY, cases } from './harbour.js';
import { compileWithTestKinds, LOOPS } from './support-kinds.js';

const OPEN: IncomingEvent = { type: 'open', at: MONDAY, channel: 'test' };
const GO_ON: IncomingEvent = { type: 'go-on', at: MONDAY };

/**
 * What comes of an effect depends on what it asks for, wherever it stands. What agents have spent in the turns before that are
 * about the same event counts as the service would count it.
 */
function answerTo(effect: Effect, before: readonly TurnResult[]): Result {
  const result = resultOf(effect, JSON.stringify(typeOf(effect).likeness(effect)).length);
  if (effect.type !== 'spent' || result.outcome !== 'counted' || !('visitor' in result)) return result;
  const plus = (so: Spending): Spending =>
    before.reduce((sum, { spent }) => {
      const { steps, tokens, money } = spent[effect.agent] ?? NOTHING_SPENT;
      return { steps: sum.steps + steps, tokens: sum.tokens + tokens, money: sum.money + money };
    }, so);
  return { ...result, visitor: plus(result.visitor), day: plus(result.day) };
}

/** One turn to its end; time passes only where nothing else is left to come. */
function turnOf(
  bot: CompiledBot,
  session: Session,
  event: IncomingEvent,
  options: TurnOptions,
  before: readonly TurnResult[] = [],
): TurnResult {
  const { steps } = beginTurn(bot, session, event, options);
  const open: Effect[] = [];
  let next = steps.next();
  while (!next.done) {
    open.push(...next.value.effects);
    const at = open.findIndex((e) => e.type !== 'timer');
    const [effect] = open.splice(Math.max(0, at), 1);
    next = steps.next(effect ? [{ path: effect.path, result: answerTo(effect, before) }] : []);
  }
  return next.value;
}

/** An event with all the turns that go on with it. */
function turnsOf(bot: CompiledBot, session: Session, event: IncomingEvent, rests: TurnOptions['rests']): TurnResult[] {
  const turns = [turnOf(bot, session, event, rests ? { rests } : {})];
  for (let last = turns.at(-1); last?.rests; last = turns.at(-1))
    turns.push(turnOf(bot, last.session, GO_ON, rests ? { rests } : {}, turns));
  return turns;
}

/** What visitors and services notice of some turns, and the state after them. */
function noticed(turns: readonly TurnResult[]) {
  const { turns: _count, ...session } = turns.at(-1)?.session ?? { turns: 0 };
  return {
    messages: turns.flatMap((t) => t.messages),
    changes: turns.flatMap((t) => t.visitorChanges),
    path: turns.flatMap((t) => t.sheet.path.map((s) => `${s.flow}/${s.node} ${s.exit ?? ''}`)),
    effects: turns.flatMap((t) => t.sheet.effects.map((e) => typeOf(e.request).whole(e.request))),
    session,
  };
}

describe('resting', () => {
  it('anywhere changes no message, no call, no way and no state, for any bot', () => {
    const talk = fc.tuple(anyBot, fc.array(anyEvent, { maxLength: 6 }), fc.array(fc.boolean(), { minLength: 7, maxLength: 7 }));
    let rested = 0;
    fc.assert(
      fc.property(talk, ([document, events, where]) => {
        const bot = compile(document);
        let [whole, parts] = [openSession(bot, {}, 'de'), openSession(bot, {}, 'de')];
        for (const event of [OPEN, ...events]) {
          const once = turnsOf(bot, whole, event, undefined);
          const resting = turnsOf(bot, parts, event, (_asked, runs) => where[runs % where.length] ?? false);
          rested += resting.length - 1;
          // Flows that branch into themselves for ever are ended by bounds, which count anew in a turn of its own.
          if (once.some((t) => t.sheet.problems.some((p) => p.code === 'too-deep'))) return;
          expectSame(noticed(resting), noticed(once));
          whole = once.at(-1)?.session ?? whole;
          parts = { ...(resting.at(-1)?.session ?? parts), turns: whole.turns };
        }
      }),
      { numRuns: cases(200), seed: 71 },
    );
    expect(rested).to.be.above(500);
  });

  const bot = compileWithTestKinds(botOf({ bye: { kind: 'end', says: 'Bye.' } }), {
    loop: { kind: 'looping', exits: { done: 'bye' } },
  });
  const said = (turns: readonly TurnResult[]) => turns.flatMap((t) => t.messages.map((m) => m.text));
  const asked = (turns: readonly TurnResult[]) => turns.flatMap((t) => callsOf('model', t.sheet.effects).map((c) => c.request));

  it('a node that rests is run again with its memo, in turns of their own or in one', () => {
    const once = turnsOf(bot, openSession(bot, {}), OPEN, undefined);
    const rested = turnsOf(bot, openSession(bot, {}), OPEN, (wanted) => wanted);
    expect([once.length, rested.length]).to.deep.equal([1, LOOPS]);
    expect(said(once)).to.deep.equal([...Array.from({ length: LOOPS }, (_, i) => `round ${i + 1} of ${2 * i + 2}`), 'Bye.']);
    expect(said(rested)).to.deep.equal(said(once));
    expect(rested.map((t) => t.sheet.heard.type)).to.deep.equal(['open', ...Array.from({ length: LOOPS - 1 }, () => 'go-on')]);
    expect(rested.at(-1)?.session.frames).to.deep.equal([]);
  });

  it('stores a transcript once: each request holds what is new, and says how much stands before', () => {
    const requests = asked(turnsOf(bot, openSession(bot, {}), OPEN, (wanted) => wanted));
    expect(requests.map((r) => r.messages.map((m) => m.role))).to.deep.equal([
      ['user'],
      ...Array.from({ length: LOOPS - 1 }, () => ['tool']),
    ]);
    expect(requests.map((r) => r.earlier?.messages ?? 0)).to.deep.equal(Array.from({ length: LOOPS }, (_, i) => 2 * i));
    expect(requests.some((r) => 'before' in r)).to.equal(false);
    const sizes = requests.map((r) => JSON.stringify(r).length);
    expect(Math.max(...sizes) - Math.min(...sizes)).to.be.below(80);
  });

  it('a message that comes before it goes on finds the node where it was left', () => {
    const [first] = turnsOf(bot, openSession(bot, {}), OPEN, (wanted) => wanted);
    if (!first) throw new Error('there is no turn');
    expect(first.session.resting).to.deep.include({ event: OPEN, nodeRuns: 1 });
    expect(JSON.parse(JSON.stringify(first.session))).to.deep.equal(first.session);
  });
});

describe('a node that asks the outside while it hears', () => {
  it('goes on with what came', () => {
    const bot = compileWithTestKinds(botOf({ bye: { kind: 'end', says: 'Bye.' } }), {
      ask: { kind: 'asking', exits: { done: 'bye' } },
    });
    const opened = turnOf(bot, openSession(bot, {}), OPEN, {});
    const turn = turnOf(bot, opened.session, { type: 'message', at: MONDAY, channel: 'test', text: 'moin' }, {});
    expect(turn.messages.at(-1)?.text).to.equal('Bye.');
    expect(turn.messages[0]?.text).to.match(/^It means|^Nobody knows/);
    expect(turn.sheet.path.map((s) => [s.node, s.exit])).to.deep.equal([
      ['ask', 'done'],
      ['bye', undefined],
    ]);
    expect(turn.sheet.effects).to.have.length(1);
  });
});
