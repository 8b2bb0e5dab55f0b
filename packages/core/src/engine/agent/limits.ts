import type { BotDocument } from '../../document/schema.js';
import type { ModelResult } from '../effects/model.js';
import type { Spending } from '../effects/spent.js';
import type { AgentLimits } from './declared.js';
import type { LimitScope } from './work.js';

/*
 * How far an agent may go: in one turn, in a conversation, for one visitor, on one day.
 */

export const DEFAULT_STEPS = 8;
export const DEFAULT_TIME_MS = 120_000;

export type SpendKind = keyof Spending;
const KINDS: readonly SpendKind[] = ['steps', 'tokens', 'money'];

/** A limit that was reached. */
export interface Reached {
  readonly limit: SpendKind;
  readonly of: LimitScope;
  readonly most: number;
  readonly used: number;
}

/** What was spent so far, by scope. */
export type SpentSoFar = Readonly<Record<LimitScope, Spending>>;

/** The first limit that is reached; undefined while none is. */
export function reached(limits: AgentLimits | undefined, spent: SpentSoFar): Reached | undefined {
  const { conversation, visitor, day, ...turn } = limits ?? {};
  const scopes = { turn: { ...turn, steps: turn.steps ?? DEFAULT_STEPS }, conversation, visitor, day };
  for (const of of ['turn', 'conversation', 'visitor', 'day'] as const)
    for (const limit of KINDS) {
      const most = scopes[of]?.[limit];
      if (most !== undefined && spent[of][limit] >= most) return { limit, of, most, used: rounded(spent[of][limit]) };
    }
  return undefined;
}

const rounded = (n: number): number => Math.round(n * 1e6) / 1e6;

/** True where what was spent before this turn has to be asked for. */
export function countsBefore({ visitor, day }: AgentLimits = {}): boolean {
  return visitor !== undefined || day !== undefined;
}

export function plus(a: Spending, b: Spending): Spending {
  return { steps: a.steps + b.steps, tokens: a.tokens + b.tokens, money: a.money + b.money };
}

/** What one answer of a profile costs; money is left out where it has no price, or nobody counted. */
export function costOf(
  document: BotDocument,
  profile: string,
  result: ModelResult,
  estimate: number,
): Spending & { readonly priced: boolean } {
  const price = document.models?.[profile]?.price;
  const used =
    result.outcome === 'written' ? (result.tokens ?? { in: estimate, out: result.text.length / 4 }) : { in: 0, out: 0 };
  const money = price ? (used.in * price.in + used.out * price.out) / 1e6 : 0;
  return { steps: 1, tokens: Math.ceil(used.in + used.out), money, priced: price !== undefined };
}
