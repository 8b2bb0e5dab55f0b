import type { BotDocument } from '../document/schema.js';
import type { FlowNode } from '../document/shapes.js';
import { waitsAt, type Reference, type Use } from './kind.js';
import { nodeKinds } from './nodes/registry.js';

/** The texts of a node that hold or write values. */
export function usesOf(node: FlowNode): readonly Use[] {
  return nodeKinds.get(node.kind)?.uses(node) ?? [];
}

/** What a node refers to in the rest of the bot. */
export function referencesOf(node: FlowNode): readonly Reference[] {
  return nodeKinds.get(node.kind)?.refers?.(node) ?? [];
}

/** The flows that a node calls. */
export function calledFlows(node: FlowNode): string[] {
  return referencesOf(node).flatMap((r) => (r.to === 'flow' ? [r.name] : []));
}

/** True for a node that is only there to be read: no walk comes to it. */
export function isStill(node: FlowNode): boolean {
  return nodeKinds.get(node.kind)?.still === true;
}

/** True for a node whose words may be shown while a model writes them. */
export function keepsWords(node: FlowNode): boolean {
  return nodeKinds.get(node.kind)?.keepsWords === true;
}

/** True for a kind whose nodes end the flow that they stand in. */
export function endsFlow(kind: string): boolean {
  return nodeKinds.get(kind)?.ends === true;
}

/** True for a node that waits for somebody. */
export function waits(node: FlowNode): boolean {
  return waitsAt(nodeKinds.get(node.kind), node);
}

/** The first node that waits for somebody in a flow or in one that it calls; undefined where none does. */
export function asksVisitor(document: BotDocument, flowId: string): { asks: string; node: string } | undefined {
  const flows = new Set([flowId]);
  for (const asks of flows) {
    for (const [node, n] of Object.entries(document.flows[asks]?.nodes ?? {})) {
      if (n.off) continue;
      if (waits(n)) return { asks, node };
      calledFlows(n).forEach((c) => flows.add(c));
    }
  }
  return undefined;
}
