import type { ActionCall, LookupCall, ModelCall, Performed } from './types.js';

/** Which kind of effect a sheet's entry is; the result is of the same kind. */
export function isActionCall(performed: Performed): performed is ActionCall {
  return performed.request.type === 'action';
}

export function isModelCall(performed: Performed): performed is ModelCall {
  return performed.request.type === 'model';
}

export function isLookupCall(performed: Performed): performed is LookupCall {
  return performed.request.type === 'lookup';
}
