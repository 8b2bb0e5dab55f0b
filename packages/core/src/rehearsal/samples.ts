import { sameValue } from '../document/merge.js';
import { FAILURES, type ActionSample, type EventSample, type ModelSample, type Sample } from '../document/rehearsals.js';
import type { Value } from '../document/shapes.js';
import { isActionCall, isModelCall } from '../engine/performed.js';
import type { ActionEffect, EffectResult, IncomingEvent, ModelEffect, ModelResult, Performed } from '../engine/types.js';
import { estimateTokens } from '../text/tokens.js';

export type Samples = Readonly<Record<string, Sample>>;

export function isActionSample(sample: Sample): sample is ActionSample {
  return 'answers' in sample;
}
export function isModelSample(sample: Sample): sample is ModelSample {
  return 'writes' in sample;
}
export function isEventSample(sample: Sample): sample is EventSample {
  return !isActionSample(sample) && !isModelSample(sample);
}

/** True when everything in `part` stands in `whole` as well. */
function holds(whole: Value | undefined, part: Value | undefined): boolean {
  if (part === undefined) return true;
  if (isTable(part)) return isTable(whole) && Object.entries(part).every(([key, v]) => holds(whole[key], v));
  return sameValue(whole, part);
}

function isTable(value: Value | undefined): value is Readonly<Record<string, Value>> {
  return value !== null && typeof value === 'object' && !Array.isArray(value);
}

/** How narrowly a sample fits a call, counted in what it asks for; -1 when it does not fit. */
function fit(sample: Sample, effect: ActionEffect | ModelEffect): number {
  if (effect.type === 'model') {
    if (!isModelSample(sample) || sample.writes !== effect.profile) return -1;
    if (sample.asked === undefined) return 0;
    const { asked } = sample;
    return effect.messages.some((m) => m.content.includes(asked)) ? 1 : -1;
  }
  if (!isActionSample(sample) || sample.answers !== `${effect.connection}.${effect.action}`) return -1;
  const { target, query, body } = sample.asked ?? {};
  if (target !== undefined && target !== effect.target) return -1;
  if (!holds(effect.query, query) || !holds(effect.body, body)) return -1;
  return (target === undefined ? 0 : 1) + Object.keys(query ?? {}).length + (body === undefined ? 0 : 1);
}

/** True for a sample that answers only where it is named. */
function isNamed(sample: Sample | undefined): boolean {
  return sample !== undefined && 'named' in sample && sample.named === true;
}

export interface Sampled {
  readonly sample: string;
  readonly result: EffectResult | ModelResult;
}

/**
 * The kept result for a call: of the samples that fit, the one that asks for most of what the call holds, of equals the
 * first. Those named in `first`, group by group, go before all others. Undefined where none fits.
 */
export function sampleFor(
  samples: Samples,
  effect: ActionEffect | ModelEffect,
  first: readonly (readonly string[])[] = [],
): Sampled | undefined {
  const usual = Object.keys(samples)
    .filter((id) => !isNamed(samples[id]))
    .sort();
  for (const group of [...first, usual]) {
    const id = narrowest(samples, effect, group);
    const sample = id === undefined ? undefined : samples[id];
    if (id !== undefined && sample) return { sample: id, result: resultOf(sample, id) };
  }
  return undefined;
}

function narrowest(samples: Samples, effect: ActionEffect | ModelEffect, among: readonly string[]): string | undefined {
  let best: { readonly id: string; readonly fits: number } | undefined;
  for (const id of among) {
    const sample = samples[id];
    const fits = sample ? fit(sample, effect) : -1;
    if (fits > (best?.fits ?? -1)) best = { id, fits };
  }
  return best?.id;
}

/** What a sample comes to, as if the service had done it. */
function resultOf(sample: Sample, id: string): EffectResult | ModelResult {
  if (isEventSample(sample)) return missing('it');
  if (sample.fails) return { outcome: 'failed', code: sample.fails, reason: `the sample ${id} says so` };
  if (isActionSample(sample)) return { outcome: 'answered', status: sample.status ?? 200, body: sample.body ?? null };
  const text = sample.text ?? '';
  return { outcome: 'written', text, stopped: 'end', tokens: sample.tokens ?? { in: 0, out: estimateTokens(text) } };
}

/** What comes of a call that no sample answers. */
export function noSample(effect: ActionEffect | ModelEffect): EffectResult & { outcome: 'failed' } {
  return missing(effect.type === 'model' ? `the model ${effect.profile}` : `${effect.connection}.${effect.action}`);
}

function missing(what: string): EffectResult & { outcome: 'failed' } {
  const reason = `no sample answers this call of ${what}, and nothing outside is called from samples; keep a result as a sample, or let the connection use its stand-in`;
  return { outcome: 'failed', code: 'no-sample', reason };
}

/** A call with its result as a sample. `narrow` ties it to just this request. Undefined for what cannot be kept. */
export function sampleOf(performed: Performed, narrow: boolean): ActionSample | ModelSample | undefined {
  if (isActionCall(performed)) {
    const { request, result } = performed;
    const asked = {
      target: request.target,
      ...(Object.keys(request.query).length > 0 ? { query: request.query } : {}),
      ...(request.body === null ? {} : { body: request.body }),
    };
    const base = { answers: `${request.connection}.${request.action}`, ...(narrow ? { asked } : {}) };
    if (result.outcome === 'answered') return { ...base, status: result.status, body: result.body };
    const fails = keptFailure(result.code);
    return fails && { ...base, fails };
  }
  if (!isModelCall(performed)) return undefined;
  const { request, result } = performed;
  const asked = request.messages.findLast((m) => m.role === 'user')?.content ?? '';
  const base = { writes: request.profile, ...(narrow && asked !== '' ? { asked: asked.slice(0, 4000) } : {}) };
  if (result.outcome === 'failed') {
    const fails = keptFailure(result.code);
    return fails && { ...base, fails };
  }
  return { ...base, text: result.text, ...(result.tokens ? { tokens: result.tokens } : {}) };
}

function keptFailure(code: string): ActionSample['fails'] {
  return FAILURES.find((c) => c === code);
}

/** A kept event as what comes in, without its moment. */
export function eventOf(sample: EventSample): Omit<IncomingEvent, 'at' | 'channel'> & { channel?: string } {
  const { says, presses, channel, name, pictures, files } = sample;
  return {
    type: 'message',
    ...(says === undefined ? {} : { text: says }),
    ...(presses === undefined ? {} : { choice: presses }),
    ...(channel === undefined ? {} : { channel }),
    ...(name === undefined ? {} : { name }),
    ...(pictures === undefined ? {} : { pictures }),
    ...(files === undefined ? {} : { files }),
  };
}
