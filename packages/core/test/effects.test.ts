import { expect } from 'chai';
import { z } from 'zod';
import {
  beginTurn,
  createMind,
  defineEffect,
  defineKind,
  drive,
  effectTypes,
  everyPerformer,
  openSession,
  perform,
  recordedResults,
  turnSheet,
  typeOf,
  type Effect,
  type IncomingEvent,
  type Noted,
  type Port,
  type Result,
} from '@primrose/core';
import { botOf, MONDAY } from './harbour.js';
import { compileWithTestKinds, TEST_KINDS } from './support-kinds.js';

const OPEN: IncomingEvent = { type: 'open', at: MONDAY, channel: 'test' };

describe('the types of effect', () => {
  it('bear their own names, and say of themselves whether they stand in a sheet', () => {
    for (const [name, type] of Object.entries(effectTypes)) expect(type.type).to.equal(name);
    const shown = Object.values(effectTypes).flatMap((t) => (t.shown ? [t.type] : []));
    expect(shown).to.deep.equal(['action', 'model', 'draw', 'lookup', 'table', 'notice', 'sign-in', 'mcp']);
  });

  it('fail with an answer that fits their own schema', () => {
    for (const type of Object.values(effectTypes)) {
      const failed: unknown = type.failed('timeout', 'too slow');
      expect(type.result.safeParse(failed).success, type.type).to.equal(true);
    }
  });

  describe('take one more', () => {
    // A type is one file and its line in the registry; who performs it is the other. Nothing else knows its name.
    const tide = defineEffect({
      type: 'tide',
      request: z.object({ type: z.literal('tide'), path: z.string(), port: z.string() }),
      result: z.object({ outcome: z.literal('known'), metres: z.number() }),
      journaled: () => 'after',
      failed: () => ({ outcome: 'known', metres: 0 }) as const,
      shown: true,
      name: ({ port }) => `tide ${port}`,
      likeness: ({ port }) => port,
    });
    before(() => Reflect.set(effectTypes, 'tide', tide));
    after(() => Reflect.deleteProperty(effectTypes, 'tide'));

    const asking = defineKind({
      kind: 'tides',
      band: 'outside',
      about: 'ask for the tide',
      schema: z.looseObject({ kind: z.literal('tides') }),
      blank: () => ({}),
      exits: () => [{ name: 'done', about: 'it is known' }],
      prose: () => ({ text: 'tide' }),
      uses: () => [],
      prepare: () => ({
        run: function* (turn) {
          const request = { type: 'tide', path: turn.effectPath(), port: 'Kelpwick' } as unknown as Effect & { type: 'timer' };
          const result = yield* perform(turn, request);
          turn.recordEffect({ request, result } as never);
          turn.say(`${(result as unknown as { metres: number }).metres} m`);
          return { exit: 'done' };
        },
      }),
    });
    const bot = () => {
      const kinds = new Map([...TEST_KINDS, [asking.kind, asking]]);
      return compileWithTestKinds(botOf({ bye: { kind: 'end' } }), { tide: { kind: 'tides', exits: { done: 'bye' } } }, kinds);
    };
    const tides = (metres: number): Port['performers'] => ({
      ...everyPerformer(() => ({ outcome: 'known', metres }) as unknown as Result),
      ...createMind(bot().document, { listener: undefined }),
    });

    it('which is driven, noted, taken from the journal, recorded and found again', async () => {
      const noted: Noted[] = [];
      const compiled = bot();
      const first = await drive(beginTurn(compiled, openSession(compiled, {}), OPEN), {
        performers: tides(3.4),
        note: (request, result, seq) => Promise.resolve(void noted.push({ path: request.path, result, seq })),
      });
      expect(first.result.messages.map((m) => m.text)).to.deep.equal(['3.4 m']);
      expect(noted).to.have.length(1);
      const again = await drive(beginTurn(compiled, openSession(compiled, {}), OPEN), { performers: tides(9), noted });
      expect(again.result.messages).to.deep.equal(first.result.messages);
      const [performed] = first.result.sheet.effects;
      expect(performed && typeOf(performed.request).name(performed.request)).to.equal('tide Kelpwick');
      // It goes by no connection, so saying all again computes it anew.
      expect(performed && recordedResults(first.result.sheet)(performed.request)).to.equal(undefined);
    });
  });

  it('write records that fit the one schema of the sheet', async () => {
    const compiled = compileWithTestKinds(botOf({ bye: { kind: 'end', says: 'Bye.' } }), {
      loop: { kind: 'looping', exits: { done: 'bye' } },
    });
    const { result } = await drive(beginTurn(compiled, openSession(compiled, {}), OPEN), {
      performers: {
        ...everyPerformer(() => ({
          outcome: 'written',
          text: 'look',
          stopped: 'calls',
          calls: [{ id: 'a', name: 'b', given: '{}' }],
          tokens: null,
        })),
      },
    });
    expect(turnSheet.safeParse(JSON.parse(JSON.stringify(result.sheet))).error?.issues).to.equal(undefined);
  });
});
