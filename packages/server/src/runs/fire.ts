import { broughtWith, openSession, type EventOf, type Source, type Values } from '@primrose/core';
import { newId, type Clock } from '../base/clock.js';
import type { LoadedBot } from '../bots/loader.js';
import type { Statement } from '../store/hot.js';
import { insertRun } from '../store/runs.js';
import type { Accepted } from '../turns/accept.js';
import type { Turns } from '../turns/turns.js';

/** What begins a run: a flow of a bot, with what it takes. */
export interface Fired {
  readonly loaded: LoadedBot;
  readonly by: Source;
  /** The start by which it begins; null where somebody begins it by hand. */
  readonly start: { readonly id: string; readonly name: string } | null;
  /** The source's own id: a second one of the same start with the same id begins no second run. */
  readonly externalId: string;
  readonly flow: string;
  readonly given: Values;
  /** The starts that have led here. */
  readonly chain?: readonly string[];
  readonly againOf?: string;
  /** Its id, where somebody knows it already. */
  readonly id?: string;
  /** What more its event says. */
  readonly brings?: Pick<EventOf<'fired'>, 'page' | 'part' | 'files' | 'pictures'>;
  /** What is stored together with it, of the run that begins. */
  readonly also?: (run: string) => readonly Statement[];
}

/**
 * Begins a run: a flow that no conversation began. It has state, turns and sheets like a conversation, and neither visitor nor
 * channel. Returns once it is stored; a repeat of the same id is answered from the record.
 */
export function fire({ turns, clock }: { readonly turns: Turns; readonly clock: Clock }, fired: Fired): Promise<Accepted> {
  const { loaded, by, start, externalId, flow, given, chain = [], againOf = null, also, brings } = fired;
  const { id = newId(clock) } = fired;
  const at = clock.now();
  const { botId, releaseId } = loaded;
  const state = openSession(loaded.bot, {});
  const stage = releaseId === null ? 'draft' : 'live';
  const name = start?.name ?? null;
  const run = {
    id,
    botId,
    start: name,
    by,
    flow,
    stage,
    given,
    againOf,
    chain: start ? [...chain, start.id] : chain,
    at,
  } as const;
  return turns.take({
    conversationId: id,
    botId,
    source: start === null ? `${by} ${botId}` : `start ${start.id}`,
    externalId,
    event: {
      type: 'fired',
      at: at.toISOString(),
      by,
      flow,
      given,
      ...(name === null ? {} : { start: name }),
      // What other services send is no file that somebody brought here.
      ...(by === 'page' || by === 'hand' ? broughtWith(given) : {}),
      ...brings,
    },
    begins: { id, botId, channelId: null, source: by, visitorId: null, releaseId, state, visitorName: null, at },
    also: [insertRun(run), ...(also?.(id) ?? [])],
  });
}
