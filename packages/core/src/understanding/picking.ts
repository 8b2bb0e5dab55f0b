import { isTable, type Value } from '../document/shapes.js';
import { findMoney, findOrdinals, numberWords, plainNumber } from './amounts.js';
import { core, cue, type Cue } from './cues/cue.js';
import { baseOf } from './lexicon.js';
import { findMoments, type AnswerSetting } from './moments.js';
import { editDistance, slipsAllowed } from '../text/nearest.js';
import { matchOption, MIN_TELLING_LETTERS, normalise, tokensOf } from './words.js';

/** One of some things that were offered: the words of it, and what it stands for. */
export interface Offered {
  readonly id: string;
  readonly says: string;
  readonly value?: Value;
}

/** What somebody takes of what was offered: one, several that their words fit, none, or nothing that can be told. */
export type Picked =
  { readonly takes: readonly string[]; readonly by: string } | { readonly refuses: true; readonly by: string } | undefined;

const NONE = cue('begins', {
  en: '(no |i want |i d take |i ll take )*(none|neither|nothing)( of (them|these|those|the (two|three|four|above)))?( of it)?( suits( me)?| works| fits| please| thanks| will do)*;not any( of (them|these|those))?;(i )?don t (like|want) any( of (them|these|those))?',
  de: '(nein )?(keine?[nrs]?|nichts)( von)?( beiden?| denen| diesen| davon| allen)?( passt( mir)?| bitte| danke)*;weder noch',
  es: '(no )?ningun[oa]?( de (los|las|ellos|ellas|estos|estas|l[oa]s dos))?( me (va|vale|sirve))?;nada de eso;ni un[oa] ni otr[oa]',
  fr: '(non )?aucune?( des (deux|trois))?( d entre elles| d entre eux)?( ne me convient)?;rien;ni l un ni l autre;ni l une ni l autre',
});
const ANY = cue('begins', {
  en: '(i )?(don t|do not|dont) (mind|care)( which( one)?)?;(oh |i ll take |i d take |just )*(either|any|whichever|whatever|anyone|any one)( one)?( of (them|these|those))?( is (fine|ok|okay|good)| will do| works| suits( me)?| you (like|want|prefer|think))*;(you|please) (choose|pick|decide)( for me| one)?;(it )?(doesn t|does not) matter( which)?;all the same( to me)?;surprise me',
  de: '(ist )?(mir )?(ist )?(egal|gleich|wurst)( welche[rs]?)?;(irgend ?)?(eine?r?s?|welche[rs]?)( beliebige[rs]?| von beiden)?( ist (gut|recht|egal))?;(beide|alle) (sind )?(gut|recht|ok|passen);such(en sie)? (mir )?(eine?[ns]? )?aus;beliebig;entscheide(n sie)?',
  es: '(me )?da igual( cual| cualquiera)?;cualquiera( de (l[oa]s dos|ell[oa]s|est[oa]s))?( me (va|vale|sirve)| esta bien)*;(l[oa] )?que (quieras|quiera|prefieras|prefiera);elige (tu|usted)|elija;no me importa( cual)?',
  fr: '(ca m est |m est |c est )?egal;n importe( lequel| laquelle)?;peu importe( lequel| laquelle)?;l un ou l autre|l une ou l autre;(comme|celui que|celle que) vous (voulez|preferez);choisissez( pour moi)?',
});
const OTHER = cue('within', {
  en: '(the )?other( one)?( of (the )?two)?;the alternative',
  de: '(die|den|das|der) andere[nrs]?',
  es: '(el|la|lo) otr[oa]',
  fr: '(l )autre',
});
const LAST = cue('within', {
  en: '(the )?(very )?last( one| option)?;(the )?(bottom|final) (one|option)',
  de: '(die|der|das|den) (aller ?)?letzte[nrs]?',
  es: '(el|la|lo) ultim[oa]',
  fr: '(le|la) dernier(e)?',
});
const LAST_BUT_ONE = cue('within', {
  en: 'second (to )?last;last but one;next to last;penultimate;one before (the )?last',
  de: '(die|der|das|den)? ?vorletzte[nrs]?',
  es: '(el|la)? ?penultim[oa]',
  fr: 'avant dernier(e)?',
});
const MIDDLE = cue('within', {
  en: 'middle( one)?;one in the middle',
  de: 'mittlere[nrs]?;in der mitte',
  es: '(el|la) de(l)? (en )?medio',
  fr: 'celui du milieu;celle du milieu',
});
const FIRST = cue('within', {
  en: 'the first;first( one| option)?;the top one',
  de: '(die|der|das|den) erste[nrs]?',
  es: '(el|la) primer[oa]?',
  fr: '(le|la) premier(e)?',
});

