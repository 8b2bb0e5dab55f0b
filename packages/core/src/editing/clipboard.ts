import { z } from 'zod';
import type { BotDocument, Flow } from '../document/schema.js';
import { id, type FlowNode, type TypeDeclaration } from '../document/shapes.js';
import { nodeKinds } from '../engine/nodes/registry.js';
import { calledFlows } from '../engine/refers.js';
import { layoutFlow } from '../map/layout.js';
import { changeFlow, changeLinks, changeNode, exitNames, freeId, linkExit, type After } from './nodes.js';
import { renameCalls, renameVariables, variablesOf } from './references.js';

/** Copied nodes as they travel on the clipboard: one JSON text, in reading order. */
const clip = z.strictObject({
  'primrose-nodes': z.literal(1),
  from: z.strictObject({ bot: z.string(), flow: z.string() }),
  nodes: z.record(id, z.looseObject({ kind: z.string() })),
});
export interface Clip {
  readonly from: { readonly bot: string; readonly flow: string };
  readonly nodes: Readonly<Record<string, FlowNode>>;
}

/** Copies nodes of a flow as a text for the clipboard. */
export function copyNodes(document: BotDocument, flowId: string, ids: readonly string[]): string {
  const flow = document.flows[flowId];
  const order = flow ? layoutFlow(flow).nodes.map((n) => n.id) : [];
  const chosen = order.filter((n) => ids.includes(n));
  const nodes = Object.fromEntries(chosen.map((n) => [n, flow?.nodes[n]]));
  return JSON.stringify({ 'primrose-nodes': 1, from: { bot: document.bot, flow: flowId }, nodes }, null, 2);
}

/** The nodes of a clipboard text; undefined where it holds none, or some that no bot could hold. */
export function readClip(text: string): Clip | undefined {
  if (!text.includes('"primrose-nodes"')) return undefined;
  let raw: unknown;
  try {
    raw = JSON.parse(text);
  } catch {
    return undefined;
  }
  const read = clip.safeParse(raw);
  if (!read.success || Object.keys(read.data.nodes).length === 0) return undefined;
  const good = Object.values(read.data.nodes).every((n) => nodeKinds.get(n.kind)?.schema.safeParse(n).success);
  return good ? { from: read.data.from, nodes: read.data.nodes } : undefined;
}

export interface Pasted {
  readonly document: BotDocument;
  /** The ids of the new nodes, in reading order. */
  readonly nodes: readonly string[];
}

/**
 * Puts copied nodes into a flow, behind an exit or, without one, loose. Links among them lead to the copies; links to other
 * nodes stay where the flow still has these. What the exit led to comes behind the last node that has a way on.
 */
export function pasteNodes(document: BotDocument, flowId: string, { nodes }: Clip, after?: After): Pasted {
  const flow = document.flows[flowId];
  if (!flow) return { document, nodes: [] };
  const ids = new Map<string, string>();
  let taken: Readonly<Record<string, unknown>> = flow.nodes;
  for (const old of Object.keys(nodes)) {
    const made = freeId(taken, old);
    ids.set(old, made);
    taken = { ...taken, [made]: true };
  }
  const copies = Object.entries(nodes).map(([old, node]) => [ids.get(old) ?? old, relinked(node, ids, flow)] as const);
  const added = changeFlow(document, flowId, (f) => ({
    ...f,
    ...(f.begin === undefined && copies[0] ? { begin: copies[0][0] } : {}),
    nodes: { ...f.nodes, ...Object.fromEntries(copies) },
  }));
  const fresh = copies.map(([made]) => made);
  return { document: after ? joined(added, flowId, fresh, after) : added, nodes: fresh };
}

function relinked(node: FlowNode, ids: ReadonlyMap<string, string>, flow: Flow): FlowNode {
  return changeLinks(node, (to) => ids.get(to) ?? (Object.hasOwn(flow.nodes, to) ? to : undefined));
}

/** Leads an exit to the first of the new nodes, and the last one's usual way on to where the exit led before. */
function joined(document: BotDocument, flowId: string, fresh: readonly string[], after: After): BotDocument {
  const [first] = fresh;
  const nodes = document.flows[flowId]?.nodes ?? {};
  const before = nodes[after.node]?.exits?.[after.exit];
  if (first === undefined) return document;
  const led = linkExit(document, flowId, after.node, after.exit, first);
  if (before === undefined || fresh.includes(before)) return led;
  const last = fresh.findLast((n) => nodes[n] && exitNames(nodes[n]).length > 0);
  const node = last === undefined ? undefined : nodes[last];
  if (last === undefined || !node) return led;
  const open = exitNames(node).find((e) => !fresh.includes(node.exits?.[e] ?? ''));
  return open === undefined ? led : linkExit(led, flowId, last, open, before);
}

/** Moves nodes behind an exit that is not one of theirs: their old place is joined, their ids stay. */
export function moveNodes(document: BotDocument, flowId: string, ids: readonly string[], after: After): Pasted {
  const moved = readClip(copyNodes(document, flowId, ids));
  if (!moved || ids.includes(after.node)) return { document, nodes: ids };
  const among = new Set(ids);
  const inward = Object.entries(moved.nodes).map(
    ([n, node]) => [n, changeLinks(node, (to) => (among.has(to) ? to : undefined))] as const,
  );
  return pasteNodes(
    removeAll(document, flowId, Object.keys(moved.nodes)),
    flowId,
    { ...moved, nodes: Object.fromEntries(inward) },
    after,
  );
}

