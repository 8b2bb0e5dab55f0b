import {
  advance,
  type Effect,
  type EffectBatch,
  type EffectResult,
  type IncomingEvent,
  type Session,
  type TurnResult,
} from '@primrose/core';
import type { Clock } from '../clock.js';
import type { PerformAction } from '../outside/http-action.js';
import * as store from '../store/conversations.js';
import type { Db } from '../store/database.js';
import type { LoadedBot } from './bots.js';

export interface Timing {
  readonly begins: number;
  readonly ms: number;
}

export interface RanTurn {
  readonly result: TurnResult;
  readonly timings: readonly Timing[];
  readonly ms: number;
}

export interface RunInput {
  readonly loaded: LoadedBot;
  readonly session: Session;
  readonly event: IncomingEvent;
  readonly eventId: string;
  readonly conversationId: string;
  readonly addresses: ReadonlyMap<string, string>;
  /** Called after messages were stored in mid-turn, so that they go out before the wait. */
  readonly onSaid: () => void;
}

export type RunTurn = (input: RunInput) => Promise<RanTurn>;

/**
 * Step 3 of a turn: drives the engine and performs its effects, each journaled by its path. What the journal already
 * holds from an earlier try is reused; a change whose outcome is not known is not made again but reported as failed.
 */
export function createRunner(db: Db, clock: Clock, perform: PerformAction): RunTurn {
  return async (input) => {
    const { loaded, session, event, eventId } = input;
    const begun = clock.tick();
    const timings: { begins: number; ms: number }[] = [];
    const turn = advance(loaded.bot, session, event, (index, phase) => {
      const now = clock.tick() - begun;
      const open = timings[index];
      if (phase === 'begins' || !open) timings[index] = { begins: now, ms: 0 };
      else open.ms = now - open.begins;
    });
    const journal = await store.journalOf(db, eventId);
    let said = 0;
    let next = turn.next();
    while (!next.done) {
      said = await storeSaid(db, clock, input, next.value, said);
      next = turn.next(await Promise.all(next.value.effects.map((e) => performOnce(e, input, journal))));
    }
    return { result: next.value, timings, ms: clock.tick() - begun };
  };

  async function performOnce(
    effect: Effect,
    input: RunInput,
    journal: ReadonlyMap<string, EffectResult | null>,
  ): Promise<EffectResult> {
    const { eventId, addresses, loaded } = input;
    const known = journal.get(effect.path);
    if (known) return known;
    if (known === null) {
      return {
        outcome: 'failed',
        code: 'unknown-outcome',
        reason: 'Primrose was stopped while this was under way; whether it was done is not known',
      };
    }
    const entry = { eventId, path: effect.path, request: effect };
    if (effect.changes) await store.writeJournal(db, { ...entry, result: null });
    const address = addresses.get(effect.connection) ?? loaded.bot.document.connections?.[effect.connection]?.address;
    const result = await perform(effect, address, `${eventId}/${effect.path}`);
    await store.writeJournal(db, { ...entry, result });
    return result;
  }
}

/** Stores what was said before the effects of a batch; returns how many messages of the turn are stored now. */
async function storeSaid(db: Db, clock: Clock, input: RunInput, batch: EffectBatch, before: number): Promise<number> {
  if (batch.said.length === 0) return before;
  const lines = batch.said.map((message, i) => ({ position: before + i, who: 'bot', message }) as const);
  await db.transaction((tx) => store.insertLines(tx, input.conversationId, input.eventId, lines, clock.now()));
  input.onSaid();
  return before + batch.said.length;
}