/** Words for the least or most of something: of what, and which end. */
interface Superlative {
  readonly cue: Cue;
  readonly of: 'time' | 'price' | 'length';
  readonly most: boolean;
}
const SUPERLATIVES: readonly Superlative[] = [
  {
    of: 'time',
    most: false,
    cue: cue('within', {
      en: 'earliest;earlier( one)?;soonest;sooner( one)?;next one;early( one)?',
      de: 'fruheste[nrs]?;fruhere[nrs]?;fruhest(ens|moglich(e[nrs]?)?);nachste[nrs]?;fruhen?',
      es: '(el|la|lo)? ?(mas|primer[oa]) tempran[oa];mas pronto;antes posible;mas temprano',
      fr: 'plus tot;plus matinal(e)?',
    }),
  },
  {
    of: 'time',
    most: true,
    cue: cue('within', {
      en: 'latest;later( one)?;late( one)?',
      de: 'spateste[nrs]?;spatere[nrs]?;spaten?;am spatesten',
      es: 'mas tarde;mas tardi[oa]',
      fr: 'plus tard;plus tardif;plus tardive',
    }),
  },
  {
    of: 'price',
    most: false,
    cue: cue('within', {
      en: 'cheapest;cheaper( one)?;less expensive( one)?;least expensive( one)?;lowest price;cheap one;best price',
      de: 'billigste[nrs]?;billigere[nrs]?;gunstigste[nrs]?;gunstigere[nrs]?;preiswerteste[nrs]?;preiswertere[nrs]?;am (billigsten|gunstigsten)',
      es: 'mas barat[oa];mas economic[oa];menos car[oa]',
      fr: 'moins cher;moins chere;plus economique;meilleur marche',
    }),
  },
  {
    of: 'price',
    most: true,
    cue: cue('within', {
      en: 'dearest;dearer( one)?;most expensive( one)?;more expensive( one)?',
      de: 'teuerste[nrs]?;teurere[nrs]?',
      es: 'mas car[oa]',
      fr: 'plus cher;plus chere',
    }),
  },
  {
    of: 'length',
    most: false,
    cue: cue('within', {
      en: 'shortest;shorter( one)?;fastest;faster( one)?;quickest;quicker( one)?',
      de: 'kurzeste[nrs]?;kurzere[nrs]?;schnellste[nrs]?;schnellere[nrs]?',
      es: 'mas (cort|rapid)[oa]',
      fr: 'plus (courte?|rapide)',
    }),
  },
  {
    of: 'length',
    most: true,
    cue: cue('within', {
      en: 'longest;longer( one)?;slowest',
      de: 'langste[nrs]?;langere[nrs]?',
      es: 'mas larg[oa]',
      fr: 'plus longue?;plus long',
    }),
  },
];

/** Parts of the day, in minutes from midnight. */
const DAY_PARTS: readonly { readonly cue: Cue; readonly from: number; readonly to: number }[] = [
  {
    from: 240,
    to: 720,
    cue: cue('within', {
      en: 'morning;before noon;before lunch;in the a m',
      de: 'morgens?;vormittags?;fruhs?;am morgen;am vormittag',
      es: 'manana;antes del mediodia',
      fr: 'matin;matinee',
    }),
  },
  {
    from: 720,
    to: 1080,
    cue: cue('within', {
      en: 'afternoon;after noon;after lunch',
      de: 'nachmittags?;am nachmittag',
      es: 'tarde',
      fr: 'apres midi',
    }),
  },
  { from: 660, to: 840, cue: cue('within', { en: 'noon;midday;lunch ?time', de: 'mittags?', es: 'mediodia', fr: 'midi' }) },
  {
    from: 1020,
    to: 1440,
    cue: cue('within', { en: 'evening;tonight;night', de: 'abends?;am abend;nachts?', es: 'noche', fr: 'soir;soiree;nuit' }),
  },
];
const AFTER = cue('within', {
  en: 'after;not before;from',
  de: 'nach;ab;nicht vor',
  es: 'despues de(l)?( las| la)?;a partir de( las| la)?',
  fr: 'apres;a partir de',
});
const BEFORE = cue('within', {
  en: 'before;by;until;not after',
  de: 'vor;bis;nicht nach',
  es: 'antes de(l)?( las| la)?;hasta( las| la)?',
  fr: 'avant;jusqu a',
});
const NOT = cue('begins', {
  en: 'not( the)?;anything but( the)?;no not( the)?',
  de: 'nicht( die| den| das| der)?;nur nicht( die| den| das| der)?',
  es: 'no (el|la);menos (el|la)',
  fr: 'pas( le| la)?',
});

