import { expect } from 'chai';
import {
  addLines,
  addNode,
  callersOf,
  changeKind,
  checkBot,
  copyNodes,
  cutOut,
  duplicateFlow,
  exitsOf,
  find,
  findables,
  fixFor,
  kindsFor,
  layoutFlow,
  linesOf,
  moveNodes,
  pasteNodes,
  pointAtCopy,
  readClip,
  readDocument,
  referredTo,
  removeNodes,
  replacements,
  replaceTexts,
  sharedReferences,
  switchNodes,
  type BotDocument,
} from '@primrose/core';
import { anyFlow } from './any-flow.js';
import { chanceOf } from './chance.js';
import { botOf, demoDocument, Talk } from './harbour.js';

const END = { kind: 'end' };
const ask = (into: string, exits: Record<string, string>) => ({ kind: 'ask', says: `${into}?`, expects: 'text', into, exits });
const say = (says: string, said?: string) => ({ kind: 'say', says, ...(said === undefined ? {} : { exits: { said } }) });
const nodesOf = (document: BotDocument, flow = 'main') => document.flows[flow]?.nodes ?? {};
const exitOf = (document: BotDocument, node: string, exit: string, flow = 'main') => nodesOf(document, flow)[node]?.exits?.[exit];

/** A document that the service would take, or what it would say. */
function expectReadable(document: BotDocument): void {
  const read = readDocument(JSON.parse(JSON.stringify(document)));
  expect(read.ok ? [] : read.problems).to.deep.equal([]);
}

