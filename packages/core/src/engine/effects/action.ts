import { z } from 'zod';
import { sameValue } from '../../document/merge.js';
import { FAILURES, isActionSample, type Sample } from '../../document/rehearsals.js';
import { isTable, value as jsonValue, type Immutable, type Value } from '../../document/shapes.js';
import { defineEffect, failure, failureOf, place, playedFailure } from './effect.js';

const request = z.strictObject({
  type: z.literal('action'),
  ...place,
  connection: z.string(),
  action: z.string(),
  method: z.string(),
  target: z.string(),
  query: z.record(z.string(), z.string()),
  headers: z.record(z.string(), z.string()).describe('those of the action; never the secret of the connection'),
  body: jsonValue,
  timeoutMs: z.number(),
  changes: z.boolean().describe('false for reading only'),
  repeatable: z.boolean().describe('doing it twice is the same as doing it once'),
});
const result = z.union([
  z.strictObject({
    outcome: z.literal('answered').describe('with any HTTP status'),
    status: z.int(),
    body: jsonValue,
    url: z.string().optional(),
  }),
  failure,
]);

/** One call of an outside service. */
export type ActionEffect = Immutable<z.infer<typeof request>>;
export type ActionResult = Immutable<z.infer<typeof result>>;

/** True when everything in `part` stands in `whole` as well. */
function holds(whole: Value | undefined, part: Value | undefined): boolean {
  if (part === undefined) return true;
  if (isTable(part)) return isTable(whole) && Object.entries(part).every(([key, v]) => holds(whole[key], v));
  return sameValue(whole, part);
}

const nameOf = ({ connection, action }: ActionEffect): string => `${connection}.${action}`;

function fit(sample: Sample, effect: ActionEffect): number {
  if (!isActionSample(sample) || sample.answers !== nameOf(effect)) return -1;
  const { target, query, body } = sample.asked ?? {};
  if (target !== undefined && target !== effect.target) return -1;
  if (!holds(effect.query, query) || !holds(effect.body, body)) return -1;
  return (target === undefined ? 0 : 1) + Object.keys(query ?? {}).length + (body === undefined ? 0 : 1);
}

function play(sample: Sample, id: string): ActionResult | undefined {
  if (!isActionSample(sample)) return undefined;
  if (sample.fails) return playedFailure(id, sample.fails);
  return { outcome: 'answered', status: sample.status ?? 200, body: sample.body ?? null };
}

function keep(effect: ActionEffect, came: ActionResult, narrow: boolean): Sample | undefined {
  const asked = {
    target: effect.target,
    ...(Object.keys(effect.query).length > 0 ? { query: effect.query } : {}),
    ...(effect.body === null ? {} : { body: effect.body }),
  };
  const base = { answers: nameOf(effect), ...(narrow ? { asked } : {}) };
  if (came.outcome === 'answered') return { ...base, status: came.status, body: came.body };
  const fails = FAILURES.find((c) => c === came.code);
  return fails && { ...base, fails };
}

/** Method and address with what was asked for, and the body: `POST /bookings {"name":"Mo"}`. */
function wholeOf({ method, target, query, body }: ActionEffect): string {
  const asked = Object.entries(query)
    .map(([key, v]) => `${key}=${v}`)
    .join('&');
  return `${method} ${target}${asked === '' ? '' : `?${asked}`}${body === null ? '' : ` ${JSON.stringify(body)}`}`;
}

export const action = defineEffect<'action', ActionEffect, ActionResult>({
  type: 'action',
  request,
  result,
  journaled: ({ changes }) => (changes ? 'around' : 'after'),
  repeatable: ({ changes, repeatable }) => repeatable || !changes,
  failed: failureOf,
  shown: true,
  connection: ({ connection }) => connection,
  name: nameOf,
  line: ({ method, target }) => `${method} ${target}`,
  whole: wholeOf,
  came: ({ status, body }) => `${status} ${JSON.stringify(body)}`,
  likeness: ({ connection, action: id, method, target, query, headers, body }) => {
    return { connection, action: id, method, target, query, headers, body };
  },
  sampling: { fit, play, keep },
});
