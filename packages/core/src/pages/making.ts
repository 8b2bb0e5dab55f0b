import type { BotDocument, Flow } from '../document/schema.js';
import { typeName, type FlowNode } from '../document/shapes.js';
import type { OneOutput } from '../engine/one-output.js';
import { Compiler } from '../engine/compiler.js';
import { nodeKinds } from '../engine/nodes/registry.js';
import { referencesOf, usesOf } from '../engine/refers.js';
import { nodeReads } from '../engine/talk/slots.js';

/** A node, and the flow in which it stands. */
export interface MakerPlace {
  readonly flow: string;
  readonly node: string;
}

/** How one output of a flow comes about, as far as its nodes say. */
export interface Making extends OneOutput {
  readonly output: string;
  /** Inputs and outputs that it is made from; outputs also by way of others. */
  readonly inputs: readonly string[];
  readonly outputs: readonly string[];
  /** Outputs that the same nodes make, so that they come again with it. */
  readonly together: readonly string[];
  /** Nodes that make it, in the flow and in those that it calls. */
  readonly makers: readonly MakerPlace[];
  /** Variables that hold it before the flow has it, as `flow target`: those of flows that are called for it. */
  readonly written: ReadonlySet<string>;
}

/** A variable that a node writes, and what in the node it depends on. */
interface Assigned {
  readonly node: string;
  readonly target: string;
  /** The part of the node that writes it: of a node with branches one of them. */
  readonly part: string;
  readonly reads: readonly string[];
  /** What the called flow gives for it, where one is called. */
  readonly from: { readonly flow: string; readonly gives: string } | undefined;
}

const flowTarget = (name: string): string => `flow.${name}`;
const nameOf = (target: string): string => target.slice('flow.'.length);
const BRANCH = /^\/branches\/\d+/;

/** Inputs that are files or pictures: nodes that look in what was sent depend on all of them. */
function sentInputs({ takes = {} }: Flow): string[] {
  return Object.entries(takes).flatMap(([name, type]) =>
    typeName(type).replace(/\?$/, '') === 'file' ? [flowTarget(name)] : [],
  );
}

function readsSent(node: FlowNode): boolean {
  return node['files'] === true || JSON.stringify(node).includes('turn.files');
}

function assignedBy(document: BotDocument, flow: Flow): Assigned[] {
  const compiler = new Compiler(document);
  const sent = sentInputs(flow);
  return Object.entries(flow.nodes).flatMap(([id, node]): Assigned[] => {
    const uses = nodeKinds.get(node.kind)?.uses(node) ?? [];
    const also = readsSent(node) || callsReader(document, node, new Set()) ? sent : [];
    const called = new Map(referencesOf(node).flatMap((r) => (r.to === 'flow' ? [[partOf(r.field ?? ''), r.name]] : [])));
    const targets = usesOf(node).filter((u) => u.as === 'target');
    return nodeReads(uses, compiler, node['depends-on']).assigns.map(({ target, reads }): Assigned => {
      const field = targets.find((u) => u.text === target)?.field ?? '';
      const part = partOf(field);
      const [, gives] = /\/into\/([^/]+)$/.exec(field) ?? [];
      const callee = called.get(part);
      const from = callee !== undefined && gives !== undefined ? { flow: callee, gives } : undefined;
      return { node: id, target, part, reads: [...reads, ...also], from };
    });
  });
}

const partOf = (field: string): string => BRANCH.exec(field)?.[0] ?? '';

/** True where a flow that a node calls looks in what was sent. */
function callsReader(document: BotDocument, node: FlowNode, seen: Set<string>): boolean {
  return referencesOf(node).some(({ to, name }) => {
    if (to !== 'flow' || seen.has(name)) return false;
    seen.add(name);
    return Object.values(document.flows[name]?.nodes ?? {}).some((n) => readsSent(n) || callsReader(document, n, seen));
  });
}

/** The nodes of a flow in the order in which a walk from its beginning meets them first. */
function inOrder({ begin, nodes }: Flow): string[] {
  const order = new Set(begin === undefined ? [] : [begin]);
  for (const at of order) Object.values(nodes[at]?.exits ?? {}).forEach((to) => nodes[to] && order.add(to));
  return [...order];
}

