import { sameValue } from '../document/merge.js';
import type { BotDocument } from '../document/schema.js';
import type { Value } from '../document/shapes.js';
import {
  changedMemory,
  EMPTY_MEMORY,
  newFact,
  type Fact,
  type KeyedChange,
  type Memory,
  type MemoryChange,
  type Proposal,
  type SessionFacts,
  wordsToForget,
} from '../memory/index.js';
import type { MemoryNote, TurnSheet } from './sheet.js';
import type { Session } from './types.js';

const MOST_NOW = 30;
const MOST_PENDING = 5;

/** A fact that is to be kept, before it is one. */
export type FactToKeep = Pick<Fact, 'about' | 'says' | 'value' | 'lasts' | 'by'>;

/** What is known about the visitor while a turn runs, and how it changes. */
export class TurnMemory {
  readonly changes: KeyedChange[] = [];
  /** What was kept, used and forgotten, for the sheet. */
  readonly notes: MemoryNote[] = [];
  readonly #document: BotDocument;
  readonly #now: { readonly at: string; readonly turn: number };
  #kept: Memory;
  #facts: SessionFacts;

  constructor(document: BotDocument, session: Session, at: string) {
    this.#document = document;
    this.#kept = session.memory ?? EMPTY_MEMORY;
    this.#facts = session.facts ?? { now: [], pending: [] };
    this.#now = { at, turn: session.turns + 1 };
  }

  /** Whether the bot keeps facts at all. */
  get keepsFacts(): boolean {
    return Object.keys(this.#document.memory?.facts ?? {}).length > 0;
  }

  get kept(): Memory {
    return this.#kept;
  }

  readonly isMany = (about: string): boolean => this.#document.memory?.facts?.[about]?.many === true;

  /** What counts now: what is for now only stands above what is always so. */
  get facts(): readonly Fact[] {
    const { now } = this.#facts;
    const over = (f: Fact) => now.some((n) => n.about === f.about && (!this.isMany(f.about) || sameValue(n.value, f.value)));
    return [...this.#kept.facts.filter((f) => !over(f)), ...now];
  }

  factsAbout(about: string): readonly Fact[] {
    return this.facts.filter((f) => f.about === about);
  }

  /** What expressions read: the value of each kind, a list where there may be several, null where nothing is known. */
  view(): Record<string, Value> {
    return Object.fromEntries(
      Object.keys(this.#document.memory?.facts ?? {}).map((about) => {
        const values = this.factsAbout(about).map((f) => f.value);
        return [about, this.isMany(about) ? values : (values.at(-1) ?? null)];
      }),
    );
  }

  /** Keeps a fact, for always or for this conversation; what is known already stays as it is. Returns the fact as it is kept. */
  keep(of: FactToKeep): Fact {
    const fact = newFact({ ...of, at: this.#now.at, turn: this.#now.turn });
    const before = this.factsAbout(of.about).find((f) => !this.isMany(of.about) || sameValue(f.value, of.value));
    this.#drops(of.about, of.value);
    if (of.lasts === 'always') this.#change({ op: 'keep', fact });
    else this.#facts = { ...this.#facts, now: [...this.#facts.now, fact].slice(-MOST_NOW) };
    const replaces = before && !sameValue(before.value, fact.value) ? { before: before.says } : {};
    this.notes.push({ did: 'kept', about: of.about, says: fact.says, lasts: of.lasts, by: of.by, ...replaces });
    return fact;
  }

  /** Takes away what counted for now, and what waits to be asked, of a kind. */
  #drops(about: string, value: Value | undefined): void {
    const other = (f: { readonly about: string; readonly value: Value }) =>
      f.about !== about || (value !== undefined && this.isMany(about) && !sameValue(f.value, value));
    this.#facts = { now: this.#facts.now.filter(other), pending: this.#facts.pending.filter(other) };
  }

  /** Forgets facts with all that they were. Returns those that are gone. */
  forget(about: string, id?: string): readonly Fact[] {
    const gone = this.factsAbout(about).filter((f) => id === undefined || f.id === id);
    const [only] = gone;
    this.#drops(about, id === undefined ? undefined : only?.value);
    const words = wordsToForget(this.#document, gone, about, id === undefined);
    this.#change({ op: 'forget', about, words, ...(id === undefined ? {} : { id }) });
    for (const f of gone) this.notes.push({ did: 'forgot', about, says: f.says });
    return gone;
  }

  /** Forgets everything. Returns how many facts there were. */
  forgetAll(): number {
    const { length } = this.facts;
    this.#facts = { now: [], pending: [] };
    this.#change({ op: 'forget-all' });
    this.notes.push({ did: 'forgot-all' });
    return length;
  }

  /** Something to be asked about once nothing else is asked. */
  propose(proposal: Proposal): void {
    const { about, value } = proposal;
    const refused = this.#kept.declined?.some((d) => d.about === about && sameValue(d.value, value)) ?? false;
    const known = this.#kept.facts.some((f) => f.about === about && sameValue(f.value, value));
    const waits = this.#facts.pending.some((p) => p.about === about && sameValue(p.value, value));
    if (refused || known || waits) return;
    const others = this.#facts.pending.filter((p) => p.about !== about || this.isMany(about));
    this.#facts = { ...this.#facts, pending: [...others, proposal].slice(-MOST_PENDING) };
    this.notes.push({ did: 'proposed', about, says: proposal.says, by: proposal.by });
  }

  /** The next thing to be asked about, which then waits no longer; undefined where there is none. */
  nextToAsk(): Proposal | undefined {
    const [next, ...more] = [...this.#facts.pending, ...(this.#kept.proposed ?? [])];
    if (!next) return undefined;
    if (this.#facts.pending.length > 0) this.#facts = { ...this.#facts, pending: more.slice(0, this.#facts.pending.length - 1) };
    else this.#change({ op: 'asked' });
    return next;
  }

  decline(about: string, value: Value): void {
    this.#change({ op: 'decline', about, value });
  }

  used(about: string, says: string, into: string): void {
    this.notes.push({ did: 'used', about, says, into });
  }

  /** What was said and answered, for turns to come. */
  exchanged(said: string, answered: string, key: string | null = null): void {
    if (said.trim() === '' || answered.trim() === '') return;
    const change: MemoryChange = { op: 'exchange', exchange: { at: this.#now.at, said, answered } };
    if (key === null) this.#change(change);
    else this.changes.push({ key, change });
  }

  #change(change: MemoryChange): void {
    this.#kept = changedMemory(this.#kept, change, this.isMany);
    this.changes.push({ key: null, change });
  }

  /** Does again what a branch did. */
  merge(child: TurnMemory): void {
    for (const { key, change } of child.changes) {
      if (key === null) this.#change(change);
      else this.changes.push({ key, change });
    }
    this.#facts = child.#facts;
    this.notes.push(...child.notes);
  }

  /** What is known now, as the sheet shows it. */
  recorded(): Pick<TurnSheet, 'known'> {
    const known = this.facts.map(({ about, says, value, lasts, at }) => ({ about, says, value, lasts, at }));
    return known.length === 0 ? {} : { known };
  }

  /** As the session keeps it. */
  state(): Pick<Session, 'memory' | 'facts'> {
    const { now, pending } = this.#facts;
    const kept = this.#kept;
    const has = kept.facts.length + kept.exchanges.length > 0 || kept.summary !== undefined || (kept.declined?.length ?? 0) > 0;
    return {
      ...(has ? { memory: kept } : {}),
      ...(now.length + pending.length > 0 ? { facts: this.#facts } : {}),
    };
  }
}
