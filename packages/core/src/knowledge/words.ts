import { newStemmer } from 'snowball-stemmers';
import { baseOf, ofLanguage } from '../understanding/lexicon.js';
import { normalise } from '../understanding/words.js';

/** A word of a text as it is ranked: its terms, of which the first is its stem. The same word has the same terms everywhere. */
export type Terms = readonly string[];

/** Told of each word of a text in its order; `code` where several words without a space between them are one name or number. */
export type EachWord = (raw: string, code: boolean) => void;

const STEMMERS: Readonly<Record<string, string>> = {
  da: 'danish',
  de: 'german',
  en: 'english',
  es: 'spanish',
  fi: 'finnish',
  fr: 'french',
  it: 'italian',
  nl: 'dutch',
  no: 'norwegian',
  pt: 'portuguese',
  sv: 'swedish',
};
/** Languages that write several words as one. */
const COMPOUNDING = new Set(['da', 'de', 'fi', 'nl', 'no', 'sv']);
/** Stemming takes some 30 µs a word, so what was stemmed is remembered, up to so many words of a language. */
const MOST_REMEMBERED = 200_000;
/** Nothing longer is a word; what is behind is left out. */
const LONGEST_WORD = 60;
const LONGEST_CODE = 80;

const isDigit = (c: number): boolean => c >= 48 && c <= 57;
/** Which of the first 128 characters are letters or digits. */
const ASCII = Uint8Array.from({ length: 128 }, (_, c) => (/[0-9A-Za-z]/.test(String.fromCharCode(c)) ? 1 : 0));
const JOINERS = new Set([...'-_./:@#'].map((c) => c.charCodeAt(0)));
const APOSTROPHES = new Set([0x27, 0x2019]);
const UNDERSCORE = 0x5f;

/** Han, kana and hangul: written without spaces, so two neighbours make a word (Nie et al., 1999). */
const isUnspaced = (c: number): boolean =>
  (c >= 0x3040 && c <= 0x30ff) || (c >= 0x3400 && c <= 0x9fff) || (c >= 0xac00 && c <= 0xd7af);

const OTHER_LETTER = /[\p{L}\p{N}\p{M}]/u;
const others = new Map<number, boolean>();

function isLetter(c: number): boolean {
  if (c < 128) return ASCII[c] === 1;
  const known = others.get(c);
  if (known !== undefined) return known;
  // Halves of a pair belong to letters of old scripts and to signs; both are kept as letters.
  const is = (c >= 0xd800 && c <= 0xdfff) || OTHER_LETTER.test(String.fromCharCode(c));
  others.set(c, is);
  return is;
}

/** Tells the words of a text one by one: runs of letters and digits, and names like `MSF-204` or `smtpd_banner` whole as well. */
export function eachWord(text: string, each: EachWord): void {
  const n = text.length;
  let [at, joinedFrom, joints, telling] = [0, -1, 0, false];
  const endJoined = (end: number) => {
    if (joints > 0 && telling && end - joinedFrom <= LONGEST_CODE) each(text.slice(joinedFrom, end), true);
    [joinedFrom, joints, telling] = [-1, 0, false];
  };
  while (at < n) {
    const c = text.charCodeAt(at);
    if (!isLetter(c)) {
      at++;
      continue;
    }
    const from = at;
    if (isUnspaced(c)) {
      endJoined(at);
      while (at < n && isUnspaced(text.charCodeAt(at))) at++;
      for (let i = from; i < Math.max(from + 1, at - 1); i++) each(text.slice(i, Math.min(i + 2, at)), false);
      continue;
    }
    if (joinedFrom < 0) joinedFrom = from;
    while (at < n) {
      const next = text.charCodeAt(at);
      if (!isLetter(next) || isUnspaced(next)) break;
      if (isDigit(next)) telling = true;
      at++;
    }
    // What stands behind an apostrophe with one letter is an ending: "port's", "can't".
    const ending = at - from === 1 && from > 0 && APOSTROPHES.has(text.charCodeAt(from - 1));
    if (!ending) each(text.slice(from, Math.min(at, from + LONGEST_WORD)), false);
    const follows = text.charCodeAt(at);
    if (JOINERS.has(follows) && at + 1 < n && isLetter(text.charCodeAt(at + 1))) {
      joints++;
      if (follows === UNDERSCORE) telling = true;
    } else endJoined(at);
  }
}

