import { nodeKinds, type Flow, type FlowNode } from '@primrose/core';
import { chanceOf } from './chance.js';

const WORDS =
  'Which day would you like to sail with the car from Kelpwick to Tarn Holm on the Wrackline and what of the dog'.split(' ');

/** Nodes of all bands with one to four exits, and words of any length. */
function makers(chance: () => number): (() => FlowNode)[] {
  const words = () =>
    Array.from({ length: 1 + Math.floor(chance() * 30) }, () => WORDS[Math.floor(chance() * WORDS.length)]).join(' ');
  const some = (n: number) => Array.from({ length: 1 + Math.floor(chance() * n) }, (_, i) => i);
  return [
    () => ({ kind: 'say', says: words() }),
    () => ({ kind: 'say', says: words() }),
    () => ({ kind: 'ask', says: words(), expects: 'text', into: 'flow.a' }),
    () => ({ kind: 'choice', says: words(), choices: some(3).map((i) => ({ id: `pick-${i}`, says: words().slice(0, 12) })) }),
    () => ({ kind: 'branch', cases: some(3).map((i) => ({ exit: `case-${i}`, when: 'flow.a == "x"' })) }),
    () => ({ kind: 'set', sets: [{ into: 'flow.b', to: words() }] }),
    () => ({
      kind: 'action',
      runs: 'office.list',
      into: 'flow.list',
      cases: some(2).map((i) => ({ exit: `none-${i}`, when: 'true' })),
    }),
    () => ({ kind: 'model', uses: 'quick', parts: [{ part: 'task', says: words() }], into: 'flow.c' }),
    () => ({ kind: 'lookup', in: 'guide', asks: words(), into: 'flow.d' }),
  ];
}

const exitNames = (node: FlowNode): string[] => (nodeKinds.get(node.kind)?.exits(node) ?? []).map((e) => e.name);

/**
 * A flow as people draw them: it grows from its first node, each node put behind an exit that was open, mostly a late one;
 * at the end most open exits lead on, some back, and some nowhere.
 */
export function anyFlow(seed: number, size: number): Flow {
  const chance = chanceOf(seed);
  const kinds = makers(chance);
  const pick = <T>(list: readonly T[]): T => list[Math.floor(chance() * list.length)] as T;
  const nodes: Record<string, FlowNode> = {};
  const open: { id: string; exit: string }[] = [];
  const link = (id: string, exit: string, to: string) => {
    const node = nodes[id];
    if (node) nodes[id] = { ...node, exits: { ...node.exits, [exit]: to } };
  };
  for (let n = 0; n < size; n++) {
    const id = `n${n}`;
    const node = n > 0 && open.length > 3 && chance() < 0.08 ? { kind: 'end' } : pick(kinds)();
    nodes[id] = node;
    if (n > 0 && open.length > 0) {
      const from =
        chance() < 0.7 ? open.length - 1 - Math.floor(chance() * Math.min(3, open.length)) : Math.floor(chance() * open.length);
      const [at] = open.splice(from, 1);
      if (at) link(at.id, at.exit, id);
    }
    open.push(...exitNames(node).map((exit) => ({ id, exit })));
  }
  const ids = Object.keys(nodes);
  for (const { id, exit } of open) {
    const draw = chance();
    const at = ids.indexOf(id);
    if (draw < 0.35) link(id, exit, ids[Math.min(ids.length - 1, at + 1 + Math.floor(chance() * 6))] as string);
    else if (draw < 0.65) link(id, exit, ids[Math.max(0, at - Math.floor(chance() * 12))] as string);
    else if (draw < 0.85) link(id, exit, pick(ids));
  }
  return { begin: 'n0', nodes };
}
