import { expect } from 'chai';
import fc from 'fast-check';
import { layoutFlow, nodeKinds, type BotDocument, type Flow, type FlowNode, type PlacedNode } from '@primrose/core';
import { anyBot } from '../../core/test/any-bot.js';
import { anyFlow } from '../../core/test/any-flow.js';
import { demoDocument } from '../../core/test/harbour.js';
import { kindEditors } from '../src/details/kinds/registry.js';
import { NodeCard } from '../src/map/NodeCard.js';
import { Prose } from '../src/parts/Prose.js';
import { drawn, readable } from './drawn.js';

const PLAIN = {
  language: 'en',
  selected: false,
  marked: false,
  found: false,
  stale: false,
  visit: 0,
  problems: 0,
  reach: false,
  openExit: undefined,
  room: 0,
  times: undefined,
  untaken: undefined,
  called: undefined,
};
const card = (flow: Flow, placed: PlacedNode, more: Partial<Parameters<typeof NodeCard>[0]> = {}) =>
  drawn(NodeCard as never, { ...PLAIN, placed, node: flow.nodes[placed.id], ...more } as never);
const bare = (text: string): string => text.replace(/\s+/g, '');

/** All flows of the bots that ship. */
const flowsOf = (document: BotDocument): [string, Flow][] => Object.entries(document.flows);

describe('a node on the Map', () => {
  const demo = demoDocument();

  for (const [id, flow] of flowsOf(demo))
    it(`of the flow ${id} stands with its words, its kind and its exits`, () => {
      const { nodes } = layoutFlow(flow);
      expect(nodes.map((n) => n.id).sort()).to.deep.equal(Object.keys(flow.nodes).sort());
      for (const placed of nodes) {
        const node = flow.nodes[placed.id] as FlowNode;
        const kind = nodeKinds.get(node.kind);
        const html = card(flow, placed);
        const text = readable(html);
        expect(html).to.contain(`id="node-${placed.id}"`);
        expect(bare(text)).to.contain(bare(readable(drawn(Prose, kind?.prose(node, 'en') ?? { text: '' }))));
        for (const chip of placed.chips) expect(html).to.contain(`data-exit="${chip.exit}"`);
        expect(html).to.match(/aria-label="[^"]+, beat \d+/);
      }
    });

  it('says aloud and shows what is special about it', () => {
    const [, flow] = flowsOf(demo)[0] as [string, Flow];
    const [placed] = layoutFlow(flow).nodes as [PlacedNode];
    const told = (more: Partial<Parameters<typeof NodeCard>[0]>) => card(flow, placed, more);
    expect(told({ marked: true })).to.match(/aria-label="[^"]*, marked"/);
    expect(told({ problems: 1 }))
      .to.match(/aria-label="[^"]*, 1 problem"/)
      .and.contain('troubled');
    expect(told({ problems: 3 })).to.match(/aria-label="[^"]*, 3 problems"/);
    expect(told({ stale: true })).to.contain('<em>stale</em>');
    expect(told({ reach: true })).to.contain('can be corrected from the chosen node');
    expect(told({ visit: 2 })).to.contain('visited as number 2');
    expect(told({ times: 0 }))
      .to.contain('never rehearsed')
      .and.contain('unrehearsed');
    expect(told({ times: 4 })).to.contain('rehearsed 4 times');
    expect(told({ selected: true })).to.contain('aria-current="true"');
    expect(told({ room: 18 })).to.contain('margin-bottom:18px');
    expect(told({})).to.not.contain('problem').and.not.contain('stale');
    expect(drawn(NodeCard as never, { ...PLAIN, placed, node: undefined } as never)).to.equal('');
  });

  it('leads where its exits lead, in any flow', () => {
    for (let seed = 1; seed <= 12; seed++) {
      const flow = anyFlow(seed, 5 + seed * 4);
      const { nodes } = layoutFlow(flow);
      const beatOf = new Map(nodes.map((n) => [n.id, n.address]));
      for (const placed of nodes) {
        const html = card(flow, placed);
        for (const chip of placed.chips) {
          const to = flow.nodes[placed.id]?.exits?.[chip.exit];
          expect(chip.to).to.equal(to !== undefined && to in flow.nodes ? to : undefined);
          if (chip.to !== undefined) expect(beatOf.get(chip.to)).to.equal(chip.at);
        }
        const open = placed.chips.filter((c) => c.to === undefined).length;
        expect(html.split('leads nowhere yet').length - 1).to.equal(open);
      }
    }
  });

  it('never runs what a designer has written', () => {
    const hostile = '<img src=x onerror=alert(1)>';
    for (const kind of nodeKinds.values()) {
      const node = {
        ...kind.blank(),
        kind: kind.kind,
        title: hostile,
        ...('says' in kind.blank() ? { says: hostile } : {}),
      } as FlowNode;
      const flow: Flow = { begin: 'a', nodes: { a: node } };
      for (const placed of layoutFlow(flow).nodes) expect(card(flow, placed)).to.not.contain('<img');
    }
  });
});

describe('the editor of a node', () => {
  it('is there for each kind, and for nothing else', () => {
    expect(Object.keys(kindEditors).sort()).to.deep.equal([...nodeKinds.keys()].sort());
  });

  const draw = (document: BotDocument, node: FlowNode): string => {
    const Editor = kindEditors[node.kind];
    if (!Editor) throw new Error(`no editor of ${node.kind}`);
    return drawn(Editor, { node, set: () => undefined }, document);
  };

  for (const kind of nodeKinds.values())
    it(`of kind ${kind.kind} begins with nothing filled in`, () => {
      const html = draw(demoDocument(), { ...kind.blank(), kind: kind.kind });
      const fields = html.match(/<(?:input|select|textarea|label|div)/g) ?? [];
      expect(fields.length).to.be.above(0);
    });

  it('is drawn for each node of the bots that ship', () => {
    for (const bot of ['harbour-desk', 'shore-desk'] as const) {
      const document = demoDocument(bot);
      for (const [, flow] of flowsOf(document))
        for (const [id, node] of Object.entries(flow.nodes)) expect(draw(document, node), id).to.match(/</);
    }
  });

  it('is drawn for any node of any bot', () => {
    fc.assert(
      fc.property(anyBot, (document) => {
        for (const [, flow] of flowsOf(document))
          for (const [id, node] of Object.entries(flow.nodes)) expect(draw(document, node), `${id} ${node.kind}`).to.match(/</);
      }),
      { seed: 21, numRuns: 25, endOnFailure: true },
    );
  });
});
