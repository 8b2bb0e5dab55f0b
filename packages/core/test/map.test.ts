import { expect } from 'chai';
import fc from 'fast-check';
import { layoutFlow, routeRails, type FlowLayout, type MapGeometry } from '@primrose/core';
import { botOf, demoDocument } from './harbour.js';
import { anyBot } from './any-bot.js';

const BANDS = ['visitor', 'bot', 'outside'] as const;
const BAND_WIDTH = 220;
const BEAT_HEIGHT = 110;
const NODE_HEIGHT = 78;

/** Boxes as a page would measure them: every node as wide as it may be. */
function geometryOf(layout: FlowLayout): MapGeometry {
  const nodes = layout.nodes.map((n) => {
    const left = 26 + BANDS.indexOf(n.band) * BAND_WIDTH + 15;
    const top = 18 + (n.beat - 1) * BEAT_HEIGHT;
    return { id: n.id, beat: n.beat, band: n.band, left, right: left + BAND_WIDTH - 30, top, bottom: top + NODE_HEIGHT };
  });
  const chips = layout.nodes.flatMap((n) => {
    const box = nodes.find((b) => b.id === n.id);
    const drawn = n.chips.filter((c) => c.to !== undefined && !c.written);
    return drawn.map((c, i) => ({
      node: n.id,
      exit: c.exit,
      to: c.to ?? '',
      x: (box?.left ?? 0) + 30 + i * 12,
      bottom: (box?.bottom ?? 0) + 10,
    }));
  });
  const bands = BANDS.map((_, i) => ({ left: 26 + i * BAND_WIDTH, right: 26 + (i + 1) * BAND_WIDTH }));
  return { bands, nodes, chips };
}

/** The points of a path; a rounded corner counts with both its ends. */
function points(path: string): [number, number][] {
  return [...path.matchAll(/(?:[ML]|Q[\d.-]+ [\d.-]+ )([\d.-]+) ([\d.-]+)/g)].map((m) => [Number(m[1]), Number(m[2])]);
}

describe('the layout of the Map', () => {
  it('places Harbour desk in the bands of its kinds, links downward first', () => {
    const flow = demoDocument().flows['welcome'];
    const layout = layoutFlow(flow ?? { nodes: {} });
    const at = (id: string) => layout.nodes.find((n) => n.id === id);
    expect(at('who')).to.include({ beat: 1, band: 'bot' });
    expect(at('menu')).to.include({ beat: 3, band: 'visitor' });
    expect(at('find-sailings')).to.include({ band: 'outside' });
    expect(at('find-sailings')?.chips.map((c) => [c.exit, c.written])).to.deep.equal([
      ['failed', true],
      ['none', false],
      ['done', false],
    ]);
  });

  it('puts one node in a band of a beat, shows every exit, writes at most half, and is the same each time', () => {
    fc.assert(
      fc.property(anyBot, (document) => {
        const flow = document.flows['main'] ?? { nodes: {} };
        const layout = layoutFlow(flow);
        const cells = layout.nodes.map((n) => `${n.band}/${n.beat}`);
        expect(new Set(cells).size).to.equal(Object.keys(flow.nodes).length);
        const chips = layout.nodes.flatMap((n) => n.chips.filter((c) => c.to !== undefined));
        expect(chips.filter((c) => c.written).length).to.be.at.most(Math.ceil(chips.length / 2));
        expect(layoutFlow(flow)).to.deep.equal(layout);
      }),
      { numRuns: 200, seed: 7 },
    );
  });

  it('draws a rail from every drawn exit to the upper edge of its target', () => {
    fc.assert(
      fc.property(anyBot, (document) => {
        const geometry = geometryOf(layoutFlow(document.flows['main'] ?? { nodes: {} }));
        const rails = routeRails(geometry);
        expect(rails.length).to.equal(geometry.chips.length);
        for (const rail of rails) {
          const to = geometry.nodes.find((n) => n.id === rail.to);
          const [x = 0, y = 0] = points(rail.path).at(-1) ?? [];
          expect(y).to.be.closeTo((to?.top ?? 0) - 5, 1);
          expect(x).to.be.within(to?.left ?? 0, to?.right ?? 0);
        }
      }),
      { numRuns: 200, seed: 11 },
    );
  });

  it('lets no rail of Harbour desk run through a node', () => {
    const geometry = geometryOf(layoutFlow(demoDocument().flows['welcome'] ?? { nodes: {} }));
    for (const rail of routeRails(geometry)) {
      const way = points(rail.path);
      for (let i = 1; i < way.length; i++) {
        const a = way[i - 1] ?? ([0, 0] as const);
        const b = way[i] ?? ([0, 0] as const);
        for (const n of geometry.nodes) {
          const apart =
            Math.max(a[0], b[0]) <= n.left ||
            Math.min(a[0], b[0]) >= n.right ||
            Math.max(a[1], b[1]) <= n.top ||
            Math.min(a[1], b[1]) >= n.bottom;
          expect(apart, `${rail.node}/${rail.exit} runs through ${n.id}`).to.equal(true);
        }
      }
    }
  });

  it('draws nothing for an empty flow', () => {
    expect(layoutFlow({ nodes: {} })).to.deep.equal({ nodes: [], beats: 0 });
    expect(layoutFlow(botOf({ a: { kind: 'end' } }).flows['main'] ?? { nodes: {} }).beats).to.equal(1);
  });
});
