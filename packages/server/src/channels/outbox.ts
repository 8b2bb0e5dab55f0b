import type { Logger } from 'pino';
import type { Message } from '@primrose/core';
import { hashSecret, sleep, type Clock } from '../base/clock.js';
import { channelOwner, type Secrets } from '../outside/secrets.js';
import { channelById, type ServingChannel } from '../store/channels.js';
import { messageColumn } from '../store/columns.js';
import { languageOf, linesAfter } from '../store/conversations.js';
import type { Db } from '../store/database.js';
import { keepSent, lineHolder } from '../store/held-lines.js';
import type { LineRow } from '../store/lines.js';
import * as store from '../store/messenger.js';
import { Keeper } from '../turns/keeper.js';
import type { Wakes } from '../turns/wakes.js';
import type { Sendable, Sender } from './channel.js';
import { dueLines } from './due.js';
import { note } from './events.js';
import { LEASE_MS, NO_LINE_MS, OFF_MS, waitAgain } from './patience.js';
import { channelKinds } from './registry.js';

export interface OutboxParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly wakes: Wakes;
  readonly secrets: Secrets;
  readonly log: Logger;
  readonly process: string;
  /** How a channel sends from this process; undefined while it cannot. */
  readonly senderOf: FindSender;
}

export type FindSender = (channel: ServingChannel, secrets: Readonly<Record<string, string>>) => Sender | undefined;

const LOOK_MS = 500;
const STOP_MS = 15_000;

/**
 * Sends the lines of conversations out on channels that push, in order in each: step 5 of a turn. What cannot be sent now is
 * tried again with longer and longer waits; what finally fails is marked on its line and in the channel's events, and the next goes on.
 */
export class Outbox {
  readonly #parts: OutboxParts;
  readonly #keeper: Keeper;

  constructor(parts: OutboxParts) {
    const { db, clock, log } = parts;
    this.#parts = parts;
    this.#keeper = new Keeper({
      clock,
      log,
      name: 'deliveries',
      waiting: () => store.waitingDeliveries(db, clock.now(), parts.process),
      work: (id) => this.#send(id).catch((error: unknown) => log.warn({ err: error, conversation: id }, 'sending was cut off')),
    });
  }

  start(): void {
    this.#keeper.start();
  }

  async stop(): Promise<void> {
    await this.#keeper.stop(STOP_MS);
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
    if (channel?.is_on !== 1 || channel.settings === null || !kind) return this.#later(taken, OFF_MS);
    const sender = this.#parts.senderOf(channel, await this.#parts.secrets.open(channelOwner(channel.id)));
    if (!sender) {
      const holder = await lineHolder(db, channel.id, now);
      // Another process has the line, and finds this at once.
      return holder !== undefined && holder !== owner ? store.endDelivery(db, id, owner, null) : this.#later(taken, NO_LINE_MS);
    }
    const work = new Sending(taken, sender, { gathers: kind.gathers === true, language: await languageOf(db, id) });
    const nothingMore = await this.#sendAll(work);
    if (nothingMore !== undefined) await store.endDelivery(db, id, owner, nothingMore ? taken.wanted : null);
  }

  /** Gives a conversation back that cannot be sent just now. */
  async #later({ conversation_id: id, sent_seq: sentSeq, part, tries }: store.DeliveryRow, ms: number): Promise<void> {
    const { db, clock, process: owner } = this.#parts;
    const nextAt = new Date(clock.now().getTime() + ms);
    await store.moveDelivery(db, id, owner, { sentSeq, part, tries, nextAt, leaseUntil: null });
  }

  /** Sends line after line; true when there is nothing more, undefined when the conversation was given back meanwhile. */
  async #sendAll(work: Sending): Promise<boolean | undefined> {
    const { db, clock, process: owner } = this.#parts;
    while (!this.#keeper.stopped) {
      const pending = await store.hasTurnWaiting(db, work.id);
      const woken = this.#woken(work.id);
      const lines = await linesAfter(db, work.id, work.sentSeq);
      const { due, next } = dueLines(lines, clock.now());
      const waits = work.gathers && (pending || next !== null);
      const line = waits ? undefined : work.gathers ? gathered(due) : due[0];
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
    const made = work.sender.typing(work.sendable(key, 'bot'));
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
    const made = work.sender.message(message, work.sendable(key, line.who));
    if (!made.ok) return this.#failed(work, line, made.reason);
    for (const [i, send] of made.parts.entries()) {
      if (i < work.part) continue;
      const sent = await send(`${key}-${i + 1}`);
      if (sent.as === 'failed') return this.#failed(work, line, sent.reason);
      if (sent.as === 'again') return this.#tryLater(work, line, sent);
      if (sent.id !== undefined) await this.#keepId(work, line, sent.id);
      work.part = i + 1;
      work.tries = 0;
      if (!(await move(this.#lease()))) return false;
    }
    return this.#sent(work, line, message);
  }

  /** Under which id the other side knows a line: receipts, reactions and answers name it. */
  #keepId(work: Sending, line: LineRow, id: string): Promise<void> {
    const { db, clock } = this.#parts;
    const { channelId, id: conversation_id } = work;
    return keepSent(db, { channelId, idHash: hashSecret(id), conversation_id, seq: line.seq, at: clock.now() });
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
    const { channelId, id } = work;
    const sender = work.recipient.slice(0, 200);
    const row = { direction: 'out', outcome, about, sender, conversation_id: id, payload: null } as const;
    return note(this.#parts, channelId, row);
  }
}

/** Lines that are due as one message: those of the visitor are past, the buttons are those of the last. Undefined where there are none. */
function gathered(due: readonly LineRow[]): LineRow | undefined {
  const last = due.at(-1);
  const said = due.filter((l) => l.who !== 'visitor');
  const speaker = said.at(-1);
  if (!last || !speaker || said.length === 1) return speaker ?? last;
  const messages = said.map((l) => messageColumn.read(l.message));
  const { choices: _choices, ...ended } = messages.at(-1) ?? messageColumn.read(speaker.message);
  const message: Message = {
    ...ended,
    text: messages.map((m) => m.text).join('\n\n'),
    blocks: messages.flatMap((m) => m.blocks),
    ...listed('choices', messages.at(-1)?.choices ?? []),
    ...listed(
      'cites',
      messages.flatMap((m) => m.cites ?? []),
    ),
    ...listed(
      'links',
      messages.flatMap((m) => m.links ?? []),
    ),
  };
  return { ...speaker, seq: last.seq, message: JSON.stringify(message) };
}

const listed = <K extends string, T>(key: K, list: readonly T[]) => (list.length > 0 ? { [key]: list } : {});

/** How far the sending of one conversation has come. */
class Sending {
  readonly id: string;
  readonly channelId: string;
  readonly recipient: string;
  readonly sender: Sender;
  readonly gathers: boolean;
  sentSeq: number;
  part: number;
  tries: number;
  typed = false;
  readonly #with: Pick<Sendable, 'language' | 'answers' | 'thread'>;

  constructor(row: store.DeliveryRow, sender: Sender, { gathers, language }: { gathers: boolean; language: string }) {
    this.id = row.conversation_id;
    this.channelId = row.channel_id;
    this.recipient = row.recipient;
    this.sender = sender;
    this.gathers = gathers;
    this.sentSeq = row.sent_seq;
    this.part = row.part;
    this.tries = row.tries;
    const { answers, thread } = row;
    this.#with = { language, ...(answers === null ? {} : { answers }), ...(thread === null ? {} : { thread }) };
  }

  sendable(key: string, who: string): Sendable {
    return { to: this.recipient, key, who, ...this.#with };
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
