import { decodePart, quantised, READ_LETTERS, type IndexPart, type Vectors } from '@primrose/core';
import type { Logger } from 'pino';
import { sleep, type Clock } from '../base/clock.js';
import { indexedBytes } from '../store/contents.js';
import type { Db } from '../store/database.js';
import { withLease } from '../store/leases.js';
import { nextToRead, savePassageVectors, type IndexToRead } from '../store/passage-vectors.js';
import { ENCODES, type Encoder } from '../understanding/encoder.js';

export interface VectoringParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly log: Logger;
  readonly encoder: Pick<Encoder, 'ofTexts'>;
}

const LOOK_MS = 5000;
const REST_MS = 60_000;
/** So few texts are read in one go: what a visitor says waits for no more than these. */
const AT_ONCE = 2;
/** So many are stored together. */
const STORED_AT_ONCE = 32;
/** An index that nobody has looked in for so long is not read. */
const USED_MS = 172_800_000;

/**
 * Has the encoder read passages in the background, one index after the other, in one process of all. How far each is stands in the
 * database. It works half of the time, so that others find the processor free.
 */
export class Vectoring {
  readonly #parts: VectoringParts;
  #wake: () => void = () => undefined;
  #stopped = false;
  #end: () => void = () => undefined;
  #working: Promise<void> = Promise.resolve();

  constructor(parts: VectoringParts) {
    this.#parts = parts;
  }

  start(): void {
    this.#working = this.#work();
  }

  async stop(): Promise<void> {
    this.#stopped = true;
    this.#end();
    this.#wake();
    await this.#working;
  }

  async #work(): Promise<void> {
    const { db, log } = this.#parts;
    while (!this.#stopped) {
      const rest = await this.#next()
        .then((next) => (next ? withLease(db, 'passage vectors', () => this.#read(next)) : undefined))
        .catch((error: unknown) => {
          if (!this.#stopped) log.warn({ err: error }, 'passages were not read by the encoder');
          return REST_MS;
        });
      if (rest !== 0) await this.#pause(rest ?? LOOK_MS);
    }
  }

  #next(): Promise<IndexToRead | undefined> {
    const { db, clock } = this.#parts;
    return nextToRead(db, ENCODES, new Date(clock.now().getTime() - USED_MS));
  }

  async #pause(ms: number): Promise<void> {
    if (this.#stopped) return;
    const { done, wake } = sleep(this.#parts.clock, ms);
    this.#wake = wake;
    await done;
  }

  /** Reads what is left of an index; how long to rest afterwards. */
  async #read({ id, passages, read }: IndexToRead): Promise<number> {
    const { db } = this.#parts;
    const bytes = (await indexedBytes(db, [id])).get(id);
    const part = bytes && decodePart(bytes);
    // It has gone, or is of an older form: nothing of it is to be read.
    if (!part) await savePassageVectors(db, id, [], passages);
    for (let from = read; part && from < passages; from += STORED_AT_ONCE) {
      const to = Math.min(passages, from + STORED_AT_ONCE);
      const vectors = await this.#vectorsOf(part, from, to);
      // The encoder is away: it is left alone for a while.
      if (!vectors) return REST_MS;
      await savePassageVectors(db, id, vectors, to);
    }
    return 0;
  }

  async #vectorsOf(part: IndexPart, from: number, to: number) {
    const { clock, encoder } = this.#parts;
    const found: { place: number; vector: Int8Array }[] = [];
    for (let at = from; at < to; at += AT_ONCE) {
      if (this.#stopped) return undefined;
      const begun = clock.tick();
      const some = Array.from({ length: Math.min(AT_ONCE, to - at) }, (_, i) => ({
        place: part.placeOf[at + i] ?? at + i + 1,
        text: beginningOf(part, at + i),
      }));
      // With the stop, an encoder that is slow to begin is not waited for.
      const vectors = await new Promise<Vectors | undefined>((resolve) => {
        this.#end = () => resolve(undefined);
        void encoder.ofTexts(some.map((s) => s.text)).then(resolve);
      });
      if (!vectors) return undefined;
      for (const { place, text } of some) {
        const vector = vectors.get(text);
        if (vector) found.push({ place, vector: quantised(vector) });
      }
      await this.#pause(clock.tick() - begun);
    }
    return found;
  }
}

const decoder = new TextDecoder();
/** A character has so many bytes at most. */
const MOST_BYTES = 4;

function beginningOf(part: IndexPart, i: number): string {
  const start = part.textAt[i] ?? 0;
  const end = Math.min(part.textAt[i + 1] ?? start, start + READ_LETTERS * MOST_BYTES);
  return decoder.decode(part.texts.subarray(start, end)).slice(0, READ_LETTERS);
}
