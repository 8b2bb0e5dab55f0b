import type { Logger } from 'pino';
import { manyOf, wasIdle, openSession, readMarkdown, type IncomingEvent, type Session } from '@primrose/core';
import { sleep, type Clock } from '../base/clock.js';
import * as columns from '../store/columns.js';
import { memoryColumn } from '../store/memories.js';
import type { HandOverNotice } from '../channels/hand-over-notice.js';
import { Keeper } from './keeper.js';
import { channelById } from '../store/channels.js';
import { turnOfEvent, type TurnRow } from '../store/conversations.js';
import type { LineRow } from '../store/lines.js';
import { isDatabaseTrouble, isNoRoom, type Db } from '../store/database.js';
import { statement, transaction, type Statement } from '../store/hot.js';
import { move } from '../store/move.js';
import { keptTogether, membersOf } from '../store/persons.js';
import { endRun } from '../store/runs.js';
import * as store from '../store/turning.js';
import type { LookOf } from '../knowledge/lookups.js';
import { prepareMind } from '../understanding/minds.js';
import type { Listeners } from '../understanding/listeners.js';
import { accept, type Accepted, type Incoming } from './accept.js';
import { draftVersion, type BotLoader, type LoadedBot } from '../bots/loader.js';
import { commitTurn } from './commit.js';
import type { TurnStops } from './stops.js';
import type { Wakes } from './wakes.js';
import { LostLease, type RanTurn, type RunTurn } from './run.js';

export interface TurnsParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly loader: BotLoader;
  readonly run: RunTurn;
  readonly listeners: Listeners;
  readonly lookOf: LookOf;
  /** Channels to which lines have to be sent, and who sends them. */
  readonly deliveries: {
    readonly pushes: (channelKind: string | null) => boolean;
    readonly kick: (conversationId: string, channelId: string) => void;
  };
  readonly handedOver: HandOverNotice;
  readonly wakes: Wakes;
  readonly stops: TurnStops;
  readonly log: Logger;
  readonly leaseMs: number;
  /** After so many tries an event is put aside. */
  readonly tries: number;
  /** The id of this process: who holds its leases. */
  readonly process: string;
}

/** A turn that takes no longer shows the visitor's line together with the answer: half the writes to every stream. */
const ECHO_MS = 250;
const LOOK_MS = 500;
const PUT_ASIDE = 'This message could not be answered: something is wrong on our side. Please try again.';
/** Behind every message that a turn can say. */
const PUT_ASIDE_POSITION = 1_000_000;

/** Takes events in and works them off, one conversation at a time in each, several conversations at once. */
export class Turns {
  readonly #parts: TurnsParts;
  readonly #owner: string;
  readonly #keeper: Keeper;
  /** Visitors' lines that were accepted here and not shown yet, by event. */
  readonly #unshown = new Map<string, readonly LineRow[]>();

