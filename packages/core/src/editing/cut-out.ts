import type { BotDocument, Flow } from '../document/schema.js';
import { typeName, type FlowNode, type TypeDeclaration } from '../document/shapes.js';
import { VALUE_TYPES } from '../document/variables.js';
import { branchOf } from '../engine/nodes/branch.js';
import { plainEnd } from '../engine/nodes/end.js';
import { callOf } from '../engine/nodes/flow.js';
import { nodeKinds } from '../engine/nodes/registry.js';
import { settingOf } from '../engine/nodes/set.js';
import { endsFlow } from '../engine/refers.js';
import { changeLinks, freeId, idOf } from './nodes.js';
import { variablesOf } from './references.js';

export type CutOut =
  | { readonly ok: true; readonly document: BotDocument; readonly flow: string; readonly node: string }
  | { readonly ok: false; readonly reason: 'nothing' | 'several-ways-in'; readonly nodes: readonly string[] };

/** Which way the cut-out flow was left, where there are several. */
const WAY = 'way';

/**
 * Makes a flow of its own of some nodes and calls it in their place. What they read and others set becomes its inputs; what
 * they set and others read becomes its outputs. Where they led on by several ways, a branch behind the call goes on by the
 * right one. `end` nodes stay, because they end the flow that they stand in. Refused where others lead to several of the nodes.
 */
export function cutOut(document: BotDocument, flowId: string, ids: readonly string[], title: string): CutOut {
  const flow = document.flows[flowId];
  const chosen = ids.filter((n) => flow?.nodes[n] && !endsFlow(flow.nodes[n].kind));
  if (!flow || chosen.length === 0) return { ok: false, reason: 'nothing', nodes: [] };
  const inside = new Set(chosen);
  const entries = waysIn(flow, inside);
  const [entry = chosen[0] ?? ''] = entries;
  if (entries.length > 1) return { ok: false, reason: 'several-ways-in', nodes: entries };
  const name = freeId(document.flows, idOf(title) || 'part');
  const targets = waysOut(flow, inside);
  const { takes, gives } = interfaceOf(document, flow, inside);
  const made = innerFlow(flow, inside, { title, entry, takes, gives, targets });
  const call = freeId(flow.nodes, name);
  const outer = outerFlow(flow, inside, { name, call, entry, takes, gives, targets });
  return {
    ok: true,
    document: { ...document, flows: { ...document.flows, [flowId]: outer, [name]: made } },
    flow: name,
    node: call,
  };
}

/** The chosen nodes that something outside leads to, or that the flow begins with. */
function waysIn(flow: Flow, inside: ReadonlySet<string>): string[] {
  const found = new Set<string>();
  if (flow.begin !== undefined && inside.has(flow.begin)) found.add(flow.begin);
  for (const [n, node] of Object.entries(flow.nodes)) {
    if (inside.has(n)) continue;
    for (const to of Object.values(node.exits ?? {})) if (inside.has(to)) found.add(to);
  }
  return [...found];
}

/** Nodes outside that the chosen ones lead to, each once. */
function waysOut(flow: Flow, inside: ReadonlySet<string>): string[] {
  const targets = [...inside].flatMap((n) => Object.values(flow.nodes[n]?.exits ?? {}));
  return [...new Set(targets.filter((to) => !inside.has(to) && Object.hasOwn(flow.nodes, to)))];
}

type Types = Record<string, TypeDeclaration>;

function interfaceOf(document: BotDocument, flow: Flow, inside: ReadonlySet<string>): { takes: Types; gives: Types } {
  const own = new Map<'in' | 'out', { writes: Set<string>; reads: Set<string> }>([
    ['in', { writes: new Set(), reads: new Set() }],
    ['out', { writes: new Set(Object.keys(flow.takes ?? {})), reads: new Set(Object.keys(flow.gives ?? {})) }],
  ]);
  for (const [n, node] of Object.entries(flow.nodes)) {
    const side = own.get(inside.has(n) ? 'in' : 'out');
    const { writes, reads } = variablesOf(node);
    for (const name of writes) if (name.startsWith('flow.')) side?.writes.add(name.slice(5));
    for (const name of reads) if (name.startsWith('flow.')) side?.reads.add(name.slice(5));
  }
  const typed = (names: Iterable<string>) =>
    Object.fromEntries([...names].sort().map((name) => [name, `${typeOfVariable(document, flow, name)}?`]));
  const [here, there] = [own.get('in'), own.get('out')];
  const both = (a: Iterable<string> = [], b?: ReadonlySet<string>) => [...a].filter((name) => b?.has(name));
  return { takes: typed(both(here?.reads, there?.writes)), gives: typed(both(here?.writes, there?.reads)) };
}