type Stem = (word: string) => string;
interface Stemmer {
  readonly stem: Stem;
  readonly known: Map<string, Terms>;
}
const stems = new Map<string, Stemmer>();

function stemmerOf(language: string): Stemmer {
  const base = baseOf(language);
  const made = stems.get(base);
  if (made) return made;
  const name = ofLanguage(STEMMERS, base);
  const stemmer = name === undefined ? undefined : newStemmer(name);
  const fresh = { stem: (word: string) => stemmer?.stem(word) ?? word, known: new Map<string, Terms>() };
  stems.set(base, fresh);
  return fresh;
}

/** The parts of a `camelCase` name; the word itself where it is none. */
export function camelParts(raw: string): string[] {
  return CAMEL.test(raw) ? raw.split(CAMEL) : [raw];
}

const CAMEL = /(?<=[a-z])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])/;

/** The terms of a word in a language: its stem, and the parts of `camelCase` names. Codes keep every letter and sign. */
export function termsOf(raw: string, code: boolean, language: string): Terms {
  return termsIn(language)(raw, code);
}

/** The same for many words of a language. */
export function termsIn(language: string): (raw: string, code: boolean) => Terms {
  const stemmer = stemmerOf(language);
  return (raw, code) => (code ? [`=${raw.toLowerCase()}`] : stemmed(raw, stemmer));
}

function stemmed(raw: string, { stem, known }: Stemmer): Terms {
  const had = known.get(raw);
  if (had) return had;
  const one = (word: string): string => (/\d/.test(word) ? word : stem(word));
  const whole = normalise(raw).split(' ').map(one);
  const parts = camelParts(raw);
  const terms = [...new Set([...whole, ...(parts.length > 1 ? parts.map((p) => one(normalise(p))) : [])])].filter(
    (t) => t !== '',
  );
  if (known.size >= MOST_REMEMBERED) known.clear();
  known.set(raw, terms);
  return terms;
}

/** True where a language writes several words as one. */
export function compounds(language: string): boolean {
  return COMPOUNDING.has(baseOf(language));
}

const LINKS = ['', 's', 'es', 'n', 'en', 'e', 'er'];
const LEAST_PART = 4;

/** The two words that a compound is made of, where both are known; undefined where it is none. */
export function partsOf(
  word: string,
  isKnown: (stemmed: string) => boolean,
  language: string,
): readonly [string, string] | undefined {
  const { stem } = stemmerOf(language);
  for (let cut = word.length - LEAST_PART; cut >= LEAST_PART; cut--) {
    const tail = stem(word.slice(cut));
    if (!isKnown(tail)) continue;
    for (const link of LINKS) {
      if (!word.slice(0, cut).endsWith(link)) continue;
      const head = word.slice(0, cut - link.length);
      if (head.length >= LEAST_PART && isKnown(stem(head))) return [stem(head), tail];
    }
  }
  return undefined;
}

const LEAST_ALONE = 5;

/** The longest part at an end of a compound that is known, where the rest may be a word as well. */
export function knownPart(word: string, isKnown: (stemmed: string) => boolean, language: string): readonly string[] {
  const { stem } = stemmerOf(language);
  for (let length = word.length - LEAST_PART + 1; length >= LEAST_ALONE; length--)
    for (const part of [word.slice(-length), word.slice(0, length)].map(stem)) if (isKnown(part)) return [part];
  return [];
}

/** Words that say nothing of what a question is about, in the languages that the demo and most bots speak. */
const FUNCTION_WORDS = new Set(
  `a an the and or but if of to in on at by for with from as is are was were be been am do does did can could may might must shall
  should will would have has had having i you he she it we they me my your our their his her him them us its this that these those
  there here what which who whom whose when where how why not no yes please tell about any some so than then too very just also into
  get got go want need know like let see really still ever more most other same wait actually sorry ok okay hey hi hello oh well um
  hmm ah much many thanks thank btw way dont doesnt cant isnt im ive id don doesn didn isn aren wasn weren won wouldn couldn shouldn hasn haven hadn all any each both
  der die das ein eine einen einem einer eines und oder aber wenn von zu zum zur im in am an auf bei für mit aus als ist sind war
  waren sein ich du er sie es wir ihr mein meine meinen dein unser euer dies diese dieser dieses was welche welcher welches wer wann
  wo wie warum nicht kein keine ja nein bitte darf dürfen kann können muss müssen soll haben hat habe gibt man mir mich dem den des
  dann denn viel viele noch auch wird werden wurde hallo danke
  el la los las un una unos unas y o pero si de a en por para con como es son era eran ser estar esta este esto estos estas yo tú
  él ella nosotros ellos mi mis tu tus su sus nuestro que qué cuál cuáles quién cuándo dónde cómo no sí hay puedo puede pueden se me
  te lo le al del mucho mucha cuánto cuánta cuántos hola gracias
  le la les un une des et ou mais si de du au aux en dans par pour avec sur est sont était être je tu il elle nous vous ils elles
  mon ma mes ton ta tes son sa ses notre votre leur ce cet cette ces que quoi quel quelle quels quelles qui quand où comment pourquoi
  ne pas combien oui non puis peut peux on y bonjour merci`
    .split(/\s+/)
    .map(normalise),
);

