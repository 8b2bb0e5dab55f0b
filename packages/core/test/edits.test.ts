import { expect } from 'chai';
import fc from 'fast-check';
import { addFlow, addNode, freeId, linkExit, readDocument, removeNode, setField, type BotDocument } from '@primrose/core';
import { anyBot } from './any-bot.js';
import { botOf, demoDocument } from './harbour.js';

const nodes = (d: BotDocument) => d.flows['main']?.nodes ?? {};
const END = { kind: 'end' };
const chain = () =>
  botOf({
    a: { kind: 'say', says: 'a', exits: { said: 'b' } },
    b: { kind: 'ask', says: 'b', expects: 'text', into: 'flow.b', exits: { answered: 'c', 'gave-up': 'a' } },
    c: END,
  });

describe('changes to a flow', () => {
  it('put a node between an exit and what it led to', () => {
    const { document, node } = addNode(chain(), 'main', 'say', { node: 'a', exit: 'said' });
    expect(node).to.equal('say');
    expect(nodes(document)['a']?.exits).to.deep.equal({ said: 'say' });
    expect(nodes(document)['say']?.exits).to.deep.equal({ said: 'b' });
  });
  it('make the first node of an empty flow, or come before the first', () => {
    const first = addNode(botOf({}, { flows: { main: { title: 'Main', nodes: {} } } }), 'main', 'ask');
    expect(first.document.flows['main']?.begin).to.equal('ask');
    const before = addNode(chain(), 'main', 'say');
    expect(before.document.flows['main']?.begin).to.equal('say');
    expect(nodes(before.document)['say']?.exits).to.deep.equal({ said: 'a' });
  });
  it('leave a node without exits at the end', () => {
    const { document } = addNode(chain(), 'main', 'end', { node: 'b', exit: 'answered' });
    expect(nodes(document)['b']?.exits).to.deep.equal({ answered: 'end', 'gave-up': 'a' });
    expect(nodes(document)['end']).to.deep.equal({ kind: 'end' });
  });
  it('find a free id', () => {
    expect(freeId({ say: END, 'say-2': END }, 'say')).to.equal('say-3');
    expect(freeId({}, 'say')).to.equal('say');
  });
  it('join the ends of a node that is removed, also the first one', () => {
    expect(nodes(removeNode(chain(), 'main', 'b'))['a']?.exits).to.deep.equal({ said: 'c' });
    expect(removeNode(chain(), 'main', 'a').flows['main']?.begin).to.equal('b');
    expect(nodes(removeNode(chain(), 'main', 'c'))['b']?.exits).to.deep.equal({ 'gave-up': 'a' });
  });
  it('link an exit, and take the link away', () => {
    const linked = linkExit(chain(), 'main', 'b', 'gave-up', 'c');
    expect(nodes(linked)['b']?.exits?.['gave-up']).to.equal('c');
    expect(nodes(linkExit(linked, 'main', 'b', 'gave-up', undefined))['b']?.exits).to.deep.equal({ answered: 'c' });
  });
  it('drop the link of an exit that a field took away', () => {
    const demo = demoDocument();
    const buttons = demo.flows['welcome']?.nodes['menu']?.['choices'] as { id: string }[];
    const fewer = setField(
      demo,
      'welcome',
      'menu',
      'choices',
      buttons.filter((b) => b.id !== 'hours'),
    );
    expect(Object.keys(fewer.flows['welcome']?.nodes['menu']?.exits ?? {})).to.deep.equal(['crossing', 'leave', 'other']);
    expect(setField(demo, 'welcome', 'menu', 'title', undefined).flows['welcome']?.nodes['menu']).to.not.have.property('title');
  });
  it('name a new flow by its title, twice the same without clash', () => {
    const one = addFlow(chain(), 'Lost & found: Überfahrt');
    expect(one.flow).to.equal('lost-found-uberfahrt');
    const two = addFlow(one.document, 'Lost & found: Überfahrt');
    expect(two.flow).to.not.equal(one.flow);
    expect(readDocument(two.document).ok).to.equal(true);
    expect(addFlow(chain(), '123 ???').flow).to.match(/^[a-z]/);
  });
  it('keep any bot a valid document, change nothing else, and never touch the old one', () => {
    const change = fc.tuple(
      anyBot,
      fc.constantFrom('say', 'ask', 'choice', 'branch', 'set', 'action', 'end', 'note'),
      fc.nat(),
      fc.nat(),
    );
    fc.assert(
      fc.property(change, ([document, kind, n, m]) => {
        const before = JSON.stringify(document);
        const ids = Object.keys(nodes(document));
        const id = ids[n % ids.length] ?? '';
        const exits = Object.keys(nodes(document)[id]?.exits ?? {});
        const exit = exits[m % Math.max(1, exits.length)];
        const added = exit === undefined ? addNode(document, 'main', kind) : addNode(document, 'main', kind, { node: id, exit });
        expect(readDocument(added.document).ok).to.equal(true);
        const removed = removeNode(added.document, 'main', added.node);
        expect(readDocument(removed).ok).to.equal(true);
        expect(Object.keys(nodes(removed))).to.deep.equal(ids);
        for (const node of Object.values(nodes(removed)))
          for (const to of Object.values(node.exits ?? {})) expect(ids).to.include(to);
        expect(JSON.stringify(document)).to.equal(before);
      }),
      { numRuns: 200, seed: 21 },
    );
  });
});
