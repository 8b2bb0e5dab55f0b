import type { BotDocument } from '../document/schema.js';
import { nodeKinds } from '../engine/nodes/registry.js';
import { isStill } from '../engine/refers.js';
import type { TurnSheet } from '../engine/sheet.js';

/** How often some turns came by the nodes, exits and intents of a bot. Names: `flow/node`, `flow/node/exit`, an intent. */
export interface Coverage {
  readonly nodes: Readonly<Record<string, number>>;
  readonly exits: Readonly<Record<string, number>>;
  readonly intents: Readonly<Record<string, number>>;
}

/** How many there are, and how many were come by at least once. */
export interface Share {
  readonly of: number;
  readonly met: number;
}

function parts(document: BotDocument): { nodes: string[]; exits: string[]; intents: string[] } {
  const nodes: string[] = [];
  const exits: string[] = [];
  for (const [flow, { nodes: all }] of Object.entries(document.flows))
    for (const [id, node] of Object.entries(all)) {
      if (isStill(node) || node.off) continue;
      nodes.push(`${flow}/${id}`);
      exits.push(...(nodeKinds.get(node.kind)?.exits(node) ?? []).map((e) => `${flow}/${id}/${e.name}`));
    }
  return { nodes, exits, intents: Object.keys(document.intents ?? {}) };
}

/** What of a bot some turns came by. Notes and nodes that are off do not count, nor does what the bot no longer has. */
export function coverageOf(document: BotDocument, sheets: readonly TurnSheet[]): Coverage {
  const known = parts(document);
  const [nodes, exits, intents] = [known.nodes, known.exits, known.intents].map(
    (names) => new Map(names.map((n) => [n, 0] as const)),
  ) as [Map<string, number>, Map<string, number>, Map<string, number>];
  const count = (table: Map<string, number>, name: string) => table.has(name) && table.set(name, (table.get(name) ?? 0) + 1);
  for (const { path, understood } of sheets) {
    if (understood?.took !== undefined) count(intents, understood.took);
    for (const { flow, node, exit } of path) {
      count(nodes, `${flow}/${node}`);
      if (exit !== undefined) count(exits, `${flow}/${node}/${exit}`);
    }
  }
  return { nodes: Object.fromEntries(nodes), exits: Object.fromEntries(exits), intents: Object.fromEntries(intents) };
}

/** Several coverages of one bot as one. */
export function addCoverage(all: readonly Coverage[]): Coverage {
  const sum = (key: keyof Coverage) => {
    const table: Record<string, number> = {};
    for (const c of all) for (const [name, n] of Object.entries(c[key])) table[name] = (table[name] ?? 0) + n;
    return table;
  };
  return { nodes: sum('nodes'), exits: sum('exits'), intents: sum('intents') };
}

/** How much of it was come by; `within` counts only one flow's nodes and exits. */
export function shareOf(table: Readonly<Record<string, number>>, within?: string): Share {
  const counted = Object.entries(table).filter(([name]) => within === undefined || name.startsWith(`${within}/`));
  return { of: counted.length, met: counted.filter(([, n]) => n > 0).length };
}
