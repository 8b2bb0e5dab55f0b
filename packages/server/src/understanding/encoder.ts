import { createHash } from 'node:crypto';
import { Worker } from 'node:worker_threads';
import type { Logger } from 'pino';
import type { Vectors } from '@primrose/core';
import type { Clock } from '../base/clock.js';
import { Recent } from '../base/recent.js';
import type { Db } from '../store/database.js';
import { loadVectors, saveVectors } from '../store/vectors.js';
import type { EncoderSays, EncoderTask } from './encoder-worker.js';

/** The language that the encoder reads, and what it is called where its vectors are stored. */
export const ENCODES = 'en';
const NAME = 'en-512-1';
/** Vectors kept in the process: two kilobytes each. */
const KEPT = 8000;
/** Texts that are read in one go; a message does not wait longer for those of a bot. */
const AT_ONCE = 8;
/** Longer texts are read up to here. */
const LONGEST = 300;
/** A message waits no longer than this; then it is understood by its words alone. */
const MESSAGE_MS = 1500;
/** So many texts of messages, and of files, wait at most. */
const MOST_WAITING = 2000;
const READY_MS = 30_000;
/** After a failure the encoder is left alone for so long. */
const REST_MS = 60_000;

interface Wanted {
  readonly text: string;
  readonly resolve: (vector: Float32Array | undefined) => void;
}

export interface EncoderParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly log: Logger;
}

const hashOf = (text: string): string => createHash('sha256').update(`${NAME}\n${text}`).digest('hex');

/**
 * Reads sentences beside the service, in a thread that is started when it is first asked: what visitors say before phrases of
 * bots. Phrases are read once and stored. Where it is not installed, fails or is slow, everything goes on without it.
 */
export class Encoder {
  readonly #parts: EncoderParts;
  readonly #known = new Recent<Float32Array>(KEPT);
  readonly #messages: Wanted[] = [];
  readonly #phrases: Wanted[] = [];
  #worker: Worker | undefined;
  #now: { readonly id: number; readonly wanted: readonly Wanted[] } | undefined;
  #ready = false;
  #count = 0;
  #restsUntil = 0;
  #endLate: () => void = () => undefined;
  #closed = false;

  constructor(parts: EncoderParts) {
    this.#parts = parts;
  }

  /** What the encoder makes of what a visitor said; undefined where it does not say so in time. Never rejects. */
  ofMessage(texts: readonly string[]): Promise<Vectors | undefined> {
    return this.#within(texts, this.#messages, MESSAGE_MS);
  }

  /** The same of texts that nobody waits for as a visitor does: they come after what visitors say. Never rejects. */
  ofTexts(texts: readonly string[]): Promise<Vectors | undefined> {
    return this.#within(texts, this.#phrases, READY_MS);
  }

