import { isHookSample, type Firing } from '../document/rehearsals.js';
import type { BotDocument } from '../document/schema.js';
import type { EventOf } from '../engine/event.js';
import type { Values } from '../engine/types.js';
import { broughtWith, inputReason, pageInputs } from '../pages/inputs.js';
import { givenOf, type Came, type InputProblem } from './given.js';

/** What comes in with a start that is set off; undefined where the bot has none of this name. */
export interface FiredBy {
  readonly event: EventOf<'fired'> | undefined;
  readonly problems: readonly InputProblem[];
}

/** A start that is set off in a rehearsal or a simulation, by its own mapping, at a moment (ISO 8601, UTC). */
export function firedBy(document: BotDocument, firing: Firing, at: string): FiredBy {
  if (firing.page !== undefined) return filledIn(document, firing.page, firing.given ?? {}, at);
  const id = firing.start ?? '';
  const start = document.starts && Object.hasOwn(document.starts, id) ? document.starts[id] : undefined;
  if (!start) return { event: undefined, problems: [] };
  const { values, problems } = firing.given
    ? { values: firing.given, problems: [] }
    : givenOf(document, start, cameOf(document, firing, at), at);
  return { event: { type: 'fired', at, by: start.by, flow: start.flow, given: values, start: id }, problems };
}

/** What comes in with a page that is filled in; files among its inputs come along. */
function filledIn(document: BotDocument, id: string, given: Values, at: string): FiredBy {
  const page = document.pages && Object.hasOwn(document.pages, id) ? document.pages[id] : undefined;
  if (!page) return { event: undefined, problems: [] };
  const { values, problems } = pageInputs(document, page, given);
  return {
    event: { type: 'fired', at, by: 'page', page: id, flow: page.flow, given: values, ...broughtWith(values) },
    problems: problems.map(({ input, problem }) => ({ input, reason: inputReason(problem) })),
  };
}

/** What the mapping of a start can name, of a firing as it is written. */
function cameOf({ samples }: BotDocument, firing: Firing, at: string): Came {
  const named =
    firing.sample !== undefined && samples && Object.hasOwn(samples, firing.sample) ? samples[firing.sample] : undefined;
  const kept = named && isHookSample(named) ? named : undefined;
  const body = firing.body ?? kept?.body ?? null;
  return {
    body,
    inputs: body,
    headers: kept?.headers ?? {},
    query: kept?.query ?? {},
    due: at,
    row: firing.row ?? null,
    before: firing.before ?? null,
    event: firing.before && firing.row ? 'changed' : firing.before ? 'removed' : 'added',
  };
}
