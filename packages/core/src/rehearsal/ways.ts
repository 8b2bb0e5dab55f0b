import type { BotDocument } from '../document/schema.js';
import { chosenWays } from './expect.js';
import type { RehearsalOutcome } from './rehearse.js';

/** How often a model chose the way that rehearsals expect at one node, and which others it chose in place of it; null for none at all. */
export interface WayFigures {
  readonly of: number;
  readonly right: number;
  readonly missed: readonly { readonly expected: string; readonly chose: string | null; readonly times: number }[];
}

/** How often models chose rightly over all rehearsals that say by `chose` what is right, by node as `flow/node`. */
export function wayFigures(document: BotDocument, outcomes: readonly RehearsalOutcome[]): Record<string, WayFigures> {
  const figures: Record<string, WayFigures> = {};
  for (const { rehearsal, turns } of outcomes)
    for (const [i, { sheet }] of turns.entries()) {
      const expects = document.rehearsals?.[rehearsal]?.turns[i]?.expects?.chose ?? {};
      const chosen = chosenWays(sheet);
      for (const [node, expected] of Object.entries(expects))
        figures[node] = counted(figures[node] ?? { of: 0, right: 0, missed: [] }, expected, chosen[node] ?? null);
    }
  return figures;
}

function counted({ of, right, missed }: WayFigures, expected: string, chose: string | null): WayFigures {
  if (chose === expected) return { of: of + 1, right: right + 1, missed };
  const same = missed.find((m) => m.expected === expected && m.chose === chose);
  const others = missed.filter((m) => m !== same);
  return { of: of + 1, right, missed: [...others, { expected, chose, times: (same?.times ?? 0) + 1 }] };
}
