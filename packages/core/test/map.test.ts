import { expect } from 'chai';
import fc from 'fast-check';
import { addNode, drawFlow, drawingOf, exitsOf, layoutFlow, removeNode, type Flow } from '@primrose/core';
import { anyBot } from './any-bot.js';
import { anyFlow } from './any-flow.js';
import { expectEveryLink, overlaps, railsThroughNodes } from './drawing.js';
import { botOf, demoDocument } from './harbour.js';

const SIZES = [1, 2, 7, 20, 60, 150, 500];

describe('the layout of the Map', () => {
  it('places Harbour desk in the bands of its kinds, the usual way straight down', () => {
    const layout = layoutFlow(demoDocument().flows['welcome'] ?? { nodes: {} });
    const at = (id: string) => layout.nodes.find((n) => n.id === id);
    expect(at('who')).to.include({ beat: 1, band: 'bot' });
    expect(at('menu')).to.include({ beat: 3, band: 'visitor' });
    expect(at('find-sailings')).to.include({ band: 'outside' });
  });

  it('gives a beat’s number as address, with the band where the beat holds several', () => {
    const layout = layoutFlow(
      botOf({
        pick: { kind: 'branch', cases: [{ exit: 'yes', when: 'true' }], exits: { yes: 'ask', otherwise: 'fetch' } },
        ask: { kind: 'ask', says: '?', expects: 'text', into: 'flow.a', exits: {} },
        fetch: { kind: 'action', runs: 'a.b', exits: {} },
      }).flows['main'] ?? { nodes: {} },
    );
    expect(layout.nodes.map((n) => [n.id, n.address])).to.deep.equal([
      ['pick', '1'],
      ['ask', '2v'],
      ['fetch', '2o'],
    ]);
  });

  it('puts one node in a band of a beat, shows every exit, and is the same each time', () => {
    fc.assert(
      fc.property(anyBot, (document) => {
        const flow = document.flows['main'] ?? { nodes: {} };
        const layout = layoutFlow(flow);
        const cells = layout.nodes.map((n) => `${n.band}/${n.beat}`);
        expect(new Set(cells).size).to.equal(Object.keys(flow.nodes).length);
        expectEveryLink(flow, drawingOf(flow, { language: 'en' }));
        expect(layoutFlow(structuredClone(flow))).to.deep.equal(layout);
      }),
      { numRuns: 200, seed: 11 },
    );
  });

  for (const size of SIZES) {
    it(`draws flows of ${size} nodes: none on another, no rail through one, every link there`, () => {
      for (let seed = 1; seed <= (size > 100 ? 6 : 30); seed++) {
        const flow = anyFlow(seed, size);
        for (const band of [204, 268, 340]) {
          const drawing = drawingOf(flow, { language: 'en', band });
          expect(overlaps(drawing), `seed ${seed}`).to.deep.equal([]);
          expect(railsThroughNodes(drawing), `seed ${seed}, band ${band}`).to.deep.equal([]);
          expectEveryLink(flow, drawing);
        }
      }
    });
  }

  it('draws every flow of Harbour desk without a rail through a node', () => {
    for (const flow of Object.values(demoDocument().flows)) {
      const drawing = drawingOf(flow, { language: 'en' });
      expect(railsThroughNodes(drawing)).to.deep.equal([]);
      expectEveryLink(flow, drawing);
    }
  });

  it('moves little when a node is added to or taken from a flow of sixty', function () {
    const shares = { added: [] as number[], removed: [] as number[] };
    for (let seed = 1; seed <= 20; seed++) {
      const document = botOf({});
      const flow = anyFlow(seed, 60);
      const bot = { ...document, flows: { ...document.flows, main: flow } };
      const before = new Map(layoutFlow(flow).nodes.map((n) => [n.id, n.beat]));
      const share = (after: Flow | undefined) => {
        const others = layoutFlow(after ?? { nodes: {} }).nodes.filter((n) => before.has(n.id));
        return others.filter((n) => Math.abs(n.beat - (before.get(n.id) ?? 0)) > 1).length / others.length;
      };
      for (const id of Object.keys(flow.nodes)) {
        for (const exit of exitsOf(flow, id))
          for (const kind of ['say', 'ask', 'action'])
            shares.added.push(share(addNode(bot, 'main', kind, { node: id, exit: exit.name }).document.flows['main']));
        if (new Set(Object.values(flow.nodes[id]?.exits ?? {})).size <= 1)
          shares.removed.push(share(removeNode(bot, 'main', id).flows['main']));
      }
    }
    const within = (list: readonly number[]) => list.filter((s) => s <= 0.2).length / list.length;
    const percent = (share: number) => `${(share * 100).toFixed(1)} %`;
    console.log(
      `      of ${shares.added.length} additions ${percent(within(shares.added))} move at most a fifth of the others, of ${shares.removed.length} removals ${percent(within(shares.removed))}`,
    );
    expect(within(shares.added)).to.be.at.least(0.97);
    expect(within(shares.removed)).to.be.at.least(0.93);
    expect(shares.added.reduce((a, b) => a + b, 0) / shares.added.length).to.be.below(0.03);
  });
});

describe('a flow as a picture', () => {
  it('is one SVG with every node’s words, escaped, and says what it is', () => {
    const flow: Flow = {
      title: 'Cars & dogs',
      begin: 'a',
      nodes: {
        a: { kind: 'say', says: 'Is <b>it</b> {{ flow.travel_day }} & **today**?', exits: { said: 'b' } },
        b: { kind: 'end' },
      },
    };
    const svg = drawFlow(flow, { language: 'en' });
    expect(svg).to.match(/^<svg xmlns="http:\/\/www.w3.org\/2000\/svg"/);
    expect(svg).to.contain('<title>Cars &amp; dogs</title>').and.contain('&lt;b&gt;it').and.contain('travel day');
    expect(svg).not.to.contain('<b>');
    expect(svg.match(/<path d="[^"]*Z" fill="#7F8879"/g)).to.have.length(1);
  });

  it('differs by theme and by nothing else', () => {
    const flow = anyFlow(5, 30);
    const colours = (svg: string) => svg.replace(/#[0-9A-F]{6}/g, '#');
    expect(drawFlow(flow, { language: 'en' })).to.equal(drawFlow(flow, { language: 'en' }));
    expect(drawFlow(flow, { language: 'en', theme: 'dark' })).not.to.equal(drawFlow(flow, { language: 'en' }));
    expect(colours(drawFlow(flow, { language: 'en', theme: 'dark' }))).to.equal(colours(drawFlow(flow, { language: 'en' })));
  });

  it('keeps words in their boxes, in narrow bands, long words and square letters too', () => {
    const flow: Flow = {
      begin: 'a',
      nodes: { a: { kind: 'say', says: 'x'.repeat(200), exits: { said: 'b' } }, b: { kind: 'say', says: '船'.repeat(120) } },
    };
    for (const node of drawingOf(flow, { language: 'en', band: 204 }).nodes) {
      expect(node.lines).to.have.length(4);
      expect(node.lines.at(-1)).to.match(/…$/);
    }
  });
});
