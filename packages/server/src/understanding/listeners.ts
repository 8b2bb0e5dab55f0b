import { createHash } from 'node:crypto';
import { Worker } from 'node:worker_threads';
import {
  createListener,
  listensForIntents,
  trainingKey,
  type BotDocument,
  type ClassifierData,
  type Listener,
} from '@primrose/core';
import { Recent } from '../base/recent.js';

const KEPT = 32;

interface Training {
  readonly document: BotDocument;
  readonly resolve: (classifier: ClassifierData) => void;
  readonly reject: (error: Error) => void;
}

/** Reads one date: the first one that a process reads costs half a second, and no visitor should wait for that. */
function warm(listener: Listener, { zone, languages }: BotDocument): Listener {
  for (const language of languages) listener('1', { at: '2026-01-01T12:00:00.000Z', zone, language });
  return listener;
}

/**
 * The listeners of bots. A classifier is trained in a thread of its own, once for all documents that teach the same; the
 * same document has the same listener in every process, as training is deterministic. Whoever waits for one comes first;
 * of the states that a draft runs through while somebody types, only the last is trained ahead of time.
 */
export class Listeners {
  readonly #listeners = new WeakMap<BotDocument, Promise<Listener>>();
  readonly #classifiers = new Recent<Promise<ClassifierData>>(KEPT);
  readonly #ahead = new Map<string, BotDocument>();
  #urgent: Training[] = [];
  #now: Training | undefined;
  #worker: Worker | undefined;
  #closed = false;

  /** The listener of a document; trained when nobody has asked for it yet. */
  of(document: BotDocument): Promise<Listener> {
    const known = this.#listeners.get(document);
    if (known) return known;
    const listener = this.classifierOf(document).then((classifier) => warm(createListener(document, classifier), document));
    this.#listeners.set(document, listener);
    listener.catch(() => this.#listeners.delete(document));
    return listener;
  }

  /** Has the newest state of a draft trained in the background. */
  prepare(botId: string, document: BotDocument): void {
    if (!listensForIntents(document)) return;
    this.#ahead.set(botId, document);
    this.#next();
  }

  async close(): Promise<void> {
    this.#closed = true;
    await this.#worker?.terminate();
  }

  /** What a document's listener has learned, for a thread that makes its own listener of it. */
  classifierOf(document: BotDocument): Promise<ClassifierData> {
    const key = createHash('sha256').update(trainingKey(document)).digest('base64');
    const known = this.#classifiers.get(key);
    if (known) return known;
    const training = this.#train(document);
    training.catch(() => this.#classifiers.delete(key));
    return this.#classifiers.set(key, training);
  }

  #train(document: BotDocument): Promise<ClassifierData> {
    if (this.#closed) return Promise.reject(new Error('the service stops'));
    return new Promise((resolve, reject) => {
      this.#urgent.push({ document, resolve, reject });
      this.#next();
    });
  }

  /** Gives the thread its next work, if it has none. */
  #next(): void {
    if (this.#now || this.#closed) return;
    this.#now = this.#urgent.shift();
    if (this.#now) {
      this.#worker ??= this.#start();
      // What training does not read need not be copied to the thread.
      const { knowledge: _knowledge, connections: _connections, ...rest } = this.#now.document;
      this.#worker.postMessage(rest);
      return;
    }
    const [first] = this.#ahead;
    if (!first) return;
    this.#ahead.delete(first[0]);
    this.of(first[1]).catch(() => undefined);
    this.#next();
  }

  #done(settle: (training: Training) => void): void {
    const training = this.#now;
    this.#now = undefined;
    if (training) settle(training);
    this.#next();
  }

  #start(): Worker {
    const worker = new Worker(new URL('./training-worker.js', import.meta.url));
    worker.unref();
    worker.on('message', ({ classifier, error }: { classifier?: ClassifierData; error?: string }) =>
      this.#done((t) => (classifier ? t.resolve(classifier) : t.reject(new Error(error)))),
    );
    const fail = (error: Error) => {
      this.#worker = undefined;
      this.#done((t) => t.reject(error));
    };
    worker.on('error', fail);
    worker.on('exit', () => this.#worker === worker && fail(new Error('training was stopped')));
    return worker;
  }
}
