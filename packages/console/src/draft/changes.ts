import { nodeKinds, type BotDocument, type Flow, type FlowNode } from '@primrose/core';

/** Changes to a document; each returns a new one and leaves the old as it was. */

type Nodes = Flow['nodes'];

export function changeFlow(document: BotDocument, flowId: string, change: (flow: Flow) => Flow): BotDocument {
  const flow = document.flows[flowId];
  return flow ? { ...document, flows: { ...document.flows, [flowId]: change(flow) } } : document;
}

export function changeNode(
  document: BotDocument,
  flowId: string,
  nodeId: string,
  change: (node: FlowNode) => FlowNode,
): BotDocument {
  return changeFlow(document, flowId, (flow) => {
    const node = flow.nodes[nodeId];
    return node ? { ...flow, nodes: { ...flow.nodes, [nodeId]: change(node) } } : flow;
  });
}

/** Sets a field of a node; undefined removes it. Exits that the node no longer has lose their links. */
export function setField(document: BotDocument, flowId: string, nodeId: string, field: string, value: unknown): BotDocument {
  return changeNode(document, flowId, nodeId, (node) => {
    const { [field]: _old, ...rest } = node;
    return withLiveExits((value === undefined ? rest : { ...node, [field]: value }) as FlowNode);
  });
}

function withLiveExits(node: FlowNode): FlowNode {
  const names = new Set(
    nodeKinds
      .get(node.kind)
      ?.exits(node)
      .map((e) => e.name),
  );
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

/** An id that is free in a flow: `say`, `say-2`, … */
export function freeId(nodes: Nodes, wanted: string): string {
  if (!(wanted in nodes)) return wanted;
  for (let n = 2; ; n++) if (!(`${wanted}-${n}` in nodes)) return `${wanted}-${n}`;
}

export interface Added {
  readonly document: BotDocument;
  readonly node: string;
}

/** Adds a node of a kind behind an exit (or as the first of its flow). What the exit led to comes behind the new node. */
export function addNode(document: BotDocument, flowId: string, kind: string, after?: { node: string; exit: string }): Added {
  const flow = document.flows[flowId];
  const found = nodeKinds.get(kind);
  if (!flow || !found) return { document, node: '' };
  const id = freeId(flow.nodes, kind);
  const before = after ? flow.nodes[after.node]?.exits?.[after.exit] : flow.begin;
  const blank = { kind, ...found.blank() } as FlowNode;
  const [first] = found.exits(blank);
  const node: FlowNode =
    before !== undefined && first !== undefined && before in flow.nodes ? { ...blank, exits: { [first.name]: before } } : blank;
  const withNode = changeFlow(document, flowId, (f) => ({
    ...f,
    ...(after ? {} : { begin: id }),
    nodes: { ...f.nodes, [id]: node },
  }));
  return { document: after ? linkExit(withNode, flowId, after.node, after.exit, id) : withNode, node: id };
}

/** Removes a node and joins the ends: what led to it leads to where its first linked exit went. */
export function removeNode(document: BotDocument, flowId: string, nodeId: string): BotDocument {
  return changeFlow(document, flowId, (flow) => {
    const { [nodeId]: gone, ...rest } = flow.nodes;
    const names = gone
      ? (nodeKinds
          .get(gone.kind)
          ?.exits(gone)
          .map((e) => e.name) ?? [])
      : [];
    const next = names.map((name) => gone?.exits?.[name]).find((to) => to !== undefined && to !== nodeId);
    const nodes = Object.fromEntries(
      Object.entries(rest).map(([id, node]) => [id, redirect(node, nodeId, next === id ? undefined : next)]),
    );
    const { begin, ...others } = flow;
    const start = begin === nodeId ? next : begin;
    return { ...others, ...(start === undefined ? {} : { begin: start }), nodes };
  });
}

function redirect(node: FlowNode, from: string, to: string | undefined): FlowNode {
  const exits = Object.entries(node.exits ?? {});
  if (!exits.some(([, target]) => target === from)) return node;
  const moved = exits.flatMap(([name, target]): [string, string][] => {
    if (target !== from) return [[name, target]];
    return to === undefined ? [] : [[name, to]];
  });
  return { ...node, exits: Object.fromEntries(moved) };
}

/** A new, empty flow. */
export function addFlow(document: BotDocument, title: string): { document: BotDocument; flow: string } {
  const wanted =
    title
      .toLowerCase()
      .normalize('NFKD')
      .replace(/\p{M}/gu, '')
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^[^a-z]+|-+$/g, '') || 'flow';
  const id = wanted in document.flows ? `${wanted}-${Object.keys(document.flows).length + 1}` : wanted;
  return { document: { ...document, flows: { ...document.flows, [id]: { title, nodes: {} } } }, flow: id };
}
