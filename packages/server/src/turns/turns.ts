import type { Logger } from 'pino';
import { openSession, readMarkdown, type IncomingEvent, type Session } from '@primrose/core';
import { newId, type Clock } from '../clock.js';
import { connectionAddresses } from '../store/bots.js';
import { channelById } from '../store/channels.js';
import * as store from '../store/conversations.js';
import { isDatabaseTrouble, type Db } from '../store/database.js';
import { accept, type Accepted, type Incoming } from './accept.js';
import type { BotLoader, LoadedBot } from './bots.js';
import { commitTurn, LostLease } from './commit.js';
import { deliver, type Wakes } from './deliver.js';
import type { RunTurn } from './run.js';

export interface TurnsParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly loader: BotLoader;
  readonly run: RunTurn;
  readonly wakes: Wakes;
  readonly log: Logger;
  readonly leaseMs: number;
}

const SWEEP_MS = 1000;
const MAX_FAILURES = 5;
const PUT_ASIDE = 'This message could not be answered: something is wrong on our side. Please try again.';
/** Behind every message that a turn can say. */
const PUT_ASIDE_POSITION = 1_000_000;

/** Takes events in and works them off, one conversation at a time in each, several conversations at once. */
export class Turns {
  readonly #parts: TurnsParts;
  readonly #owner: string;
  readonly #working = new Map<string, Promise<void>>();
  readonly #failures = new Map<string, number>();
  #sweep: NodeJS.Timeout | undefined;
  #stopped = false;

  constructor(parts: TurnsParts) {
    this.#parts = parts;
    this.#owner = newId(parts.clock);
  }

