import { COMPARED, rankAlike, type LookedUp } from '@primrose/core';
import { sleep, type Clock } from '../base/clock.js';
import type { Db } from '../store/database.js';
import { passageVectors } from '../store/passage-vectors.js';
import { ENCODES, type Encoder } from '../understanding/encoder.js';

export interface AlikeParts {
  readonly db: Db;
  readonly clock: Clock;
  /** Undefined where the service runs without it: then words alone decide. */
  readonly encoder: Pick<Encoder, 'ofMessage'> | undefined;
}

/** A lookup waits so long for the encoder; then words alone decide. */
const WAIT_MS = 400;
const MOST_LETTERS = 300;

/** How many passages are to be found by words, so that the best of them can be compared. */
export function toCompare({ encoder }: AlikeParts, most: number, language: string): number {
  return encoder && isRead(language) ? Math.max(most, COMPARED) : most;
}

const isRead = (language: string): boolean => language.split('-')[0] === ENCODES;

/** What words have found, ranked anew by an encoder where it is there and has read the passages; `indexOf` names the index of a document. */
export async function comparedBy(
  { db, clock, encoder }: AlikeParts,
  found: LookedUp,
  { question, language, most }: { readonly question: string; readonly language: string; readonly most: number },
  indexOf: (document: string) => string | undefined,
): Promise<LookedUp> {
  const cut = { ...found, passages: found.passages.slice(0, most) };
  if (!encoder || !isRead(language) || found.passages.length < 2) return cut;
  const asked = (found.asked ?? question).slice(0, MOST_LETTERS);
  const places = found.passages.slice(0, COMPARED).flatMap(({ document, place }) => {
    const index = indexOf(document);
    return index === undefined ? [] : [{ index, place }];
  });
  const vectors = await passageVectors(db, places);
  if (vectors.size === 0) return cut;
  const { done, wake } = sleep(clock, WAIT_MS);
  const vector = await Promise.race([encoder.ofMessage([asked]).then((v) => v?.get(asked)), done.then(() => undefined)]);
  wake();
  if (!vector) return cut;
  return rankAlike(found, vector, ({ document, place }) => vectors.get(`${indexOf(document) ?? ''} ${place}`), most);
}
