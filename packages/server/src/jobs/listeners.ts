import { createHash } from 'node:crypto';
import { Worker } from 'node:worker_threads';
import { createListener, trainingKey, type BotDocument, type ClassifierData, type Listener } from '@primrose/core';
import { Recent } from '../recent.js';

const KEPT = 32;

interface Training {
  readonly resolve: (classifier: ClassifierData) => void;
  readonly reject: (error: Error) => void;
}

/**
 * The listeners of bots. A classifier is trained in a thread of its own, once for all documents that teach the same; the
 * same document has the same listener in every process, as training is deterministic.
 */
export class Listeners {
  readonly #listeners = new WeakMap<BotDocument, Promise<Listener>>();
  readonly #classifiers = new Recent<Promise<ClassifierData>>(KEPT);
  readonly #trainings = new Map<number, Training>();
  #worker: Worker | undefined;
  #last = 0;
  #closed = false;

  /** The listener of a document; trained when nobody has asked for it yet. */
  of(document: BotDocument): Promise<Listener> {
    const known = this.#listeners.get(document);
    if (known) return known;
    const listener = this.#classifier(document).then((classifier) => createListener(document, classifier));
    this.#listeners.set(document, listener);
    listener.catch(() => this.#listeners.delete(document));
    return listener;
  }

  async close(): Promise<void> {
    this.#closed = true;
    await this.#worker?.terminate();
  }

  #classifier(document: BotDocument): Promise<ClassifierData> {
    const key = createHash('sha256').update(trainingKey(document)).digest('base64');
    const known = this.#classifiers.get(key);
    if (known) return known;
    const training = this.#train(document);
    training.catch(() => this.#classifiers.delete(key));
    return this.#classifiers.set(key, training);
  }

  #train(document: BotDocument): Promise<ClassifierData> {
    if (this.#closed) return Promise.reject(new Error('the service stops'));
    const worker = (this.#worker ??= this.#start());
    const id = ++this.#last;
    // What training does not read need not be copied to the thread.
    const { knowledge: _knowledge, connections: _connections, ...rest } = document;
    return new Promise((resolve, reject) => {
      this.#trainings.set(id, { resolve, reject });
      worker.postMessage({ id, document: rest });
    });
  }

  #start(): Worker {
    const worker = new Worker(new URL('./training-worker.js', import.meta.url));
    worker.unref();
    worker.on('message', ({ id, classifier, error }: { id: number; classifier?: ClassifierData; error?: string }) => {
      const training = this.#trainings.get(id);
      this.#trainings.delete(id);
      if (classifier) training?.resolve(classifier);
      else training?.reject(new Error(error));
    });
    const fail = (error: Error) => {
      this.#worker = undefined;
      this.#trainings.forEach((t) => t.reject(error));
      this.#trainings.clear();
    };
    worker.on('error', fail);
    worker.on('exit', () => fail(new Error('training was stopped')));
    return worker;
  }
}
