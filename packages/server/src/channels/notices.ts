import type { Logger } from 'pino';
import { failureOf, readMarkdown, type Message, type NoticeEffect, type NoticeResult } from '@primrose/core';
import { hashSecret, newId, type Clock } from '../base/clock.js';
import { channelOwner, type Secrets } from '../outside/secrets.js';
import { channelById, listChannels } from '../store/channels.js';
import { messageColumn } from '../store/columns.js';
import type { Db } from '../store/database.js';
import * as store from '../store/notices.js';
import { Keeper } from '../turns/keeper.js';
import type { Sendable, SendPart } from './channel.js';
import { note } from './events.js';
import type { FindSender } from './outbox.js';
import { LEASE_MS, NO_LINE_MS, OFF_MS, waitAgain } from './patience.js';
import { channelKind, pushes } from './registry.js';

export interface NoticesParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly secrets: Secrets;
  readonly log: Logger;
  readonly process: string;
  readonly senderOf: FindSender;
}

/** What a notice comes from: a bot's turn, and the place in it. */
export interface NoticeSource {
  readonly botId: string;
  readonly origin: string;
  readonly conversationId: string | null;
}

const STOP_MS = 10_000;

/** Messages that answer nobody: stored when a turn asks for them, then sent, tried again, and shown where they fail for good. */
export class Notices {
  readonly #parts: NoticesParts;
  readonly #keeper: Keeper;

  constructor(parts: NoticesParts) {
    const { db, clock, log } = parts;
    this.#parts = parts;
    this.#keeper = new Keeper({
      clock,
      log,
      name: 'notices',
      waiting: () => store.waitingNotices(db, clock.now()),
      work: (id) =>
        this.#send(id).catch((error: unknown) => log.warn({ err: error, notice: id }, 'sending a notice was cut off')),
    });
  }

  start(): void {
    this.#keeper.start();
  }

  async stop(): Promise<void> {
    await this.#keeper.stop(STOP_MS);
  }

  /** Stores what a turn wants to tell somebody. The same place in a turn stores it once. */
  async queue(effect: NoticeEffect, { botId, origin, conversationId }: NoticeSource): Promise<NoticeResult> {
    const { db, clock } = this.#parts;
    const channel = await this.#channel(botId, effect.on);
    if (!channel.ok) return failureOf('not-configured', channel.reason);
    const { to: recipient, text, links } = effect;
    const message: Message = { text, blocks: readMarkdown(text), ...(links.length > 0 ? { links: [...links] } : {}) };
    const row = {
      id: newId(clock),
      origin: hashSecret(origin),
      botId,
      channelId: channel.id,
      conversationId,
      recipient,
      message,
      at: clock.now(),
    };
    const id = await store.keepNotice(db, row);
    this.#keeper.kick(id, channel.id);
    return { outcome: 'queued', notice: id };
  }

  /** The channel of a name, or the only one that can send. */
  async #channel(botId: string, on: string) {
    const able = (await listChannels(this.#parts.db, botId)).filter((c) => pushes(c.kind));
    const named = able.map((c) => ({ id: c.id, name: c.name ?? channelKind(c.kind).name }));
    const found =
      on === '' ? (named.length === 1 ? named[0] : undefined) : named.find((c) => c.name.toLowerCase() === on.toLowerCase());
    if (found) return { ok: true as const, id: found.id };
    if (named.length === 0) return { ok: false as const, reason: 'the bot has no channel that can send; connect a messenger' };
    const names = named.map((c) => c.name).join(', ');
    const which =
      on === '' ? 'there are several channels that can send, so say on which' : `there is no channel "${on}" that can send`;
    return { ok: false as const, reason: `${which}: ${names}` };
  }

  async #send(id: string): Promise<void> {
    const { db, clock, process: owner, secrets } = this.#parts;
    const now = clock.now();
    const row = await store.takeNotice(db, id, { owner, now, until: this.#lease() });
    if (!row) return;
    const channel = await channelById(db, row.channel_id);
    if (channel?.is_on !== 1 || channel.settings === null)
      return this.#later(row, OFF_MS, 'the channel is switched off', row.tries);
    const sender = this.#parts.senderOf(channel, await secrets.open(channelOwner(channel.id)));
    if (!sender) return this.#later(row, NO_LINE_MS, 'the channel is not connected', row.tries);
    const to: Sendable = { to: row.recipient, key: `notice-${row.id}`, who: 'bot', language: 'en' };
    const made = sender.message(messageColumn.read(row.message), to);
    if (!made.ok) return this.#failed(row, made.reason);
    await this.#sendParts(row, made.parts);
  }

  async #sendParts(row: store.NoticeRow, parts: readonly SendPart[]): Promise<void> {
    const { db, process: owner } = this.#parts;
    for (const [i, send] of parts.entries()) {
      if (i < row.part) continue;
      const at = { ...row, part: i };
      const sent = await send(`notice-${row.id}-${i + 1}`);
      if (sent.as === 'failed') return this.#failed(at, sent.reason);
      if (sent.as === 'again') {
        const wait = waitAgain(row.tries, sent.afterMs);
        if (wait === undefined) return this.#failed(at, sent.reason);
        return this.#later(at, wait, sent.reason, row.tries + 1);
      }
      const on = { state: 'waits', part: i + 1, tries: 0, reason: null, nextAt: null, sentAt: null } as const;
      if (!(await store.moveNotice(db, row.id, owner, on, this.#lease()))) return;
    }
    const sentAt = this.#parts.clock.now();
    await store.moveNotice(
      db,
      row.id,
      owner,
      { state: 'sent', part: parts.length, tries: 0, reason: null, nextAt: null, sentAt },
      null,
    );
    await this.#note(row, 'sent', messageColumn.read(row.message).text.slice(0, 200));
  }

  #lease(): Date {
    return new Date(this.#parts.clock.now().getTime() + LEASE_MS);
  }

  async #later(row: store.NoticeRow, waitMs: number, reason: string, tries: number): Promise<void> {
    const { db, clock, process: owner } = this.#parts;
    const nextAt = new Date(clock.now().getTime() + waitMs);
    await store.moveNotice(db, row.id, owner, { state: 'waits', part: row.part, tries, reason, nextAt, sentAt: null }, null);
    if (tries > row.tries)
      await this.#note(row, 'retried', `a notice: ${reason}; tried again in ${Math.round(waitMs / 100) / 10} s`);
  }

  async #failed(row: store.NoticeRow, reason: string): Promise<void> {
    const { db, process: owner } = this.#parts;
    const { part, tries } = row;
    await store.moveNotice(db, row.id, owner, { state: 'failed', part, tries, reason, nextAt: null, sentAt: null }, null);
    await this.#note(row, 'failed', `a notice: ${reason}`);
  }

  #note(row: store.NoticeRow, outcome: 'sent' | 'retried' | 'failed', about: string): Promise<void> {
    const told = {
      direction: 'out',
      outcome,
      about,
      sender: row.recipient,
      conversation_id: row.conversation_id,
      payload: null,
    } as const;
    return note(this.#parts, row.channel_id, told);
  }
}
