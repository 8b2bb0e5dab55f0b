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
  type JudgedPhrase,
  type Listener,
  type NearDuplicate,
  type Vectors,
} from '@primrose/core';
import { sleep, type Clock } from '../base/clock.js';
import { Recent } from '../base/recent.js';
import { loadClassifier, saveClassifier } from '../store/classifiers.js';
import type { Db } from '../store/database.js';
import { ENCODES, type Encoder } from './encoder.js';
import { Lane } from './lane.js';
import { ownLexicon } from './lexicon.js';

const KEPT = 32;
/** A bot with more phrases is learned without the encoder, which would have to read them all. */
const MOST_ENCODED = 4000;
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
  /** Reads sentences, where there is one. */
  readonly encoder: Encoder | undefined;
}

/** How well a document understands its own phrases, and whether an encoder had a part in it. */
export interface QualityFound {
  readonly judged: readonly JudgedPhrase[];
  readonly duplicates: readonly NearDuplicate[];
  readonly encoder: boolean;
}

/** A listener, and whether it has only learned the words of phrases so far. */
export interface Listening {
  readonly listener: Listener;
  readonly learning: boolean;
}

/** What a classifier is trained from, as a key: two documents that teach the same have the same. */
function keyOf(document: BotDocument, encodes = ''): string {
  return createHash('sha256')
    .update(`${encodes}\n${trainingKey(document)}`)
    .digest('hex');
}

/** Reads once what is read from lists at first, some tenths of a second: no visitor should wait for that. */
function warm(listener: Listener, { zone, languages }: BotDocument): Listener {
  for (const language of languages) ownLexicon().known('a', language);
  for (const language of languages) listener.hear('1', { at: '2026-01-01T12:00:00.000Z', zone, language });
  return listener;
}

/**
 * The listeners of bots. A classifier is trained in a thread of its own, once for all documents that teach the same; those of
 * releases are kept in the database, so that no start trains anew. By words it is trained at once; with the encoder it is
 * trained behind that, and takes the place of the first when it is done. What is understood by words alone is the same in both,
 * and the same in every process. Of the states that a draft runs through while somebody types, only the last is trained ahead.
 */
export class Listeners {
  readonly #parts: ListenersParts;
  readonly #listeners = new WeakMap<BotDocument, Promise<{ listener: Listener }>>();
  readonly #untrained = new WeakMap<BotDocument, Listener>();
  readonly #classifiers = new Recent<Promise<ClassifierData>>(KEPT);
  readonly #failed = new Recent<{ readonly at: number; readonly error: Error }>(KEPT);
  readonly #qualities = new Recent<Promise<QualityFound>>(KEPT);
  readonly #saved = new Recent<true>(1000);
  readonly #ahead = new Map<string, BotDocument>();
  /** By owner, the state of a draft that is to be learned with the encoder next, or is. */
  readonly #deepening = new Map<string, BotDocument>();
  readonly #quick: Lane;
  readonly #slow: Lane;
  readonly #deep: Lane;

  constructor(parts: ListenersParts) {
    this.#parts = parts;
    const withinMs = parts.trainingSeconds * 1000;
    this.#quick = new Lane(parts.clock, withinMs, () => this.#nextAhead());
    this.#slow = new Lane(parts.clock, withinMs);
    this.#deep = new Lane(parts.clock, withinMs);
  }

