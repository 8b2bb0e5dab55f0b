import { plain } from './words.js';

/** Days and times in what somebody said, seen from the day that the practice model is told. */

const DAY_MS = 86_400_000;

/** A value with where it stands in the text. */
export interface Found<T> {
  readonly value: T;
  readonly from: number;
  readonly to: number;
}

const WEEKDAYS: readonly (readonly string[])[] = [
  ['sunday', 'sonntag', 'domingo', 'dimanche'],
  ['monday', 'montag', 'lunes', 'lundi'],
  ['tuesday', 'dienstag', 'martes', 'mardi'],
  ['wednesday', 'mittwoch', 'miercoles', 'mercredi'],
  ['thursday', 'donnerstag', 'jueves', 'jeudi'],
  ['friday', 'freitag', 'viernes', 'vendredi'],
  ['saturday', 'samstag', 'sonnabend', 'sabado', 'samedi'],
];
const MONTHS: readonly (readonly string[])[] = [
  ['january', 'januar', 'enero', 'janvier', 'jan'],
  ['february', 'februar', 'febrero', 'fevrier', 'feb'],
  ['march', 'marz', 'marzo', 'mars', 'mar'],
  ['april', 'abril', 'avril', 'apr'],
  ['may', 'mai', 'mayo'],
  ['june', 'juni', 'junio', 'juin', 'jun'],
  ['july', 'juli', 'julio', 'juillet', 'jul'],
  ['august', 'agosto', 'aout', 'aug'],
  ['september', 'septiembre', 'septembre', 'sept', 'sep'],
  ['october', 'oktober', 'octubre', 'octobre', 'oct', 'okt'],
  ['november', 'noviembre', 'novembre', 'nov'],
  ['december', 'dezember', 'diciembre', 'decembre', 'dec', 'dez'],
];
const COUNTS: readonly (readonly string[])[] = [
  ['zero', 'null', 'cero'],
  ['one', 'a', 'an', 'ein', 'eine', 'einem', 'einer', 'einen', 'un', 'una', 'une', 'eins', 'uno'],
  ['two', 'zwei', 'dos', 'deux', 'zwo'],
  ['three', 'drei', 'tres', 'trois'],
  ['four', 'vier', 'cuatro', 'quatre'],
  ['five', 'funf', 'cinco', 'cinq'],
  ['six', 'sechs', 'seis'],
  ['seven', 'sieben', 'siete', 'sept'],
  ['eight', 'acht', 'ocho', 'huit'],
  ['nine', 'neun', 'nueve', 'neuf'],
  ['ten', 'zehn', 'diez', 'dix'],
  ['eleven', 'elf', 'once', 'onze'],
  ['twelve', 'zwolf', 'doce', 'douze', 'dozen'],
];

/** The number that a word is; undefined for any other. */
export function countOf(word: string): number | undefined {
  if (/^\d{1,9}$/.test(word)) return Number(word);
  const at = COUNTS.findIndex((words) => words.includes(word));
  return at < 0 ? undefined : at;
}

const any = (lists: readonly (readonly string[])[]): string =>
  lists
    .flat()
    .sort((a, b) => b.length - a.length)
    .join('|');
const NUMBER = `\\d{1,3}|${any(COUNTS)}`;

/** The same letters at the same places, so that offsets count for the text as it was said. */
function even(text: string): string {
  return [...text].map((c) => (plain(c).length === 1 ? plain(c) : c.length === 1 ? c : ' '.repeat(c.length))).join('');
}

const iso = (ms: number): string => new Date(ms).toISOString().slice(0, 10);

