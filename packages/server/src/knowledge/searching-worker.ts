import { parentPort } from 'node:worker_threads';
import { decodePart, lookAlone, mergeParts, Ranking, type IndexPart, type LookedUp, type RankedPart } from '@primrose/core';
import { ownLexicon } from '../understanding/lexicon.js';

/** A document of a set: what it is called in answers, and which index it has. */
export type SetDocument = readonly [key: string, index: string];

/** What is asked of a thread: to open a set of documents (`again` where some were missing before), to take indexes for it, or to look something up in it. */
export type SearchAsk =
  | {
      readonly id: number;
      readonly open: string;
      readonly line: string;
      readonly like: string | undefined;
      readonly documents: readonly SetDocument[];
      readonly again: boolean;
    }
  | { readonly id: number; readonly take: string; readonly indexes: ReadonlyMap<string, Uint8Array> }
  | { readonly id: number; readonly seal: string }
  | { readonly id: number; readonly look: string; readonly asked: Look }
  /** To read the words that it knows of languages. */
  | { readonly id: number; readonly warm: true };

/** A question to a set. `without` are documents that are not looked at now. */
export interface Look {
  readonly question: string;
  readonly before: string | undefined;
  readonly most: number;
  readonly language: string;
  readonly synonyms: readonly (readonly string[])[];
  readonly without: readonly string[];
}

export type SearchSays =
  /** Indexes that are not there yet. */
  | { readonly id: number; readonly lacks: readonly string[] }
  | { readonly id: number; readonly sealed: { readonly passages: number; readonly absent: number } }
  | { readonly id: number; readonly found: LookedUp | undefined }
  | { readonly id: number; readonly error: string };

/** Documents that were indexed together, and are used by one set or several. */
interface Group {
  readonly part: IndexPart;
  /** Document key to index. */
  readonly holds: ReadonlyMap<string, string>;
}

interface OpenSet {
  readonly groups: readonly Group[];
  readonly ranking: Ranking;
  readonly bytes: number;
}

/** A set that is being made. */
interface Making {
  readonly line: string;
  readonly documents: readonly SetDocument[];
  readonly groups: readonly Group[];
  readonly lacks: ReadonlySet<string>;
  readonly came: Map<string, IndexPart>;
}

/** So many groups a set has at most before they are put together; and so large a share of a group may be out of use. */
const MOST_GROUPS = 12;
/** So many sets are kept, and made at once. */
const MOST_SETS = 1000;
const MOST_MAKING = 50;
const WASTE = 0.25;
const MEGABYTE = 1_000_000;

const mostBytes = Number(process.argv[2] ?? 1000) * MEGABYTE;
const sets = new Map<string, OpenSet>();
/** The newest set of each bot and base: the next one has most of its documents. */
const newest = new Map<string, string>();
const making = new Map<string, Making>();

const bytesOf = (part: IndexPart): number =>
  part.texts.byteLength + part.posted.byteLength + part.counts.byteLength + part.lengths.byteLength * 6 + part.terms.length * 100;

/** The groups of an older set that most of their documents are still wanted of. */
function usableGroups(line: string, like: string | undefined, documents: ReadonlyMap<string, string>): Group[] {
  const last = sets.get(newest.get(line) ?? '') ?? sets.get(newest.get(like ?? '') ?? '');
  return (last?.groups ?? []).filter(({ holds }) => {
    const kept = [...holds].filter(([key, index]) => documents.get(key) === index).length;
    return kept >= holds.size * (1 - WASTE);
  });
}

interface Opening {
  readonly line: string;
  readonly like: string | undefined;
  readonly documents: readonly SetDocument[];
  readonly again: boolean;
}

function open(name: string, { line, like, documents, again }: Opening): readonly string[] {
  if (sets.has(name) && !again) return [];
  const wanted = new Map(documents);
  const usable = usableGroups(line, like, wanted);
  const groups = usable.length < MOST_GROUPS ? usable : [];
  const held = new Set(groups.flatMap(({ holds }) => [...holds].filter(([k, i]) => wanted.get(k) === i).map(([k]) => k)));
  const lacks = new Set(documents.filter(([key]) => !held.has(key)).map(([, index]) => index));
  making.set(name, { line, documents, groups, lacks, came: new Map() });
  // One whose indexes never came is given up for those that are made now.
  const [oldest] = making.keys();
  if (making.size > MOST_MAKING && oldest !== undefined) making.delete(oldest);
  return [...lacks];
}

