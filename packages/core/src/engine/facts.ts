import { fitsType } from '../document/variables.js';
import type { TypeDeclaration, Value } from '../document/shapes.js';
import { textOf } from '../expressions/functions.js';
import { escapeMarkdown } from '../text/markdown.js';
import type { Fact } from '../memory/index.js';
import type { Compiler } from './compiler.js';
import type { PreparedFact } from './prepared.js';
import type { OpenFrame } from './talk/trail.js';
import { listed } from './talk/words.js';
import type { Turn } from './turn.js';

/*
 * Facts about the visitor where the bot works with them: in words, and as values of variables that they fill in.
 */

export function preparedFacts({ document, ...compiler }: Pick<Compiler, 'document'> & { text: Compiler['text'] }) {
  const { text } = compiler;
  return new Map(
    Object.entries(document.memory?.facts ?? {}).map(([about, kind]): [string, PreparedFact] => {
      const at = `/memory/facts/${about}`;
      return [
        about,
        {
          says: kind.says === undefined ? undefined : text(`${at}/says`, kind.says),
          used: kind.used === undefined ? undefined : text(`${at}/used`, kind.used),
        },
      ];
    }),
  );
}

/** A value of a kind of fact as visitors read it. */
function worded(turn: Turn, about: string, value: Value): Value {
  const type = turn.bot.document.memory?.facts?.[about]?.type;
  const listed = type !== undefined && typeof value === 'string' && turn.bot.document.entities?.[type]?.values !== undefined;
  return listed ? turn.words.listed(type, value) : value;
}

/** A fact as a sentence for the visitor: as its kind says it, else in their own words. */
export function factWords(turn: Turn, { about, says, value }: Pick<Fact, 'about' | 'says' | 'value'>): string {
  const prepared = turn.bot.facts.get(about)?.says;
  // What is no longer so is told as they said it: the kind's sentence says that it is.
  if (!prepared || value === false) return listed([escapeMarkdown(says)], turn.language);
  return turn.wording(prepared, { value: worded(turn, about, value) });
}

/** A fact as a sentence where it is kept without words of the visitor's. */
export function sentenceFor(turn: Turn, about: string, value: Value): string {
  const kind = turn.bot.document.memory?.facts?.[about];
  const prepared = turn.bot.facts.get(about)?.says;
  if (prepared && value !== false) return turn.wording(prepared, { value: worded(turn, about, value) });
  return value === true ? (kind?.about ?? about) : `${kind?.about ?? about}: ${textOf(worded(turn, about, value))}`;
}

/** The fact that fills in a variable of a flow, where one is known. */
export function factFor(turn: Turn, name: string): Fact | undefined {
  if (!turn.memory.keepsFacts || !turn.may('memory') || turn.event.type === 'fired') return undefined;
  const kinds = Object.entries(turn.bot.document.memory?.facts ?? {});
  const [about] = kinds.find(([, kind]) => kind.fills?.includes(name) === true && kind.many !== true) ?? [];
  return about === undefined ? undefined : turn.memory.factsAbout(about).at(-1);
}

/** Notes that a fact filled in a variable, and has the bot say so before what it says next. */
export function usesFact(turn: Turn, fact: Fact, into: string): void {
  const prepared = turn.bot.facts.get(fact.about)?.used;
  const says = prepared
    ? turn.wording(prepared, { value: worded(turn, fact.about, fact.value) })
    : turn.talk.words('as-always', sentenceFor(turn, fact.about, fact.value).replace(/[.!]$/, ''));
  if (fact.lasts === 'always' || prepared) turn.talk.leadAlso(says);
  turn.memory.used(fact.about, fact.says, into);
}

/** What a flow takes, filled in by what is known of the visitor where nobody has said otherwise. */
export function withFacts(
  turn: Turn,
  takes: Readonly<Record<string, TypeDeclaration>>,
  values: Readonly<Record<string, Value>>,
): Readonly<Record<string, Value>> {
  const empty = Object.keys(takes).filter((name) => (values[name] ?? null) === null);
  const found = empty.flatMap((name) => {
    const fact = factFor(turn, name);
    return fact && takes[name] !== undefined && fitsType(turn.bot.document, takes[name], fact.value) ? [{ name, fact }] : [];
  });
  for (const { name, fact } of found) usesFact(turn, fact, `flow.${name}`);
  return found.length === 0 ? values : { ...values, ...Object.fromEntries(found.map(({ name, fact }) => [name, fact.value])) };
}

/** What was answered in a flow that came to its end, and changed something, is a habit perhaps: the visitor is asked. */
export function proposeFrom(turn: Turn, { values, did, trail }: OpenFrame): void {
  if (!turn.memory.keepsFacts || !turn.may('memory') || turn.event.type === 'fired') return;
  if (did !== true && !trail.some((p) => p.did)) return;
  for (const [about, kind] of Object.entries(turn.bot.document.memory?.facts ?? {})) {
    if (kind.many === true || kind.lasts === 'now') continue;
    const value = kind.fills?.map((name) => values[name] ?? null).find((v) => v !== null) ?? null;
    if (value === null || value === false || turn.memory.factsAbout(about).length > 0) continue;
    turn.memory.propose({ about, says: sentenceFor(turn, about, value), value, by: 'answer' });
  }
}
