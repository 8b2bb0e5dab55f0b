import { sameValue } from '../document/merge.js';
import { storedRequest, typeOf, type Effect, type Result } from '../engine/effects/registry.js';
import type { TurnSheet } from '../engine/sheet.js';

/**
 * Hands out the results that a turn has recorded, to the same requests and in the same order; undefined for a request
 * that the turn did not make, or did not make so often. Only what went outside is repeated so. What failed is asked
 * again: a service that was away may be back, and a sample may have been kept.
 */
export function recordedResults(sheet: TurnSheet): (effect: Effect) => Result | undefined {
  const left = sheet.effects.filter(
    ({ request, result }) => typeOf(request).connection(request) !== undefined && result.outcome !== 'failed',
  );
  return (effect) => {
    const type = typeOf(effect);
    const wanted = type.likeness(storedRequest(effect));
    const at = left.findIndex(({ request }) => request.type === effect.type && sameValue(type.likeness(request), wanted));
    return at < 0 ? undefined : left.splice(at, 1)[0]?.result;
  };
}
