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
  type IncomingEvent,
  type Session,
  type TurnResult,
} from '@primrose/core';
import { anyBot, anyEvent, resultOf } from './any-bot.js';
import { accepted, expectSame, MONDAY, cases } from './harbour.js';

const walk = fc.tuple(anyBot, fc.array(anyEvent, { maxLength: 8 }), fc.array(fc.nat(9), { minLength: 5, maxLength: 5 }));

function freeze<T>(value: T): T {
  if (value !== null && typeof value === 'object') Object.values(Object.freeze(value)).forEach(freeze);
  return value;
}

/** Runs a conversation; which results come is taken round and round. */
function converse(bot: ReturnType<typeof compile>, events: readonly IncomingEvent[], picks: readonly number[]): TurnResult[] {
  let session: Session = openSession(bot, {}, 'de');
  let n = 0;
  return [{ type: 'open', at: MONDAY, channel: 'test' } as IncomingEvent, ...events].map((e) => {
    const running = advance(bot, freeze(session), e);
    let next = running.next();
    const underWay: Effect[] = [];
    while (!next.done) {
      underWay.push(...next.value.effects);
      const [chosen] = underWay.splice(n % underWay.length, 1);
      const result = chosen && resultOf(chosen, picks[n % picks.length] ?? 0);
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
        expectSame(again, once);
      }),
      { numRuns: cases(120), seed: 1 },
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
          expectSame(JSON.parse(JSON.stringify(turn.session)), turn.session);
          expect(turn.session.waiting !== null || turn.session.frames.length === 0).to.equal(true);
        }
      }),
      { numRuns: cases(200), seed: 2 },
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
      { numRuns: cases(120), seed: 3 },
    );
  });

  it('document to text to document is the identity', () => {
    fc.assert(
      fc.property(anyBot, (document) => {
        const files = writeFolder(document);
        const folder = readFolder(files);
        expectSame(folder.ok && accepted(folder.source), document);
        expectSame(writeFolder(document, files), files);
      }),
      { numRuns: cases(200), seed: 4 },
    );
  });
});
