import type { Problem } from '../document/problem.js';
import type { BotDocument, Flow } from '../document/schema.js';
import { waitsAt } from '../engine/kind.js';
import { nodeKinds } from '../engine/nodes/registry.js';
import { isStill } from '../engine/refers.js';

/** Questions that a correction can reach from a node, and those that it cannot, each with the node that lies between. */
export interface Reach {
  readonly reached: readonly string[];
  readonly blocked: readonly { readonly node: string; readonly by: string }[];
}

/** True for a node whose answer can be corrected: it asks for a value, or offers something. */
function isQuestion(flow: Flow, id: string): boolean {
  const node = flow.nodes[id];
  const kind = node && nodeKinds.get(node.kind);
  if (!node || !kind || !waitsAt(kind, node) || node.off || kind.toPerson) return false;
  return kind.uses(node).some((u) => u.as === 'target') || Object.keys(kind.types?.(node) ?? {}).length > 0;
}

/** Where a node leads, and where by any exit but the usual one: then it did nothing outside. All the same where it never does. */
function exitsOf(
  document: BotDocument,
  flow: Flow,
  id: string,
): { readonly all: readonly string[]; readonly undone: readonly string[] } {
  const node = flow.nodes[id];
  const kind = node && nodeKinds.get(node.kind);
  if (!node || !kind || isStill(node)) return { all: [], undone: [] };
  const all = Object.values(node.exits ?? {});
  if (node.off || kind.changes?.(node, document) !== true) return { all, undone: all };
  const undone = kind.exits(node).filter((e) => e.way !== 'usual');
  return { all, undone: undone.flatMap((e) => node.exits?.[e.name] ?? []) };
}

/** All nodes to which one leads, with nothing done outside on the way where `undone` says so. */
function leadsTo(document: BotDocument, flow: Flow, from: string, undone: boolean): Set<string> {
  const found = new Set<string>();
  const open = [from];
  for (let at = open.pop(); at !== undefined; at = open.pop()) {
    const exits = exitsOf(document, flow, at);
    for (const to of undone ? exits.undone : exits.all) {
      if (found.has(to) || !Object.hasOwn(flow.nodes, to)) continue;
      found.add(to);
      open.push(to);
    }
  }
  return found;
}

/** What leads where in a flow, worked out once for each node that is asked for. */
class Ways {
  readonly questions: readonly string[];
  readonly #document: BotDocument;
  readonly #flow: Flow;
  readonly #changing: readonly string[];
  readonly #known = new Map<string, Set<string>>();

  constructor(document: BotDocument, flow: Flow) {
    this.#document = document;
    this.#flow = flow;
    const ids = Object.keys(flow.nodes);
    this.questions = ids.filter((id) => isQuestion(flow, id));
    this.#changing = ids.filter((id) => exitsOf(document, flow, id).undone.length < exitsOf(document, flow, id).all.length);
  }

  /** True where nothing of the flow changes anything outside. */
  get harmless(): boolean {
    return this.#changing.length === 0;
  }

  #from(id: string, undone: boolean): ReadonlySet<string> {
    const key = `${undone ? 'undone' : 'all'} ${id}`;
    const known = this.#known.get(key) ?? leadsTo(this.#document, this.#flow, id, undone);
    this.#known.set(key, known);
    return known;
  }

  /** What a correction can reach while a node waits. */
  reach(nodeId: string): Reach {
    const before = this.questions.filter((id) => id !== nodeId && this.#from(id, false).has(nodeId));
    const reached = before.filter((id) => this.#from(id, true).has(nodeId));
    const blocked = before.flatMap((node) => {
      if (this.#from(node, true).has(nodeId)) return [];
      const by = this.#changing.find((c) => this.#from(node, false).has(c) && this.#from(c, false).has(nodeId));
      return by === undefined ? [] : [{ node, by }];
    });
    return { reached, blocked };
  }
}

/** Which questions of its flow a visitor can still correct while a node waits. */
export function correctionsFrom(document: BotDocument, flowId: string, nodeId: string): Reach {
  const flow = document.flows[flowId];
  if (!flow || !Object.hasOwn(flow.nodes, nodeId)) return { reached: [], blocked: [] };
  return new Ways(document, flow).reach(nodeId);
}

/** Nodes at which a visitor can no longer correct what was asked before, as something was done outside in between. */
export function correctionProblems(document: BotDocument, flow: Flow, flowId: string): Problem[] {
  const ways = new Ways(document, flow);
  if (ways.harmless) return [];
  return ways.questions.flatMap((id): Problem[] => {
    const node = flow.nodes[id];
    if ((node?.talk?.corrections ?? flow.talk?.corrections ?? document.talk?.corrections) === false) return [];
    const { blocked } = ways.reach(id);
    const [first] = blocked;
    if (!first) return [];
    const named = (n: string) => flow.nodes[n]?.title ?? n;
    const facts = { questions: blocked.map((b) => named(b.node)), by: named(first.by) };
    return [{ code: 'correction-late', severity: 'warning', flow: flowId, node: id, facts }];
  });
}
