import { baseOf } from '../lexicon.js';
import { normalise } from '../words.js';

/*
 * How people steer a conversation, whatever it is about: by a few set expressions in each language. They are compared with
 * normalised text (see `normalise`): small letters without marks, and spaces instead of punctuation.
 */

/** Languages in which steering is understood. */
export const CUE_LANGUAGES = ['en', 'de', 'es', 'fr'] as const;
type CueLanguage = (typeof CUE_LANGUAGES)[number];

/** Expressions by language: alternatives of a pattern, parted by semicolons; a space stands for any border between words. */
export type Spoken = Readonly<Record<CueLanguage, string>>;

/** Where an expression may stand: it is all that was said, begins it, ends it, or is anywhere in it. */
type Stands = 'whole' | 'begins' | 'ends' | 'within';

const EDGES: Readonly<Record<Stands, readonly [string, string]>> = {
  whole: ['^', '$'],
  begins: ['^', '(?= |$)'],
  ends: ['(?<= |^)', '$'],
  within: ['(?<= |^)', '(?= |$)'],
};

/** Finds an expression in normalised text of a language; English ones are understood in every language. */
export type Cue = (said: string, language: string) => RegExpExecArray | null;

/** Makes the finder of expressions. */
export function cue(stands: Stands, spoken: Spoken): Cue {
  const patterns = new Map<string, RegExp>();
  const patternOf = (language: string): RegExp => {
    const base = isSpoken(language) ? language : 'en';
    const known = patterns.get(base);
    if (known) return known;
    const all = base === 'en' ? spoken.en : `${spoken[base]};${spoken.en}`;
    const alternatives = all
      .split(';')
      .map((a) => a.trim())
      .filter(Boolean)
      .sort((a, b) => b.length - a.length);
    const [before, after] = EDGES[stands];
    const made = new RegExp(alternatives.length === 0 ? '(?!)' : `${before}(?:${alternatives.join('|')})${after}`);
    patterns.set(base, made);
    return made;
  };
  return (said, language) => patternOf(baseOf(language)).exec(said);
}

const isSpoken = (base: string): base is CueLanguage => (CUE_LANGUAGES as readonly string[]).includes(base);

/** A polite word, a sigh or a filler, which says nothing by itself. */
const FILLER: Spoken = {
  en: 'please;pls;plz;thanks;thank you;many thanks;thx;cheers;ok;okay;alright;all right;well;so;oh;ah;uh;um;uhm;umm;er;erm;hm;hmm;hmmm;hi;hello;hey;hey there;hi there;good morning;good afternoon;good evening;right then;then;now;just;really;sorry;excuse me;pardon;i think;i guess;i suppose;if possible;if you can;if i may;for me;my friend;maybe;perhaps',
  de: 'bitte;danke;vielen dank;dankeschon;danke schon;also;na;na ja;naja;ach;ah;oh;ah ja;ahm;ehm;hm;hmm;hallo;hi;guten tag;guten morgen;moin;gut;okay;ok;ja dann;dann;mal;doch;eben;entschuldigung;sorry;ich glaube;ich denke;wenn moglich;wenn es geht;vielleicht;wohl;nun;tja',
  es: 'por favor;porfa;porfavor;gracias;muchas gracias;bueno;pues;vale;ok;eh;em;mmm;hola;buenas;buenos dias;buenas tardes;entonces;perdon;perdona;perdone;disculpe;creo;creo que;si es posible;si puede ser;quizas;tal vez;oh;ah;ay',
  fr: 's il vous plait;s il te plait;svp;stp;merci;merci beaucoup;bon;ben;bah;alors;euh;hum;ok;bonjour;salut;donc;pardon;desole;desolee;je crois;je pense;si possible;peut etre;ah;oh',
};

const leading = cue('begins', FILLER);
const trailing = cue('ends', FILLER);

/** Normalised text without the fillers at its two ends; all of it where there is nothing else. */
export function withoutFillers(said: string, language: string): string {
  let rest = said;
  for (;;) {
    const first = leading(rest, language)?.[0];
    const next = first === undefined ? rest : rest.slice(first.length).trim();
    if (next === rest || next === '') break;
    rest = next;
  }
  for (;;) {
    const last = trailing(rest, language)?.[0];
    const next = last === undefined ? rest : rest.slice(0, rest.length - last.length).trim();
    if (next === rest || next === '') break;
    rest = next;
  }
  return rest;
}

/** What was said, as cues are looked for in it. */
export function core(text: string, language: string): string {
  return withoutFillers(normalise(text), language);
}

const onlyFiller = cue('whole', FILLER);

/** True for words that say nothing by themselves: "please", "hmm", "ok then". */
export function saysNothing(text: string, language: string): boolean {
  const rest = core(text, language);
  return rest === '' || onlyFiller(rest, language) !== null;
}
