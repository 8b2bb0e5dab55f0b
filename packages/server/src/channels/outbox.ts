import type { Logger } from 'pino';
import type { Message } from '@primrose/core';
import { sleep, type Clock } from '../base/clock.js';
import { createCaller, type Caller } from '../outside/call.js';
import type { AllowedAddresses } from '../outside/agent.js';
import { channelOwner, type Secrets } from '../outside/secrets.js';
import { channelById } from '../store/channels.js';
import { messageColumn } from '../store/columns.js';
import { linesAfter } from '../store/conversations.js';
import type { Db } from '../store/database.js';
import type { LineRow } from '../store/lines.js';
import * as store from '../store/messenger.js';
import { Keeper } from '../turns/keeper.js';
import type { Wakes } from '../turns/wakes.js';
import type { Sender } from './channel.js';
import { dueLines } from './due.js';
import { note } from './events.js';
import { LEASE_MS, MAX_ANSWER_BYTES, OFF_MS, waitAgain } from './patience.js';
import { channelKinds } from './registry.js';

export interface OutboxParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly wakes: Wakes;
  readonly secrets: Secrets;
  readonly log: Logger;
  readonly process: string;
  readonly allowed: AllowedAddresses;
}

const LOOK_MS = 500;
const STOP_MS = 15_000;

/**
 * Sends the lines of conversations out on channels that push, in order in each: step 5 of a turn. What cannot be sent now is
 * tried again with longer and longer waits; what finally fails is marked on its line and in the channel's events, and the next goes on.
 */
export class Outbox {
  readonly #parts: OutboxParts;
  readonly #caller: Caller;
  readonly #keeper: Keeper;