  /** Begins to look for events that nobody works on: those of a process that died, or of a failed try. */
  start(): void {
    const { db, clock, log } = this.#parts;
    const sweep = async (): Promise<void> => {
      const waiting = await store.waitingConversations(db, clock.now(), 50);
      waiting.forEach((id) => this.kick(id));
    };
    this.#sweep = setInterval(
      () => void sweep().catch((error: unknown) => log.warn({ error }, 'cannot look for waiting events')),
      SWEEP_MS,
    );
  }

  /** Takes nothing new and waits for what runs. */
  async stop(): Promise<void> {
    this.#stopped = true;
    clearInterval(this.#sweep);
    await Promise.allSettled(this.#working.values());
  }

  /** Accepts an event and sets the work off; returns as soon as the event is stored. */
  async take(incoming: Incoming): Promise<Accepted> {
    const accepted = await accept(this.#parts.db, this.#parts.clock, incoming);
    this.#parts.wakes.wake(accepted.conversationId);
    this.kick(accepted.conversationId);
    return accepted;
  }

  /** Accepts an event and waits for its turn; undefined when the turn was not finished within `withinMs`. */
  async takeAndWait(incoming: Incoming, withinMs: number): Promise<store.TurnRow | undefined> {
    const { db, wakes } = this.#parts;
    const { eventId, conversationId } = await this.take(incoming);
    const end = this.#parts.clock.tick() + withinMs;
    for (;;) {
      const woken = new Promise<void>((resolve) => {
        const stop = wakes.listen(conversationId, () => (stop(), resolve()));
        setTimeout(() => (stop(), resolve()), 500).unref();
      });
      const turn = await store.turnOfEvent(db, eventId);
      if (turn || this.#parts.clock.tick() > end) return turn;
      await woken;
    }
  }

  /** Works on a conversation unless this process does so already; one that is being worked on looks again afterwards. */
  kick(conversationId: string): void {
    if (this.#stopped) return;
    const before = this.#working.get(conversationId) ?? Promise.resolve();
    const work = before
      .then(() => this.#workOff(conversationId))
      .finally(() => {
        if (this.#working.get(conversationId) === work) this.#working.delete(conversationId);
      });
    this.#working.set(conversationId, work);
  }

  async #workOff(id: string): Promise<void> {
    const { db, clock, leaseMs } = this.#parts;
    try {
      const now = clock.now();
      if (!(await store.takeLease(db, id, this.#owner, now, new Date(now.getTime() + leaseMs)))) return;
      try {
        while (!this.#stopped && (await this.#oneTurn(id))) this.#failures.delete(id);
      } finally {
        await store.dropLease(db, id, this.#owner);
      }
    } catch (error) {
      await this.#failed(id, error);
    }
  }

  /** Only a turn's own failure counts against its event; a database that is away does not. */
  async #failed(id: string, error: unknown): Promise<void> {
    const { log } = this.#parts;
    if (error instanceof LostLease) return log.info({ conversation: id }, 'another runner has taken this conversation over');
    if (isDatabaseTrouble(error))
      return log.warn({ err: error, conversation: id }, 'the database does not answer; the turn will be tried again');
    const failures = (this.#failures.get(id) ?? 0) + 1;
    this.#failures.set(id, failures);
    log.error({ err: error, conversation: id, failures }, 'a turn failed and will be tried again');
    if (failures >= MAX_FAILURES)
      await this.#giveUp(id).catch((again: unknown) => log.error({ err: again }, 'an event could not be put aside'));
  }

  /** Steps 2 to 5 for the next event of a conversation; false when there is none. The lease is renewed while it runs. */
  async #oneTurn(id: string): Promise<boolean> {
    const { db, clock, wakes, run, leaseMs } = this.#parts;
    const event = await store.nextEvent(db, id);
    const conversation = event && (await store.findConversation(db, id));
    if (!event || !conversation) return false;
    const { loaded, session } = await this.#prepare(conversation);
    const renew = setInterval(() => {
      const now = clock.now();
      store.takeLease(db, id, this.#owner, now, new Date(now.getTime() + leaseMs)).catch(() => undefined);
    }, leaseMs / 3);
    try {
      const addresses = await connectionAddresses(db, conversation.bot_id);
      const parsed = JSON.parse(event.event) as IncomingEvent;
      const ran = await run({
        loaded,
        session,
        event: parsed,
        eventId: event.id,
        conversationId: id,
        addresses,
        onSaid: () => wakes.wake(id),
      });
      await commitTurn(db, clock, this.#owner, conversation, event, loaded, ran);
    } finally {
      clearInterval(renew);
    }
    await deliver(db, wakes, id);
    return true;
  }

  /** The bot and the state to go on with: a conversation keeps its release until it is over, a simulation follows the draft. */
  async #prepare(conversation: store.ConversationRow): Promise<{ loaded: LoadedBot; session: Session }> {
    const { db, loader } = this.#parts;
    const session = JSON.parse(conversation.state) as Session;
    const channel = await channelById(db, conversation.channel_id);
    const newest = session.over ? (channel?.live_id ?? conversation.release_id) : conversation.release_id;
    const loaded =
      channel?.kind === 'simulator' || newest === null ? await loader.draft(conversation.bot_id) : await loader.release(newest);
    const visitor =
      conversation.visitor_id === null ? session.visitor : await store.visitorVariables(db, conversation.visitor_id);
    return { loaded, session: { ...session, visitor } };
  }

  /** An event whose turn fails again and again is put aside, and the visitor is told; the log has the reason. */
  async #giveUp(id: string): Promise<void> {
    const { db, clock, log, wakes } = this.#parts;
    const event = await store.nextEvent(db, id);
    if (!event) return;
    log.error({ conversation: id, event: event.id }, 'an event was put aside after its turn failed again and again');
    const message = { text: PUT_ASIDE, blocks: readMarkdown(PUT_ASIDE) };
    await db.transaction(async (tx) => {
      await store.insertLines(tx, id, event.id, [{ position: PUT_ASIDE_POSITION, who: 'notice', message }], clock.now());
      await store.markEventDone(tx, event.id);
    });
    this.#failures.delete(id);
    wakes.wake(id);
  }
}

/** The first state of a new conversation. */
export function firstState(loaded: LoadedBot, language: string | undefined): Session {
  return openSession(loaded.bot, {}, language);
}