describe('editing nodes', () => {
  const trip = botOf({ a: ask('flow.day', { answered: 'b', 'gave-up': 'c' }), b: say('So {{ flow.day }}', 'c'), c: END });

  it('puts several pasted lines as say nodes between two nodes', () => {
    const lines = linesOf('- One\n\n 2. Two\nThree ');
    expect(lines).to.deep.equal(['One', 'Two', 'Three']);
    const { document, node } = addLines(trip, 'main', lines, { node: 'a', exit: 'answered' });
    const told = ['a', exitOf(document, 'a', 'answered') ?? ''];
    for (let i = 0; i < 3; i++) told.push(exitOf(document, told.at(-1) ?? '', 'said') ?? '');
    expect(told.slice(1).map((id) => nodesOf(document)[id]?.['says'])).to.deep.equal([
      'One',
      'Two',
      'Three',
      'So {{ flow.day }}',
    ]);
    expect(exitOf(document, node, 'said')).to.equal('b');
    expectReadable(document);
  });

  it('begins an empty flow with the first of several lines', () => {
    const { document } = addLines({ ...trip, flows: { main: { nodes: {} } } }, 'main', ['One', 'Two'], undefined);
    expect(document.flows['main']?.begin).to.equal('say');
    expect(exitOf(document, 'say', 'said')).to.equal('say-2');
  });

  it('removes several nodes and joins the ends', () => {
    const document = removeNodes(trip, 'main', ['a', 'b']);
    expect(Object.keys(nodesOf(document))).to.deep.equal(['c']);
    expect(document.flows['main']?.begin).to.equal('c');
  });

  it('changes a kind where something carries over, and keeps words, title and the way on', () => {
    expect(kindsFor(nodesOf(trip)['b'] ?? END))
      .to.include.members(['ask', 'choice', 'note'])
      .and.not.include('action');
    const document = changeKind(trip, 'main', 'b', 'choice');
    expect(nodesOf(document)['b']).to.deep.equal({
      kind: 'choice',
      says: 'So {{ flow.day }}',
      choices: [],
      exits: { other: 'c' },
    });
    expect(changeKind(document, 'main', 'b', 'say').flows['main']?.nodes['b']).to.deep.include({
      kind: 'say',
      exits: { said: 'c' },
    });
    expectReadable(document);
  });

  it('switches nodes off without removing them', () => {
    const off = switchNodes(trip, 'main', ['a', 'b'], true);
    expect([nodesOf(off)['a']?.off, nodesOf(off)['b']?.off]).to.deep.equal([true, true]);
    expect(switchNodes(off, 'main', ['a', 'b'], false)).to.deep.equal(trip);
  });

  it('tells who runs a flow', () => {
    const demo = demoDocument();
    const called = Object.keys(demo.flows).map((flow) => [flow, callersOf(demo, flow)] as const);
    expect(called.find(([flow]) => flow === 'welcome')?.[1].begins).to.equal(true);
    expect(called.filter(([, c]) => c.intents.length > 0)).not.to.deep.equal([]);
    expect(callersOf(botOf({ a: { kind: 'flow', calls: 'main', exits: {} } }), 'main').nodes).to.deep.equal([
      { flow: 'main', node: 'a' },
    ]);
  });

  it('moves nodes along the rails, joining their old place and keeping their ids', () => {
    const row = botOf({ a: say('a', 'b'), b: say('b', 'c'), c: say('c', 'd'), d: END });
    const { document, nodes } = moveNodes(row, 'main', ['a'], { node: 'c', exit: 'said' });
    expect(nodes).to.deep.equal(['a']);
    expect(document.flows['main']?.begin).to.equal('b');
    expect([exitOf(document, 'b', 'said'), exitOf(document, 'c', 'said'), exitOf(document, 'a', 'said')]).to.deep.equal([
      'c',
      'a',
      'd',
    ]);
    expect(moveNodes(row, 'main', ['a'], { node: 'a', exit: 'said' }).document).to.equal(row);
  });

  it('keeps any flow readable under any sequence of edits', () => {
    for (let seed = 1; seed <= 40; seed++) {
      const chance = chanceOf(seed);
      const pick = <T>(list: readonly T[]) => list[Math.floor(chance() * list.length)];
      let document: BotDocument = { ...botOf({}), flows: { main: anyFlow(seed, 25) } };
      for (let step = 0; step < 12; step++) {
        const flow = document.flows['main'] ?? { nodes: {} };
        const ids = Object.keys(flow.nodes);
        const some = ids.filter(() => chance() < 0.15);
        const node = pick(ids) ?? '';
        const exit = pick(exitsOf(flow, node))?.name;
        const after = exit === undefined ? undefined : { node, exit };
        const clip = readClip(copyNodes(document, 'main', some));
        const made = [
          () => addNode(document, 'main', 'branch', after).document,
          () => removeNodes(document, 'main', some),
          () => (after ? moveNodes(document, 'main', some, after).document : document),
          () => (clip ? pasteNodes(document, 'main', clip, after).document : document),
          () => changeKind(document, 'main', node, pick(kindsFor(flow.nodes[node] ?? END)) ?? 'say'),
          () => {
            const cut = cutOut(document, 'main', some, 'Part');
            return cut.ok ? cut.document : document;
          },
        ];
        document = pick(made)?.() ?? document;
        for (const [id, f] of Object.entries(document.flows)) {
          const loose = Object.values(f.nodes)
            .flatMap((n) => Object.values(n.exits ?? {}))
            .filter((to) => !(to in f.nodes));
          expect(loose, `seed ${seed}, ${id}`).to.deep.equal([]);
          expect(layoutFlow(f).nodes).to.have.length(Object.keys(f.nodes).length);
        }
      }
      expectReadable(document);
    }
  });
});

