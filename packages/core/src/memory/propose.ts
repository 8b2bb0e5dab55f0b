import type { Value } from '../document/shapes.js';
import { isQuestion } from '../understanding/cues/steering.js';
import { leadsOnly, statedIn, toRemember } from '../understanding/cues/remembering.js';
import { normalise } from '../understanding/words.js';
import { clip, FACT_SIZE, type Fact, type Proposal } from './memory.js';
import { holdsSecrets } from './never.js';
import { holdsWord, tellingWords, valueWords, wordsFor } from './telling.js';
import type { BotDocument } from '../document/schema.js';
import type { FactKind } from '../document/memory.js';

/*
 * Facts that a visitor states about themselves, found by rules: a part of a sentence in the first person that has the words of a kind of
 * fact, or a value of its entity. Orders to the bot are none, nor are questions.
 */

/** How long a fact counts, as far as the words tell; undefined where they do not. */
export type Lasting = 'always' | 'now' | undefined;

export interface Stating extends Proposal {
  readonly lasts: Lasting;
  /** It ends what was so before. */
  readonly ends: boolean;
  /** It says that a value is not so: nothing is kept, and what was kept of just that goes. */
  readonly denies?: true;
}

/** A value that was recognised in a message, with where it stands. */
export interface SeenValue {
  readonly entity: string;
  readonly value: Value;
  readonly from: number;
  readonly to: number;
}

export interface Stated {
  readonly facts: readonly Stating[];
  /** The message says nothing besides. */
  readonly alone: boolean;
  /** Somebody had something kept that is not kept: it is of no kind, it is never kept, or it tells the bot what to do. */
  readonly refused?: 'no-kind' | 'never' | 'order';
}

const MOST_STATED = 4;
const TEXT_SIZE = 600;

/** What of a message is a fact about who says it. */
export function statedFacts(
  text: string,
  { memory, entities }: Pick<BotDocument, 'memory' | 'entities'>,
  language: string,
  seen: readonly SeenValue[],
): Stated {
  const kinds = Object.entries(memory?.facts ?? {});
  if (kinds.length === 0 || text.length > TEXT_SIZE) return { facts: [], alone: false };
  const never = wordsFor(memory?.never, language);
  const asked = toRemember(text, language);
  const facts: Stating[] = [];
  let others = 0;
  let secret = false;
  let ordered = false;
  let before: Said | undefined;
  for (const part of partsOf(text)) {
    const how = saidOf(part.text, language, before);
    before = how;
    if (how.orders && (asked !== undefined || how.always)) ordered = true;
    const found =
      isQuestion(part.text, language) || how.orders ? [] : kinds.flatMap(([about, kind]) => ofKind({ part, how }, about, kind));
    const counts = found.filter((f) => how.own || f.ends || asked !== undefined);
    if (counts.length > 0 && holdsSecrets(part.text, never)) secret = true;
    else facts.push(...counts);
    if (counts.length === 0 && !leadsOnly(part.text, language)) others++;
  }
  const alone = facts.length > 0 && others === 0 && !ordered;
  if (asked === undefined || facts.length > 0) return { facts: facts.slice(0, MOST_STATED), alone: alone || asked !== undefined };
  return { facts: [], alone: false, refused: secret || holdsSecrets(asked, never) ? 'never' : ordered ? 'order' : 'no-kind' };

  function ofKind({ part, how }: { part: Part; how: Said }, about: string, kind: FactKind): Stating[] {
    const words = normalise(part.text).split(' ');
    const named = wordsFor(kind.words, language).some((w) => holdsWord(words, w));
    const type = kind.type ?? 'yes_no';
    const own =
      entities?.[type] === undefined ? [] : seen.filter((s) => s.entity === type && s.from >= part.from && s.to <= part.to);
    // What is so of somebody else is kept in words only, in which it stands of whom.
    if (how.ofOthers && type !== 'text') return [];
    const [value] = own;
    const lasts: Lasting = how.now ? 'now' : how.always || how.noLonger || asked !== undefined ? 'always' : undefined;
    const base = { about, says: clip(part.text, FACT_SIZE), by: 'words' as const, lasts, ends: how.noLonger };
    if (type === 'yes_no') return named ? [{ ...base, value: !how.denied }] : [];
    // A value of an entity is a habit only where somebody says so.
    if (entities?.[type] !== undefined) {
      const meant = kind.words === undefined ? lasts === 'always' : named;
      return value && meant ? [{ ...base, value: value.value, ...(how.denied ? { denies: true } : {}) }] : [];
    }
    return named ? [{ ...base, value: clip(part.text, FACT_SIZE) }] : [];
  }
}

type Said = ReturnType<typeof statedIn>;

/** How a part is meant; one that leaves out who speaks is said of whom the part before it was, and as lastingly. */
function saidOf(text: string, language: string, before: Said | undefined): Said {
  const how = statedIn(text, language);
  if (how.own || !how.goesOn || before?.own !== true) return how;
  return { ...how, own: true, always: how.always || before.always || before.noLonger };
}

interface Part {
  readonly text: string;
  readonly from: number;
  readonly to: number;
}

const JOINS = /^\s*(?:and|und|y|et|but|aber|pero|mais)\s/iu;

/** A message in parts that each say one thing. */
function partsOf(text: string): Part[] {
  const parts: Part[] = [];
  let from = 0;
  const add = (to: number) => {
    const part = text.slice(from, to);
    const bare = part.replace(JOINS, '').trim();
    if (normalise(bare) !== '') parts.push({ text: bare, from, to });
  };
  for (const found of text.matchAll(/[.!?;\n]+|,\s+|\s(?:and|und|y|et|but|aber|pero|mais)\s/giu)) {
    // A decimal or a time is no end of a sentence.
    if (/\d/.test(text[found.index - 1] ?? '') && /\d/.test(text[found.index + found[0].length] ?? '')) continue;
    add(found.index + (found[0].includes('?') ? 1 : 0));
    from = found.index + found[0].length;
  }
  add(text.length);
  return parts;
}

/** Which kinds of facts words are about: by the kind's own words, or by those of a fact that is known. */
export function kindsMeant(
  what: string,
  { memory, entities }: Pick<BotDocument, 'memory' | 'entities'>,
  language: string,
  known: readonly Pick<Fact, 'id' | 'about' | 'says' | 'value'>[],
): { readonly about: string; readonly id?: string }[] {
  const words = normalise(what).split(' ');
  const byKind = Object.entries(memory?.facts ?? {}).flatMap(([about, kind]) => {
    const own = [...wordsFor(kind.words, language), normalise(about.replaceAll('_', ' ')), normalise(kind.about)];
    return own.some((w) => holdsWord(words, w)) ? [{ about }] : [];
  });
  const many = (about: string) => memory?.facts?.[about]?.many === true;
  const byFact = known.flatMap(({ id, about, says, value }) => {
    if (valueWords({ memory, entities }, about, value).some((w) => holdsWord(words, w))) return [{ about, id }];
    const telling = tellingWords(what, wordsFor(memory?.facts?.[about]?.words, language));
    return telling.some((w) => holdsWord(normalise(says).split(' '), w)) ? [{ about, id }] : [];
  });
  // Of a kind with several facts the one that was named, where one was.
  const kinds = byKind.filter((k) => !many(k.about) || !byFact.some((f) => f.about === k.about));
  return [...kinds, ...byFact.filter((f) => !kinds.some((k) => k.about === f.about))];
}
