import { z } from 'zod';
import { sameValue } from '../document/merge.js';
import type { BotDocument } from '../document/schema.js';
import { value as jsonValue, type Immutable, type Value } from '../document/shapes.js';
import { checksum } from '../text/checksum.js';
import { wellFormed } from '../text/well-formed.js';
import { withoutSecrets } from './never.js';
import { speaksOfAny } from './telling.js';

/*
 * What is kept about one visitor, or under one key: facts, the last exchanges and a summary of those before. It is one value that
 * changes by operations, so that two conversations at once lose nothing of each other.
 */

const moment = z.iso.datetime();

/** Who brought a fact up: the visitor's own words, an answer of theirs, a model, or staff. */
export const FACT_SOURCES = ['words', 'answer', 'model', 'staff'] as const;

/** A fact as it was before something else took its place. */
const formerFact = z.strictObject({ says: z.string(), value: jsonValue, at: moment, until: moment });

export const fact = z.strictObject({
  id: z.string(),
  about: z.string().describe('the kind of fact'),
  says: z.string().describe('a short sentence'),
  value: jsonValue,
  lasts: z.enum(['always', 'now']),
  at: moment.describe('when it was said'),
  turn: z.int().optional().describe('in which turn of the conversation'),
  conversation: z.string().optional(),
  by: z.enum(FACT_SOURCES),
  was: z.array(formerFact).optional().describe('what it was before, the newest first'),
});
export type Fact = Immutable<z.infer<typeof fact>>;

const exchange = z.strictObject({ at: moment, said: z.string(), answered: z.string() });
export type Exchange = Immutable<z.infer<typeof exchange>>;

const summary = z.strictObject({
  says: z.string(),
  at: moment,
  by: z.string().describe('the model profile that wrote it'),
  turns: z.int().describe('so many exchanges stand in it'),
  tokens: z.strictObject({ in: z.number(), out: z.number() }).nullable(),
});
export type Summary = Immutable<z.infer<typeof summary>>;

/** What somebody did not want to be kept for good, so that they are not asked again. */
const declined = z.strictObject({ about: z.string(), value: jsonValue });

/** A fact that somebody is to be asked about: always, or only for now. */
export const proposal = z.strictObject({
  about: z.string(),
  says: z.string(),
  value: jsonValue,
  by: z.enum(FACT_SOURCES),
});
export type Proposal = Immutable<z.infer<typeof proposal>>;

export const memory = z.strictObject({
  facts: z.array(fact),
  exchanges: z.array(exchange).describe('the last ones, the oldest first'),
  fresh: z.int().describe('so many of them are not summed up yet'),
  summary: summary.optional(),
  declined: z.array(declined).optional(),
  forgets: z.int().optional().describe('how often something was forgotten'),
  proposed: z.array(proposal).optional().describe('what a model proposed in the background, to be asked about'),
});
export type Memory = Immutable<z.infer<typeof memory>>;

export const EMPTY_MEMORY: Memory = { facts: [], exchanges: [], fresh: 0 };

export type MemoryChange =
  | { readonly op: 'keep'; readonly fact: Fact }
  /** Facts are gone with all that they were, those of a kind or just one; so is what was said with one of the words, and the summary. */
  | { readonly op: 'forget'; readonly about: string; readonly id?: string; readonly words: readonly string[] }
  | { readonly op: 'forget-all' }
  | { readonly op: 'correct'; readonly id: string; readonly says: string; readonly value: Value; readonly at: string }
  | { readonly op: 'decline'; readonly about: string; readonly value: Value }
  | { readonly op: 'exchange'; readonly exchange: Exchange }
  /** `forgets` is how often something had been forgotten when it was begun. */
  | { readonly op: 'summary'; readonly summary: Summary; readonly proposed: readonly Proposal[]; readonly forgets: number }
  | { readonly op: 'asked' };

/** A change of a memory; `key` is null for that of the visitor who speaks. */
export interface KeyedChange {
  readonly key: string | null;
  readonly change: MemoryChange;
}

export const FACT_SIZE = 240;
export const MOST_FACTS = 60;
const MOST_FORMER = 5;
const MOST_DECLINED = 40;
export const MOST_PROPOSED = 5;
const MOST_EXCHANGES = 60;
const EXCHANGE_SIZE = 2000;
const EXCHANGES_SIZE = 60_000;
const SUMMARY_SIZE = 4000;

/** A fact to be kept; its sentence is cut, and its id made from what it is. */
export function newFact(of: Omit<Fact, 'id' | 'was'>): Fact {
  const says = clip(of.says, FACT_SIZE);
  return { id: checksum(JSON.stringify([of.about, of.at, says, of.value])), ...of, says };
}

/** A text on one line that is no longer than so many characters. */
export function clip(text: string, most: number): string {
  const even = text.replace(/\s+/g, ' ').trim();
  return even.length > most ? `${wellFormed(even.slice(0, most - 1))}…` : even;
}

/** Which facts another one takes the place of: of a kind with one fact each any other, else only the same. */
export function replacedBy(facts: readonly Fact[], one: Pick<Fact, 'about' | 'value'>, many: boolean): Fact | undefined {
  return facts.find((f) => f.about === one.about && (!many || sameValue(f.value, one.value)));
}