describe('the clipboard', () => {
  const source = botOf({
    a: ask('flow.day', { answered: 'b', 'gave-up': 'c' }),
    b: say('So {{ flow.day }} for {{ session.last_reference }}', 'c'),
    c: END,
  });

  it('carries nodes as a text, links among them and all', () => {
    const text = copyNodes(source, 'main', ['b', 'a']);
    expect(JSON.parse(text)).to.have.property('primrose-nodes', 1);
    const clip = readClip(text);
    expect(Object.keys(clip?.nodes ?? {})).to.deep.equal(['a', 'b']);
  });

  it('refuses what is no copy, or one that no bot could hold', () => {
    expect(readClip('Hello')).to.equal(undefined);
    expect(readClip('{"primrose-nodes":')).to.equal(undefined);
    const clip = (nodes: unknown) => JSON.stringify({ 'primrose-nodes': 1, from: { bot: 'x', flow: 'y' }, nodes });
    expect(readClip(clip({ a: { kind: 'say', says: 1 } }))).to.equal(undefined);
    expect(readClip(clip({ 'Not an id': say('x') }))).to.equal(undefined);
    expect(readClip(clip({}))).to.equal(undefined);
  });

  it('pastes behind an exit: links among copies lead to copies, the end is joined', () => {
    const clip = readClip(copyNodes(source, 'main', ['a', 'b']));
    if (!clip) throw new Error('nothing was copied');
    const { document, nodes } = pasteNodes(source, 'main', clip, { node: 'b', exit: 'said' });
    expect(nodes).to.deep.equal(['a-2', 'b-2']);
    expect(exitOf(document, 'b', 'said')).to.equal('a-2');
    expect(exitOf(document, 'a-2', 'answered')).to.equal('b-2');
    expect(exitOf(document, 'b-2', 'said')).to.equal('c');
    expectReadable(document);
  });

  it('lists what the copies still share with the originals, and gives them their own', () => {
    const clip = readClip(copyNodes(source, 'main', ['a', 'b']));
    if (!clip) throw new Error('nothing was copied');
    const { document, nodes } = pasteNodes(source, 'main', clip, { node: 'b', exit: 'said' });
    const shared = sharedReferences(document, 'main', nodes);
    expect(shared).to.deep.equal([{ what: 'variable', name: 'flow.day', copy: 'flow.day_2', nodes: ['a-2', 'b-2'] }]);
    const own = shared.reduce((made, s) => pointAtCopy(made, 'main', s), document);
    expect(nodesOf(own)['a-2']?.['into']).to.equal('flow.day_2');
    expect(nodesOf(own)['b-2']?.['says']).to.equal('So {{ flow.day_2 }} for {{ session.last_reference }}');
    expect(nodesOf(own)['b']?.['says']).to.contain('flow.day }}');
    expect(sharedReferences(own, 'main', nodes)).to.deep.equal([]);
  });

  it('declares a session variable of their own for copies that get one', () => {
    const bot: BotDocument = {
      ...botOf({ a: ask('session.port', { answered: 'b' }), b: END }),
      variables: { session: { port: { type: 'text', name: 'harbour' } } },
    };
    const clip = readClip(copyNodes(bot, 'main', ['a']));
    if (!clip) throw new Error('nothing was copied');
    const { document, nodes } = pasteNodes(bot, 'main', clip, { node: 'a', exit: 'answered' });
    const [shared] = sharedReferences(document, 'main', nodes);
    if (!shared) throw new Error('nothing is shared');
    const own = pointAtCopy(document, 'main', shared);
    expect(own.variables?.session).to.have.property('port_2').that.deep.equals({ type: 'text', name: 'harbour' });
    expect(nodesOf(own)['a-2']?.['into']).to.equal('session.port_2');
  });

  it('pastes into another bot, where links to what is not there are left open', () => {
    const clip = readClip(copyNodes(source, 'main', ['a']));
    if (!clip) throw new Error('nothing was copied');
    const other = botOf({ z: say('z') });
    const { document } = pasteNodes(other, 'main', clip, { node: 'z', exit: 'said' });
    expect(nodesOf(document)['a']?.exits).to.deep.equal({});
    expectReadable(document);
  });

  it('lists calls of itself in the copy of a flow, and points them at the copy', () => {
    const bot = botOf({ a: { kind: 'flow', calls: 'main', exits: { done: 'b', failed: 'b' } }, b: END });
    const { document, flow } = duplicateFlow(bot, 'main');
    expect(flow).to.equal('main-2');
    const shared = sharedReferences(document, flow, Object.keys(nodesOf(document, flow)), 'main');
    expect(shared).to.deep.equal([{ what: 'flow', name: 'main', copy: 'main-2', nodes: ['a'] }]);
    const [first] = shared;
    if (!first) throw new Error('nothing is shared');
    expect(nodesOf(pointAtCopy(document, flow, first), flow)['a']?.['calls']).to.equal('main-2');
  });
});

