import { request, type Agent } from 'undici';
import type { Logger } from 'pino';
import { messageCalls, typingCalls, type HookCall, type HookProfile, type Message } from '@primrose/core';
import type { Clock } from '../../base/clock.js';
import { assertMayCall, createOutsideAgent, RefusedAddress, refusedReason, type AllowedAddresses } from '../../outside/agent.js';
import { channelOwner, type Secrets } from '../../outside/secrets.js';
import { channelById } from '../../store/channels.js';
import { linesAfter, type LineRow } from '../../store/conversations.js';
import type { Db } from '../../store/database.js';
import * as store from '../../store/messenger.js';
import type { Wakes } from '../../turns/wakes.js';
import { dueLines } from '../due.js';
import { note } from './receive.js';

export interface OutboxParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly wakes: Wakes;
  readonly secrets: Secrets;
  readonly log: Logger;
  readonly process: string;
  readonly allowed: AllowedAddresses;
}

const SWEEP_MS = 1000;
const LEASE_MS = 30_000;
const CALL_MS = 10_000;
/** How often is looked whether a channel that was switched off is on again. */
const OFF_MS = 10_000;
const MAX_TRIES = 8;
const FIRST_WAIT_MS = 1000;
const LONGEST_WAIT_MS = 60_000;
const MAX_ANSWER_BYTES = 200_000;

/** What came of one call: sent, to be tried again (after so long, where the messenger says), or never to be. */
type Sent =
  | { readonly as: 'sent' }
  | { readonly as: 'again'; readonly reason: string; readonly afterMs?: number }
  | { readonly as: 'failed'; readonly reason: string };

/**
 * Sends the lines of conversations to messengers, in order in each: step 5 of a turn. What cannot be sent now is tried
 * again with longer and longer waits; what finally fails is marked on its line and in the channel's events, and the next goes on.
 */
export class Outbox {
  readonly #parts: OutboxParts;
  readonly #agent: Agent;
  readonly #working = new Map<string, Promise<void>>();
  /** Conversations that were asked for once more while they were being sent. */
  readonly #again = new Set<string>();
  #sweep: NodeJS.Timeout | undefined;
  #stopped = false;

  constructor(parts: OutboxParts) {
    this.#parts = parts;
    this.#agent = createOutsideAgent(parts.allowed, MAX_ANSWER_BYTES);
  }