/** So many words may say nothing about what was offered; with more of them a message is about something else. */
const MOST_LEFT_OVER = 2;

/** Words that only lead to a pick, or say that something is meant: "I'd take the …", "one". */
const CARRIERS = new Set(
  (
    'i d ill ll around about approximately before after by until o clock would will want take like prefer pick choose have get need please the a an one ones option number no of them those these that this for me us let lets s go with at on in boat then ' +
    'ich nehme nahme wurde wahle mochte will bitte die der das den dem eine einen ein nummer von denen uns mir um am gerne lieber mit ' +
    'yo quiero prefiero tomo elijo me quedo con el la los las lo un una numero de ellos ellas para por favor opcion a ' +
    'je prends voudrais prefere choisis le les un une numero des pour moi option avec'
  ).split(' '),
);

const minutes = (time: string): number => Number(time.slice(0, 2)) * 60 + Number(time.slice(3, 5));

interface Traits {
  readonly id: string;
  readonly words: string;
  readonly time: number | undefined;
  readonly price: number | undefined;
  readonly length: number | undefined;
}

const PRICE_NAMES = /price|cost|fare|fee|amount|total|rate|preis|kosten|precio|coste|tarif|prix/;
const LENGTH_NAMES = /duration|minutes|hours|length|takes|dauer|duracion|duree/;
const TIME_TEXT = /(?<!\d)([01]?\d|2[0-3])[:.h]([0-5]\d)(?!\d)/;

/** What can be told of an offered thing: when it is, what it costs, how long it takes; from its value, else from its words. */
function traitsOf(offered: Offered, language: string): Traits {
  const fields = isTable(offered.value) ? Object.entries(offered.value) : [];
  const numberOf = (names: RegExp): number | undefined => {
    const found = fields.find(
      ([name, v]) => names.test(name) && Number.isFinite(Number(typeof v === 'string' ? plainNumber(v, 'en') : v)),
    );
    return found && Number(found[1]);
  };
  const timeIn = (text: string): number | undefined => {
    const clock = TIME_TEXT.exec(text);
    return clock ? Number(clock[1]) * 60 + Number(clock[2]) : undefined;
  };
  const texts = [
    offered.says,
    ...fields.flatMap(([name, v]) => (typeof v === 'string' && /time|start|depart|from|at|begin/.test(name) ? [v] : [])),
  ];
  const priceInWords = (): number | undefined => {
    const [money] = findMoney(offered.says, language);
    const amount = isTable(money?.value) ? Number(money.value['amount']) : NaN;
    return Number.isFinite(amount) ? amount : undefined;
  };
  return {
    id: offered.id,
    words: normalise([offered.says, ...fields.flatMap(([, v]) => (typeof v === 'string' && v.length < 60 ? [v] : []))].join(' ')),
    time: texts.map(timeIn).find((t) => t !== undefined),
    get price() {
      return numberOf(PRICE_NAMES) ?? priceInWords();
    },
    length: numberOf(LENGTH_NAMES),
  };
}

/**
 * Which of some things that were offered somebody takes: by their words or a misspelling of them, by place ("the second", "the last
 * one"), by time ("the afternoon one", "around nine"), by comparison ("the earliest", "the cheaper"), or by what tells one from the
 * others ("the Wrackline"). Several where that fits several. `now` is the id of the one that was taken before: "the other one".
 * Undefined where the words are about something else.
 */
export function pickOffered(text: string, offered: readonly Offered[], setting: AnswerSetting, now?: string): Picked {
  const said = core(text, setting.language);
  if (said === '' || offered.length === 0) return undefined;
  const others = offered.filter((o) => o.id !== now);
  if (others.length < offered.length && OTHER(said, setting.language)) return { takes: others.map((o) => o.id), by: 'the other' };
  const no = NOT(said, setting.language)?.[0];
  if (no !== undefined && said.length > no.length && said.split(' ').length <= 8) {
    const rest = pick(said.slice(no.length).trim(), text, offered, setting);
    if (rest && 'takes' in rest && rest.takes.length < offered.length)
      return { takes: offered.flatMap((o) => (rest.takes.includes(o.id) ? [] : [o.id])), by: `not ${rest.by}` };
  }
  if (coversAll(NONE(said, setting.language), said)) return { refuses: true, by: 'none' };
  if (coversAll(ANY(said, setting.language), said)) return { takes: [offered[0]?.id ?? ''], by: 'any' };
  return pick(said, text, offered, setting);
}