/** Words by which anything is asked for: they say little of what it is. */
const LIGHT_WORDS = new Set(
  `bring brings bringing brought take takes taking took taken along carry carries carrying carried use uses using used
  make makes making made find finds finding found come comes coming came give gives giving gave given put puts putting
  say says saying said work works working worked happen happens happening happened go goes going went gone get gets getting got
  want wants wanted need needs needed know knows like let lets keep keeps
  allowed possible available first thing things question anything something someone somebody people way help best able
  mitnehmen mitbringen bringen bringe bringt nehmen nehme nimmt kommen komme kommt mitkommen gehen gehe geht geben gebe gibt machen
  mache macht brauche brauchen braucht will wollen möchte möchten wissen weiß erlaubt möglich finde finden findet frage passiert
  llevar llevo lleva llevamos traer traigo trae ir voy va vamos venir viene hacer hago hace tomar tomo toma encontrar encuentro
  encuentra quiero quiere queremos necesito necesita necesitamos saber sé permitido posible pasa pregunta algo alguien
  prendre prends prend apporter apporte emporter emporte aller vais va allons venir viens vient faire fais fait trouver trouve veux
  veut voulons voudrais besoin savoir permis possible quelque chose question`
    .split(/\s+/)
    .map(normalise),
);

/** Whether a word is one by which anything is asked for. */
export function isLightWord(raw: string): boolean {
  return LIGHT_WORDS.has(normalise(raw));
}

/** Whether a word only holds a sentence together. */
export function isFunctionWord(raw: string): boolean {
  return FUNCTION_WORDS.has(normalise(raw));
}

/** The language a text is most likely in, by its words that only hold sentences together; `fallback` where few of them tell. */
export function languageOf(text: string, fallback: string): string {
  const counts = new Map<string, number>();
  let words = 0;
  eachWord(text.slice(0, 4000), (raw, code) => {
    if (code) return;
    words++;
    for (const language of TELLING.get(normalise(raw)) ?? []) counts.set(language, (counts.get(language) ?? 0) + 1);
  });
  const [best, second] = [...counts].sort((a, b) => b[1] - a[1]);
  const others = second?.[1] ?? 0;
  // A few words that two languages have tell nothing.
  const tells = best !== undefined && best[1] >= 2 && best[1] >= words * 0.08 && (others === 0 || best[1] - others >= 2);
  if (!tells || best[1] <= others * 1.3) return fallback;
  return best[0];
}

const TELLING_WORDS: Readonly<Record<string, string>> = {
  en: 'the and of to in is are for with you your that this there be on it or not from at by as if have has can do what how',
  de: 'der die das und ist sind für mit nicht ein eine den dem zu auf von im wird werden sich auch bei oder sie kann ab am an kein keine aus nach über',
  es: 'el los las y es son para con una por que del se no su al como más puede está',
  fr: 'le les et est sont pour avec une des du que dans pas vous sur au ne peut votre ou',
  it: 'il gli e è sono per con una di che non del della nel si può come dei',
  pt: 'o os e é são para com uma de que não do da no em se pode dos ao',
  nl: 'de het en is zijn voor met een van niet op dat te in wordt ook bij kan uw',
  sv: 'och att det som är för med inte en ett på av den till kan har om',
};
const TELLING = new Map<string, string[]>();
for (const [language, words] of Object.entries(TELLING_WORDS))
  for (const word of words.split(' ').map(normalise)) TELLING.set(word, [...(TELLING.get(word) ?? []), language]);