  start(): void {
    const { db, clock, log } = this.#parts;
    const sweep = async () => (await store.waitingDeliveries(db, clock.now())).forEach((id) => this.kick(id));
    this.#sweep = setInterval(
      () => void sweep().catch((error: unknown) => log.debug({ err: error }, 'cannot look for what is to be sent')),
      SWEEP_MS,
    );
  }

  async stop(): Promise<void> {
    this.#stopped = true;
    clearInterval(this.#sweep);
    await Promise.allSettled(this.#working.values());
    await this.#agent.close();
  }

  /** Sends what a conversation has, unless this process does so already. */
  kick(conversationId: string): void {
    if (this.#stopped) return;
    if (this.#working.has(conversationId)) {
      this.#again.add(conversationId);
      return;
    }
    const work = this.#send(conversationId)
      .catch((error: unknown) => this.#parts.log.warn({ err: error, conversation: conversationId }, 'sending was cut off'))
      .finally(() => {
        this.#working.delete(conversationId);
        if (this.#again.delete(conversationId)) this.kick(conversationId);
      });
    this.#working.set(conversationId, work);
  }

  async #send(id: string): Promise<void> {
    const { db, clock, process: owner } = this.#parts;
    const now = clock.now();
    const taken = await store.takeDelivery(db, id, { owner, now, until: this.#lease() });
    if (!taken) return;
    const channel = await channelById(db, taken.channel_id);
    if (!channel || channel.settings === null || channel.is_on !== 1) {
      const nextAt = new Date(now.getTime() + OFF_MS);
      const { sent_seq: sentSeq, part, tries } = taken;
      await store.moveDelivery(db, id, owner, { sentSeq, part, tries, nextAt, leaseUntil: null });
      return;
    }
    const secrets = await this.#parts.secrets.open(channelOwner(channel.id));
    const work = new Sending(taken, JSON.parse(channel.settings) as HookProfile, secrets);
    let nothingMore = false;
    while (!this.#stopped && !nothingMore) {
      const pending = await store.hasTurnWaiting(db, id);
      const woken = this.#woken(id);
      const lines = await linesAfter(db, id, work.sentSeq);
      const { due, next } = dueLines(lines, clock.now());
      const [line] = due;
      if (line) {
        if (!(await this.#sendLine(work, line))) return;
      } else if (pending || next !== null) {
        if (!work.typed) await this.#type(work);
        await woken;
        await store.moveDelivery(db, id, owner, { ...work.place(), nextAt: null, leaseUntil: this.#lease() });
      } else nothingMore = true;
    }
    await store.endDelivery(db, id, owner, nothingMore ? taken.wanted : null);
  }

  #lease(): Date {
    return new Date(this.#parts.clock.now().getTime() + LEASE_MS);
  }

  /** Resolves when the conversation has something new, or after half a second. */
  #woken(id: string): Promise<void> {
    return new Promise((resolve) => {
      const stop = this.#parts.wakes.listen(id, () => done());
      const late = setTimeout(() => done(), 500);
      const done = () => {
        clearTimeout(late);
        stop();
        resolve();
      };
    });
  }

  async #type(work: Sending): Promise<void> {
    work.typed = true;
    const made = typingCalls(work.profile, { ...work.target, key: `${work.id}-typing`, who: 'bot' });
    if (made.ok) for (const call of made.calls) await this.#call(call, `${work.id}-typing`);
  }

  /** Sends one line, part by part; false when the rest has to wait and the conversation was given back. */
  async #sendLine(work: Sending, line: LineRow): Promise<boolean> {
    const { db, process: owner } = this.#parts;
    const move = (leaseUntil: Date | null, nextAt: Date | null = null) =>
      store.moveDelivery(db, work.id, owner, { ...work.place(), nextAt, leaseUntil });
    if (line.who === 'visitor') {
      work.past(line.seq);
      return move(this.#lease());
    }
    const made = messageCalls(work.profile, JSON.parse(line.message) as Message, {
      ...work.target,
      key: `${work.id}-${line.seq}`,
      who: line.who,
    });
    if (!made.ok) {
      await this.#failed(work, line, `the mapping does not fit, ${made.field}: ${made.reason}`);
      return move(this.#lease());
    }
    for (const [i, call] of made.calls.entries()) {
      if (i < work.part) continue;
      const sent = await this.#call(call, `${work.id}-${line.seq}-${i + 1}`);
      if (sent.as === 'sent') {
        work.part = i + 1;
        work.tries = 0;
        if (!(await move(this.#lease()))) return false;
      } else if (sent.as === 'again' && work.tries + 1 < MAX_TRIES) {
        const wait = sent.afterMs ?? Math.min(LONGEST_WAIT_MS, FIRST_WAIT_MS * 2 ** work.tries);
        work.tries++;
        await this.#note(work, 'retried', `${sent.reason}; tried again in ${Math.round(wait / 100) / 10} s`);
        await move(null, new Date(this.#parts.clock.now().getTime() + wait));
        return false;
      } else {
        await this.#failed(work, line, sent.reason);
        return move(this.#lease());
      }
    }
    work.past(line.seq);
    work.typed = false;
    await this.#note(work, 'sent', (JSON.parse(line.message) as Message).text.slice(0, 200));
    return move(this.#lease());
  }

  async #failed(work: Sending, line: LineRow, reason: string): Promise<void> {
    work.past(line.seq);
    await store.markLineFailed(this.#parts.db, work.id, line.seq, reason);
    await this.#note(work, 'failed', reason);
  }

  #note(work: Sending, outcome: 'sent' | 'retried' | 'failed', about: string): Promise<void> {
    const { recipient, channelId } = work;
    return note(this.#parts, channelId, {
      direction: 'out',
      outcome,
      about,
      sender: recipient,
      conversation_id: work.id,
      payload: null,
    });
  }

  async #call({ url, headers, body }: HookCall, key: string): Promise<Sent> {
    try {
      const address = new URL(url);
      assertMayCall(address, this.#parts.allowed);
      const response = await request(address, {
        dispatcher: this.#agent,
        method: 'POST',
        headers: { ...headers, 'content-type': 'application/json', 'idempotency-key': key },
        body: JSON.stringify(body),
        signal: AbortSignal.timeout(CALL_MS),
      });
      const text = await response.body.text();
      return outcomeOf(response.statusCode, text, response.headers['retry-after']);
    } catch (error) {
      const { code, name } = error as { code?: string; name?: string };
      if (error instanceof RefusedAddress) return { as: 'failed', reason: refusedReason(new URL(url).hostname) };
      if (error instanceof TypeError) return { as: 'failed', reason: `${url} is no address` };
      return { as: 'again', reason: `the messenger cannot be reached (${code ?? name ?? 'no reason given'})` };
    }
  }
}

function outcomeOf(status: number, text: string, after: string | string[] | undefined): Sent {
  if (status < 300) return { as: 'sent' };
  const reason = `the messenger answered with status ${status}${text === '' ? '' : `: ${text.slice(0, 200)}`}`;
  if (status !== 429 && status !== 408 && status < 500) return { as: 'failed', reason };
  const seconds = Number(after);
  return { as: 'again', reason, ...(seconds > 0 ? { afterMs: Math.min(LONGEST_WAIT_MS, seconds * 1000) } : {}) };
}

/** How far the sending of one conversation has come. */
class Sending {
  readonly id: string;
  readonly channelId: string;
  readonly recipient: string;
  readonly profile: HookProfile;
  readonly target: { readonly to: string; readonly secrets: Readonly<Record<string, string>> };
  sentSeq: number;
  part: number;
  tries: number;
  typed = false;

  constructor(row: store.DeliveryRow, profile: HookProfile, secrets: Readonly<Record<string, string>>) {
    this.id = row.conversation_id;
    this.channelId = row.channel_id;
    this.recipient = row.recipient;
    this.profile = profile;
    this.target = { to: row.recipient, secrets };
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
