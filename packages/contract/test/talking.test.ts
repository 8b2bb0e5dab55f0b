import { expect } from 'chai';
import {
  isBegun,
  lineOf,
  NOTHING_SAID,
  talked,
  type LiveEvent,
  type Simulation,
  type TalkAction,
  type TurnRecord,
} from '@primrose/contract';

const simulation = { id: 's', head: null } as unknown as Simulation;
const turn = (id: string, parent: string | null, conversation = 's') => ({ id, parent, conversation }) as unknown as TurnRecord;
const hear = (event: LiveEvent): TalkAction => ({ did: 'hear', event });
const talk = (...actions: TalkAction[]) => actions.reduce(talked, NOTHING_SAID);
const opened: TalkAction = { did: 'open', simulation };

describe('a conversation with the draft, as windows and terminals know it', () => {
  it('grows by the turns that are heard, and is talked on after the last', () => {
    const talking = talk(
      opened,
      { did: 'begin' },
      hear({ event: 'turn', turn: turn('a', null) }),
      hear({ event: 'turn', turn: turn('b', 'a') }),
    );
    expect([talking.head, lineOf(talking).map((t) => t.id), isBegun(talking)]).to.deep.equal(['b', ['a', 'b'], true]);
    expect(talked(talking, hear({ event: 'turn', turn: turn('b', 'a') })).turns).to.have.length(2);
    expect(talked(talking, { did: 'end' }).live).to.equal(undefined);
  });

  it('keeps the line that is left when somebody goes back, and follows another one', () => {
    const line = [hear({ event: 'turn', turn: turn('a', null) }), hear({ event: 'turn', turn: turn('b', 'a') })];
    const back = talk(opened, ...line, { did: 'place', head: 'a' }, hear({ event: 'turn', turn: turn('c', 'a') }));
    expect([lineOf(back).map((t) => t.id), back.turns.map((t) => t.id)]).to.deep.equal([
      ['a', 'c'],
      ['a', 'b', 'c'],
    ]);
    const again = talked(back, { did: 'again', turns: [turn('d', null), turn('e', 'd')] });
    expect(lineOf(again).map((t) => t.id)).to.deep.equal(['d', 'e']);
  });

  it('leaves a turn where it belongs that is heard after another conversation was opened', () => {
    const other = talk(
      opened,
      { did: 'open', simulation: { ...simulation, id: 'other' } },
      hear({ event: 'turn', turn: turn('late', null) }),
    );
    expect([other.turns, other.head, isBegun(other)]).to.deep.equal([[], null, false]);
  });

  it('knows what a turn does while it runs: nodes, calls, words', () => {
    const step = { place: '0', flow: 'main', node: 'a', kind: 'action', values: [], effects: [] };
    const request = { type: 'lookup', path: '0/0', base: 'guide', question: 'dogs', most: 3 } as const;
    const { live } = talk(
      opened,
      { did: 'begin' },
      hear({ event: 'step', phase: 'begins', at: 1, step }),
      hear({ event: 'call', at: 2, request }),
      hear({ event: 'words', path: '0/0', text: 'Dogs' }),
      hear({ event: 'came', at: 7, path: '0/0', outcome: 'looked-up' }),
      hear({ event: 'step', phase: 'ends', at: 9, step: { ...step, exit: 'done' } }),
    );
    expect(live?.steps.map((s) => [s.node, s.exit, s.tookMs])).to.deep.equal([['a', 'done', 8]]);
    expect(live?.calls).to.deep.equal([{ path: '0/0', words: 'lookup guide', begun: 2, tookMs: 5, outcome: 'looked-up' }]);
    expect(live?.words).to.equal('Dogs');
  });

  it('waits where a turn pauses, until it goes on or somebody goes elsewhere', () => {
    const paused = {
      turn: 'a',
      flow: 'main',
      node: 'b',
      variables: { flow: {}, session: {}, visitor: {} },
      record: turn('a', null),
    };
    const waiting = talk(opened, hear({ event: 'paused', paused }));
    expect([waiting.paused?.node, waiting.turns, isBegun(waiting)]).to.deep.equal(['b', [], true]);
    expect(talked(waiting, hear({ event: 'turn', turn: turn('a', null) })).paused).to.equal(undefined);
    expect(talked(waiting, { did: 'place', head: null }).paused).to.equal(undefined);
  });
});
