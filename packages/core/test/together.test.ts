import { expect } from 'chai';
import fc from 'fast-check';
import {
  EMPTY_MEMORY,
  applyChanges,
  changedMemory,
  historyOf,
  isOfPerson,
  newFact,
  togetherMemory,
  valuesTogether,
  withChanges,
  type Memory,
  type MemoryChange,
  textOf,
  type Value,
  type VariableHistory,
} from '@primrose/core';
import { cases } from './harbour.js';

const moment = (n: number): string => new Date(Date.UTC(2026, 4, 11) + n * 1000).toISOString();
const many = (about: string): boolean => about === 'allergy';
const fact = (about: string, value: Value, at: string, conversation: string) =>
  newFact({ about, says: textOf(value), value, lasts: 'always', at, by: 'words', conversation });

describe('the kept variables of one person who is several visitors', () => {
  it('read as the last that was set anywhere, with what was added and taken away since', () => {
    const one = withChanges({}, [{ op: 'set', name: 'port', value: 'Kelpwick' }], moment(1));
    const other = withChanges({}, [{ op: 'set', name: 'port', value: 'Tarn Holm' }], moment(2));
    expect(valuesTogether([one, other])).to.deep.equal({ port: 'Tarn Holm' });
    const trips = withChanges(one, [{ op: 'add', name: 'trips', value: 2 }], moment(3));
    const more = withChanges(other, [{ op: 'add', name: 'trips', value: 3 }], moment(4));
    expect(valuesTogether([trips, more])['trips']).to.equal(5);
    const listed = withChanges(trips, [{ op: 'add', name: 'boats', value: 'Wrackline', list: true }], moment(5));
    const less = withChanges(more, [{ op: 'add', name: 'boats', value: 'Sandpiper', list: true }], moment(6));
    const without = withChanges(less, [{ op: 'remove', name: 'boats', value: 'Wrackline', list: true }], moment(7));
    expect(valuesTogether([listed, without])['boats']).to.deep.equal(['Sandpiper']);
  });

  it('are empty where they were emptied last, and again what they were where that one is nobody else', () => {
    const one = withChanges({}, [{ op: 'set', name: 'port', value: 'Kelpwick' }], moment(1));
    const other = withChanges({}, [{ op: 'set', name: 'port', value: null }], moment(2));
    expect(valuesTogether([one, other])).to.deep.equal({ port: null });
    expect(valuesTogether([one])).to.deep.equal({ port: 'Kelpwick' });
  });

  it('take values of which nobody knows when they were set for the oldest', () => {
    const old = historyOf({ port: 'Kelpwick', trips: 4 });
    const set = withChanges({}, [{ op: 'set', name: 'port', value: 'Gannet Quay' }], moment(1));
    expect(valuesTogether([old, set])).to.deep.equal({ port: 'Gannet Quay', trips: 4 });
  });

  const changes = fc.array(
    fc.record({
      op: fc.constantFrom('set' as const, 'add' as const, 'remove' as const),
      name: fc.constantFrom('a', 'b'),
      value: fc.integer({ min: 0, max: 4 }),
      list: fc.boolean(),
    }),
    { maxLength: 120 },
  );

  it('of one visitor alone are just what the changes come to, however many there were', () => {
    fc.assert(
      fc.property(changes, (all) => {
        let history: VariableHistory = {};
        let plain: Record<string, Value> = {};
        all.forEach((change, i) => {
          history = withChanges(history, [change], moment(i));
          plain = applyChanges(plain, [change]);
        });
        expect(valuesTogether([history])).to.deep.equal(plain);
        for (const kept of Object.values(history)) expect(kept.length).to.be.at.most(41);
      }),
      { numRuns: cases(200), seed: 22 },
    );
  });

  it('of two come to what one would have who had made all the changes in their order', () => {
    fc.assert(
      fc.property(changes, fc.array(fc.boolean(), { minLength: 120, maxLength: 120 }), (all, whose) => {
        const few = all.slice(0, 40);
        const histories: [VariableHistory, VariableHistory] = [{}, {}];
        few.forEach((change, i) => {
          const at = whose[i] === true ? 1 : 0;
          histories[at] = withChanges(histories[at], [change], moment(i));
        });
        expect(valuesTogether(histories)).to.deep.equal(applyChanges({}, few));
      }),
      { numRuns: cases(200), seed: 23 },
    );
  });
});