const coversAll = (found: RegExpExecArray | null, said: string): boolean =>
  found !== null && leftOver(said.slice(found[0].length)).length === 0;

/** The words of a text that mean something besides leading to a pick. */
function leftOver(said: string): string[] {
  return said.split(' ').filter((w) => w !== '' && !CARRIERS.has(w));
}

function pick(said: string, text: string, offered: readonly Offered[], setting: AnswerSetting): Picked {
  const { language } = setting;
  const named = matchOption(
    said,
    offered.map((o) => ({ id: o.id, words: [o.says] })),
  );
  if (named && (named.by === 'words' || named.by === 'number')) return { takes: [named.id], by: named.by };
  const all = offered.map((o) => traitsOf(o, language));
  let left: readonly Traits[] = all;
  const by: string[] = [];
  let rest = said;
  const narrow = (to: readonly Traits[], how: string): void => {
    if (to.length === 0) return;
    left = to;
    by.push(how);
  };
  const used = (found: RegExpExecArray | null): boolean => {
    if (found) rest = `${rest.slice(0, found.index)} ${rest.slice(found.index + found[0].length)}`.replace(/ +/g, ' ').trim();
    return found !== null;
  };
  const spoken = timeIn(text, setting);
  if (spoken && all.some((t) => t.time !== undefined)) {
    const near = nearTime(left, spoken.at, AFTER(said, language) !== null, BEFORE(said, language) !== null);
    if (near.length === 0) return undefined;
    narrow(near, 'time');
    rest = normalise(`${text.slice(0, spoken.from)} ${text.slice(spoken.to)}`);
  }
  for (const part of DAY_PARTS) {
    const found = part.cue(rest, language);
    if (!found || !all.some((t) => t.time !== undefined)) continue;
    narrow(
      left.filter(({ time }) => time !== undefined && time >= part.from && time < part.to),
      'part of the day',
    );
    if (by.at(-1) === 'part of the day') used(found);
    break;
  }
  const telling = tellingWords(rest, all, left);
  if (telling.ids.length > 0) {
    narrow(
      left.filter((t) => telling.ids.includes(t.id)),
      'part',
    );
    rest = telling.rest;
  }
  for (const s of SUPERLATIVES) {
    const found = s.cue(rest, language);
    if (!found) continue;
    const best = extreme(left, s);
    if (best.length === 0) continue;
    used(found);
    narrow(best, s.of);
    break;
  }
  const place = placeIn(rest, language, left.length);
  if (place) {
    const one = left[place.at];
    if (one) narrow([one], 'place');
    rest = place.rest;
  }
  if (by.length === 0) return named ? { takes: [named.id], by: named.by } : undefined;
  // A long message that only touches on what was offered is about something else.
  const more = leftOver(rest);
  const things = offered.some((o) => o.value !== undefined);
  if (more.length > (things ? MOST_LEFT_OVER : 0)) return undefined;
  return { takes: left.map((t) => t.id), by: by.join(', ') };
}

/** A time in a text, in minutes from midnight, and where it stands. */
function timeIn(text: string, setting: AnswerSetting): { at: number; from: number; to: number } | undefined {
  const clock = TIME_TEXT.exec(text);
  if (clock) return { at: Number(clock[1]) * 60 + Number(clock[2]), from: clock.index, to: clock.index + clock[0].length };
  const found = findMoments(text, setting).find((m) => m.time !== undefined);
  if (found?.time !== undefined) return { at: minutes(found.time), from: found.from, to: found.to };
  const hour = /(?:^|\s)(?:at|around|about|um|gegen|a las|sobre las|à|vers)\s+(\d{1,2}|\p{L}+)(?=\s|$|[.,!?])/iu.exec(text);
  const count = hour && (numberWords(setting.language).get(normalise(hour[1] ?? '')) ?? Number(hour[1]));
  if (!hour || count === null || !(count <= 24)) return undefined;
  return { at: count * 60, from: hour.index, to: hour.index + hour[0].length };
}

