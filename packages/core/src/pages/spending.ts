import type { BotDocument } from '../document/schema.js';
import { callsOf, type Performed } from '../engine/effects/registry.js';

/** What models were asked for: tokens, and their price by the profiles, whatever the currency. */
export interface Spent {
  readonly tokens: number;
  readonly price: number;
}

/** What the model calls of a turn came to; where a service did not count its tokens, an estimate of what was sent. */
export function spentIn(effects: readonly Performed[], models: BotDocument['models']): Spent {
  let tokens = 0;
  let price = 0;
  for (const { request, result } of callsOf('model', effects)) {
    const counted = result.outcome === 'written' ? result.tokens : null;
    tokens += counted ? counted.in + counted.out : request.estimate;
    const own = models?.[request.profile]?.price;
    if (own && counted) price += (counted.in * own.in + counted.out * own.out) / 1e6;
  }
  return { tokens, price };
}
