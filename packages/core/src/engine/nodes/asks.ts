import type { BotDocument } from '../../document/schema.js';
import type { FlowNode } from '../../document/shapes.js';

/** Kinds that wait for the visitor. */
export const WAITING_KINDS: ReadonlySet<string> = new Set(['ask', 'choice', 'listen', 'hand-over']);

/** The flows that a node calls. */
export function calledFlows(node: FlowNode): string[] {
  if (node.kind === 'flow') return [String(node['calls'])];
  return node.kind === 'parallel' ? (node['branches'] as readonly { calls: string }[]).map((b) => b.calls) : [];
}

/** The first node that waits for the visitor in a flow or in one that it calls; undefined where none does. */
export function asksVisitor(document: BotDocument, flowId: string): { asks: string; node: string } | undefined {
  const flows = new Set([flowId]);
  for (const asks of flows) {
    for (const [node, n] of Object.entries(document.flows[asks]?.nodes ?? {})) {
      if (n.off) continue;
      if (WAITING_KINDS.has(n.kind)) return { asks, node };
      calledFlows(n).forEach((c) => flows.add(c));
    }
  }
  return undefined;
}
