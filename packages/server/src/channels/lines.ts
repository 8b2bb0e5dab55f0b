import type { Logger } from 'pino';
import type { Clock } from '../base/clock.js';
import type { AllowedAddresses } from '../outside/agent.js';
import { createCaller, type Caller } from '../outside/call.js';
import { redact } from '../outside/redact.js';
import { channelOwner, type Secrets } from '../outside/secrets.js';
import { channelById, linedChannels, type ServingChannel } from '../store/channels.js';
import type { Db } from '../store/database.js';
import * as store from '../store/held-lines.js';
import { NoLine, type Line, type LinePort, type Sender } from './channel.js';
import { note } from './events.js';
import type { Intake } from './intake.js';
import { MAX_ANSWER_BYTES } from './patience.js';
import { channelKinds, senderOf } from './registry.js';

export interface LinesParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly secrets: Secrets;
  readonly log: Logger;
  readonly process: string;
  readonly allowed: AllowedAddresses;
  readonly publicUrl: string;
  readonly intake: Intake;
}

/** How often is looked which lines are to be held. */
const LOOK_MS = 1000;
/** How long one process holds a line unless it says that it goes on; and how often it says so. */
const LEASE_MS = 15_000;
const RENEW_MS = 4000;
const FIRST_WAIT_MS = 1000;
const LONGEST_WAIT_MS = 60_000;
/** A line that stood so long was none that fails at once. */
const STEADY_MS = 20_000;
const CLOSE_MS = 3000;
const MOST_LINES = 500;
const MOST_CURSOR = 20_000;

const KINDS = [...channelKinds.values()].filter((k) => k.connects).map((k) => k.kind);

/** A channel whose line this process holds, or tries to. */
interface Held {
  version: number;
  settings: string;
  renewed: number;
  line: Line | undefined;
  /** A line is being made, or one that ended is being cleared away. */
  busy: boolean;
  began: number;
  tries: number;
  nextAt: number;
}

/**
 * Holds the lines to the servers of channels that need one: each by one process, which says again and again that it goes on. A line that
 * ends is made again with longer and longer waits; how it stands is on the channel's page.
 */
export class Lines {
  readonly #parts: LinesParts;
  readonly #caller: Caller;
  readonly #held = new Map<string, Held>();
  #endLooking: (() => void) | undefined;
  #looking: Promise<void> | undefined;
  #stopped = false;

  constructor(parts: LinesParts) {
    this.#parts = parts;
    this.#caller = createCaller(parts.allowed, MAX_ANSWER_BYTES);
  }

  start(): void {
    this.#endLooking = this.#parts.clock.every(LOOK_MS, () => this.look());
    this.look();
  }

