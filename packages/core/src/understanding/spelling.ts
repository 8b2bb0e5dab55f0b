import { editDistance } from '../text/nearest.js';

/** A known wording that a text may be a misspelling of: its place in the list, and how many slips lie between. */
export interface NearWording {
  readonly at: number;
  readonly slips: number;
}

/** Finds the wordings near to a text. `most` slips are looked for at most. */
export type Spelling = (text: string, most: number) => NearWording[];

/** Places of deletions that an index may have; four bytes each, and as much again for the table. */
const MOST_DELETIONS = 4_000_000;
const PRIME = 0x01000193;
/** A look that meets more wordings than this has no answer: so many are as near as each other. */
const MOST_LOOKED_AT = 100;
const PLACE_BITS = 18;
const PLACES = 2 ** PLACE_BITS;

/** How many texts come of one by taking away up to `slips` of its letters. */
function countDeletions(length: number, slips: number): number {
  return slips === 0 ? 1 : slips === 1 ? 1 + length : 1 + length + (length * (length - 1)) / 2;
}

const before = new Int32Array(1024);
const behind = new Int32Array(1024);
const powers = new Int32Array(1024).fill(1);
for (let i = 1; i < powers.length; i++) powers[i] = Math.imul(powers[i - 1] ?? 1, PRIME);

/**
 * Calls `each` with a hash of every text that comes of one by taking away up to `slips` letters, at most 2. A polynomial in
 * 32 bits (Karp and Rabin, 1987): what stands before and behind the letters that are gone is hashed once, so each deletion
 * costs two or three multiplications, and none of these texts is ever made.
 */
function eachDeletion(text: string, slips: number, each: (hash: number) => void): void {
  const n = Math.min(text.length, powers.length - 1);
  for (let i = 0; i < n; i++) before[i + 1] = (Math.imul(before[i] ?? 0, PRIME) + text.charCodeAt(i)) | 0;
  behind[n] = 0;
  for (let i = n - 1; i >= 0; i--) behind[i] = (Math.imul(text.charCodeAt(i), powers[n - 1 - i] ?? 1) + (behind[i + 1] ?? 0)) | 0;
  each(mixed(before[n] ?? 0, n));
  if (slips === 0) return;
  for (let i = 0; i < n; i++) {
    const start = before[i] ?? 0;
    each(mixed((Math.imul(start, powers[n - 1 - i] ?? 1) + (behind[i + 1] ?? 0)) | 0, n - 1));
    if (slips === 1) continue;
    for (let j = i + 1; j < n; j++) {
      const between = ((before[j] ?? 0) - Math.imul(before[i + 1] ?? 0, powers[j - i - 1] ?? 1)) | 0;
      const whole = (Math.imul(start, powers[j - i - 1] ?? 1) + between) | 0;
      each(mixed((Math.imul(whole, powers[n - 1 - j] ?? 1) + (behind[j + 1] ?? 0)) | 0, n - 2));
    }
  }
}

/** Spreads a hash over all bits (the finaliser of MurmurHash3, in the public domain), the length with it. */
function mixed(hash: number, length: number): number {
  let h = hash ^ Math.imul(length + 1, 0x9e3779b1);
  h = Math.imul(h ^ (h >>> 16), 0x85ebca6b);
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35);
  return (h ^ (h >>> 16)) >>> 0;
}

/**
 * An index of wordings by deletion neighbourhoods (Mor and Fraenkel, 1982): two texts are at most k slips apart only if some
 * text comes of both by taking away at most k letters. So a look costs what the text is long, and not how many wordings there
 * are. `slipsOf` says how many slips a wording may be away; wordings for which there is no room in the index are looked for
 * with one slip less, the longest first.
 */
export function createSpelling(wordings: readonly string[], slipsOf: (length: number) => number): Spelling {
  const allowed = withinRoom(wordings.slice(0, PLACES), slipsOf);
  const deletions = allowed.reduce((sum, slips, at) => sum + (slips ? countDeletions(wordings[at]?.length ?? 0, slips) : 0), 0);
  const bits = Math.max(4, Math.ceil(Math.log2(deletions + 1)));
  const ends = new Uint32Array(2 ** bits + 1);
  const every = (visit: (hash: number, at: number) => void): void =>
    allowed.forEach((slips, at) => {
      if (slips) eachDeletion(wordings[at] ?? '', slips, (hash) => visit(hash, at));
    });
  every((hash) => (ends[(hash >>> (32 - bits)) + 1] = (ends[(hash >>> (32 - bits)) + 1] ?? 0) + 1));
  for (let i = 1; i < ends.length; i++) ends[i] = (ends[i] ?? 0) + (ends[i - 1] ?? 0);
  const next = ends.slice();
  // Each place with the low bits of its hash: what only shares the bucket is passed over without a look at its letters.
  const found = new Uint32Array(ends.at(-1) ?? 0);
  every((hash, at) => {
    const bucket = hash >>> (32 - bits);
    const place = next[bucket] ?? 0;
    found[place] = ((hash << PLACE_BITS) | at) >>> 0;
    next[bucket] = place + 1;
  });
  const look = (text: string, most: number): NearWording[] => {
    const seen = new Set<number>();
    const near: NearWording[] = [];
    eachDeletion(text, most, (hash) => {
      const bucket = hash >>> (32 - bits);
      const tag = (hash << PLACE_BITS) >>> PLACE_BITS;
      for (let i = ends[bucket] ?? 0; i < (ends[bucket + 1] ?? 0) && seen.size < MOST_LOOKED_AT; i++) {
        const entry = found[i] ?? 0;
        const at = entry & (PLACES - 1);
        if (entry >>> PLACE_BITS !== tag || seen.has(at)) continue;
        seen.add(at);
        const limit = Math.min(most, allowed[at] ?? 0);
        const slips = editDistance(text, wordings[at] ?? '', limit);
        if (slips <= limit) near.push({ at, slips });
      }
    });
    return near;
  };
  // One slip is looked for first: where there is a wording so near, those two away do not count.
  return (text, most) => {
    const once = look(text, Math.min(1, most));
    return once.length > 0 || most < 2 ? once : look(text, 2);
  };
}

/** How many slips each wording is looked for with, so that the index stays within its room. */
function withinRoom(wordings: readonly string[], slipsOf: (length: number) => number): Uint8Array {
  const allowed = Uint8Array.from(wordings, (w) => Math.min(2, slipsOf(w.length)));
  let room = MOST_DELETIONS - wordings.reduce((sum, w, i) => sum + countDeletions(w.length, allowed[i] ?? 0), 0);
  if (room >= 0) return allowed;
  const longest = Array.from(wordings.keys()).sort((a, b) => (wordings[b]?.length ?? 0) - (wordings[a]?.length ?? 0));
  for (let less = 1; less >= 0 && room < 0; less--)
    for (const at of longest) {
      const now = allowed[at] ?? 0;
      if (room >= 0 || now <= less) continue;
      const { length } = wordings[at] ?? '';
      room += countDeletions(length, now) - countDeletions(length, less);
      allowed[at] = less;
    }
  return allowed;
}

/** How many wordings the index of an entity cannot hold with all their slips, for the checks. */
export function wordingsWithoutRoom(wordings: readonly string[], slipsOf: (length: number) => number): number {
  const allowed = withinRoom(wordings, slipsOf);
  return wordings.filter((w, i) => (allowed[i] ?? 0) < Math.min(2, slipsOf(w.length))).length;
}