/** Nodes from which one of some nodes is reached by way of nodes that make nothing else and change nothing outside. */
function leadingTo(document: BotDocument, flow: Flow, slice: ReadonlySet<string>, others: ReadonlySet<string>): Set<string> {
  const region = new Set(slice);
  let grown = true;
  while (grown) {
    grown = false;
    for (const [id, node] of Object.entries(flow.nodes)) {
      if (region.has(id) || others.has(id)) continue;
      if (nodeKinds.get(node.kind)?.changes?.(node, document) === true) continue;
      if (!Object.values(node.exits ?? {}).some((to) => region.has(to))) continue;
      region.add(id);
      grown = true;
    }
  }
  return region;
}

/** Where a value is written in flows that are called for it, each with the node that does; none of them twice. */
function writtenIn(document: BotDocument, flow: string, target: string, seen = new Set<string>()): MakerPlace[] {
  const own = document.flows[flow];
  if (!own || seen.has(`${flow} ${target}`)) return [];
  seen.add(`${flow} ${target}`);
  return assignedBy(document, own)
    .filter((a) => a.target === target)
    .flatMap(({ node, from }) => [{ flow, node }, ...(from ? writtenIn(document, from.flow, flowTarget(from.gives), seen) : [])]);
}

/** What one output depends on directly, and what writes it. */
function directly(document: BotDocument, flowId: string, output: string): Making {
  const flow = document.flows[flowId] ?? { nodes: {} };
  const assigned = assignedBy(document, flow);
  const takes = new Set(Object.keys(flow.takes ?? {}).map(flowTarget));
  const gives = new Set(Object.keys(flow.gives ?? {}).map(flowTarget));
  const wants = new Set([flowTarget(output)]);
  const inputs = new Set<string>();
  const outputs = new Set<string>();
  for (const wanted of wants)
    for (const { target, reads } of assigned) {
      if (target !== wanted) continue;
      for (const read of reads) {
        if (!read.startsWith('flow.') || wants.has(read)) continue;
        if (takes.has(read)) inputs.add(nameOf(read));
        else if (gives.has(read)) outputs.add(nameOf(read));
        else wants.add(read);
      }
    }
  const wanted = assigned.filter((a) => wants.has(a.target));
  const parts = new Set(wanted.map((a) => `${a.node} ${a.part}`));
  const with_ = assigned.filter((a) => parts.has(`${a.node} ${a.part}`));
  const together = [...new Set(with_.map((a) => a.target))].filter((t) => gives.has(t) && t !== flowTarget(output)).map(nameOf);
  const slice = new Set(wanted.map((a) => a.node));
  const others = new Set(assigned.flatMap((a) => (gives.has(a.target) && !slice.has(a.node) ? [a.node] : [])));
  const seen = new Set<string>();
  const makers = writtenIn(document, flowId, flowTarget(output), seen);
  return {
    output,
    begin: inOrder(flow).find((id) => slice.has(id)),
    region: leadingTo(document, flow, slice, others),
    wants: new Set([...wants, ...together.map(flowTarget)]),
    inputs: [...inputs],
    outputs: [...outputs].filter((o) => !together.includes(o)),
    together,
    makers,
    written: seen,
  };
}

/** How the outputs of a flow come about, by their names. Pure; an output that nothing writes is there with nothing. */
export function makingsOf(document: BotDocument, flowId: string): ReadonlyMap<string, Making> {
  const names = Object.keys(document.flows[flowId]?.gives ?? {});
  const direct = new Map(names.map((name) => [name, directly(document, flowId, name)] as const));
  return new Map(
    names.map((name) => {
      const own = direct.get(name) ?? directly(document, flowId, name);
      const outputs = new Set(own.outputs);
      for (const by of outputs) direct.get(by)?.outputs.forEach((o) => o !== name && outputs.add(o));
      return [name, { ...own, outputs: [...outputs] }] as const;
    }),
  );
}

/** How one output of a flow comes about; undefined where the flow gives none of this name. */
export function makingOf(document: BotDocument, flowId: string, output: string): Making | undefined {
  const gives = document.flows[flowId]?.gives ?? {};
  return Object.hasOwn(gives, output) ? directly(document, flowId, output) : undefined;
}