/** All days that a text names, from the left. */
export function daysIn(text: string, today: string): Found<string>[] {
  const said = even(text);
  const start = Date.parse(`${today}T00:00:00Z`);
  if (Number.isNaN(start)) return [];
  const now = new Date(start).getUTCDay();
  const found: Found<string>[] = [];
  const add = (pattern: RegExp, day: (m: RegExpMatchArray) => string | undefined): void => {
    for (const m of said.matchAll(pattern)) {
      const value = day(m);
      const span = { from: m.index, to: m.index + m[0].length };
      if (value !== undefined && !found.some((f) => f.from < span.to && span.from < f.to)) found.push({ value, ...span });
    }
  };
  const after = (days: number) => iso(start + days * DAY_MS);
  add(/\b\d{4}-\d\d-\d\d\b/g, (m) => m[0]);
  const month = any(MONTHS);
  const monthOf = (word: string) => MONTHS.findIndex((names) => names.includes(word));
  const dated = (day: number, at: number, year: string | undefined): string | undefined => {
    if (at < 0 || day < 1 || day > 31) return undefined;
    const of = (y: number) => Date.UTC(y, at, day);
    const thisYear = new Date(start).getUTCFullYear();
    if (year !== undefined) return iso(of(Number(year)));
    return iso(of(thisYear) < start ? of(thisYear + 1) : of(thisYear));
  };
  add(new RegExp(`\\b(\\d{1,2})(?:st|nd|rd|th|\\.)?(?: of| de)? (${month})\\b(?:,? (?:de )?(\\d{4}))?`, 'g'), (m) =>
    dated(Number(m[1]), monthOf(m[2] ?? ''), m[3]),
  );
  add(new RegExp(`\\b(${month}) (\\d{1,2})(?:st|nd|rd|th)?\\b(?:,? (\\d{4}))?`, 'g'), (m) =>
    dated(Number(m[2]), monthOf(m[1] ?? ''), m[3]),
  );
  add(/\b(\d{1,2})\.(\d{1,2})\.(?:(\d{4}))?/g, (m) => dated(Number(m[1]), Number(m[2]) - 1, m[3]));
  add(/\b(\d{1,2})\/(\d{1,2})(?:\/(\d{4}))?\b/g, (m) => dated(Number(m[1]), Number(m[2]) - 1, m[3]));
  const weekday = any(WEEKDAYS);
  const dayOf = (word: string) => WEEKDAYS.findIndex((names) => names.includes(word));
  const next = (word: string) => (dayOf(word) - now + 7) % 7 || 7;
  add(new RegExp(`\\b(${weekday}) after next\\b|\\b(?:ubernachsten?|ubernachster) (${weekday})\\b`, 'g'), (m) =>
    after(next(m[1] ?? m[2] ?? '') + 7),
  );
  add(new RegExp(`\\b(?:a week on|a week from) (${weekday})\\b|\\b(${weekday}) (?:in a week|week|in einer woche)\\b`, 'g'), (m) =>
    after(next(m[1] ?? m[2] ?? '') + 7),
  );
  add(
    new RegExp(
      `\\b(${weekday})\\b(?: next week| nachste woche| de la semana que viene)|\\bnext week(?: on)? (${weekday})\\b`,
      'g',
    ),
    (m) => {
      const at = (dayOf(m[1] ?? m[2] ?? '') + 6) % 7;
      return after(7 - ((now + 6) % 7) + at);
    },
  );
  add(new RegExp(`\\b(?:(?:next|coming|this|kommenden?|nachsten?|proximo|este|prochain) )?(${weekday})s?\\b`, 'g'), (m) =>
    after(next(m[1] ?? '')),
  );
  add(/\b(?:the day after tomorrow|day after tomorrow|ubermorgen|pasado manana|apres-demain)\b/g, () => after(2));
  add(/\b(?:today|tonight|this (?:morning|afternoon|evening)|heute|hoy|esta (?:noche|tarde)|aujourd'hui)\b/g, () => after(0));
  add(/\b(?:tomorrow|demain)\b|\bmanana\b(?! por)|(?<!(?:guten|am|heute|gestern) )\bmorgen\b/g, () => after(1));
  const per: Readonly<Record<string, number>> = { day: 1, tag: 1, dia: 1, jour: 1, week: 7, woche: 7, semana: 7, semaine: 7 };
  add(
    new RegExp(
      `\\bin (${NUMBER}) (day|tag|dia|jour|week|woche|semana|semaine)(?:s|en|e|n)?\\b|\\b(?:dentro de) (${NUMBER}) (dia|semana)s?\\b`,
      'g',
    ),
    (m) => {
      const count = countOf(m[1] ?? m[3] ?? '');
      const each = per[m[2] ?? m[4] ?? ''];
      return count === undefined || each === undefined ? undefined : after(count * each);
    },
  );
  return found.sort((a, b) => a.from - b.from);
}

/** The days of a week that a text speaks of as a whole, "next week": from Monday, as far as they are to come; empty where it does not. */
export function weekIn(text: string, today: string): string[] {
  const said = plain(text);
  const start = Date.parse(`${today}T00:00:00Z`);
  const next =
    /\b(?:next week|nachste[rn]? woche|kommende[rn]? woche|(?:la )?semana que viene|(?:la )?proxima semana|la semaine prochaine)\b/.test(
      said,
    );
  const now = /\b(?:this week|diese[rn]? woche|esta semana|cette semaine)\b/.test(said);
  if ((!next && !now) || Number.isNaN(start)) return [];
  const monday = (new Date(start).getUTCDay() + 6) % 7;
  const from = next ? 7 - monday : 0;
  const many = next ? 7 : 7 - monday;
  return Array.from({ length: many }, (_, i) => iso(start + (from + i) * DAY_MS));
}

const two = (n: number): string => String(n).padStart(2, '0');

/** All times of day that a text names, from the left. "Six till eight" in the evening are both in the evening. */
export function timesIn(text: string): Found<string>[] {
  const said = even(text);
  const late = /\b(?:evening|tonight|afternoon|night|abends?|nachmittags?|tarde|noche|pm|soir)\b/.test(said);
  const early = /\b(?:morning|morgens|fruh|vormittags?|manana|am|matin)\b/.test(said);
  const found: Found<string>[] = [];
  const add = (pattern: RegExp, time: (m: RegExpMatchArray) => string | undefined): void => {
    for (const m of said.matchAll(pattern)) {
      const value = time(m);
      const span = { from: m.index, to: m.index + m[0].length };
      if (value !== undefined && !found.some((f) => f.from < span.to && span.from < f.to)) found.push({ value, ...span });
    }
  };
  const at = (hour: number | undefined, minute: number, half: string | undefined, loose: boolean): string | undefined => {
    if (hour === undefined || hour > 24 || minute > 59) return undefined;
    const mark = half?.replaceAll('.', '');
    let h = hour;
    if (mark === 'pm' && h < 12) h += 12;
    if (mark === 'am' && h === 12) h = 0;
    // Without a word for it "six" is six in the evening only where something says so.
    if (mark === undefined && loose && late && !early && h < 12 && h > 0) h += 12;
    return `${two(h % 24)}:${two(minute)}`;
  };
  add(/\b([01]?\d|2[0-3])[:.h]([0-5]\d)\s*(a\.?m|p\.?m)?(?![.\d])\b/g, (m) => at(Number(m[1]), Number(m[2]), m[3], false));
  add(/\b(\d{1,2})\s*(a\.?m|p\.?m)\b/g, (m) => at(Number(m[1]), 0, m[2], false));
  add(/\b(?:noon|midday|mittags?|mediodia|midi)\b/g, () => '12:00');
  add(/\b(?:midnight|mitternacht|medianoche|minuit)\b/g, () => '00:00');
  add(new RegExp(`\\bhalf past (${NUMBER})\\b`, 'g'), (m) => at(countOf(m[1] ?? ''), 30, undefined, true));
  add(new RegExp(`\\bhalb (${NUMBER})\\b`, 'g'), (m) => at((countOf(m[1] ?? '') ?? 99) - 1, 30, undefined, true));
  add(new RegExp(`\\b(?:las? )(${NUMBER}) y media\\b`, 'g'), (m) => at(countOf(m[1] ?? ''), 30, undefined, true));
  add(new RegExp(`\\b(?:quarter past|viertel nach) (${NUMBER})\\b`, 'g'), (m) => at(countOf(m[1] ?? ''), 15, undefined, true));
  add(new RegExp(`\\b(?:quarter to|viertel vor) (${NUMBER})\\b`, 'g'), (m) =>
    at((countOf(m[1] ?? '') ?? 99) - 1, 45, undefined, true),
  );
  add(new RegExp(`\\b(${NUMBER}) (?:o'clock|uhr|heures?)\\b`, 'g'), (m) => at(countOf(m[1] ?? ''), 0, undefined, true));
  // From here on only where words around say that a time is meant.
  const range = new RegExp(
    `\\b(?:from |von |de |entre |between )?(?:las? )?(${NUMBER}) ?(?:-|–|to|till|until|bis|a|y|and|jusqu'a)(?: las?)? ?(${NUMBER})\\b(?! (?:people|persons|days|nights|of|tickets|personen|tage|personas|dias))`,
    'g',
  );
  for (const m of said.matchAll(range)) {
    const [first, second] = [m[1] ?? '', m[2] ?? ''];
    const hours = [first, second].map((w) => (/^(?:a|an|un|una|ein|eine)$/.test(w) ? undefined : countOf(w)));
    const [a, b] = hours;
    if (a === undefined || b === undefined || a > 24 || b > 24) continue;
    const from = m.index + m[0].indexOf(first);
    const to = m.index + m[0].lastIndexOf(second);
    if (found.some((f) => f.from < to + second.length && from < f.to)) continue;
    const [x, y] = [at(a, 0, undefined, true), at(b, 0, undefined, true)];
    if (x !== undefined) found.push({ value: x, from, to: from + first.length });
    if (y !== undefined) found.push({ value: y, from: to, to: to + second.length });
  }
  add(
    new RegExp(
      `\\b(?:at|by|before|after|around|from|um|gegen|ab|vor|a las|a la|desde las|a) (${NUMBER})\\b(?! (?:people|persons|days|nights|weeks|tickets|personen|tage|personas|dias|euro|of|percent|%))(?!\\d|[.,]\\d)`,
      'g',
    ),
    (m) => {
      const word = m[1] ?? '';
      if (/^(?:a|an|un|una|ein|eine|einen|einem|einer)$/.test(word)) return undefined;
      return at(countOf(word), 0, undefined, true);
    },
  );
  return found.sort((a, b) => a.from - b.from);
}