  constructor(parts: TurnsParts) {
    const { db, clock, log } = parts;
    this.#parts = parts;
    this.#owner = parts.process;
    this.#keeper = new Keeper({
      clock,
      log,
      name: 'turns',
      waiting: () => statement(db, (hot) => store.waitingConversations(hot, clock.now())),
      work: (id) => this.#workOff(id),
    });
  }

  /** Begins to look for events that nobody works on: those of a process that died, or of a failed try. */
  start(): void {
    this.#keeper.start();
  }

  /** Takes nothing new and waits for what runs; what is not done within `withinMs` is handed back for others to take up. */
  async stop(withinMs: number): Promise<void> {
    const left = await this.#keeper.stop(withinMs);
    await Promise.allSettled(left.map((id) => this.#handBack(id)));
  }

  /** Accepts an event and sets the work off; returns as soon as the event is stored. */
  async take(incoming: Incoming): Promise<Accepted> {
    const { db, clock, leaseMs, wakes } = this.#parts;
    // While this process stops it claims nothing: others take up what still comes in here.
    const acceptor = { owner: this.#owner, leaseMs: this.#keeper.stopped ? 0 : leaseMs };
    const accepted = await accept(db, clock, acceptor, incoming);
    const { eventId, conversationId, lines } = accepted;
    if (lines.length > 0) {
      this.#unshown.set(eventId, lines);
      clock.after(ECHO_MS, () => {
        const unshown = this.#shows(eventId);
        if (unshown.length > 0) wakes.wake(conversationId, unshown);
      });
    }
    this.#keeper.kick(conversationId, incoming.botId);
    return accepted;
  }

  /** The visitor's line of an event, for whoever shows it first. */
  #shows(eventId: string): readonly LineRow[] {
    const lines = this.#unshown.get(eventId) ?? [];
    this.#unshown.delete(eventId);
    return lines;
  }

  /** Accepts an event and waits for its turn; undefined when the turn was not finished within `withinMs`. */
  async takeAndWait(incoming: Incoming, withinMs: number): Promise<TurnRow | undefined> {
    const { eventId, conversationId } = await this.take(incoming);
    return this.waitFor(conversationId, eventId, withinMs);
  }

  /** Waits for the turn of an event that was taken; undefined when it was not finished within `withinMs`. */
  async waitFor(conversationId: string, eventId: string, withinMs: number): Promise<TurnRow | undefined> {
    const { db, clock, wakes } = this.#parts;
    const end = clock.tick() + withinMs;
    for (;;) {
      const { done, wake } = sleep(clock, LOOK_MS);
      const stop = wakes.listen(conversationId, wake);
      const turn = await turnOfEvent(db, eventId);
      if (turn || clock.tick() > end) return (wake(), stop(), turn);
      await done;
      stop();
    }
  }

  async #workOff(id: string): Promise<void> {
    const { db } = this.#parts;
    let next: store.NextTurn | undefined;
    try {
      next = await statement(db, (hot) => store.nextTurn(hot, id));
      if (next && next.lease_owner !== this.#owner) {
        if (!(await statement(db, (hot) => store.takeLease(hot, id, this.#claim())))) return;
        next = await statement(db, (hot) => store.nextTurn(hot, id));
      }
      if (!next) return;
      while (next && (await this.#oneTurn(id, next))) {
        next = this.#keeper.stopped ? undefined : await statement(db, (hot) => store.nextTurn(hot, id));
      }
      // The commit has given back what has nothing more to do; this is for what a stop leaves.
      if (this.#keeper.stopped) await this.#handBack(id);
    } catch (error) {
      await this.#failed(id, next, error);
    }
  }

  #claim(): store.Claim {
    const now = this.#parts.clock.now();
    return { owner: this.#owner, now, until: new Date(now.getTime() + this.#parts.leaseMs) };
  }

  async #handBack(id: string, counts = false): Promise<void> {
    await statement(this.#parts.db, (hot) => store.dropLease(hot, id, this.#owner, counts));
  }

  /** True when a turn was begun as often as one may be without getting on: each effect that was noted was a step forward. */
  #isHopeless({ tries, begun }: store.NextTurn): boolean {
    return tries - begun > this.#parts.tries;
  }

  /** Only a turn's own failure counts against its event; a database that is away or full does not. */
  async #failed(id: string, next: store.NextTurn | undefined, error: unknown): Promise<void> {
    const { log, tries } = this.#parts;
    if (error instanceof LostLease) return log.info({ conversation: id }, 'another runner has taken this conversation over');
    const away = isDatabaseTrouble(error) || isNoRoom(error);
    await this.#handBack(id, !away).catch(() => undefined);
    // The commit may have succeeded though its answer was lost: whoever listens reads what there is, or comes back for it.
    this.#parts.wakes.wake(id);
    if (away) return log.warn({ err: error, conversation: id }, 'the database does not take the turn; it will be tried again');
    log.error({ err: error, conversation: id, tries: next?.tries }, 'a turn failed and will be tried again');
    if (next && next.tries - next.begun >= tries)
      await this.#putAside(id, next, reasonOf(error)).catch((again: unknown) =>
        log.error({ err: again }, 'an event could not be put aside'),
      );
  }

  /** Steps 3 to 5 for the next event of a conversation that is ours; true when another one waits. The lease is renewed meanwhile. */
  async #oneTurn(id: string, next: store.NextTurn): Promise<boolean> {
    const { db, clock, wakes, run, leaseMs, listeners, lookOf, deliveries } = this.#parts;
    if (this.#isHopeless(next)) return this.#putAside(id, next, DIED);
    const journal = next.begun > 0 ? await statement(db, (hot) => store.journalOf(hot, next.event_id)) : [];
    const event = columns.eventColumn.read(next.event);
    const { loaded, session } = await this.#prepare(next, event, journal[0]?.version);
    const endRenewing = clock.every(leaseMs / 3, () => {
      const until = new Date(clock.now().getTime() + leaseMs);
      statement(db, (hot) => store.renewLease(hot, id, this.#owner, until)).catch(() => undefined);
    });
    const pushed = deliveries.pushes(next.channel_kind);
    const stop = this.#parts.stops.watch(id);
    try {
      const { mind, learning } = await prepareMind({ listeners, lookOf }, loaded, begunAs(journal[0]?.version));
      const ran = await run({
        mind,
        version: learning ? `${loaded.version}${UNTRAINED}` : loaded.version,
        onWords: bySentence((text) => wakes.hint(id, { words: text })),
        onDoing: (text) => wakes.hint(id, { doing: text }),
        onMade: (made) => wakes.hint(id, { made }),
        stop: stop.signal,
        loaded,
        session,
        event,
        eventId: next.event_id,
        conversationId: id,
        visitorId: next.visitor_id,
        channelId: next.channel_id,
        owner: this.#owner,
        journal,
        dueAt: next.due_at,
        pushed,
        onSaid: () => wakes.wake(id),
      });
      const told = await this.#told(id, next, session, ran);
      const done = await commitTurn(db, clock, { conversationId: id, owner: this.#owner, next, loaded, ran, pushed, told });
      wakes.wake(id, [...this.#shows(next.event_id), ...done.lines]);
      if (pushed && next.channel_id !== null) deliveries.kick(id, next.channel_id);
      return done.more;
    } finally {
      endRenewing();
      stop.end();
    }
  }

  /**
   * The bot and the state that a turn begins with. A conversation stays on its release until it is over or was idle;
   * a tester’s follows the draft. A turn that was begun before goes on with the bot it was begun with.
   */
  async #prepare(
    next: store.NextTurn,
    event: IncomingEvent,
    begunWith: string | undefined,
  ): Promise<{ loaded: LoadedBot; session: Session }> {
    const { loader } = this.#parts;
    const state = columns.stateColumn.read(next.state);
    const known = async (loaded: LoadedBot, session: Session) => ({ loaded, session: await this.#known(next, loaded, session) });
    if (begunWith !== undefined) return known(await this.#version(next.bot_id, begunWith), state);
    if (next.release_id === null) return known(await loader.draft(next.bot_id), state);
    const loaded = await loader.release(next.release_id);
    if (!state.over && !wasIdle(state, loaded.bot.document, event.at)) return known(loaded, state);
    const channel = next.channel_id === null ? undefined : await channelById(this.#parts.db, next.channel_id);
    const live = channel?.live_id ?? next.release_id;
    return known(live === next.release_id ? loaded : await loader.release(live), { ...state, over: true });
  }

  /** What has staff told that somebody waits for them, where the turn has just handed over. */
  async #told(conversationId: string, next: store.NextTurn, before: Session, { result }: RanTurn): Promise<Statement[]> {
    const { handed } = result.session;
    if (!handed || before.handed || next.channel_id === null) return [];
    return this.#parts.handedOver({ botId: next.bot_id, conversationId, eventId: next.event_id, reason: handed.reason });
  }

  /** A state with what is kept of its visitor: of all that are the same person, where they are known to be. */
  async #known(next: store.NextTurn, loaded: LoadedBot, session: Session): Promise<Session> {
    const { variables, memory, linked, visitor_id: visitorId } = next;
    if (variables === null || visitorId === null) return session;
    const own = { visitor: columns.variablesColumn.read(variables) };
    if (linked !== 1) return { ...session, ...own, ...(memory === null ? {} : { memory: memoryColumn.read(memory) }) };
    const members = await statement(this.#parts.db, (hot) => membersOf(hot, next.bot_id, visitorId));
    const kept = keptTogether(members, manyOf(loaded.bot.document));
    return { ...session, visitor: kept.values, memory: kept.memory };
  }

  #version(botId: string, version: string): Promise<LoadedBot> {
    const name = version.replace(UNTRAINED, '');
    const revision = draftVersion(name);
    return revision === undefined ? this.#parts.loader.release(name) : this.#parts.loader.draft(botId, revision);
  }

  /**
   * An event whose turn fails again and again, or takes its process down, is put aside: the visitor is told, and people see it
   * with its reason. Nothing else is done with the conversation now, so another event waits for the next look.
   */
  async #putAside(id: string, next: store.NextTurn, reason: string): Promise<false> {
    const { db, clock, log, wakes, deliveries } = this.#parts;
    log.error({ conversation: id, event: next.event_id, tries: next.tries, reason }, 'an event was put aside');
    const message = { text: PUT_ASIDE, blocks: readMarkdown(PUT_ASIDE) };
    const line = { position: PUT_ASIDE_POSITION, who: 'notice', message, dueAt: null } as const;
    const at = clock.now();
    const { event_id: eventId, event_seq: eventSeq, event_part: eventPart } = next;
    const gate = store.putAside({ id, eventSeq, eventPart });
    const additions = [
      store.insertLines(id, eventId, [line], { at, again: true }),
      store.noteAside({ eventId, botId: next.bot_id, conversationId: id, tries: next.tries, reason, at }),
      ...(deliveries.pushes(next.channel_kind) ? [store.wantMore(id)] : []),
      ...(next.channel_id === null ? [endRun(id, { outcome: 'aside', gave: {}, reason }, at)] : []),
    ];
    await transaction(db, (hot) => move(hot, { conversationId: id, gate, additions }));
    wakes.wake(id);
    return false;
  }
}

/** Behind the version in the journal of a turn that went on before its bot had learned: who takes it up does so as well. */
const UNTRAINED = ' untrained';

function begunAs(version: string | undefined): 'trained' | 'untrained' | undefined {
  if (version === undefined) return undefined;
  return version.endsWith(UNTRAINED) ? 'untrained' : 'trained';
}

const DIED = 'each time the process that worked on it ended before it was done; it may have run out of memory';
const LONGEST_REASON = 500;

/** A failure that nobody expected, in one line for the people who run the bot. */
function reasonOf(error: unknown): string {
  const { name = 'Error', message = String(error) } = (error ?? {}) as { name?: string; message?: string };
  return `${name}: ${message.split('\n')[0] ?? ''}`.slice(0, LONGEST_REASON);
}

/** Hands words on up to the end of a sentence, and only when there is a new one. */
export function bySentence(onWords: (text: string) => void): (text: string) => void {
  let told = 0;
  return (text) => {
    // Another answer begins, or the one that was begun is not to be said.
    if (text === '') {
      if (told > 0) onWords('');
      told = 0;
      return;
    }
    const end = [...text.matchAll(/[.!?…:;。！？](?=\s|$)|\n/gu)].at(-1);
    const length = end === undefined ? 0 : end.index + end[0].length;
    if (length <= told) return;
    told = length;
    onWords(text.slice(0, length));
  };
}

/** The first state of a new conversation. */
export function firstState(loaded: LoadedBot, language: string | undefined): Session {
  return openSession(loaded.bot, {}, language);
}
