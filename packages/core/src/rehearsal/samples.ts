import { isEventSample, type EventSample, type Sample } from '../document/rehearsals.js';
import { failureOf, type Failure } from '../engine/effects/effect.js';
import { typeOf, type Effect, type Performed, type Result } from '../engine/effects/registry.js';
import type { MessageEvent } from '../engine/event.js';

export type Samples = Readonly<Record<string, Sample>>;

/** How narrowly a sample fits a call, counted in what it asks for; -1 when it does not fit. */
function fit(sample: Sample, effect: Effect): number {
  return typeOf(effect).sampling?.fit(sample, effect) ?? -1;
}

/** True for a sample that answers only where it is named. */
function isNamed(sample: Sample | undefined): boolean {
  return sample !== undefined && 'named' in sample && sample.named === true;
}

export interface Sampled {
  readonly sample: string;
  readonly result: Result;
}

/**
 * The kept result for a call: of the samples that fit, the one that asks for most of what the call holds, of equals the
 * first. Those named in `first`, group by group, go before all others. Undefined where none fits.
 */
export function sampleFor(samples: Samples, effect: Effect, first: readonly (readonly string[])[] = []): Sampled | undefined {
  const usual = Object.keys(samples)
    .filter((id) => !isNamed(samples[id]))
    .sort();
  for (const group of [...first, usual]) {
    const id = narrowest(samples, effect, group);
    const sample = id === undefined ? undefined : samples[id];
    const result = id !== undefined && sample ? typeOf(effect).sampling?.play(sample, id) : undefined;
    if (id !== undefined && result) return { sample: id, result };
  }
  return undefined;
}

function narrowest(samples: Samples, effect: Effect, among: readonly string[]): string | undefined {
  let best: { readonly id: string; readonly fits: number } | undefined;
  for (const id of among) {
    const sample = samples[id];
    const fits = sample ? fit(sample, effect) : -1;
    if (fits > (best?.fits ?? -1)) best = { id, fits };
  }
  return best?.id;
}

/** What comes of a call that no sample answers. */
export function noSample(effect: Effect): Failure {
  const reason = `no sample answers this call of ${typeOf(effect).spoken(effect)}, and nothing outside is called from samples; keep a result as a sample, or let the connection use its stand-in`;
  return failureOf('no-sample', reason);
}

/** A call with its result as a sample. `narrow` ties it to just this request. Undefined for what cannot be kept. */
export function sampleOf({ request, result }: Performed, narrow: boolean): Sample | undefined {
  return typeOf(request).sampling?.keep(request, result, narrow);
}

/** A kept event as what comes in, without its moment. */
export function eventOf(sample: EventSample): Omit<MessageEvent, 'at' | 'channel'> & { channel?: string } {
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

/** The kept event of that name; undefined where there is none. */
export function keptEvent(samples: Samples | undefined, id: string): EventSample | undefined {
  const kept = samples && Object.hasOwn(samples, id) ? samples[id] : undefined;
  return kept && isEventSample(kept) ? kept : undefined;
}
