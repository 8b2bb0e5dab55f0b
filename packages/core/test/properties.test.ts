import { expect } from 'chai';
import fc from 'fast-check';
import {
  advance,
  checkBot,
  compile,
  MAX_NODE_RUNS,
  openSession,
  readFolder,
  writeFolder,
  type Effect,
  type EffectResult,
  type IncomingEvent,
  type Session,
  type TurnResult,
} from '@primrose/core';
import { anyBot } from './any-bot.js';
import { accepted, MONDAY } from './harbour.js';

const said = fc.constantFrom(
  'yes',
  'no',
  '3',
  'Kelpwick',
  'friday',
  'x'.repeat(300),
  '',
  '🚢',
  '2',
  'Tarn Hlm',
  '{{ flow.a }}',
  '*b*',
);
const event = fc.oneof(
  { weight: 8, arbitrary: said.map((text): IncomingEvent => ({ type: 'message', at: MONDAY, channel: 'test', text })) },
  {
    weight: 1,
    arbitrary: fc
      .constantFrom('yes', 'item-1', 'gone')
      .map((choice): IncomingEvent => ({ type: 'message', at: MONDAY, channel: 'test', choice })),
  },
);
const result: fc.Arbitrary<EffectResult> = fc.constantFrom<EffectResult>(
  { outcome: 'answered', status: 200, body: { list: [{ a: 1 }, 'b'] } },
  { outcome: 'answered', status: 200, body: null },
  { outcome: 'answered', status: 409, body: 'full' },
  { outcome: 'failed', code: 'timeout', reason: 'too slow' },
);
const walk = fc.tuple(anyBot, fc.array(event, { maxLength: 8 }), fc.array(result, { minLength: 5, maxLength: 5 }));

function freeze<T>(value: T): T {
  if (value !== null && typeof value === 'object') Object.values(Object.freeze(value)).forEach(freeze);
  return value;
}

/** Runs a conversation; effect results are taken round and round. */
function converse(
  bot: ReturnType<typeof compile>,
  events: readonly IncomingEvent[],
  results: readonly EffectResult[],
): TurnResult[] {
  let session: Session = openSession(bot, {}, 'de');
  let n = 0;
  return [{ type: 'open', at: MONDAY, channel: 'test' } as IncomingEvent, ...events].map((e) => {
    const running = advance(bot, freeze(session), e);
    let next = running.next();
    const underWay: Effect[] = [];
    while (!next.done) {
      underWay.push(...next.value.effects);
      const [chosen] = underWay.splice(n % underWay.length, 1);
      const result = chosen?.type === 'timer' ? ({ outcome: 'elapsed' } as const) : results[n % results.length];
      n++;
      next = running.next(chosen && result ? [{ path: chosen.path, result }] : []);
    }
    session = next.value.session;
    return next.value;
  });
}

describe('for any bot', () => {
  it('the same bot, session, event and results give the same turn', () => {
    fc.assert(
      fc.property(walk, ([document, events, results]) => {
        const once = converse(compile(document), events, results);
        const again = converse(compile(accepted(JSON.parse(JSON.stringify(document)))), events, results);
        expect(again).to.deep.equal(once);
      }),
      { numRuns: 300, seed: 1 },
    );
  });

  it('the engine never throws and never hangs, and its state survives JSON', () => {
    fc.assert(
      fc.property(walk, ([document, events, results]) => {
        for (const turn of converse(compile(document), events, results)) {
          const counts = new Map<string, number>();
          for (const { place } of turn.sheet.path) {
            const branch = place.slice(0, place.lastIndexOf('.') + 1);
            counts.set(branch, (counts.get(branch) ?? 0) + 1);
          }
          expect(Math.max(0, ...counts.values())).to.be.at.most(MAX_NODE_RUNS + 1);
          expect(JSON.parse(JSON.stringify(turn.session))).to.deep.equal(turn.session);
          expect(turn.session.waiting !== null || turn.session.frames.length === 0).to.equal(true);
        }
      }),
      { numRuns: 400, seed: 2 },
    );
  });

  it('a bot without errors leaves no broken way and no node that is gone', () => {
    fc.assert(
      fc.property(walk, ([document, events, results]) => {
        fc.pre(checkBot(document).every((p) => p.severity === 'warning'));
        const problems = converse(compile(document), events, results).flatMap((t) => t.sheet.problems.map((p) => p.code));
        expect(problems).to.not.include.members(['no-way-on']);
        expect(problems).to.not.include.members(['node-gone']);
      }),
      { numRuns: 300, seed: 3 },
    );
  });

  it('document to text to document is the identity', () => {
    fc.assert(
      fc.property(anyBot, (document) => {
        const files = writeFolder(document);
        const folder = readFolder(files);
        expect(folder.ok && accepted(folder.source)).to.deep.equal(document);
        expect(writeFolder(document, files)).to.deep.equal(files);
      }),
      { numRuns: 200, seed: 4 },
    );
  });
});
