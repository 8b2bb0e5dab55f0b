import { readyMade } from './ready-made.js';
import { isChatPart } from '../document/pages.js';
import type { BotDocument, Flow } from '../document/schema.js';
import type { FlowNode } from '../document/shapes.js';
import { nodeKinds } from '../engine/nodes/registry.js';
import { saying } from '../engine/nodes/say.js';
import { calledFlows } from '../engine/refers.js';
import { exitsOf } from '../map/layout.js';

/** Changes to a document; each returns a new one and leaves the old as it was. */

/** Changes one flow; a flow that is not there changes nothing. */
export function changeFlow(document: BotDocument, flowId: string, change: (flow: Flow) => Flow): BotDocument {
  const flow = document.flows[flowId];
  const made = flow && change(flow);
  return made === undefined || made === flow ? document : { ...document, flows: { ...document.flows, [flowId]: made } };
}

/** Changes one node; a node that is not there changes nothing. */
export function changeNode(
  document: BotDocument,
  flowId: string,
  nodeId: string,
  change: (node: FlowNode) => FlowNode,
): BotDocument {
  return changeFlow(document, flowId, (flow) => {
    const node = flow.nodes[nodeId];
    const made = node && change(node);
    return made === undefined || made === node ? flow : { ...flow, nodes: { ...flow.nodes, [nodeId]: made } };
  });
}

/** Sets a field of a node; undefined removes it. Exits that the node no longer has lose their links. */
export function setField(document: BotDocument, flowId: string, nodeId: string, field: string, value: unknown): BotDocument {
  return changeNode(document, flowId, nodeId, (node) => {
    const { [field]: _old, ...rest } = node;
    return withLiveExits((value === undefined ? rest : { ...node, [field]: value }) as FlowNode);
  });
}

/** The names of a node's exits, in the order of its kind. */
export function exitNames(node: FlowNode): string[] {
  return (nodeKinds.get(node.kind)?.exits(node) ?? []).map((e) => e.name);
}

function withLiveExits(node: FlowNode): FlowNode {
  const names = new Set(exitNames(node));
  const kept = Object.entries(node.exits ?? {}).filter(([name]) => names.has(name));
  return kept.length === Object.keys(node.exits ?? {}).length ? node : { ...node, exits: Object.fromEntries(kept) };
}

/** Leads an exit to a node, or nowhere. */
export function linkExit(
  document: BotDocument,
  flowId: string,
  nodeId: string,
  exit: string,
  to: string | undefined,
): BotDocument {
  return changeNode(document, flowId, nodeId, (node) => {
    const { [exit]: _old, ...rest } = node.exits ?? {};
    return { ...node, exits: to === undefined ? rest : { ...rest, [exit]: to } };
  });
}

/** An id that is free in a table: `say`, `say-2`, … */
export function freeId(taken: Readonly<Record<string, unknown>>, wanted: string): string {
  if (!Object.hasOwn(taken, wanted)) return wanted;
  for (let n = 2; ; n++) if (!Object.hasOwn(taken, `${wanted}-${n}`)) return `${wanted}-${n}`;
}

export interface Added {
  readonly document: BotDocument;
  readonly node: string;
}

/** Where something is put: behind an exit of a node. */
export interface After {
  readonly node: string;
  readonly exit: string;
}

/** Adds a node of a kind behind an exit (or as the first of its flow). What the exit led to comes behind the new node. */
export function addNode(document: BotDocument, flowId: string, kind: string, after?: After): Added {
  const found = nodeKinds.get(kind);
  const ready = readyMade.get(kind);
  if (ready) return calling(addMade(ready.into(document), flowId, { kind: 'flow', calls: kind }, after), flowId);
  return found ? addMade(document, flowId, { kind, ...found.blank() }, after) : { document, node: '' };
}

/** A call of a flow that cannot fail: whatever it comes to, the walk goes on. */
function calling({ document, node }: Added, flowId: string): Added {
  const to = document.flows[flowId]?.nodes[node]?.exits?.['done'];
  return { document: to === undefined ? document : linkExit(document, flowId, node, 'failed', to), node };
}