/** The type of a flow variable as far as the flow tells it: declared, or what a node reads into it; else `any`. */
export function typeOfVariable(document: BotDocument, flow: Flow, name: string): string {
  const declared = typeName(flow.takes?.[name] ?? flow.gives?.[name]).replace(/\?$/, '');
  if (declared !== '') return declared;
  const told = Object.values(flow.nodes).map((n) => nodeKinds.get(n.kind)?.types?.(n)[`flow.${name}`]);
  const type = told.find((t) => t !== undefined) ?? '';
  return VALUE_TYPES.includes(type) || Object.hasOwn(document.entities ?? {}, type) ? type : 'any';
}

interface Cut {
  readonly entry: string;
  readonly takes: Types;
  readonly gives: Types;
  readonly targets: readonly string[];
}

function innerFlow(
  flow: Flow,
  inside: ReadonlySet<string>,
  { title, entry, takes, gives, targets }: Cut & { title: string },
): Flow {
  const nodes: Record<string, FlowNode> = {};
  const several = targets.length > 1;
  const leave = (to: string) => (several ? freeId(flow.nodes, `leave-to-${to}`) : freeId(flow.nodes, 'leave'));
  for (const n of inside) {
    const node = flow.nodes[n];
    if (!node) continue;
    nodes[n] = changeLinks(node, (to) => (inside.has(to) || !targets.includes(to) ? to : leave(to)));
  }
  const end = freeId(flow.nodes, 'leave');
  for (const to of several ? targets : []) nodes[leave(to)] = settingOf(`leave to ${to}`, `flow.${WAY}`, to, end);
  if (targets.length > 0) nodes[end] = plainEnd();
  const given = several ? { ...gives, [WAY]: 'text?' } : gives;
  return { title, ...orNone('takes', takes), ...orNone('gives', given), begin: entry, nodes };
}

function orNone<K extends string>(key: K, types: Types): Partial<Record<K, Types>> {
  return Object.keys(types).length === 0 ? {} : ({ [key]: types } as Record<K, Types>);
}

function outerFlow(flow: Flow, inside: ReadonlySet<string>, cut: Cut & { name: string; call: string }): Flow {
  const { name, call, takes, gives, targets } = cut;
  const kept = Object.entries(flow.nodes).filter(([n]) => !inside.has(n));
  const nodes: Record<string, FlowNode> = Object.fromEntries(
    kept.map(([n, node]) => [n, changeLinks(node, (to) => (inside.has(to) ? call : to))]),
  );
  const given = Object.fromEntries(Object.keys(takes).map((key) => [key, `{{ flow.${key} }}`]));
  const several = targets.length > 1;
  const variable = several ? freeWay(flow) : WAY;
  const into: Record<string, string> = Object.fromEntries<string>([
    ...Object.keys(gives).map((key): [string, string] => [key, `flow.${key}`]),
    ...(several ? ([[WAY, `flow.${variable}`]] as [string, string][]) : []),
  ]);
  const branch = freeId({ ...flow.nodes, [call]: true }, `${call}-ways`);
  const next = several ? branch : targets[0];
  nodes[call] = callOf(name, given, into, next);
  if (several) {
    const [last, ...others] = [...targets].reverse();
    const cases = others.reverse().map((to) => ({ exit: to, when: `flow.${variable} == "${to}"` }));
    nodes[branch] = branchOf(cases, last ?? '');
  }
  const begin = flow.begin !== undefined && inside.has(flow.begin) ? call : flow.begin;
  return { ...flow, ...(begin === undefined ? {} : { begin }), nodes };
}

function freeWay(flow: Flow): string {
  const taken = new Set(Object.values(flow.nodes).flatMap((n) => [...variablesOf(n).writes]));
  for (let i = 1; ; i++) {
    const name = i === 1 ? WAY : `${WAY}_${i}`;
    if (!taken.has(`flow.${name}`)) return name;
  }
}