describe('what is known of one person who is several visitors', () => {
  const keep = (memory: Memory, one: ReturnType<typeof fact>) => changedMemory(memory, { op: 'keep', fact: one }, many);

  it('is what each has said, the last where they contradict', () => {
    const one = keep(keep(EMPTY_MEMORY, fact('dog', true, moment(1), 'x')), fact('allergy', 'nuts', moment(2), 'x'));
    const other = keep(keep(EMPTY_MEMORY, fact('dog', false, moment(3), 'y')), fact('allergy', 'milk', moment(4), 'y'));
    const both = togetherMemory([one, other], many);
    expect(both.facts.map((f) => [f.about, f.value])).to.deep.equal([
      ['allergy', 'nuts'],
      ['dog', false],
      ['allergy', 'milk'],
    ]);
  });

  it('keeps the summaries of all, in the order of time, and is nobody’s own', () => {
    const summed = (says: string, at: string): Memory => ({
      ...EMPTY_MEMORY,
      summary: { says, at, by: 'writer', turns: 2, tokens: { in: 1, out: 1 } },
    });
    const [late, early] = [summed('Then to Tarn Holm.', moment(9)), summed('Wanted to Kelpwick.', moment(1))];
    expect(togetherMemory([late, early], many).summary).to.deep.include({
      says: 'Wanted to Kelpwick. Then to Tarn Holm.',
      turns: 4,
      tokens: { in: 2, out: 2 },
    });
    expect(togetherMemory([late], many)).to.equal(late);
    expect(togetherMemory([], many)).to.equal(EMPTY_MEMORY);
  });

  it('is forgotten and corrected wherever it was said, and kept where it is said', () => {
    const ops: readonly (readonly [MemoryChange, boolean])[] = [
      [{ op: 'forget', about: 'dog', words: [] }, true],
      [{ op: 'forget-all' }, true],
      [{ op: 'correct', id: 'x', says: 'x', value: 1, at: moment(1) }, true],
      [{ op: 'asked' }, true],
      [{ op: 'decline', about: 'dog', value: true }, false],
      [{ op: 'keep', fact: fact('dog', true, moment(1), 'x') }, false],
      [{ op: 'exchange', exchange: { at: moment(1), said: 'x', answered: 'y' } }, false],
    ];
    for (const [change, shared] of ops) expect([change.op, isOfPerson(change)]).to.deep.equal([change.op, shared]);
  });

  /** One who says something, is taken for somebody, or is taken for somebody else again. */
  const acts = fc.array(
    fc.record({
      does: fc.constantFrom('says' as const, 'joins' as const, 'parts' as const),
      who: fc.nat(4),
      with: fc.nat(4),
      about: fc.constantFrom('dog', 'allergy', 'car'),
    }),
    { maxLength: 60 },
  );

  it('never shows anybody what somebody else has said whom they are not taken for now', () => {
    fc.assert(
      fc.property(acts, (all) => {
        const memories = Array.from({ length: 5 }, () => EMPTY_MEMORY);
        const parents: (number | undefined)[] = Array.from({ length: 5 }, () => undefined);
        const head = (who: number): number => {
          const up = parents[who];
          return up === undefined ? who : head(up);
        };
        const group = (who: number) => [0, 1, 2, 3, 4].filter((other) => head(other) === head(who));
        const said = new Map<string, number>();
        all.forEach(({ does, who, with: other, about }, i) => {
          if (does === 'joins' && head(who) !== head(other)) parents[head(other)] = head(who);
          if (does === 'parts') parents[who] = undefined;
          if (does === 'says') {
            const value = `${about} ${i}`;
            said.set(value, who);
            memories[who] = keep(memories[who] ?? EMPTY_MEMORY, fact(about, value, moment(i), String(who)));
          }
          for (const looking of [0, 1, 2, 3, 4]) {
            const members = group(looking);
            const shown = togetherMemory(
              members.map((m) => memories[m] ?? EMPTY_MEMORY),
              many,
            );
            const values = shown.facts.flatMap((f) => [f.value, ...(f.was ?? []).map((w) => w.value)]);
            for (const value of values) expect(members).to.include(said.get(textOf(value)));
          }
        });
      }),
      { numRuns: cases(150), seed: 24 },
    );
  });
});
