import type { BotDocument } from '../document/schema.js';
import type { AnswerSetting } from '../understanding/moments.js';
import { normalise } from '../understanding/words.js';
import { claimsIn, type Claim, type DeclaredWords } from './claims.js';
import { bearsOut, classesOf, isAmong, knownOf, namedIn, textsOf, type Deed, type Known, type Named } from './evidence.js';
import { doneIn } from './lexicon.js';
import { sentencesOf, unquoted } from './sentences.js';

/*
 * Whether what a reply claims was done. A claim is held against the calls of the conversation that succeeded, in kind and in
 * values; what is only said to be so may have been read as well.
 */

/** A text that the model was shown, and what it is the text of: what was worked out of that once is not worked out again. */
export interface Shown {
  readonly text: string;
  readonly owner: object;
}

/** What a reply is held against. */
export interface Grounds {
  readonly document: BotDocument;
  readonly setting: AnswerSetting;
  /** What was done and read in this conversation, the newest last. */
  readonly deeds: readonly Deed[];
  /** Everything that the model was shown: prompts, results of tools, what the visitor said. */
  readonly shown: readonly Shown[];
  readonly declared?: readonly DeclaredWords[];
}

export interface Falsehood {
  /** Where the sentence stands: characters from, to before. */
  readonly from: number;
  readonly to: number;
  readonly says: string;
  readonly claim: Claim;
  readonly why: 'not-done' | 'other-values';
  /** What is otherwise than it was done. */
  readonly values: readonly string[];
  /** The deed that it was held against, where there is one. */
  readonly deed?: Deed;
}

/** The false claims of a reply; empty for an honest one. In time linear in its length. */
export function falsehoodsIn(text: string, grounds: Grounds): Falsehood[] {
  return sentencesOf(text).flatMap((sentence) => {
    const { language } = grounds.setting;
    const found = claimsIn(sentence.text, language, grounds.declared).map((claim) => judged(claim, sentence.text, grounds));
    const [first] = found.filter((f) => f !== undefined);
    return first ? [{ ...first, from: sentence.from, to: sentence.to, says: sentence.text.trim() }] : [];
  });
}

type Judged = Omit<Falsehood, 'from' | 'to' | 'says'>;

/** What is wrong with a claim; undefined where it is borne out. */
function judged(claim: Claim, sentence: string, grounds: Grounds): Judged | undefined {
  const deeds = grounds.deeds.filter((d) => bearsOut(d, claim.effect));
  if (deeds.length === 0) return wasRead(claim, sentence, grounds) ? undefined : { claim, why: 'not-done', values: [] };
  // Of several deeds it may be about any one, or about all of them together.
  const wrong = deeds.toReversed().map((deed) => ({ deed, values: otherwise(sentence, deed, grounds) }));
  const [least] = wrong.toSorted((a, b) => a.values.length - b.values.length);
  if (!least || least.values.length === 0) return undefined;
  const together = otherwise(sentence, mergedDeed(deeds), grounds);
  if (deeds.length > 1 && together.length === 0) return undefined;
  if (claim.kind === 'is' && wasRead(claim, sentence, grounds)) return undefined;
  return { claim, why: 'other-values', values: least.values.map((v) => v.text), deed: least.deed };
}

const merged = new WeakMap<readonly Deed[], Deed>();

function mergedDeed(deeds: readonly Deed[]): Deed {
  const known = merged.get(deeds);
  if (known) return known;
  const made: Deed = { name: '', about: '', acts: 'adds', given: deeds.map((d) => d.given), gave: deeds.map((d) => d.gave) };
  merged.set(deeds, made);
  return made;
}

const knownOfDeed = (deed: Deed, { document, setting }: Grounds): Known =>
  knownOf(deed, [...textsOf(deed.given), ...textsOf(deed.gave)], document, setting);

const knownOfShown = ({ shown, document, setting }: Grounds): Known[] =>
  shown.map(({ text, owner }) => knownOf(owner, [text], document, setting));

const amongAny = (value: Named, all: readonly Known[]): boolean => all.some((k) => isAmong(value, k));

/** Words before a time that make it another one than that of the deed: when something arrives, ends, or has to be done. */
const OTHER_TIME =
  /(?:arriv\p{L}*|until|till|ends?|by|before|after|ankunft|ankommt|an|bis|vor|ab|spatestens|llega\p{L}*|hasta|antes de(?: las)?|arrive\p{L}*|jusqu\S*|avant)\s+(?:at |um |a |las |a las |in |on )?$/iu;