/** Takes nodes out as one piece: what led into it leads to where its last way on went. */
function removeAll(document: BotDocument, flowId: string, ids: readonly string[]): BotDocument {
  return changeFlow(document, flowId, (flow) => {
    const gone = new Set(ids);
    const wayOut = (from: string): string | undefined => {
      const seen = new Set<string>();
      let at: string | undefined = from;
      while (at !== undefined && gone.has(at) && !seen.has(at)) {
        seen.add(at);
        const node: FlowNode | undefined = flow.nodes[at];
        const targets: string[] = node ? exitNames(node).flatMap((e) => node.exits?.[e] ?? []) : [];
        at = targets.find((t) => !seen.has(t));
      }
      return at !== undefined && gone.has(at) ? undefined : at;
    };
    const nodes = Object.entries(flow.nodes).flatMap(([n, node]): [string, FlowNode][] => {
      if (gone.has(n)) return [];
      const onward = (to: string) => {
        const target = gone.has(to) ? wayOut(to) : to;
        return gone.has(to) && target === n ? undefined : target;
      };
      return [[n, changeLinks(node, onward)]];
    });
    const { begin, ...rest } = flow;
    const start = begin !== undefined && gone.has(begin) ? wayOut(begin) : begin;
    return { ...rest, ...(start === undefined ? {} : { begin: start }), nodes: Object.fromEntries(nodes) };
  });
}

/**
 * Something that pasted nodes have in common with the originals, so that it still means what it meant there: a variable that
 * both write, or a call of the flow that was copied. `copy` is what it would be called if the copies had one of their own.
 */
export interface SharedReference {
  readonly what: 'variable' | 'flow';
  readonly name: string;
  readonly copy: string;
  /** The pasted nodes that name it. */
  readonly nodes: readonly string[];
}

/** What the pasted nodes of a flow still share with others: each can be given a copy of its own. */
export function sharedReferences(
  document: BotDocument,
  flowId: string,
  pasted: readonly string[],
  from?: string,
): SharedReference[] {
  const nodes = document.flows[flowId]?.nodes ?? {};
  const inside = new Set(pasted);
  const named = (ids: readonly string[], name: string) =>
    ids.filter((n) => {
      const { writes, reads } = variablesOf(nodes[n] ?? { kind: '' });
      return writes.has(name) || reads.has(name);
    });
  const written = new Set(pasted.flatMap((n) => (nodes[n] ? [...variablesOf(nodes[n]).writes] : [])));
  const others = writtenElsewhere(document, flowId, inside);
  const variables = [...written]
    .filter((name) => others.has(name))
    .map((name): SharedReference => ({
      what: 'variable',
      name,
      copy: freeVariable(document, flowId, name),
      nodes: named(pasted, name),
    }));
  if (from === undefined || from === flowId) return variables;
  const calling = pasted.filter((n) => nodes[n] && calledFlows(nodes[n]).includes(from));
  return calling.length === 0 ? variables : [...variables, { what: 'flow', name: from, copy: flowId, nodes: calling }];
}

/** Variables that other nodes write: those of this flow, and session and visitor variables anywhere. */
function writtenElsewhere(document: BotDocument, flowId: string, inside: ReadonlySet<string>): Set<string> {
  const found = new Set<string>();
  for (const [flow, { nodes }] of Object.entries(document.flows)) {
    for (const [n, node] of Object.entries(nodes)) {
      if (flow === flowId && inside.has(n)) continue;
      for (const name of variablesOf(node).writes) if (flow === flowId || !name.startsWith('flow.')) found.add(name);
    }
  }
  return found;
}

function freeVariable(document: BotDocument, flowId: string, name: string): string {
  const [scope = '', own = ''] = name.split('.');
  const flow = document.flows[flowId];
  const taken = new Set(Object.values(flow?.nodes ?? {}).flatMap((n) => [...variablesOf(n).writes]));
  for (const key of Object.keys(flow?.takes ?? {})) taken.add(`flow.${key}`);
  for (const s of ['session', 'visitor'] as const)
    for (const key of Object.keys(document.variables?.[s] ?? {})) taken.add(`${s}.${key}`);
  const stem = own.replace(/_\d+$/, '');
  for (let i = 2; ; i++) if (!taken.has(`${scope}.${stem}_${i}`)) return `${scope}.${stem}_${i}`;
}

/** Gives the pasted nodes a copy of their own of something that they share; a session or visitor variable is declared too. */
export function pointAtCopy(document: BotDocument, flowId: string, { what, name, copy, nodes }: SharedReference): BotDocument {
  const change = (node: FlowNode) =>
    what === 'flow' ? renameCalls(node, name, copy) : renameVariables(node, new Map([[name, copy]]));
  const changed = nodes.reduce((made, n) => changeNode(made, flowId, n, change), document);
  const [scope = '', own = ''] = name.split('.');
  if (what === 'flow' || (scope !== 'session' && scope !== 'visitor')) return changed;
  const type: TypeDeclaration = document.variables?.[scope]?.[own] ?? 'text';
  const declared = { ...document.variables?.[scope], [copy.slice(scope.length + 1)]: type };
  return { ...changed, variables: { ...changed.variables, [scope]: declared } };
}

/** A copy of a whole flow under another name; calls of itself still mean the original until they are pointed at the copy. */
export function duplicateFlow(document: BotDocument, flowId: string): { readonly document: BotDocument; readonly flow: string } {
  const flow = document.flows[flowId];
  if (!flow) return { document, flow: flowId };
  const made = freeId(document.flows, flowId);
  const title = `${flow.title ?? flowId} ${made.slice(flowId.length + 1)}`.slice(0, 120);
  return { document: { ...document, flows: { ...document.flows, [made]: { ...flow, title } } }, flow: made };
}
