import { sameValue } from '../document/merge.js';
import type { Value } from '../document/shapes.js';
import type { ActionEffect, Completed, ModelEffect, TurnSheet } from '../engine/types.js';

/** What makes two calls the same request; where in the turn they stand does not. */
function requestOf(effect: ActionEffect | ModelEffect): Value {
  if (effect.type === 'model') return { profile: effect.profile, messages: effect.messages.map((m) => ({ ...m })) };
  const { connection, action, method, target, query, headers, body } = effect;
  return { connection, action, method, target, query, headers, body };
}

/**
 * Hands out the results that a turn has recorded, to the same requests and in the same order; undefined for a request
 * that the turn did not make, or did not make so often. A model is asked the same when profile and messages are. What
 * failed is asked again: a service that was away may be back, and a sample may have been kept.
 */
export function recordedResults(sheet: TurnSheet): (effect: ActionEffect | ModelEffect) => Completed['result'] | undefined {
  const left = sheet.effects.flatMap(({ request, result }) =>
    request.type === 'lookup' || result.outcome === 'failed' ? [] : [{ request: requestOf(request), result }],
  );
  return (effect) => {
    const wanted = requestOf(effect);
    const at = left.findIndex((r) => sameValue(r.request, wanted));
    return at < 0 ? undefined : left.splice(at, 1)[0]?.result;
  };
}