  async #within(texts: readonly string[], queue: Wanted[], ms: number): Promise<Vectors | undefined> {
    if (!this.#available || queue.length + texts.length > MOST_WAITING) return undefined;
    let late: () => void = () => undefined;
    const end = this.#parts.clock.after(ms, () => late());
    const read = Promise.all(texts.map(async (text) => [text, await this.#read(text, queue)] as const));
    const came = await Promise.race([read, new Promise<undefined>((resolve) => (late = () => resolve(undefined)))]);
    end();
    if (!came || came.some(([, vector]) => vector === undefined)) return undefined;
    return new Map(came.flatMap(([text, vector]) => (vector ? [[text, vector] as const] : [])));
  }

  /** What the encoder makes of the texts of a bot, from the database where they were read before; undefined where it fails. */
  async ofBot(texts: readonly string[]): Promise<Vectors | undefined> {
    const { db, clock, log } = this.#parts;
    const hashes = new Map(texts.map((text) => [hashOf(text), text]));
    const vectors = new Map<string, Float32Array>();
    try {
      for (const { hash, vector } of await loadVectors(db, [...hashes.keys()], clock.now()))
        vectors.set(hashes.get(hash) ?? '', vector);
    } catch (error) {
      log.warn({ err: error }, 'stored vectors could not be read');
    }
    const missing = texts.filter((text) => !vectors.has(text));
    if (missing.length === 0) return vectors;
    if (!this.#available) return undefined;
    const read = await Promise.all(missing.map(async (text) => ({ text, vector: await this.#read(text, this.#phrases) })));
    const fresh = read.flatMap(({ text, vector }) => (vector ? [{ text, vector }] : []));
    await saveVectors(
      db,
      fresh.map(({ text, vector }) => ({ hash: hashOf(text), vector })),
      clock.now(),
    ).catch((error: unknown) => log.warn({ err: error }, 'vectors could not be stored'));
    for (const { text, vector } of fresh) vectors.set(text, vector);
    return fresh.length === missing.length ? vectors : undefined;
  }

  async close(): Promise<void> {
    this.#closed = true;
    this.#endLate();
    this.#giveUp();
    await this.#worker?.terminate();
  }

  get #available(): boolean {
    return !this.#closed && this.#parts.clock.tick() >= this.#restsUntil;
  }

  #read(whole: string, queue: Wanted[]): Promise<Float32Array | undefined> {
    const text = whole.slice(0, LONGEST);
    const known = this.#known.get(text);
    if (known) return Promise.resolve(known);
    return new Promise((resolve) => {
      queue.push({ text, resolve });
      this.#next();
    });
  }

  /** Gives the thread what waits, when it is free: messages first. */
  #next(): void {
    if (this.#now || this.#closed) return;
    const wanted = [...this.#messages.splice(0, AT_ONCE)];
    wanted.push(...this.#phrases.splice(0, AT_ONCE - wanted.length));
    if (wanted.length === 0) return;
    this.#worker ??= this.#start();
    this.#now = { id: ++this.#count, wanted };
    this.#endLate = this.#parts.clock.after(READY_MS, () => this.#fail(new Error('it said nothing for too long')));
    if (this.#ready) this.#send();
  }

  #send(): void {
    if (!this.#now) return;
    const task: EncoderTask = { id: this.#now.id, texts: this.#now.wanted.map((w) => w.text) };
    this.#worker?.postMessage(task);
  }

  #start(): Worker {
    const worker = new Worker(new URL('./encoder-worker.js', import.meta.url));
    worker.unref();
    worker.on('message', (says: EncoderSays) => {
      if (this.#worker === worker) this.#hears(says);
    });
    worker.on('error', (error) => this.#worker === worker && this.#fail(error));
    worker.on('exit', () => this.#worker === worker && this.#fail(new Error('it ended')));
    return worker;
  }

  #hears(says: EncoderSays): void {
    if ('ready' in says) {
      this.#ready = true;
      return this.#send();
    }
    if (says.id !== this.#now?.id) return;
    if ('error' in says) return this.#fail(new Error(says.error));
    const { wanted } = this.#now;
    this.#now = undefined;
    this.#endLate();
    wanted.forEach(({ text, resolve }, i) => {
      const vector = says.vectors[i];
      if (vector) this.#known.set(text, vector);
      resolve(vector);
    });
    this.#next();
  }

  /** Leaves the encoder alone for a while; who waits is answered without it. */
  #fail(error: Error): void {
    this.#endLate();
    if (this.#closed) return;
    this.#parts.log.warn({ err: error }, 'the sentence encoder fails; messages are understood by their words alone');
    this.#restsUntil = this.#parts.clock.tick() + REST_MS;
    const worker = this.#worker;
    [this.#worker, this.#ready] = [undefined, false];
    void worker?.terminate();
    this.#giveUp();
  }

  #giveUp(): void {
    const wanted = [...(this.#now?.wanted ?? []), ...this.#messages.splice(0), ...this.#phrases.splice(0)];
    this.#now = undefined;
    for (const { resolve } of wanted) resolve(undefined);
  }
}