  /** The listener of a document, however long it takes; trained when nobody has asked for it yet. `keep`: it is one of a release. */
  async of(document: BotDocument, owner = '', keep = false): Promise<Listener> {
    const known = this.#listeners.get(document);
    if (known) return (await known).listener;
    const made = this.classifierOf(document, owner, keep).then((classifier) => ({
      listener: this.#listener(document, classifier),
    }));
    this.#listeners.set(document, made);
    made.catch(() => this.#listeners.delete(document));
    const { listener } = await made;
    void this.#deepen(document, owner, keep);
    return listener;
  }

  /** The listener that a document will have in the end: with the encoder where it helps. */
  async finalOf(document: BotDocument, owner = ''): Promise<Listener> {
    return this.#listener(document, await this.bestOf(document, owner));
  }

  /** How well a document understands its own phrases. Refused where it takes too long. */
  async quality(document: BotDocument, owner: string): Promise<QualityFound> {
    const key = keyOf(document, 'quality');
    const known = this.#qualities.get(key);
    if (known) return known;
    const measuring = this.#measure(document, owner);
    measuring.catch(() => this.#qualities.delete(key));
    return this.#qualities.set(key, measuring);
  }

  async #measure(document: BotDocument, owner: string): Promise<QualityFound> {
    const classifier = await this.bestOf(document, owner);
    const texts = classifier.dense ? await this.#deep.run(owner, { name: 'texts', document }) : [];
    const vectors = texts.length > 0 ? await this.#parts.encoder?.ofBot(texts) : undefined;
    const found = await this.#deep.run(owner, { name: 'quality', document, classifier, vectors });
    return { ...found, encoder: vectors !== undefined };
  }

  /** Reads texts that no visitor waits for with the encoder; undefined where there is none. */
  async encodeLater(texts: readonly string[]): Promise<Vectors | undefined> {
    return this.#parts.encoder?.ofTexts(texts);
  }

  /** Reads texts of visitors with the encoder, where there is one. */
  get encode(): ((texts: readonly string[]) => Promise<Vectors | undefined>) | undefined {
    const { encoder } = this.#parts;
    return encoder && ((texts) => encoder.ofMessage(texts));
  }

  #listener(document: BotDocument, classifier: ClassifierData): Listener {
    return warm(createListener(document, classifier, ownLexicon(), this.#parts.encoder && ENCODES), document);
  }

  /**
   * Puts the classifier that has learned with the encoder in the place of the one that has not. Of the states of a draft that are
   * asked for meanwhile, only the last is learned so.
   */
  async #deepen(document: BotDocument, owner: string, keep: boolean): Promise<void> {
    if (!this.#parts.encoder) return;
    // What belongs to nobody in particular is no state of one draft, and nothing takes its place.
    if (keep || owner === '') return this.#deepenOne(document, owner, keep);
    const under = this.#deepening.has(owner);
    this.#deepening.set(owner, document);
    if (under) return;
    for (
      let now: BotDocument | undefined = document, last: BotDocument | undefined;
      now !== last;
      now = this.#deepening.get(owner)
    ) {
      last = now;
      if (now) await this.#deepenOne(now, owner, keep);
    }
    this.#deepening.delete(owner);
  }

  async #deepenOne(document: BotDocument, owner: string, keep: boolean): Promise<void> {
    const best = await this.bestOf(document, owner, keep).catch(() => undefined);
    const known = await this.#listeners.get(document)?.catch(() => undefined);
    if (known && best?.dense) known.listener = this.#listener(document, best);
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
    const known = this.#untrained.get(document) ?? createListener(document, UNTRAINED, ownLexicon());
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
    await Promise.all([this.#quick.close(), this.#slow.close(), this.#deep.close()]);
  }

  /** What a document's listener has learned by words. Refused where it takes too long. */
  classifierOf(document: BotDocument, owner = '', keep = false): Promise<ClassifierData> {
    const key = keyOf(document);
    return this.#classifier(key, keep, () => {
      const lane = teachingOf(document).phrases <= QUICK_PHRASES ? this.#quick : this.#slow;
      return lane.run(owner || key, { name: 'train', document });
    });
  }

  /** The best that can be learned of a document: with the encoder where there is one and it does not fail, else by words. */
  async bestOf(document: BotDocument, owner = '', keep = false): Promise<ClassifierData> {
    const { encoder } = this.#parts;
    if (!encoder || teachingOf(document).phrases > MOST_ENCODED) return this.classifierOf(document, owner, keep);
    const key = keyOf(document, ENCODES);
    const deep = this.#classifier(key, keep, async () => {
      const texts = await this.#deep.run(owner || key, { name: 'texts', document });
      const vectors = texts.length > 0 ? await encoder.ofBot(texts) : undefined;
      if (!vectors) throw new Error('the encoder did not read the bot');
      return this.#deep.run(owner || key, { name: 'train', document, vectors });
    });
    return deep.catch(() => this.classifierOf(document, owner, keep));
  }

  /** A classifier by its key: as it is known, as it is stored, or as it is learned now. */
  #classifier(key: string, keep: boolean, learn: () => Promise<ClassifierData>): Promise<ClassifierData> {
    const known = this.#classifiers.get(key);
    if (known) {
      if (keep) void known.then((classifier) => this.#save(key, classifier)).catch(() => undefined);
      return known;
    }
    const failed = this.#failed.get(key);
    if (failed && this.#parts.clock.tick() - failed.at < RETRY_MS) return Promise.reject(failed.error);
    const training = this.#learn(key, keep, learn);
    training.catch((error: unknown) => {
      this.#classifiers.delete(key);
      this.#failed.set(key, { at: this.#parts.clock.tick(), error: error instanceof Error ? error : new Error(String(error)) });
    });
    return this.#classifiers.set(key, training);
  }

  async #learn(key: string, keep: boolean, learn: () => Promise<ClassifierData>): Promise<ClassifierData> {
    const { db, clock, log } = this.#parts;
    const stored = await loadClassifier(db, key, clock.now()).catch((error: unknown) => {
      log.warn({ err: error }, 'a stored classifier could not be read; it is trained anew');
      return undefined;
    });
    if (stored) return stored;
    const classifier = await learn();
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