/** A memory after a change. `many` tells of which kinds there may be several facts side by side. */
export function changedMemory(memory: Memory, change: MemoryChange, many: (about: string) => boolean): Memory {
  const { forgets = 0 } = memory;
  switch (change.op) {
    case 'keep':
      return { ...memory, facts: withFact(memory.facts, change.fact, many(change.fact.about)) };
    case 'forget':
      return without(memory, change);
    case 'forget-all':
      return { ...EMPTY_MEMORY, forgets: forgets + 1 };
    case 'correct':
      return { ...memory, facts: memory.facts.map((f) => (f.id === change.id ? corrected(f, change) : f)) };
    case 'decline': {
      const { about, value } = change;
      const others = (memory.declined ?? []).filter((d) => d.about !== about || !sameValue(d.value, value));
      return { ...memory, declined: [...others, { about, value }].slice(-MOST_DECLINED) };
    }
    case 'exchange':
      return withExchange(memory, change.exchange);
    case 'summary': {
      // Exchanges that came while it was written are still to be summed up.
      const { proposed, summary: made } = change;
      // What somebody had forgotten meanwhile may stand in what was being written.
      if (change.forgets !== forgets) return memory;
      const fresh = Math.max(0, memory.fresh - made.turns);
      const asks = [...(memory.proposed ?? []), ...proposed].slice(-MOST_PROPOSED);
      const says = { ...made, says: clip(made.says, SUMMARY_SIZE) };
      return { ...memory, fresh, summary: says, ...(asks.length > 0 ? { proposed: asks } : {}) };
    }
    case 'asked': {
      const { proposed: _asked, ...rest } = memory;
      return rest;
    }
    default:
      return change satisfies never;
  }
}

/** A memory without some facts, and without what was said of them; what is left is summed up anew. */
function without(memory: Memory, { about, id, words }: Extract<MemoryChange, { op: 'forget' }>): Memory {
  const { proposed = [], summary: _summary, forgets = 0, ...rest } = memory;
  const facts = memory.facts.filter((f) => f.about !== about || (id !== undefined && f.id !== id));
  const left = proposed.filter((p) => p.about !== about);
  const exchanges = memory.exchanges.filter((e) => !speaksOfAny(`${e.said} ${e.answered}`, words));
  const more = left.length > 0 ? { proposed: left } : {};
  return { ...rest, facts, exchanges, fresh: exchanges.length, forgets: forgets + 1, ...more };
}

function withFact(facts: readonly Fact[], one: Fact, many: boolean): Fact[] {
  const before = replacedBy(facts, one, many);
  const others = facts.filter((f) => f !== before);
  if (!before) return [...others, one].slice(-MOST_FACTS);
  // The same once more is the same fact, and no change of it.
  if (sameValue(before.value, one.value)) return [...others, { ...one, ...(before.was ? { was: before.was } : {}) }];
  return [...others, { ...one, was: formerOf(before, one.at) }];
}

function formerOf({ says, value, at, was = [] }: Fact, until: string) {
  return [{ says, value, at, until }, ...was].slice(0, MOST_FORMER);
}

function corrected(before: Fact, { says, value, at }: Extract<MemoryChange, { op: 'correct' }>): Fact {
  return { ...before, says: clip(says, FACT_SIZE), value, at, by: 'staff', was: formerOf(before, at) };
}

function withExchange(memory: Memory, one: Exchange): Memory {
  const kept = { at: one.at, said: left(one.said), answered: left(one.answered) };
  let exchanges = [...memory.exchanges, kept].slice(-MOST_EXCHANGES);
  let size = exchanges.reduce((sum, e) => sum + e.said.length + e.answered.length, 0);
  while (size > EXCHANGES_SIZE) {
    const [first, ...more] = exchanges;
    size -= (first?.said.length ?? 0) + (first?.answered.length ?? 0);
    exchanges = more;
  }
  return { ...memory, exchanges, fresh: Math.min(memory.fresh + 1, exchanges.length) };
}

/** Words as they are kept: what nobody should keep is taken out first. */
function left(text: string): string {
  const safe = withoutSecrets(text);
  return safe.length > EXCHANGE_SIZE ? `${wellFormed(safe.slice(0, EXCHANGE_SIZE - 1))}…` : safe;
}

/** Memories under keys that are kept in this process only: for rehearsals and tests. */
export class PracticeMemories {
  readonly #kept = new Map<string, Memory>();

  of(key: string): Memory {
    return this.#kept.get(key) ?? EMPTY_MEMORY;
  }

  change(changes: readonly KeyedChange[], many: (about: string) => boolean): void {
    for (const { key, change } of changes) if (key !== null) this.#kept.set(key, changedMemory(this.of(key), change, many));
  }
}

/** Which kinds of facts of a bot there may be several of. */
export function manyOf(document: Pick<BotDocument, 'memory'>): (about: string) => boolean {
  return (about) => document.memory?.facts?.[about]?.many === true;
}

/** The facts of a memory by kind: a value, or the list of them where there are several. */
export function factValues({ facts }: Pick<Memory, 'facts'>): Record<string, Value> {
  const held: Record<string, Value> = {};
  for (const { about, value } of facts) {
    const before = held[about];
    held[about] = before === undefined ? value : [...(Array.isArray(before) ? (before as readonly Value[]) : [before]), value];
  }
  return held;
}

/** A memory that holds facts by kind, as rehearsals and made-up visitors begin with: a value, or a list of values of a kind with several. */
export function memoryOf(facts: Readonly<Record<string, Value>>, document: Pick<BotDocument, 'memory'>, at: string): Memory {
  const kept = Object.entries(facts).flatMap(([about, held]) => {
    const values = Array.isArray(held) ? (held as readonly Value[]) : [held];
    return values.map((value) => {
      const { about: words = about } = document.memory?.facts?.[about] ?? {};
      const says = typeof value === 'string' && document.memory?.facts?.[about]?.type === 'text' ? value : words;
      return newFact({ about, says, value, lasts: 'always', at, by: 'words' });
    });
  });
  return { ...EMPTY_MEMORY, facts: kept };
}

/** What a conversation keeps of facts beside what is kept of its visitor: those for now only, and those to be asked about. */
export interface SessionFacts {
  readonly now: readonly Fact[];
  readonly pending: readonly Proposal[];
}