describe('cutting out a flow', () => {
  const bot = botOf({
    name: ask('flow.name', { answered: 'day', 'gave-up': 'fin' }),
    day: ask('flow.day', { answered: 'so', 'gave-up': 'sorry' }),
    so: say('{{ flow.name }} on {{ flow.day }}', 'done'),
    done: say('Thank you for {{ flow.day }}', 'fin'),
    sorry: say('Another time', 'fin'),
    fin: END,
  });

  it('finds inputs, outputs and the ways out by itself, and the visitor notices nothing', () => {
    const cut = cutOut(bot, 'main', ['day', 'so'], 'When to sail');
    if (!cut.ok) throw new Error(cut.reason);
    const made = cut.document.flows['when-to-sail'];
    expect(made?.takes).to.deep.equal({ name: 'text?' });
    expect(made?.gives).to.deep.equal({ day: 'text?', way: 'text?' });
    expect(nodesOf(cut.document)['when-to-sail']).to.deep.include({
      kind: 'flow',
      calls: 'when-to-sail',
      given: { name: '{{ flow.name }}' },
      into: { day: 'flow.day', way: 'flow.way' },
    });
    expectReadable(cut.document);
    expect(
      checkBot(cut.document)
        .filter((p) => p.severity === 'error')
        .map((p) => p.code),
    ).to.deep.equal(['dangling-exit']);
    for (const words of [
      ['Pim', 'Friday'],
      ['Pim', '', '', ''],
      ['', '', ''],
    ]) {
      const said = [bot, cut.document].map((document) => {
        const talk = new Talk(document);
        talk.open();
        return words.map((w) => talk.say(w));
      });
      expect(said[1]).to.deep.equal(said[0]);
    }
  });

  it('leads straight on where there is one way out', () => {
    const cut = cutOut(bot, 'main', ['done'], 'Thanks');
    if (!cut.ok) throw new Error(cut.reason);
    expect(exitOf(cut.document, 'thanks', 'done')).to.equal('fin');
    expect(cut.document.flows['thanks']).to.deep.include({ takes: { day: 'text?' }, begin: 'done' });
    expect(cut.document.flows['thanks']).not.to.have.property('gives');
  });

  it('refuses nodes that others lead into at several places, and names these', () => {
    expect(cutOut(bot, 'main', ['so', 'sorry'], 'x')).to.deep.equal({
      ok: false,
      reason: 'several-ways-in',
      nodes: ['so', 'sorry'],
    });
    expect(cutOut(bot, 'main', ['fin'], 'x')).to.deep.include({ ok: false, reason: 'nothing' });
  });
});