function take(name: string, indexes: ReadonlyMap<string, Uint8Array>): void {
  const made = making.get(name);
  for (const [index, bytes] of indexes) {
    const part = decodePart(bytes);
    if (part) made?.came.set(index, part);
  }
}

function seal(name: string): { readonly passages: number; readonly absent: number } {
  const made = making.get(name);
  making.delete(name);
  if (!made) return { passages: sets.get(name)?.ranking.size ?? 0, absent: 0 };
  const { documents, groups, lacks, came, line } = made;
  const fresh = documents.filter(([, index]) => lacks.has(index) && came.has(index));
  const parts = fresh.flatMap(([key, index]) => {
    const part = came.get(index);
    // The same contents under two names are two documents.
    return part ? [{ ...part, documents: part.documents.map((d) => ({ ...d, id: key })) }] : [];
  });
  const all = parts.length > 0 ? [...groups, { part: mergeParts(parts), holds: new Map(fresh) }] : groups;
  const wanted = new Map(documents);
  const seen = new Set<string>();
  const ranked = [...all].reverse().map(({ part, holds }): RankedPart => {
    // Where an older group has a document in another version, or as well, the newer one counts.
    const without = [...holds].filter(([key, index]) => wanted.get(key) !== index || seen.has(key)).map(([key]) => key);
    holds.forEach((_, key) => seen.add(key));
    return { part, without: new Set(without) };
  });
  const ranking = new Ranking(ranked);
  sets.set(name, { groups: all, ranking, bytes: all.reduce((sum, g) => sum + bytesOf(g.part), 0) });
  newest.set(line, name);
  forgetOld(name);
  return { passages: ranking.size, absent: documents.length - documents.filter(([key]) => seen.has(key)).length };
}

/** Sets that were not used for longest go when together they are too large or too many. Groups that sets share count for each. */
function forgetOld(present: string): void {
  let bytes = [...sets.values()].reduce((sum, s) => sum + s.bytes, 0);
  for (const [name, set] of sets) {
    if (bytes <= mostBytes && sets.size <= MOST_SETS) break;
    if (name === present) continue;
    sets.delete(name);
    bytes -= set.bytes;
  }
  for (const [line, name] of newest) if (!sets.has(name)) newest.delete(line);
}

function look(name: string, { question, before, most, language, synonyms, without }: Look): LookedUp | undefined {
  const set = sets.get(name);
  if (!set) return undefined;
  sets.delete(name);
  sets.set(name, set);
  const hidden = new Set(without);
  const lexicon = ownLexicon();
  const looking = {
    language,
    synonyms,
    isWord: (word: string) => lexicon.known(word, language),
    rank: (word: string) => lexicon.rank(word, language),
    ...(hidden.size > 0 ? { only: (key: string) => !hidden.has(key) } : {}),
  };
  return lookAlone(question, before, (q) => set.ranking.look(q, most, looking));
}

function answer(ask: SearchAsk): SearchSays {
  const { id } = ask;
  if ('open' in ask) return { id, lacks: open(ask.open, ask) };
  if ('take' in ask) {
    take(ask.take, ask.indexes);
    return { id, lacks: [] };
  }
  if ('warm' in ask) {
    ownLexicon();
    return { id, lacks: [] };
  }
  if ('seal' in ask) return { id, sealed: seal(ask.seal) };
  return { id, found: look(ask.look, ask.asked) };
}

/** Looks things up beside the service. What is looked in stays ready. */
parentPort?.on('message', (ask: SearchAsk) => {
  try {
    parentPort?.postMessage(answer(ask));
  } catch (error) {
    parentPort?.postMessage({ id: ask.id, error: String(error) } satisfies SearchSays);
  }
});
