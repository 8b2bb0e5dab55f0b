import { expect } from 'chai';
import { drawingOf, layoutFlow, type Flow, type FlowLayout } from '@primrose/core';
import { expectEveryLink, overlaps, railsThroughNodes } from './drawing.js';
import { botOf } from './harbour.js';

const END = { kind: 'end' };
const flowOf = (nodes: Record<string, unknown>): Flow => botOf(nodes).flows['main'] ?? { nodes: {} };
const beats = (layout: FlowLayout, prefix: string) => layout.nodes.filter((n) => n.id.startsWith(prefix)).map((n) => n.beat);
const range = (n: number) => Array.from({ length: n }, (_, i) => i);

describe('the layout of hard flows', () => {
  it('gives a menu of eight replies eight beats of its band', () => {
    const choices = range(8).map((i) => ({ id: `c${i}`, says: `choice ${i}` }));
    const says = Object.fromEntries(range(8).map((i) => [`r${i}`, { kind: 'say', says: `${i}`, exits: { said: 'fin' } }]));
    const exits = Object.fromEntries(range(8).map((i) => [`c${i}`, `r${i}`]));
    const layout = layoutFlow(
      flowOf({ menu: { kind: 'choice', says: '?', choices, exits: { ...exits, other: 'fin' } }, ...says, fin: END }),
    );
    expect(beats(layout, 'r')).to.deep.equal(range(8).map((i) => i + 2));
    const menu = layout.nodes.find((n) => n.id === 'menu');
    expect(menu?.chips).to.have.length(9);
  });

  it('sets thirty says in a row one under the other, every link drawn', () => {
    const row = Object.fromEntries(
      range(30).map((i) => [`s${i}`, { kind: 'say', says: `${i}`, exits: { said: i === 29 ? 'fin' : `s${i + 1}` } }]),
    );
    const layout = layoutFlow(flowOf({ ...row, fin: END }));
    expect(beats(layout, 's')).to.deep.equal(range(30).map((i) => i + 1));
    expect(layout.nodes.flatMap((n) => n.chips).every((c) => !c.written)).to.equal(true);
  });

  it('writes at most half the links to a node that twenty others lead to', () => {
    const exits = Object.fromEntries(range(20).map((i) => [`e${i}`, `n${i}`]));
    const cases = range(20).map((i) => ({ exit: `e${i}`, when: 'true' }));
    const many = Object.fromEntries(range(20).map((i) => [`n${i}`, { kind: 'say', says: 'x', exits: { said: 'fin' } }]));
    const layout = layoutFlow(flowOf({ b: { kind: 'branch', cases, exits: { ...exits, otherwise: 'fin' } }, ...many, fin: END }));
    const chips = layout.nodes.flatMap((n) => n.chips);
    expect(chips.filter((c) => c.written).length).to.be.at.most(chips.length / 2);
  });

  it('puts written exits first and open ones last', () => {
    const flow = flowOf({
      a: { kind: 'ask', says: '?', expects: 'text', into: 'flow.a', exits: { answered: 'b' } },
      b: { kind: 'say', says: 'b', exits: { said: 'c' } },
      c: {
        kind: 'choice',
        says: '?',
        choices: [
          { id: 'up', says: 'up' },
          { id: 'on', says: 'on' },
        ],
        exits: { up: 'a', on: 'd' },
      },
      d: END,
    });
    const chips = layoutFlow(flow)
      .nodes.find((n) => n.id === 'c')
      ?.chips.map((c) => [c.exit, c.written, c.to ?? null]);
    expect(chips).to.deep.equal([
      ['up', true, 'a'],
      ['on', false, 'd'],
      ['other', false, null],
    ]);
  });

  it('stands what nothing leads to below the rest', () => {
    const layout = layoutFlow(
      flowOf({ a: { kind: 'say', says: 'a', exits: { said: 'b' } }, b: END, lone: { kind: 'note', says: 'later' } }),
    );
    expect(layout.nodes.find((n) => n.id === 'lone')?.beat).to.equal(3);
  });

  it('moves nobody when one node is put at the end of a flow', () => {
    const row = (n: number) =>
      Object.fromEntries(
        range(n).map((i) => [`s${i}`, { kind: 'say', says: `${i}`, exits: i === n - 1 ? {} : { said: `s${i + 1}` } }]),
      );
    const before = layoutFlow(flowOf(row(60)));
    const after = layoutFlow(flowOf(row(61)));
    const moved = before.nodes.filter((n) => after.nodes.find((m) => m.id === n.id)?.beat !== n.beat);
    expect(moved).to.deep.equal([]);
  });

  it('draws two stories in one band, a branch with twelve ways and a node that twenty lead to without a rail through a node', () => {
    const story = (side: string) =>
      range(10).map((i): [string, object] => [
        `${side}${i}`,
        { kind: 'say', says: `Line ${i}`, exits: { said: i === 9 ? 'fin' : `${side}${i + 1}` } },
      ]);
    const cases = [{ exit: 'left', when: 'true' }];
    const two = { fork: { kind: 'branch', cases, exits: { left: 'l0', otherwise: 'r0' } }, fin: END };
    const twelve = range(12).map((i) => ({ exit: `case-${i}`, when: `flow.n == ${i}` }));
    const ways = range(12).map((i): [string, object] => [
      `n${i}`,
      { kind: 'ask', says: '?', expects: 'text', into: 'flow.a', exits: { answered: 'fin' } },
    ]);
    const twenty = range(20).map((i): [string, object] => [
      `q${i}`,
      {
        kind: 'ask',
        says: '?',
        expects: 'text',
        into: 'flow.a',
        exits: { answered: i === 19 ? 'staff' : `q${i + 1}`, 'gave-up': 'staff' },
      },
    ]);
    const flows = [
      flowOf({ ...two, ...Object.fromEntries([...story('l'), ...story('r')]) }),
      flowOf({
        b: { kind: 'branch', cases: twelve, exits: Object.fromEntries(range(12).map((i) => [`case-${i}`, `n${i}`])) },
        ...Object.fromEntries(ways),
        fin: END,
      }),
      flowOf({ ...Object.fromEntries(twenty), staff: { kind: 'hand-over', reason: 'r', says: 's' } }),
    ];
    for (const flow of flows) {
      for (const band of [204, 300]) {
        const drawing = drawingOf(flow, { language: 'en', band });
        expect([...overlaps(drawing), ...railsThroughNodes(drawing)]).to.deep.equal([]);
        expectEveryLink(flow, drawing);
      }
    }
  });
});
