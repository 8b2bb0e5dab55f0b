import type { BotDocument } from '../document/schema.js';
import { isTable, type Value } from '../document/shapes.js';
import type { AnswerSetting } from '../understanding/moments.js';
import { createValueFinder, type FoundValue, type ValueFinder } from '../understanding/recognise.js';
import { weekdayOf } from '../understanding/calendar.js';
import { normalise } from '../understanding/words.js';
import { classesIn, doneIn, type EffectClass } from './lexicon.js';

/*
 * What is known to have been done, and with which values: what a claim is held against.
 */

/** Something that a call changed outside, or read there, as a conversation remembers it. */
export interface Deed {
  /** What was run, as people know it. */
  readonly name: string;
  /** What that is for. */
  readonly about: string;
  /** How it acts: adds, changes or removes something, sends something, or only reads. */
  readonly acts: 'adds' | 'changes' | 'removes' | 'sends' | 'reads';
  /** What it was given, and what it gave. */
  readonly given: Value;
  readonly gave: Value;
}

/** The kinds of doing that an act is by itself. */
const BY_ACT: Readonly<Record<Deed['acts'], readonly EffectClass[]>> = {
  adds: ['create'],
  changes: ['change'],
  removes: ['remove', 'cancel'],
  sends: ['send', 'tell'],
  reads: [],
};

/** A claim of one kind is borne out by deeds of these kinds as well. */
const ALIKE: Readonly<Partial<Record<EffectClass, readonly EffectClass[]>>> = {
  book: ['order', 'assign'],
  order: ['book'],
  note: ['create', 'change', 'assign', 'book'],
  create: ['note', 'book', 'order', 'assign'],
  send: ['tell', 'order'],
  tell: ['send', 'note'],
  call: ['tell'],
  change: ['note'],
  cancel: ['remove'],
  remove: ['cancel'],
  confirm: ['book', 'order', 'pay', 'create', 'assign', 'change', 'note'],
  assign: ['note', 'create', 'book'],
};

const classes = new WeakMap<Deed, ReadonlySet<EffectClass>>();

/** The kinds of doing that a deed is. */
export function classesOf(deed: Deed): ReadonlySet<EffectClass> {
  const known = classes.get(deed);
  if (known) return known;
  const told = classesIn(normalise(`${deed.name.replaceAll(/[._-]/g, ' ')} ${deed.about}`));
  // "Done" says nothing of what it was.
  const found = new Set([...told, ...BY_ACT[deed.acts]].filter((c) => c !== 'done'));
  const gave = deed.acts === 'reads' ? [] : [...doneIn(normalise(textsOf(deed.gave).join(' ')))].filter((c) => c !== 'done');
  const all = new Set([...found, ...gave]);
  classes.set(deed, all);
  return all;
}

/** True where a deed bears a claim of this kind out. One of which nothing says what it does bears out any. */
export function bearsOut(deed: Deed, effect: EffectClass): boolean {
  if (deed.acts === 'reads') return false;
  if (effect === 'done') return true;
  const own = classesOf(deed);
  if (own.size === 0 || own.has(effect)) return true;
  return (ALIKE[effect] ?? []).some((c) => own.has(c));
}

const MOST_TEXTS = 400;

/** All texts and figures in a value, field names included, as far as there are not too many. */
export function textsOf(value: Value, into: string[] = []): string[] {
  if (into.length >= MOST_TEXTS) return into;
  if (typeof value === 'string') into.push(value);
  else if (typeof value === 'number') into.push(String(value));
  else if (Array.isArray(value)) (value as readonly Value[]).forEach((v) => textsOf(v, into));
  else if (isTable(value))
    for (const [key, v] of Object.entries(value)) {
      if (into.length < MOST_TEXTS) into.push(key.replaceAll('_', ' '));
      textsOf(v, into);
    }
  return into;
}

/** Kinds of value that a claim is held to. */
const PLAIN_KINDS = ['email', 'money', 'date', 'time', 'number'];
const MOST_LISTS = 30;

const finders = new WeakMap<BotDocument, { readonly find: ValueFinder; readonly lists: readonly string[] }>();

function finderOf(document: BotDocument) {
  const known = finders.get(document);
  if (known) return known;
  const lists = Object.entries(document.entities ?? {})
    .filter(([, e]) => e.values !== undefined)
    .map(([name]) => name)
    .slice(0, MOST_LISTS);
  const made = { find: createValueFinder(document, [...PLAIN_KINDS, ...lists]), lists };
  finders.set(document, made);
  return made;
}

/** A value that a text names, of a kind that claims are held to. */
export interface Named {
  readonly kind: string;
  readonly value: Value;
  readonly text: string;
}

/** The parts of an identifier, such as `kelpwick_2026-06-04_0940`, as words of their own. */
const apart = (text: string): string => text.replaceAll('_', ' ');

/** The values in a text. "One" and the like are no numbers worth holding anybody to. */
export function namedIn(text: string, document: BotDocument, setting: AnswerSetting): Named[] {
  return finderOf(document)
    .find(apart(text), setting)
    .filter((v) => !(v.entity === 'number' && (typeof v.value !== 'number' || Math.abs(v.value) <= 1)))
    .map((v) => ({ kind: kindOf(v), value: v.entity === 'money' ? amountOf(v.value) : v.value, text: v.text }));
}

const kindOf = ({ entity }: FoundValue): string => (entity === 'money' ? 'number' : entity);

function amountOf(value: Value): Value {
  return isTable(value) && typeof value['amount'] === 'number' ? value['amount'] : value;
}

/** What a list of values holds, ready to be asked. */
export interface Known {
  /** Texts, normalised and joined, a space at each end. */
  readonly said: string;
  readonly values: readonly Named[];
}

const known = new WeakMap<object, Map<string, Known>>();
/** The same text is read with so many moments and languages before what was worked out is dropped. */
const MOST_SETTINGS = 4;

/** The values of texts; of one owner they are worked out once for a language. */
export function knownOf(owner: object, texts: readonly string[], document: BotDocument, setting: AnswerSetting): Known {
  const all = known.get(owner) ?? new Map<string, Known>();
  known.set(owner, all);
  const key = `${setting.language} ${setting.at} ${texts.length} ${texts[0]?.length ?? 0}`;
  const before = all.get(key);
  if (before) return before;
  const made = {
    said: ` ${normalise(apart(texts.join(' \n ')))} `,
    values: texts.flatMap((t) => namedIn(isoParts(t), document, setting)),
  };
  if (all.size > MOST_SETTINGS) all.clear();
  all.set(key, made);
  return made;
}

/** `2026-05-15T09:40` as a day and a time. */
const isoParts = (text: string): string => text.replace(/(\d{4}-\d\d-\d\d)T(\d\d:\d\d)/g, '$1 $2');

const isDay = (value: Value): value is string => typeof value === 'string' && /^\d{4}-\d\d-\d\d$/.test(value);

/** True where a value is among those that are known, or its very words are. */
export function isAmong(value: Named, { said, values }: Known): boolean {
  if (values.some((v) => sameNamed(v, value))) return true;
  const words = normalise(apart(value.text));
  return words !== '' && said.includes(` ${words} `);
}

function sameNamed(a: Named, b: Named): boolean {
  // A weekday alone may be that of any week.
  const bare = [a, b].some((v) => v.kind === 'date' && /^\p{L}+$/u.test(v.text.trim()));
  if (bare && a.kind === b.kind && isDay(a.value) && isDay(b.value)) return weekdayOf(a.value) === weekdayOf(b.value);
  return a.kind === b.kind && JSON.stringify(a.value) === JSON.stringify(b.value);
}