/** The values of a sentence that are otherwise than a deed has them. */
function otherwise(sentence: string, deed: Deed, grounds: Grounds): Named[] {
  const named = namedIn(unquoted(sentence), grounds.document, grounds.setting);
  const held = knownOfDeed(deed, grounds);
  const shown = knownOfShown(grounds);
  return named.filter((value) => {
    if (isAmong(value, held)) return false;
    const elsewhere = amongAny(value, shown);
    const same = held.values.filter((h) => h.kind === value.kind);
    if (!elsewhere) return same.length > 0 || value.kind !== 'number';
    // It is known from elsewhere: it is otherwise where the deed has a value of its kind and the sentence does not name that.
    if (same.length === 0) return false;
    if (value.kind === 'number')
      return !named.some((n) => n.kind === 'number' && n !== value && isAmong(n, held)) && isCount(sentence, value);
    if (value.kind === 'time' && OTHER_TIME.test(sentence.slice(0, Math.max(0, sentence.indexOf(value.text))))) return false;
    if (value.kind === 'time') return !named.some((n) => n.kind === 'time' && isAmong(n, held));
    return true;
  });
}

/** A number that counts something, and is no part of a name or a price. */
function isCount(sentence: string, value: Named): boolean {
  const at = sentence.indexOf(value.text);
  return at >= 0 && /^\s+\p{L}/u.test(sentence.slice(at + value.text.length)) && !/[€$£]\s*$/u.test(sentence.slice(0, at));
}

/**
 * True for a state that was read: a tool that only reads gave words of this kind of doing, or it reads things of this kind; and
 * all values that are named are known. What the bot says that it did itself was never read.
 */
function wasRead(claim: Claim, sentence: string, grounds: Grounds): boolean {
  if (claim.kind === 'did') return false;
  const named = namedIn(unquoted(sentence), grounds.document, grounds.setting);
  const shown = knownOfShown(grounds);
  if (!named.every((n) => amongAny(n, shown))) return false;
  const mine = /(?:^|\s)(?:you|your|yours|ihr\p{L}*|sie|dein\p{L}*|du|su|sus|tu|tus|usted|votre|vos|vous)(?:\s|$)/iu.test(
    claim.clause,
  );
  if (!mine) return shown.some((k) => doneIn(k.said).has(claim.effect));
  return grounds.deeds.some((d) => {
    if (d.acts !== 'reads') return false;
    const said = knownOfDeed(d, grounds).said;
    return doneIn(said).has(claim.effect) || (named.length > 0 && classesOf(d).has(claim.effect));
  });
}

/** Words with a capital that begin no sentence: likely names. German writes every noun so, and has none of these. */
const CAPITALISED = /(?<=[\p{Ll}\p{N},;:–-]\s+)\p{Lu}[\p{Ll}]{2,}(?:\s+\p{Lu}[\p{Ll}]{2,})*/gu;
/** Words that are written with a capital and are no names. */
const NO_NAMES =
  /^(?:I|Monday|Tuesday|Wednesday|Thursday|Friday|Saturday|Sunday|January|February|March|April|May|June|July|August|September|October|November|December|English|German|Spanish|French|Mr|Mrs|Ms)$/;
const MOST_UNSAID = 20;

/** Numbers, dates, prices and names in a reply that stand nowhere in what was shown: for people to look at. */
export function unsaidIn(text: string, grounds: Grounds): string[] {
  const shown = knownOfShown(grounds);
  const done = grounds.deeds.map((d) => knownOfDeed(d, grounds));
  const somewhere = (value: Named) => amongAny(value, shown) || amongAny(value, done);
  const values = namedIn(text, grounds.document, grounds.setting).filter((v) => !somewhere(v));
  const german = grounds.setting.language.startsWith('de');
  const names = german ? [] : [...text.matchAll(CAPITALISED)].map((m) => m[0]).filter((n) => !NO_NAMES.test(n));
  const said = [...shown, ...done];
  const unknown = names.filter((n) => !said.some((k) => k.said.includes(` ${normalise(n)} `)));
  return [...new Set([...values.map((v) => v.text), ...unknown])].slice(0, MOST_UNSAID);
}

/** So much of a text as may be shown while more is coming: whole sentences up to the first that claims what was not done. */
export function shownSoFar(text: string, grounds: Grounds): string {
  const sentences = sentencesOf(text);
  const whole = sentences.filter((s) => /[.!?…。！？]["”“»')\]]*\s*$|\n$/u.test(s.text));
  let end = 0;
  for (const s of sentences) {
    if (!whole.includes(s)) break;
    const claims = claimsIn(s.text, grounds.setting.language, grounds.declared);
    if (claims.length > 0 && falsehoodsIn(s.text, grounds).length > 0) break;
    end = s.to;
  }
  return text.slice(0, end);
}