  async stop(): Promise<void> {
    this.#stopped = true;
    this.#endLooking?.();
    await this.#looking;
    await Promise.all([...this.#held.keys()].map((id) => this.#letGo(id)));
    await this.#caller.close();
  }

  /** How a channel sends from here: by itself, or by the line that this process holds; undefined while there is none. */
  senderOf(channel: ServingChannel, secrets: Readonly<Record<string, string>>): Sender | undefined {
    return senderOf(channel, secrets, this.#caller, this.#parts.allowed) ?? this.#held.get(channel.id)?.line?.sender;
  }

  /** Looks now which lines are to be held. */
  look(): void {
    this.#looking ??= this.#look()
      .catch((error: unknown) => this.#parts.log.warn({ err: error }, 'the lines of channels were not looked at'))
      .finally(() => (this.#looking = undefined));
  }

  async #look(): Promise<void> {
    if (this.#stopped) return;
    const { db, clock } = this.#parts;
    const now = clock.now().getTime();
    try {
      const wanted = (await linedChannels(db, KINDS, MOST_LINES)).filter(
        (c) => c.settings !== null && channelKinds.get(c.kind)?.holds?.(c.settings) !== false,
      );
      const ids = new Set(wanted.map((c) => c.id));
      await Promise.all([...this.#held.keys()].filter((id) => !ids.has(id)).map((id) => this.#letGo(id)));
      for (const channel of wanted) await this.#see(channel, now);
    } catch (error) {
      // Whoever cannot say any more that it goes on has to let go before somebody else takes the line.
      for (const [id, held] of this.#held) if (now - held.renewed > LEASE_MS - RENEW_MS) await this.#letGo(id);
      throw error;
    }
  }

  async #see(channel: ServingChannel, now: number): Promise<void> {
    const { db, process: owner } = this.#parts;
    const before = this.#held.get(channel.id);
    if (before && now - before.renewed < RENEW_MS && before.settings === channel.settings && before.line) return;
    if (before?.busy) return;
    const row = await store.holdLine(db, channel.id, { owner, now: new Date(now), until: new Date(now + LEASE_MS) });
    if (!row) {
      if (before) await this.#letGo(channel.id);
      return;
    }
    const settings = channel.settings ?? '';
    if (before && (before.version !== row.version || before.settings !== settings)) await this.#letGo(channel.id, false);
    const held: Held = this.#held.get(channel.id) ?? {
      ...{ version: row.version, settings, renewed: now, line: undefined, busy: false, began: now, tries: 0, nextAt: 0 },
    };
    held.renewed = now;
    this.#held.set(channel.id, held);
    if (!held.line && !held.busy && held.nextAt <= now) void this.#connect(channel, held, row.cursor_at);
  }

  async #connect(channel: ServingChannel, held: Held, cursor: string | null): Promise<void> {
    const { db, clock, secrets, log } = this.#parts;
    const kind = channelKinds.get(channel.kind);
    held.busy = true;
    held.began = clock.now().getTime();
    let known: readonly string[] = [];
    try {
      const opened = await secrets.open(channelOwner(channel.id));
      known = Object.values(opened);
      const missing = kind?.secrets?.find((s) => s.optional !== true && opened[s.name] === undefined);
      if (missing) throw new NoLine(`the secret "${missing.name}" (${missing.about}) is not kept yet`);
      const line = await kind?.connects?.(this.#port(channel, opened, cursor));
      if (!line) return;
      if (this.#held.get(channel.id) !== held || this.#stopped) return void (await line.close());
      held.line = line;
      await store.noteLine(db, channel.id, { state: 'connected', reason: null, since: clock.now() });
      void line.ended.then((reason) => this.#ended(channel, held, redact(reason, known)));
    } catch (error) {
      log.debug({ err: error, channel: channel.id }, 'a line was not made');
      const reason = error instanceof Error ? error.message : String(error);
      await this.#ended(channel, held, redact(reason, known));
    } finally {
      held.busy = false;
    }
  }

  #port(channel: ServingChannel, secrets: Readonly<Record<string, string>>, cursor: string | null): LinePort {
    const { db, clock, log, allowed, publicUrl, intake, process: owner } = this.#parts;
    /** The channel with the release that it serves now: a line may stand for longer than a release is live. */
    const asItIs = async () => (await channelById(db, channel.id)) ?? channel;
    return {
      ...{ channel, settings: channel.settings ?? '', secrets, cursor, db, clock, log, allowed, publicUrl, caller: this.#caller },
      take: async (came) => intake.take(await asItIs(), came),
      sign: (sign) => intake.sign(channel, sign),
      refuse: async (about, sender, payload) => {
        const row = {
          direction: 'in',
          outcome: 'passed-over',
          about: about.slice(0, 500),
          sender: sender?.slice(0, 200) ?? null,
          conversation_id: null,
          payload: payload ?? null,
        } as const;
        await note(this.#parts, channel.id, row);
      },
      moveCursor: async (to) => {
        if (to.length <= MOST_CURSOR) await store.moveCursor(db, channel.id, owner, to);
      },
    };
  }

  /** A line has ended by itself, or was not made: it is made again after a while. */
  async #ended(channel: ServingChannel, held: Held, reason: string): Promise<void> {
    if (this.#held.get(channel.id) !== held) return;
    const { db, clock, log } = this.#parts;
    const now = clock.now();
    held.line = undefined;
    if (now.getTime() - held.began > STEADY_MS) held.tries = 0;
    const wait = Math.min(LONGEST_WAIT_MS, FIRST_WAIT_MS * 2 ** held.tries);
    held.tries++;
    held.nextAt = now.getTime() + wait;
    const told = reason.slice(0, 500);
    try {
      await store.noteLine(db, channel.id, { state: 'trouble', reason: told, since: now });
      const about = `no connection: ${told}; tried again in ${wait / 1000} s`.slice(0, 500);
      const row = { direction: 'out', outcome: 'retried', about, sender: null, conversation_id: null, payload: null } as const;
      if (held.tries < 4) await note(this.#parts, channel.id, row);
    } catch (error) {
      log.debug({ err: error, channel: channel.id }, 'the state of a line was not noted');
    }
  }

  /** Ends a line and gives it to whoever wants it; not given away where it is only made anew. */
  async #letGo(id: string, gives = true): Promise<void> {
    const { db, clock, process: owner, log } = this.#parts;
    const held = this.#held.get(id);
    this.#held.delete(id);
    const late = new Promise<void>((resolve) => clock.after(CLOSE_MS, resolve));
    await Promise.race([held?.line?.close().catch((error: unknown) => log.debug({ err: error }, 'a line was cut')), late]);
    if (gives) await store.dropLine(db, id, owner).catch(() => undefined);
  }
}