  constructor(parts: OutboxParts) {
    const { db, clock, log } = parts;
    this.#parts = parts;
    this.#caller = createCaller(parts.allowed, MAX_ANSWER_BYTES);
    this.#keeper = new Keeper({
      clock,
      log,
      name: 'deliveries',
      waiting: () => store.waitingDeliveries(db, clock.now()),
      work: (id) => this.#send(id).catch((error: unknown) => log.warn({ err: error, conversation: id }, 'sending was cut off')),
    });
  }

  start(): void {
    this.#keeper.start();
  }

  async stop(): Promise<void> {
    await this.#keeper.stop(STOP_MS);
    await this.#caller.close();
  }

  /** Sends what a conversation of a channel has, unless this process does so already. */
  kick(conversationId: string, channelId: string): void {
    this.#keeper.kick(conversationId, channelId);
  }

  async #send(id: string): Promise<void> {
    const { db, clock, process: owner } = this.#parts;
    const now = clock.now();
    const taken = await store.takeDelivery(db, id, { owner, now, until: this.#lease() });
    if (!taken) return;
    const channel = await channelById(db, taken.channel_id);
    const kind = channel && channelKinds.get(channel.kind);
    if (channel?.is_on !== 1 || channel.settings === null || !kind?.sender) {
      const nextAt = new Date(now.getTime() + OFF_MS);
      const { sent_seq: sentSeq, part, tries } = taken;
      await store.moveDelivery(db, id, owner, { sentSeq, part, tries, nextAt, leaseUntil: null });
      return;
    }
    const secrets = await this.#parts.secrets.open(channelOwner(channel.id));
    const work = new Sending(taken, kind.sender(channel.settings, secrets, this.#caller));
    const nothingMore = await this.#sendAll(work);
    if (nothingMore !== undefined) await store.endDelivery(db, id, owner, nothingMore ? taken.wanted : null);
  }

  /** Sends line after line; true when there is nothing more, undefined when the conversation was given back meanwhile. */
  async #sendAll(work: Sending): Promise<boolean | undefined> {
    const { db, clock, process: owner } = this.#parts;
    while (!this.#keeper.stopped) {
      const pending = await store.hasTurnWaiting(db, work.id);
      const woken = this.#woken(work.id);
      const lines = await linesAfter(db, work.id, work.sentSeq);
      const { due, next } = dueLines(lines, clock.now());
      const [line] = due;
      if (line) {
        if (!(await this.#sendLine(work, line))) return undefined;
      } else if (pending || next !== null) {
        if (!work.typed) await this.#type(work);
        await woken;
        await store.moveDelivery(db, work.id, owner, { ...work.place(), nextAt: null, leaseUntil: this.#lease() });
      } else return true;
    }
    return false;
  }

  #lease(): Date {
    return new Date(this.#parts.clock.now().getTime() + LEASE_MS);
  }

  /** Resolves when the conversation has something new, or after half a second. */
  #woken(id: string): Promise<void> {
    const { done, wake } = sleep(this.#parts.clock, LOOK_MS);
    const stop = this.#parts.wakes.listen(id, wake);
    return done.then(stop);
  }

  async #type(work: Sending): Promise<void> {
    work.typed = true;
    const key = `${work.id}-typing`;
    const made = work.sender.typing({ to: work.recipient, key, who: 'bot' });
    if (made.ok) for (const send of made.parts) await send(key);
  }

  /** Sends one line, part by part; false when the rest has to wait and the conversation was given back. */
  async #sendLine(work: Sending, line: LineRow): Promise<boolean> {
    const move = (leaseUntil: Date | null, nextAt: Date | null = null) => this.#move(work, leaseUntil, nextAt);
    if (line.who === 'visitor') {
      work.past(line.seq);
      return move(this.#lease());
    }
    const message = messageColumn.read(line.message);
    const key = `${work.id}-${line.seq}`;
    const made = work.sender.message(message, { to: work.recipient, key, who: line.who });
    if (!made.ok) return this.#failed(work, line, made.reason);
    for (const [i, send] of made.parts.entries()) {
      if (i < work.part) continue;
      const sent = await send(`${key}-${i + 1}`);
      if (sent.as === 'failed') return this.#failed(work, line, sent.reason);
      if (sent.as === 'again') return this.#tryLater(work, line, sent);
      work.part = i + 1;
      work.tries = 0;
      if (!(await move(this.#lease()))) return false;
    }
    return this.#sent(work, line, message);
  }

  #move(work: Sending, leaseUntil: Date | null, nextAt: Date | null): Promise<boolean> {
    const { db, process: owner } = this.#parts;
    return store.moveDelivery(db, work.id, owner, { ...work.place(), nextAt, leaseUntil });
  }

  async #sent(work: Sending, line: LineRow, message: Message): Promise<boolean> {
    work.past(line.seq);
    work.typed = false;
    await this.#note(work, 'sent', message.text.slice(0, 200));
    return this.#move(work, this.#lease(), null);
  }

  /** Waits longer and longer, or as long as the other side says; too many tries are a failure. */
  async #tryLater(work: Sending, line: LineRow, { reason, afterMs }: { reason: string; afterMs?: number }): Promise<boolean> {
    const wait = waitAgain(work.tries, afterMs);
    if (wait === undefined) return this.#failed(work, line, reason);
    work.tries++;
    await this.#note(work, 'retried', `${reason}; tried again in ${Math.round(wait / 100) / 10} s`);
    await this.#move(work, null, new Date(this.#parts.clock.now().getTime() + wait));
    return false;
  }

  async #failed(work: Sending, line: LineRow, reason: string): Promise<boolean> {
    work.past(line.seq);
    await store.markLineFailed(this.#parts.db, work.id, line.seq, reason);
    await this.#note(work, 'failed', reason);
    return this.#move(work, this.#lease(), null);
  }

  #note(work: Sending, outcome: 'sent' | 'retried' | 'failed', about: string): Promise<void> {
    const { recipient: sender, channelId, id } = work;
    const row = { direction: 'out', outcome, about, sender, conversation_id: id, payload: null } as const;
    return note(this.#parts, channelId, row);
  }
}

/** How far the sending of one conversation has come. */
class Sending {
  readonly id: string;
  readonly channelId: string;
  readonly recipient: string;
  readonly sender: Sender;
  sentSeq: number;
  part: number;
  tries: number;
  typed = false;

  constructor(row: store.DeliveryRow, sender: Sender) {
    this.id = row.conversation_id;
    this.channelId = row.channel_id;
    this.recipient = row.recipient;
    this.sender = sender;
    this.sentSeq = row.sent_seq;
    this.part = row.part;
    this.tries = row.tries;
  }

  place() {
    return { sentSeq: this.sentSeq, part: this.part, tries: this.tries };
  }

  past(seq: number): void {
    this.sentSeq = seq;
    this.part = 0;
    this.tries = 0;
  }
}