describe('finding and replacing', () => {
  const demo = demoDocument();

  it('finds anything of a bot by its words, names first', () => {
    const all = findables(demo);
    expect(find(all, 'find sail')[0]).to.include({ what: 'node', node: 'find-sailings' });
    expect(find(all, 'lost')[0]).to.include({ what: 'flow' });
    expect(new Set(find(all, 'dog', 400).map((h) => h.what))).to.include.members(['document', 'rehearsal', 'sample']);
    const [hit] = find(all, 'which port do you leave');
    expect(hit?.text.slice(hit.at?.[0], (hit.at?.[0] ?? 0) + (hit.at?.[1] ?? 0)).toLowerCase()).to.equal('which');
    expect(find(all, '')).to.deep.equal([]);
    expect(find(all, 'zzzz')).to.deep.equal([]);
  });

  it('shows what a replacement would change, leaves values alone, and makes what was chosen', () => {
    const bot = botOf({ a: say('Sail on sail day {{ flow.sail }}', 'b'), b: { kind: 'note', says: 'sail' } });
    const found = replacements(bot, { find: 'sail', by: 'row' });
    expect(found.map((r) => r.after)).to.deep.equal(['row on row day {{ flow.sail }}', 'row']);
    expect(replacements(bot, { find: 'sail', by: 'row', caseful: true })[0]?.after).to.equal('Sail on row day {{ flow.sail }}');
    expect(replacements(bot, { find: '(', by: 'x' })).to.deep.equal([]);
    const made = replaceTexts(bot, found.slice(1));
    expect([nodesOf(made)['a']?.['says'], nodesOf(made)['b']?.['says']]).to.deep.equal([
      'Sail on sail day {{ flow.sail }}',
      'row',
    ]);
    expect(replaceTexts(made, found.slice(1))).to.equal(made);
  });
});

describe('fixes', () => {
  const fixed = (document: BotDocument, code: string) => {
    const problem = checkBot(document).find((p) => p.code === code);
    if (!problem) throw new Error(`no problem ${code}: ${JSON.stringify(checkBot(document))}`);
    const fix = fixFor(problem, document);
    return { label: fix?.label, left: fix && checkBot(fix.apply(document)).filter((p) => p.code === code) };
  };

  it('mends what it offers to mend', () => {
    const cases: [string, BotDocument, string][] = [
      ['unknown-name', botOf({ a: say('{{ clock.weekdy }}', 'b'), b: END }), 'Write clock.weekday'],
      ['template-open', botOf({ a: say('Hello {{ clock.today', 'b'), b: END }), 'Write }}'],
      [
        'undeclared',
        botOf({ a: ask('session.shoe', { answered: 'b', 'gave-up': 'b' }), b: END }),
        'Declare session.shoe as text',
      ],
      [
        'unknown-entity',
        botOf({ a: { ...ask('flow.a', { answered: 'b', 'gave-up': 'b' }), expects: 'dat' }, b: END }),
        'Choose date',
      ],
      ['unknown-node', botOf({ a: say('x', 'bb'), bbb: END }), 'Lead it to bbb'],
      ['unknown-exit', botOf({ a: { kind: 'say', says: 'x', exits: { sayed: 'b' } }, b: END }), 'Take the link away'],
      ['unreachable', botOf({ a: END, b: say('x', 'a') }), 'Remove the node'],
      ['no-cases', botOf({ a: { kind: 'branch', cases: [], exits: { otherwise: 'b' } }, b: END }), 'Remove the branch'],
      ['unknown-flow', botOf({ a: { kind: 'flow', calls: 'mian', exits: { done: 'b', failed: 'b' } }, b: END }), 'Choose main'],
      ['no-begin', { ...botOf({ a: END }), flows: { main: { nodes: { a: END } } } }, 'Begin with a'],
    ];
    for (const [code, document, label] of cases) expect(fixed(document, code), code).to.deep.equal({ label, left: [] });
  });

  it('offers nothing where a person has to decide', () => {
    const document = botOf({ a: say('', 'b'), b: END });
    const [problem] = checkBot(document);
    expect(problem && fixFor(problem, document)).to.equal(undefined);
  });
});

describe('what a node refers to', () => {
  it('changes with the action, flow or entity behind it, and with nothing else', () => {
    const demo = demoDocument();
    const node = demo.flows['welcome']?.nodes['find-sailings'] ?? END;
    const before = referredTo(demo, node);
    expect(before).to.contain('/sailings');
    expect(referredTo({ ...demo, name: 'Other' }, node)).to.equal(before);
    expect(referredTo({ ...demo, connections: {} }, node)).not.to.equal(before);
    expect(referredTo(demo, END)).to.equal('');
  });
});
