import { z } from 'zod';
import type { Sample } from '../../document/rehearsals.js';
import type { Value } from '../../document/shapes.js';

/** Why something outside came to nothing. */
export const FAILURE_CODES = [
  'timeout',
  'unreachable',
  'refused',
  'bad-answer',
  'unknown-outcome',
  'not-configured',
  'no-sample',
  'stopped',
  'does-not-fit',
] as const;
export type FailureCode = (typeof FAILURE_CODES)[number];

/** What every effect that can fail comes to when it does. */
export const failure = z.strictObject({
  outcome: z.literal('failed'),
  code: z.enum(FAILURE_CODES),
  reason: z.string().describe('a full sentence'),
  url: z.string().optional(),
});
export type Failure = Readonly<z.infer<typeof failure>>;

/** A failure as data; `reason` is a full sentence. */
export function failureOf(code: FailureCode, reason: string, url?: string): Failure {
  return { outcome: 'failed', code, reason, ...(url === undefined ? {} : { url }) };
}

/** The failure that a kept result plays. */
export function playedFailure(sample: string, code: FailureCode): Failure {
  return failureOf(code, `the sample ${sample} says so`);
}

/**
 * What is noted of an effect, so that a turn which is taken up again need not do it twice: nothing, as it is computed from
 * the bot and comes out the same; what came of it; or that it is about to be done as well, as it changes something outside.
 */
export type Journaled = 'never' | 'after' | 'around';

/** How results of a type are kept and used again, so that nothing outside is called. */
export interface Sampling<Q, R> {
  /** How narrowly a sample fits a request, counted in what it asks for; -1 when it does not fit. */
  readonly fit: (sample: Sample, request: Q) => number;
  /** What a sample comes to, as if it had been done; undefined where the sample is none of this type. */
  readonly play: (sample: Sample, id: string) => R | undefined;
  /** A result as a sample, tied to just this request where that is asked for; undefined where it cannot be kept. */
  readonly keep: (request: Q, result: R, narrow: boolean) => Sample | undefined;
}

/** Everything Primrose knows of one type of effect; adding a type means adding one of these and who performs it. */
export interface EffectType<T extends string, Q, R> {
  readonly type: T;
  /** Its request and what comes of it, as the turn sheet holds them. */
  readonly request: z.ZodType<Q>;
  readonly result: z.ZodType<R>;
  readonly journaled: (request: Q) => Journaled;
  /** Doing it twice is the same as doing it once, so it is done again where nobody knows what came of it. */
  readonly repeatable: (request: Q) => boolean;
  /** What it comes to when it cannot be done. */
  readonly failed: (code: FailureCode, reason: string) => R;
  /** It stands in the turn sheet among what was done, and may be expected by rehearsals. */
  readonly shown: boolean;
  /** The same request may come out otherwise another time, so what follows from it is not expected to the letter. */
  readonly varies: boolean;
  /** The connection by which it goes outside; undefined for what never does. */
  readonly connection: (request: Q) => string | undefined;
  /** Its name in rehearsals and lists: `booking-office.list-sailings`, `model helper`. */
  readonly name: (request: Q) => string;
  /** The same in a sentence: `the model helper`. */
  readonly spoken: (request: Q) => string;
  /** What it does in one line, for showing it while it happens: `GET /sailings`. */
  readonly line: (request: Q) => string;
  /** The same with all that it sends, for comparing. */
  readonly whole: (request: Q) => string;
  /** What came of it in one line. */
  readonly came: (result: R) => string;
  /** All that counts of a request: two that are equal in it are the same one, wherever in a turn they stand. */
  readonly likeness: (request: Q) => Value;
  /** The request as it is stored: without what stands elsewhere already. */
  readonly stored: (request: Q) => Q;
  readonly sampling?: Sampling<Q, R>;
}

/** What a type need not say: usual answers. */
const USUAL = {
  repeatable: () => true,
  shown: false,
  varies: false,
  connection: () => undefined,
  stored: <Q>(request: Q): Q => request,
};

type Usual = keyof typeof USUAL;
/** Wordings that are the name where nothing else is said. */
type Worded = 'spoken' | 'line' | 'whole';
type Described<T extends string, Q, R> = Omit<EffectType<T, Q, R>, Usual | Worded | 'came'> &
  Partial<Pick<EffectType<T, Q, R>, Usual | Worded>> & { readonly came?: (result: Exclude<R, Failure>) => string };

/** Completes the description of a type with what is usual. */
export function defineEffect<T extends string, Q extends { readonly type: T; readonly path: string }, R>(
  described: Described<T, Q, R>,
): EffectType<T, Q, R> {
  const { name, came = () => '' } = described;
  const told = (result: R): string => {
    const failed = result as Partial<Failure>;
    return failed.outcome === 'failed' ? `${failed.code}: ${failed.reason}` : came(result as Exclude<R, Failure>);
  };
  return { ...USUAL, spoken: name, line: name, whole: name, ...described, came: told };
}

/** Every request has its stable place in the turn. */
export const place = { path: z.string() };
