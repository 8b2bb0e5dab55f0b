import { createHash } from 'node:crypto';
import type { Logger } from 'pino';
import {
  createListener,
  listensForIntents,
  teachingOf,
  trainingKey,
  UNTRAINED,
  type BotDocument,
  type ClassifierData,
  type Listener,
} from '@primrose/core';
import { sleep, type Clock } from '../base/clock.js';
import { Recent } from '../base/recent.js';
import { loadClassifier, saveClassifier } from '../store/classifiers.js';
import type { Db } from '../store/database.js';
import { Lane } from './lane.js';

const KEPT = 32;
/** Up to so many phrases a bot is trained in the quick lane, so that it does not wait for a bot that takes a minute. */
const QUICK_PHRASES = 1500;
/** What could not be trained is not tried again so soon. */
const RETRY_MS = 600_000;

export interface ListenersParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly log: Logger;
  readonly trainingSeconds: number;
  /** How long a turn waits for a bot to learn; then the bot answers without. */
  readonly trainingWaitSeconds: number;
}

/** A listener, and whether it has only learned the words of phrases so far. */
export interface Listening {
  readonly listener: Listener;
  readonly learning: boolean;
}

/** Reads one date: the first one that a process reads costs half a second, and no visitor should wait for that. */
function warm(listener: Listener, { zone, languages }: BotDocument): Listener {
  for (const language of languages) listener('1', { at: '2026-01-01T12:00:00.000Z', zone, language });
  return listener;
}

/**
 * The listeners of bots. A classifier is trained in a thread of its own, once for all documents that teach the same; those of
 * releases are kept in the database, so that no start trains anew. The same document has the same listener in every process,
 * as training is deterministic. Of the states that a draft runs through while somebody types, only the last is trained ahead.
 */
export class Listeners {
  readonly #parts: ListenersParts;
  readonly #listeners = new WeakMap<BotDocument, Promise<Listener>>();
  readonly #untrained = new WeakMap<BotDocument, Listener>();
  readonly #classifiers = new Recent<Promise<ClassifierData>>(KEPT);
  readonly #failed = new Recent<{ readonly at: number; readonly error: Error }>(KEPT);
  readonly #saved = new Recent<true>(1000);
  readonly #ahead = new Map<string, BotDocument>();
  readonly #quick: Lane;
  readonly #slow: Lane;

  constructor(parts: ListenersParts) {
    this.#parts = parts;
    const withinMs = parts.trainingSeconds * 1000;
    this.#quick = new Lane(parts.clock, withinMs, () => this.#nextAhead());
    this.#slow = new Lane(parts.clock, withinMs);
  }

  /** The listener of a document, however long it takes; trained when nobody has asked for it yet. `keep`: it is one of a release. */
  of(document: BotDocument, owner = '', keep = false): Promise<Listener> {
    const known = this.#listeners.get(document);
    if (known) return known;
    const listener = this.classifierOf(document, owner, keep).then((classifier) =>
      warm(createListener(document, classifier), document),
    );
    this.#listeners.set(document, listener);
    listener.catch(() => this.#listeners.delete(document));
    return listener;
  }

  /** The listener of a document as soon as a turn needs one: what it could not learn in time it does without. */
  async soon(document: BotDocument, owner: string, keep: boolean): Promise<Listening> {
    const { clock, log, trainingWaitSeconds } = this.#parts;
    const { done, wake } = sleep(clock, trainingWaitSeconds * 1000);
    const learned = this.of(document, owner, keep).catch((error: unknown) => {
      log.warn({ err: error, bot: document.bot }, 'a bot could not be trained');
      return undefined;
    });
    const listener = await Promise.race([learned, done.then(() => undefined)]);
    wake();
    return listener ? { listener, learning: false } : { listener: this.untrained(document), learning: true };
  }

  /** What a bot understands before it has learned: phrases to the letter, and values. */
  untrained(document: BotDocument): Listener {
    const known = this.#untrained.get(document) ?? createListener(document, UNTRAINED);
    this.#untrained.set(document, known);
    return known;
  }

  /** Has the newest state of a draft trained in the background. */
  prepare(botId: string, document: BotDocument): void {
    if (!listensForIntents(document)) return;
    this.#ahead.set(botId, document);
    this.#nextAhead();
  }

  async close(): Promise<void> {
    this.#ahead.clear();
    await Promise.all([this.#quick.close(), this.#slow.close()]);
  }

  /** What a document's listener has learned, for a thread that makes its own listener of it. Refused where it takes too long. */
  classifierOf(document: BotDocument, owner = '', keep = false): Promise<ClassifierData> {
    const key = createHash('sha256').update(trainingKey(document)).digest('hex');
    const known = this.#classifiers.get(key);
    if (known) {
      if (keep) void known.then((classifier) => this.#save(key, classifier)).catch(() => undefined);
      return known;
    }
    const failed = this.#failed.get(key);
    if (failed && this.#parts.clock.tick() - failed.at < RETRY_MS) return Promise.reject(failed.error);
    const training = this.#learn(key, document, owner, keep);
    training.catch((error: unknown) => {
      this.#classifiers.delete(key);
      this.#failed.set(key, { at: this.#parts.clock.tick(), error: error instanceof Error ? error : new Error(String(error)) });
    });
    return this.#classifiers.set(key, training);
  }

  async #learn(key: string, document: BotDocument, owner: string, keep: boolean): Promise<ClassifierData> {
    const { db, clock, log } = this.#parts;
    const stored = await loadClassifier(db, key, clock.now()).catch((error: unknown) => {
      log.warn({ err: error }, 'a stored classifier could not be read; it is trained anew');
      return undefined;
    });
    if (stored) return stored;
    const lane = teachingOf(document).phrases <= QUICK_PHRASES ? this.#quick : this.#slow;
    const classifier = await lane.train(owner || key, document);
    if (keep) await this.#save(key, classifier);
    return classifier;
  }

  async #save(key: string, classifier: ClassifierData): Promise<void> {
    const { db, clock, log } = this.#parts;
    if (this.#saved.get(key)) return;
    this.#saved.set(key, true);
    await saveClassifier(db, key, classifier, clock.now()).catch((error: unknown) =>
      log.warn({ err: error }, 'a classifier could not be stored'),
    );
  }

  /** Trains ahead while nobody waits. */
  #nextAhead(): void {
    const [first] = this.#ahead;
    if (!first || !this.#quick.idle) return;
    this.#ahead.delete(first[0]);
    this.of(first[1], first[0])
      .catch(() => undefined)
      .finally(() => this.#nextAhead());
  }
}