/** Those at a time, on the dot if there is one; else within the half of the clock that is not said ("the 3 o'clock" of 15:00), else near. */
function nearTime(of: readonly Traits[], at: number, after: boolean, before: boolean): Traits[] {
  const timed = of.filter((t) => t.time !== undefined);
  const time = (t: Traits): number => t.time ?? 0;
  if (after) return timed.filter((t) => time(t) >= at);
  if (before) return timed.filter((t) => time(t) <= at);
  for (const wanted of [at, at + 720]) {
    const exact = timed.filter((t) => time(t) === wanted);
    if (exact.length > 0) return exact;
  }
  for (const wanted of [at, at + 720]) {
    const sameHour = timed.filter((t) => at % 60 === 0 && Math.floor(time(t) / 60) === Math.floor(wanted / 60));
    if (sameHour.length > 0) return sameHour;
  }
  const distance = (t: Traits): number => Math.abs(time(t) - at);
  const least = Math.min(...timed.map(distance));
  return least <= 20 ? timed.filter((t) => distance(t) === least) : [];
}

/** The things that words tell from the others: those that hold a word of what was said which not all of them hold. */
function tellingWords(rest: string, all: readonly Traits[], left: readonly Traits[]): { ids: string[]; rest: string } {
  const tokens = tokensOf(rest).map((t) => t.word);
  const unused: string[] = [];
  let ids = left.map((t) => t.id);
  let told = false;
  for (const word of tokens) {
    const holding = all.filter((t) => t.words.split(' ').some((w) => same(w, word)));
    const tells = word.length >= 2 && !CARRIERS.has(word) && holding.length > 0 && holding.length < all.length;
    const next = ids.filter((id) => holding.some((h) => h.id === id));
    if (tells && next.length > 0 && (next.length < ids.length || !told)) {
      ids = next;
      told = true;
    } else if (!(word.length >= 2 && holding.length > 0)) unused.push(word);
  }
  if (told) return { ids, rest: unused.join(' ') };
  // A word that all of them hold names them all: which one is meant is to be asked.
  const named = tokens.some(
    (w) => w.length >= MIN_TELLING_LETTERS && !CARRIERS.has(w) && all.every((t) => t.words.split(' ').some((o) => same(o, w))),
  );
  return { ids: named ? ids : [], rest: named ? unused.join(' ') : rest };
}

const same = (a: string, b: string): boolean =>
  a === b ||
  (a.length >= MIN_TELLING_LETTERS &&
    b.length >= MIN_TELLING_LETTERS &&
    !/\d/.test(a + b) &&
    editDistance(a, b, 2) <= slipsAllowed(Math.min(a.length, b.length)));

function extreme(of: readonly Traits[], { of: trait, most }: Superlative): Traits[] {
  const known = of.filter((t) => t[trait] !== undefined);
  const values = known.map((t) => t[trait] ?? 0);
  const best = most ? Math.max(...values) : Math.min(...values);
  return known.filter((t) => t[trait] === best).slice(0, 1);
}

/** Which place among so many is meant, from 0 on. */
function placeIn(rest: string, language: string, many: number): { at: number; rest: string } | undefined {
  const without = (found: RegExpExecArray): string =>
    `${rest.slice(0, found.index)} ${rest.slice(found.index + found[0].length)}`;
  const fixed: readonly (readonly [Cue, number])[] = [
    [LAST_BUT_ONE, many - 2],
    [LAST, many - 1],
    [MIDDLE, many % 2 === 1 ? (many - 1) / 2 : -1],
    [FIRST, 0],
  ];
  for (const [of, at] of fixed) {
    const found = of(rest, language);
    if (found && at >= 0 && at < many) return { at, rest: without(found) };
  }
  for (const spoken of new Set([baseOf(language), 'en'])) {
    const [ordinal] = findOrdinals(rest, tokensOf(rest), spoken);
    if (ordinal && typeof ordinal.value === 'number' && ordinal.value <= many)
      return { at: ordinal.value - 1, rest: `${rest.slice(0, ordinal.from)} ${rest.slice(ordinal.to)}` };
  }
  const number =
    /(?:^| )(?:number|option|nummer|numero|no|nr) ?(\d{1,2})(?= |$)/.exec(rest) ??
    /^(?:the |die |el |la |le )?(\d{1,2})$/.exec(rest);
  const at = Number(number?.[1]) - 1;
  return number && at >= 0 && at < many ? { at, rest: rest.replace(number[0], ' ') } : undefined;
}