function addMade(document: BotDocument, flowId: string, made: FlowNode, after?: After): Added {
  const flow = document.flows[flowId];
  if (!flow) return { document, node: '' };
  const id = freeId(flow.nodes, made.kind);
  const before = after ? flow.nodes[after.node]?.exits?.[after.exit] : flow.begin;
  const [first] = exitNames(made);
  const leads = before !== undefined && first !== undefined && Object.hasOwn(flow.nodes, before);
  const node: FlowNode = leads ? { ...made, exits: { [first]: before } } : made;
  const withNode = changeFlow(document, flowId, (f) => ({
    ...f,
    ...(after ? {} : { begin: id }),
    nodes: { ...f.nodes, [id]: node },
  }));
  return { document: after ? linkExit(withNode, flowId, after.node, after.exit, id) : withNode, node: id };
}

/** Lines of a pasted text as `say` nodes, one after another, behind an exit (or as the first of the flow). */
export function addLines(document: BotDocument, flowId: string, lines: readonly string[], after?: After): Added {
  let added: Added = { document, node: '' };
  let place = after;
  for (const says of lines) {
    added = addMade(added.document, flowId, saying(says), place);
    place = { node: added.node, exit: 'said' };
  }
  return added;
}

/** The lines of a pasted text that are worth a node each: without blanks, and without the marks of a list. */
export function linesOf(text: string): string[] {
  return text
    .split(/\r?\n/)
    .map((line) => line.trim().replace(/^(?:[-*•]|\d{1,2}[.)])\s+/, ''))
    .filter((line) => line !== '');
}

/** Removes nodes and joins the ends: what led to one leads to where its first linked exit went. */
export function removeNodes(document: BotDocument, flowId: string, ids: readonly string[]): BotDocument {
  return ids.reduce((made, id) => removeNode(made, flowId, id), document);
}

/** Removes a node and joins the ends: what led to it leads to where its first linked exit went. */
export function removeNode(document: BotDocument, flowId: string, nodeId: string): BotDocument {
  return changeFlow(document, flowId, (flow) => {
    if (!Object.hasOwn(flow.nodes, nodeId)) return flow;
    const { [nodeId]: gone, ...rest } = flow.nodes;
    const next = exitsOf(flow, nodeId)
      .map(({ name }) => gone?.exits?.[name])
      .find((to) => to !== undefined && to !== nodeId);
    const nodes = Object.fromEntries(
      Object.entries(rest).map(([id, node]) => [id, redirect(node, nodeId, next === id ? undefined : next)]),
    );
    const { begin, ...others } = flow;
    const start = begin === nodeId ? (next ?? Object.keys(nodes)[0]) : begin;
    return { ...others, ...(start === undefined ? {} : { begin: start }), nodes };
  });
}

/** Switches nodes off or on: off they stay where they are and are walked through. */
export function switchNodes(document: BotDocument, flowId: string, ids: readonly string[], off: boolean): BotDocument {
  return ids.reduce((made, id) => setField(made, flowId, id, 'off', off ? true : undefined), document);
}

/** Fields that mean the same in several kinds, so that a change of kind can carry them over. */
const CARRIED = ['says', 'cases', 'into', 'given', 'calls', 'reason'];

/** The kinds that a node can become without losing what it says or does: those that share such a field with it. */
export function kindsFor(node: FlowNode): string[] {
  const own = CARRIED.filter((field) => field in node);
  return [...nodeKinds.values()]
    .filter((k) => k.kind !== node.kind && own.some((field) => carries(k.kind, node, field)))
    .map((k) => k.kind);
}

function carries(kind: string, node: FlowNode, field: string): boolean {
  const found = nodeKinds.get(kind);
  return found?.schema.safeParse({ kind, ...found.blank(), [field]: node[field] }).success === true && field in node;
}

