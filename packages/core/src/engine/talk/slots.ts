import type { BotDocument, Flow } from '../../document/schema.js';
import { typeName, type FlowNode } from '../../document/shapes.js';
import type { Reading } from '../../expressions/expression.js';
import { BUILT_IN_ENTITIES } from '../../understanding/recognise.js';
import { learnRoles, type RoleModel } from '../../understanding/roles.js';
import { phrasesOf } from '../../understanding/teaching.js';
import { Compiler } from '../compiler.js';
import { waitsAt, type NodeKinds, type Use } from '../kind.js';
import type { Assignment, FlowTalk, NodeReads, Slot } from './flow-talk.js';

const READABLE = new Set<string>([...BUILT_IN_ENTITIES, 'text', 'yes_no']);

const named = ({ root, field }: Reading): string[] =>
  root === 'flow' || root === 'session' || root === 'visitor' ? [`${root}.${field ?? '*'}`] : [];

function readsOf(use: Use, compiler: Compiler): string[] {
  if (use.as === 'target') return [];
  const { reads } = use.as === 'expression' ? compiler.expression(use.text) : compiler.template(use.text);
  return reads.flatMap(named);
}

/** The part of a node in which a use stands: `/sets/0` of `/sets/0/into`. */
const partOf = (field: string): string => field.slice(0, field.lastIndexOf('/'));

/**
 * What a node depends on, by the texts that it reads. A value depends on what stands in the same part of the node, such as one line
 * of a `set`, else on all of the node; words that visitors read are no part of a value, but a node depends on them too.
 */
export function nodeReads(uses: readonly Use[], compiler: Compiler, told: readonly string[] | undefined): NodeReads {
  const inputs = uses.filter((u) => u.as !== 'target');
  const all = told ?? [...new Set(inputs.flatMap((u) => readsOf(u, compiler)))];
  const assigns = uses
    .filter((u) => u.as === 'target')
    .map(({ text: target, field }): Assignment => {
      if (told) return { target, reads: told };
      const values = inputs.filter((u) => u.as !== 'words');
      let part = partOf(field);
      while (part !== '' && !values.some((u) => u.field.startsWith(`${part}/`))) part = partOf(part);
      const made = values.filter((u) => u.field.startsWith(`${part}/`));
      return { target, reads: [...new Set(made.flatMap((u) => readsOf(u, compiler)))] };
    });
  return { reads: all, assigns };
}

/** The variables on which a node depends by what it reads, as its details show them. */
export function derivedReads(document: BotDocument, node: FlowNode, kinds: NodeKinds): readonly string[] {
  return nodeReads(kinds.get(node.kind)?.uses(node) ?? [], new Compiler(document), undefined).reads;
}

/** True where one of some variables stands among those that are read. */
export function readsAny(reads: readonly string[], changed: ReadonlySet<string>): boolean {
  return reads.some((r) => changed.has(r) || (r.endsWith('.*') && [...changed].some((c) => c.startsWith(r.slice(0, -1)))));
}

function slotsOf(flow: Flow, document: BotDocument, kinds: NodeKinds): Slot[] {
  const slots = new Map<string, Slot>();
  for (const [node, n] of Object.entries(flow.nodes)) {
    for (const [target, type] of Object.entries(kinds.get(n.kind)?.types?.(n) ?? {})) {
      const entity = type.replace(/\?$/, '');
      const known = READABLE.has(entity) || Object.hasOwn(document.entities ?? {}, entity);
      if (known && !slots.has(target)) slots.set(target, { target, entity, node });
    }
  }
  for (const [name, type] of Object.entries(flow.takes ?? {})) {
    const entity = typeName(type).replace(/\?$/, '');
    const target = `flow.${name}`;
    if (!slots.has(target) && (READABLE.has(entity) || Object.hasOwn(document.entities ?? {}, entity)))
      slots.set(target, { target, entity });
  }
  return [...slots.values()];
}

/** True where something outside may be changed behind a node, in its flow or one that it calls, before somebody is asked again. */
export function leadsToChange(document: BotDocument, kinds: NodeKinds, flowId: string, from: string): boolean {
  const seen = new Set<string>();
  const next = (flow: string, node: string): (readonly [string, string])[] =>
    Object.values(document.flows[flow]?.nodes[node]?.exits ?? {}).map((to) => [flow, to] as const);
  const open = next(flowId, from);
  for (let at = open.pop(); at !== undefined; at = open.pop()) {
    const [flow, node] = at;
    const n = document.flows[flow]?.nodes[node];
    const kind = n && kinds.get(n.kind);
    if (!n || !kind || seen.has(`${flow}/${node}`)) continue;
    seen.add(`${flow}/${node}`);
    if (!n.off && kind.changes?.(n, document) === true) return true;
    if (waitsAt(kind, n) && !n.off) continue;
    for (const { to, name } of kind.refers?.(n) ?? []) {
      const begin = to === 'flow' ? document.flows[name]?.begin : undefined;
      if (begin !== undefined) open.push([name, begin]);
    }
    open.push(...next(flow, node));
  }
  return false;
}

/** True where something outside may be changed in a flow before anybody is asked. */
function changesUnasked(document: BotDocument, kinds: NodeKinds, id: string): boolean {
  const { begin, nodes } = document.flows[id] ?? { nodes: {} };
  const first = begin === undefined ? undefined : nodes[begin];
  const kind = first && kinds.get(first.kind);
  if (begin === undefined || !first || !kind) return false;
  if (!first.off && kind.changes?.(first, document) === true) return true;
  return !(waitsAt(kind, first) && !first.off) && leadsToChange(document, kinds, id, begin);
}

/** Reads what is asked in a flow, and what depends on what in it. */
export function flowTalk(id: string, compiler: Compiler, kinds: NodeKinds): FlowTalk {
  const { document } = compiler;
  const flow = document.flows[id] ?? { nodes: {} };
  const nodes = new Map(
    Object.entries(flow.nodes).map(
      ([node, n]) => [node, nodeReads(kinds.get(n.kind)?.uses(n) ?? [], compiler, n['depends-on'])] as const,
    ),
  );
  const slots = slotsOf(flow, document, kinds);
  let roles: RoleModel[] | undefined;
  const confirms = new Set(
    Object.entries(flow.nodes).flatMap(([node, n]) =>
      waitsAt(kinds.get(n.kind), n) && leadsToChange(document, kinds, id, node) ? [node] : [],
    ),
  );
  let unasked: boolean | undefined;
  return {
    slots,
    nodes,
    confirms,
    changesUnasked: () => (unasked ??= changesUnasked(document, kinds, id)),
    roles: () => {
      const intents = Object.values(document.intents ?? {}).filter((i) => i.starts === id);
      const own = slots.filter((s) => s.target.startsWith('flow.')).map((s) => [s.target.slice('flow.'.length), s.entity]);
      return (roles ??= learnRoles(
        intents.flatMap((i) => phrasesOf(i, document.languages)),
        Object.fromEntries(own) as Record<string, string>,
      ));
    },
  };
}