/** Turns a node into one of another kind: what both know is kept; the first exits lead where the first ones led. */
export function changeKind(document: BotDocument, flowId: string, nodeId: string, kind: string): BotDocument {
  const found = nodeKinds.get(kind);
  if (!found) return document;
  return changeNode(document, flowId, nodeId, (node) => {
    const kept = CARRIED.filter((field) => carries(kind, node, field)).map((field) => [field, node[field]]);
    const { title, off } = node;
    const made = {
      kind,
      ...(title === undefined ? {} : { title }),
      ...(off === undefined ? {} : { off }),
      ...found.blank(),
      ...Object.fromEntries(kept),
    } as FlowNode;
    return { ...made, exits: carriedExits(node, made) };
  });
}

function carriedExits(from: FlowNode, to: FlowNode): Record<string, string> {
  const [before, after] = [exitNames(from), exitNames(to)];
  const links = from.exits ?? {};
  const same = after.flatMap((name) => (links[name] === undefined ? [] : [[name, links[name]] as const]));
  const [oldFirst = '', newFirst = ''] = [before[0], after[0]];
  const first = links[oldFirst];
  const joined = first !== undefined && newFirst !== '' && links[newFirst] === undefined ? [[newFirst, first] as const] : [];
  return Object.fromEntries([...same, ...joined]);
}

/** Who runs a flow: nodes that call it, intents that start it, and whether conversations begin or end up there. */
export interface Callers {
  readonly nodes: readonly { readonly flow: string; readonly node: string }[];
  readonly intents: readonly string[];
  readonly starts: readonly string[];
  /** Pages that it answers, or in whose chat it is. */
  readonly pages: readonly string[];
  readonly begins: boolean;
  readonly unmatched: boolean;
}

/** Who runs a flow. */
export function callersOf(document: BotDocument, flowId: string): Callers {
  return {
    nodes: Object.entries(document.flows).flatMap(([flow, { nodes }]) =>
      Object.entries(nodes).flatMap(([node, n]) => (calledFlows(n).includes(flowId) ? [{ flow, node }] : [])),
    ),
    intents: Object.entries(document.intents ?? {}).flatMap(([id, { starts }]) => (starts === flowId ? [id] : [])),
    starts: Object.entries(document.starts ?? {}).flatMap(([id, { flow }]) => (flow === flowId ? [id] : [])),
    pages: Object.entries(document.pages ?? {}).flatMap(([id, { flow, parts }]) =>
      flow === flowId || parts.some((p) => isChatPart(p) && p.chat === flowId) ? [id] : [],
    ),
    begins: document.begins === flowId,
    unmatched: document.unmatched === flowId,
  };
}

function redirect(node: FlowNode, from: string, to: string | undefined): FlowNode {
  return changeLinks(node, (target) => (target === from ? to : target));
}

/** Leads each link of a node elsewhere, or nowhere; a node whose links stay is the same object. */
export function changeLinks(node: FlowNode, change: (to: string) => string | undefined): FlowNode {
  const before = Object.entries(node.exits ?? {});
  const after = before.flatMap(([exit, to]): [string, string][] => {
    const target = change(to);
    return target === undefined ? [] : [[exit, target]];
  });
  const same = after.length === before.length && after.every(([, to], i) => to === before[i]?.[1]);
  return same ? node : { ...node, exits: Object.fromEntries(after) };
}

/** A name as an id: small letters, digits and hyphens; '' where nothing of it can stand in one. */
export function idOf(words: string, between = '-'): string {
  return words
    .normalize('NFKD')
    .toLowerCase()
    .replace(/\p{M}+/gu, '')
    .replace(/[^a-z0-9]+/g, between)
    .replace(/^[^a-z]+|[-_]+$/g, '')
    .slice(0, 60);
}

/** A new, empty flow. */
export function addFlow(document: BotDocument, title: string): { document: BotDocument; flow: string } {
  const id = freeId(document.flows, idOf(title) || 'flow');
  return { document: { ...document, flows: { ...document.flows, [id]: { title, nodes: {} } } }, flow: id };
}
