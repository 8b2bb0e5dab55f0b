import { addDays, addMonths, dayOf, daysBetween, localMoment, monthFirst, weekdayOf, written } from './calendar.js';
import { byFirst, FORTNIGHT, LEADS_DAY, listsOf, piecesOf, type Lists, type Piece } from './date-pieces.js';
import { DATE_WORDS, ENGLISH, ONE, type DateWords, type Unit } from './date-words.js';
import { baseOf, ofLanguage } from './lexicon.js';

/** Whether a day that could be meant in the past or to come is to be one of them. */
export type Wants = 'past' | 'future';

/** What a text is read with: the moment (ISO 8601, UTC), the zone and the visitor's language. */
export interface AnswerSetting {
  readonly at: string;
  readonly zone: string;
  readonly language: string;
  /** The day that is talked about (`2026-05-15`): "the day after" is the day after it. Today where it is left out. */
  readonly day?: string | undefined;
  readonly wants?: Wants | undefined;
}

/** A date or a time of day in a text, with the words that say it. Offsets in UTF-16 units. */
export interface FoundMoment {
  readonly from: number;
  readonly to: number;
  /** `2026-05-15`; missing where only a time was said. */
  readonly date?: string;
  /** `14:05`; missing where only a day was said. */
  readonly time?: string;
}

/** Something that stands in a text from one piece on: so many pieces. */
interface At<T> {
  readonly value: T;
  readonly length: number;
}
type Read<T> = At<T> | undefined;

/** Without a year, a day that was up to so many days ago is meant rather than the same day of next year. */
const LONGEST_SHORT = 5; // of weekdays: "thurs"
const RECENT_DAYS = 60;

/** Reads days and times at one place of a text, with the words of one language. */
class Grammar {
  readonly #pieces: readonly Piece[];
  readonly #words: DateWords;
  readonly #lists: Lists;
  readonly #ones: readonly string[];
  readonly #setting: AnswerSetting;
  readonly #today: string;

  constructor(pieces: readonly Piece[], language: string, setting: AnswerSetting) {
    this.#pieces = pieces;
    this.#words = DATE_WORDS[language] ?? ENGLISH;
    this.#lists = listsOf(language, this.#words);
    this.#ones = ONE[language] ?? [];
    this.#setting = setting;
    this.#today = localMoment(setting.at, setting.zone).date;
  }

  /** How many pieces from `at` on are one of some phrases; 0 where none is. The longest counts. */
  #phrase(at: number, phrases: readonly string[]): number {
    const first = this.#pieces[at]?.word;
    const some = first === undefined ? undefined : byFirst(phrases).get(first);
    let most = 0;
    for (const words of some ?? []) {
      let i = at + 1;
      let fits = true;
      for (let w = 1; w < words.length && fits; w++) {
        while (this.#is(i, "'") || this.#is(i, '’') || this.#is(i, '-')) i++;
        fits = this.#is(i, words[w] ?? '');
        i++;
      }
      if (fits) most = Math.max(most, i - at);
    }
    return most;
  }

  /** True where a day or a time may begin. */
  mayBegin(at: number): boolean {
    const piece = this.#pieces[at];
    return piece !== undefined && (piece.number !== undefined || this.#lists.starts.has(piece.word));
  }

  #is(at: number, word: string): boolean {
    return this.#pieces[at]?.word === word;
  }

  /** True when two pieces stand side by side without a space. */
  #joined(at: number): boolean {
    return this.#pieces[at]?.to === this.#pieces[at + 1]?.from;
  }

  #digits(at: number, least: number, most: number, length = 2): number | undefined {
    const piece = this.#pieces[at];
    if (piece?.number === undefined || piece.to - piece.from > length) return undefined;
    return piece.number >= least && piece.number <= most ? piece.number : undefined;
  }

  /** A number in figures or words, up to `most`. */
  #count(at: number, most: number): Read<number> {
    const digits = this.#digits(at, 0, most, 3);
    if (digits !== undefined) return { value: digits, length: 1 };
    for (const [phrase, value] of this.#lists.numbers.get(this.#pieces[at]?.word ?? ' ') ?? []) {
      const length = value <= most ? this.#phrase(at, phrase) : 0;
      if (length > 0) return { value, length };
    }
    const one = this.#phrase(at, this.#ones);
    return one > 0 ? { value: 1, length: one } : undefined;
  }

  /** A day of a month: "3", "3rd", "3.", "third". */
  #ordinal(at: number): Read<number> {
    const digits = this.#digits(at, 1, 31);
    if (digits !== undefined) {
      const behind = this.#joined(at) ? (this.#pieces[at + 1]?.word ?? '') : '';
      return { value: digits, length: ['st', 'nd', 'rd', 'th', 'er', 'º', 'o', '.'].includes(behind) ? 2 : 1 };
    }
    const { ordinals, numbers } = this.#words;
    const place = [ordinals.indexOf(this.#pieces[at]?.word ?? ' ') + 1, numbers.indexOf(this.#pieces[at]?.word ?? ' ')];
    const value = place.find((n) => n > 0);
    return value === undefined ? undefined : { value, length: 1 };
  }

  #month(at: number): Read<number> {
    const index = this.#words.months.findIndex((forms) => forms.includes(this.#pieces[at]?.word ?? ' '));
    if (index < 0) return undefined;
    return {
      value: index + 1,
      length: this.#is(at + 1, '.') && this.#joined(at) && this.#digits(at + 2, 0, 9999, 4) !== undefined ? 2 : 1,
    };
  }

  #year(at: number): Read<number> {
    let i = at;
    if (this.#is(i, ',')) i++;
    i += this.#phrase(i, this.#words.of);
    const piece = this.#pieces[i];
    if (piece?.number === undefined || piece.to - piece.from !== 4 || piece.number < 1900 || piece.number > 2200)
      return undefined;
    // "at 3 May 2030" is a year; "3 May 20:30" is not.
    if (this.#is(i + 1, ':')) return undefined;
    return { value: piece.number, length: i + 1 - at };
  }

  /** A weekday by its name; a short form only where something else says that a day is meant. */
  #weekday(at: number): Read<number> {
    const word = this.#pieces[at]?.word ?? ' ';
    const index = this.#words.weekdays.findIndex((forms) => forms.includes(word));
    if (index < 0) return undefined;
    const dot = this.#is(at + 1, '.') && this.#joined(at) ? 1 : 0;
    if (this.#words.weekdays[index]?.[0] === word || word.length > LONGEST_SHORT) return { value: index, length: 1 };
    const { thisOne, next, last } = this.#words;
    const before = this.#pieces[at - 1]?.word ?? '';
    const led = LEADS_DAY.has(before) || [thisOne, next, last].some((words) => words.includes(before));
    const followed = this.#pieces[at + 1 + dot]?.number !== undefined;
    return led || followed || this.#pieces.length === 1 + dot ? { value: index, length: 1 + dot } : undefined;
  }

  /** The day with this month and day nearest to what is wanted. */
  #yearly(month: number, day: number): string | undefined {
    const year = Number(this.#today.slice(0, 4));
    const [last, now, next] = [dayOf(year - 1, month, day), dayOf(year, month, day), dayOf(year + 1, month, day)];
    const all = [last, now, next].filter((d) => d !== undefined);
    const behind = all.filter((d) => d <= this.#today).at(-1);
    const ahead = all.find((d) => d >= this.#today);
    if (this.#setting.wants === 'past') return behind ?? ahead;
    if (this.#setting.wants === 'future' || behind === undefined) return ahead ?? behind;
    return daysBetween(behind, this.#today) <= RECENT_DAYS ? behind : (ahead ?? behind);
  }

  /** The weekday nearest to what is wanted; today's name is today only where the past is wanted. */
  #nearest(weekday: number): string {
    const ahead = (weekday - weekdayOf(this.#today) + 7) % 7;
    if (this.#setting.wants === 'past') return addDays(this.#today, ahead === 0 ? 0 : ahead - 7);
    return addDays(this.#today, ahead === 0 ? 7 : ahead);
  }

  /** A day that stands at a place. */
  day(at: number): Read<string> {
    return (
      this.#iso(at) ??
      this.#figures(at) ??
      this.#named(at) ??
      this.#counted(at) ??
      this.#dated(at) ??
      this.#ofWeek(at) ??
      this.#weekOrMonth(at) ??
      this.#ofMonth(at)
    );
  }

  #iso(at: number): Read<string> {
    const year = this.#digits(at, 1000, 9999, 4);
    if (year === undefined || !this.#is(at + 1, '-') || !this.#is(at + 3, '-')) return undefined;
    const value = dayOf(year, this.#digits(at + 2, 1, 12) ?? 0, this.#digits(at + 4, 1, 31) ?? 0);
    return value === undefined ? undefined : { value, length: 5 };
  }

  /** Day and month in figures, in the order of zone and language; with or without a year. */
  #figures(at: number): Read<string> {
    const [a, b] = [this.#digits(at, 1, 31), this.#digits(at + 2, 1, 31)];
    const mark = this.#pieces[at + 1]?.word ?? '';
    if (a === undefined || b === undefined || !['/', '.', '-'].includes(mark) || !this.#joined(at)) return undefined;
    const more = this.#is(at + 3, mark) && this.#joined(at + 2);
    const years = this.#pieces[at + 4];
    const year = more && years?.number !== undefined && this.#joined(at + 3) ? years : undefined;
    const base = baseOf(this.#setting.language);
    // 9.40 and 9-40 are no days; "3.11." and "am 3.11" are, where the language writes them so.
    if (year === undefined && mark === '-') return undefined;
    if (year === undefined && mark === '.' && !(base === 'de' && (more || this.#phrase(at - 1, this.#words.dayOfMonth) > 0)))
      return undefined;
    const [day, month] = b > 12 || (a <= 12 && monthFirst(this.#setting.language, this.#setting.zone)) ? [b, a] : [a, b];
    const full = year?.number === undefined ? undefined : year.number + (year.to - year.from === 2 ? 2000 : 0);
    if (year !== undefined && ![2, 4].includes(year.to - year.from)) return undefined;
    const value = full === undefined ? this.#yearly(month, day) : dayOf(full, month, day);
    return value === undefined ? undefined : { value, length: full === undefined ? (more && mark === '.' ? 4 : 3) : 5 };
  }

  /** "tomorrow", "Christmas Eve", and what is counted from the day that is talked about. */
  #named(at: number): Read<string> {
    const base = this.#setting.day ?? this.#today;
    let best: At<string> | undefined;
    const take = (phrases: readonly string[], which: () => string | undefined): void => {
      const length = this.#phrase(at, phrases);
      const value = length > (best?.length ?? 0) ? which() : undefined;
      if (value !== undefined) best = { value, length };
    };
    for (const [phrases, of] of this.#lists.days.get(this.#pieces[at]?.word ?? ' ') ?? [])
      take(phrases, () => (typeof of === 'number' ? addDays(this.#today, of) : this.#yearly(...of)));
    take(this.#words.dayAfter, () => addDays(base, 1));
    take(this.#words.dayBefore, () => addDays(base, -1));
    take(this.#words.sameDay, () => base);
    if (!best) return undefined;
    // "today in 14 days", "a week today"
    const { value, length }: At<string> = best;
    const ahead = this.#phrase(at + length, this.#words.ahead);
    const span = ahead > 0 ? this.#span(at + length + ahead) : undefined;
    return span ? { value: this.#shift(value, span.value, 1), length: length + ahead + span.length } : { value, length };
  }

  /** So many days, weeks, months or years. */
  #span(at: number): Read<{ readonly count: number; readonly unit: Unit }> {
    const fortnight = this.#phrase(at, FORTNIGHT);
    if (fortnight > 0) return { value: { count: 2, unit: 'week' }, length: fortnight };
    const count = this.#count(at, 999);
    if (!count) return undefined;
    const units = Object.entries(this.#words.units) as [Unit, readonly string[]][];
    const unit = units.find(([, words]) => words.includes(this.#pieces[at + count.length]?.word ?? ' '))?.[0];
    return unit === undefined ? undefined : { value: { count: count.value, unit }, length: count.length + 1 };
  }

  #shift(day: string, { count, unit }: { readonly count: number; readonly unit: Unit }, way: 1 | -1): string {
    if (unit === 'month') return addMonths(day, way * count);
    if (unit === 'year') return addMonths(day, way * 12 * count);
    return addDays(day, way * count * (unit === 'week' ? 7 : unit === 'day' ? 1 : 0));
  }

  /** "in three days", "two weeks ago", "two days later", "a week on Friday". */
  #counted(at: number): Read<string> {
    const ahead = this.#phrase(at, this.#words.ahead);
    const before = this.#phrase(at, this.#words.agoBefore);
    const span = this.#span(at + Math.max(ahead, before));
    if (!span || span.value.unit === 'hour' || span.value.unit === 'minute') return undefined;
    const length = Math.max(ahead, before) + span.length;
    if (before > 0 && before >= ahead) return { value: this.#shift(this.#today, span.value, -1), length };
    if (ahead > 0) return { value: this.#shift(this.#today, span.value, 1), length };
    const base = this.#setting.day ?? this.#today;
    for (const [phrases, from, way] of [
      [this.#words.ago, this.#today, -1],
      [this.#words.later, base, 1],
      [this.#words.earlier, base, -1],
    ] as const) {
      const behind = this.#phrase(at + length, phrases);
      if (behind > 0) return { value: this.#shift(from, span.value, way), length: length + behind };
    }
    const on = this.#is(at + length, 'on') || this.#is(at + length, 'from') ? 1 : 0;
    const other = span.value.unit === 'week' ? (this.#ofWeek(at + length + on) ?? this.#named(at + length + on)) : undefined;
    return other && { value: this.#shift(other.value, span.value, 1), length: length + on + other.length };
  }

  /** Day and month in words: "3 November 2027", "November 3rd", "the third of November". */
  #dated(at: number): Read<string> {
    const led = this.#phrase(at, this.#words.dayOfMonth);
    const ordinal = this.#ordinal(at + led);
    if (ordinal) {
      const length = led + ordinal.length;
      const of = this.#phrase(at + length, this.#words.of);
      const month = this.#month(at + length + of);
      if (month) return this.#withYear(at, length + of + month.length, month.value, ordinal.value);
    }
    const month = this.#month(at);
    if (!month) return undefined;
    const the = this.#is(at + month.length, 'the') ? 1 : 0;
    const day = this.#ordinal(at + month.length + the);
    if (!day || this.#is(at + month.length + the + day.length, ':')) return undefined;
    return this.#withYear(at, month.length + the + day.length, month.value, day.value);
  }

  #withYear(at: number, length: number, month: number, day: number): Read<string> {
    const year = this.#year(at + length);
    const value = year ? dayOf(year.value, month, day) : this.#yearly(month, day);
    return value === undefined ? undefined : { value, length: length + (year?.length ?? 0) };
  }

  /** A weekday, with the words that say which one; with a date behind it, that date. */
  #ofWeek(at: number): Read<string> {
    const which = this.#which(at);
    const weekday = this.#weekday(at + which.length);
    if (!weekday) return undefined;
    const length = which.length + weekday.length;
    const comma = this.#is(at + length, ',') ? 1 : 0;
    const the = this.#phrase(at + length + comma, this.#words.dayOfMonth);
    const date =
      this.#figures(at + length + comma + the) ?? this.#dated(at + length + comma + the) ?? this.#ofMonth(at + length + comma);
    if (date)
      return {
        value: date.value,
        length: length + comma + date.length + (this.#ofMonth(at + length + comma) === date ? 0 : the),
      };
    const next = this.#phrase(at + length, this.#words.nextAfter);
    const last = this.#phrase(at + length, this.#words.lastAfter);
    const week = this.#phrase(at + length, this.#words.weekOn);
    const value = this.#weekdayBy(weekday.value, next > 0 ? 'next' : last > 0 ? 'last' : which.value);
    if (week > 0 && week >= next) return { value: addDays(this.#nearest(weekday.value), 7), length: length + week };
    return { value, length: length + Math.max(next, last) };
  }

  #which(at: number): At<'this' | 'next' | 'last' | undefined> {
    for (const [value, phrases] of [
      ['this', this.#words.thisOne],
      ['next', this.#words.next],
      ['last', this.#words.last],
    ] as const) {
      const length = this.#phrase(at, phrases);
      if (length > 0) return { value, length };
    }
    return { value: undefined, length: 0 };
  }

  /** "next Friday" is the Friday of next week, "last Friday" the one before today. */
  #weekdayBy(weekday: number, which: 'this' | 'next' | 'last' | undefined): string {
    const day = weekdayOf(this.#today);
    const monday = addDays(this.#today, -((day + 6) % 7));
    if (which === 'next') return addDays(monday, 7 + ((weekday + 6) % 7));
    if (which === 'last') return addDays(this.#today, -((day - weekday + 7) % 7 || 7));
    if (which === 'this') return addDays(this.#today, (weekday - day + 7) % 7);
    return this.#nearest(weekday);
  }

  /** "next week", "la semana que viene", "this weekend". */
  #weekOrMonth(at: number): Read<string> {
    const article = this.#pieces[at]?.word ?? '';
    const skip = ['the', 'la', 'el', 'le', 'das', 'die', 'am'].includes(article) ? 1 : 0;
    const which = this.#which(at + skip);
    const place = at + skip + which.length;
    const weekend = this.#phrase(place, this.#words.weekend);
    const unit = (['week', 'month', 'year'] as const).find((u) =>
      this.#words.units[u].includes(this.#pieces[place]?.word ?? ' '),
    );
    const length = weekend > 0 ? weekend : unit === undefined ? 0 : 1;
    if (length === 0) return undefined;
    const next = this.#phrase(place + length, this.#words.nextAfter);
    const last = this.#phrase(place + length, this.#words.lastAfter);
    const by = which.value ?? (next > 0 ? 'next' : last > 0 ? 'last' : undefined);
    const all = skip + which.length + length + Math.max(next, last);
    if (weekend > 0) return { value: this.#weekdayBy(6, by ?? 'this'), length: all };
    if (by === undefined || unit === undefined || by === 'this') return undefined;
    return { value: this.#shift(this.#today, { count: 1, unit }, by === 'next' ? 1 : -1), length: all };
  }

  /** A day of the month alone: "on the 5th", "am 5.", "el día 5". */
  #ofMonth(at: number): Read<string> {
    const led = this.#phrase(at, this.#words.dayOfMonth);
    const day = led > 0 ? this.#ordinal(at + led) : undefined;
    if (!day || this.#digits(at + led, 1, 31) === undefined) return undefined;
    const behind = this.#pieces[at + led + day.length];
    const base = baseOf(this.#setting.language);
    // "the 5 of us" and "el 5 %" are no days: a figure needs its ending, or nothing behind it.
    const marked = day.length === 2 || this.#is(at + led - 1, 'dia') || base === 'fr' || base === 'es';
    if (!marked || (behind !== undefined && /^[\d:.%€$/]/.test(behind.word) && day.length === 1)) return undefined;
    const [year = 0, month = 1] = this.#today.split('-').map(Number);
    const here = dayOf(year, month, day.value);
    const way = this.#setting.wants === 'past' ? -1 : 1;
    if (here !== undefined && (way === 1 ? here >= this.#today : here <= this.#today))
      return { value: here, length: led + day.length };
    for (let i = 1; i <= 3; i++) {
      const other = addMonths(`${this.#today.slice(0, 8)}01`, way * i);
      const value = dayOf(Number(other.slice(0, 4)), Number(other.slice(5, 7)), day.value);
      if (value !== undefined) return { value, length: led + day.length };
    }
    return undefined;
  }

  /** A time of day that stands at a place. */
  time(at: number): Read<string> {
    const led = this.#phrase(at, this.#words.at);
    const found = this.#noonOrMidnight(at + led) ?? this.#byClock(at + led) ?? this.#spoken(at + led) ?? this.#hourOnly(at, led);
    if (!found) return undefined;
    const end = at + led + found.length;
    // "12 Uhr mittags" says noon twice.
    const twice =
      found.value % 720 === 0 ? Math.max(this.#phrase(end, this.#words.noon), this.#phrase(end, this.#words.midnight)) : 0;
    if (twice > 0)
      return { value: written(this.#phrase(end, this.#words.noon) > 0 ? 720 : 0, undefined), length: led + found.length + twice };
    const part = this.#partOfDay(end);
    return { value: written(found.value, part.value ?? this.#partBefore(at)), length: led + found.length + part.length };
  }

  #noonOrMidnight(at: number): Read<number> {
    const skip = ['a', 'le', 'el', 'la'].includes(this.#pieces[at]?.word ?? '') ? 1 : 0;
    const noon = this.#phrase(at + skip, this.#words.noon);
    if (noon > 0) return { value: 12 * 60, length: skip + noon };
    const midnight = this.#phrase(at + skip, this.#words.midnight);
    return midnight > 0 ? { value: 0, length: skip + midnight } : undefined;
  }

  /** "9:40", "9.40", "9h40", "9 Uhr 40", "7pm", "19 h", "nine o'clock". */
  #byClock(at: number): Read<number> {
    const hour = this.#digits(at, 0, 24);
    const count = hour === undefined ? this.#count(at, 24) : { value: hour, length: 1 };
    if (!count) return undefined;
    const next = this.#pieces[at + count.length];
    const mark = next?.word ?? '';
    const minute = this.#digits(at + count.length + 1, 0, 59);
    const whole = this.#pieces[at + count.length + 1];
    const fits = whole !== undefined && whole.to - whole.from === 2;
    if (
      hour !== undefined &&
      minute !== undefined &&
      fits &&
      this.#joined(at) &&
      this.#joined(at + 1) &&
      (mark === ':' || mark === '.' || mark === 'h')
    ) {
      // 9.40.2026 and 12.50 € are no times.
      const behind = this.#pieces[at + 3]?.word ?? '';
      if (mark === '.' && (/^[.€$£%]$/.test(behind) || ['eur', 'euro', 'euros'].includes(behind))) return undefined;
      const clock = this.#phrase(at + 3, this.#words.clock);
      return { value: count.value * 60 + minute, length: 3 + clock };
    }
    const clock = this.#phrase(at + count.length, this.#words.clock);
    if (clock > 0) {
      const more = this.#digits(at + count.length + clock, 0, 59);
      const minutes = this.#pieces[at + count.length + clock];
      // "9 Uhr 5" is said; "à 9 h 2 adultes" is no minute, "9 h 05" is one.
      const two =
        minutes !== undefined && minutes.to - minutes.from === 2 && hour !== undefined && !this.#words.clock.includes('oclock');
      if (more !== undefined && (two || this.#words.clock.includes('uhr')))
        return { value: count.value * 60 + more, length: count.length + clock + 1 };
      return this.#fraction(at + count.length + clock, count.value * 60, count.length + clock);
    }
    return this.#partOfDay(at + count.length).value !== undefined && hour !== undefined
      ? { value: count.value * 60, length: count.length }
      : undefined;
  }

  /** What is said behind an hour: "et demie", "y cuarto", "menos diez". */
  #fraction(at: number, minutes: number, length: number): At<number> {
    if (!this.#words.hourFirst) return { value: minutes, length };
    const [past, to] = [this.#phrase(at, this.#words.past), this.#phrase(at, this.#words.to)];
    const led = Math.max(past, to);
    if (led === 0) return { value: minutes, length };
    const part = this.#minutes(at + led);
    return part
      ? { value: minutes + (to > 0 ? -part.value : part.value), length: length + led + part.length }
      : { value: minutes, length };
  }

  #minutes(at: number): Read<number> {
    const half = this.#phrase(at, this.#words.half);
    if (half > 0) return { value: 30, length: half };
    const quarter = this.#phrase(at, this.#words.quarter);
    return quarter > 0 ? { value: 15, length: quarter } : this.#count(at, 59);
  }

  /** "half past nine", "halb zehn", "quarter to six", "las nueve y media". */
  #spoken(at: number): Read<number> {
    if (this.#words.hourFirst) {
      const hour = this.#count(at, 24);
      const found = hour && this.#fraction(at + hour.length, hour.value * 60, hour.length);
      return found && found.length > hour.length ? found : undefined;
    }
    const part = this.#minutes(at);
    if (!part) return undefined;
    const isHalf = this.#phrase(at, this.#words.half) > 0;
    if (isHalf && this.#words.halfTo) {
      const hour = this.#count(at + part.length, 24);
      return hour && { value: hour.value * 60 - 30, length: part.length + hour.length };
    }
    const [past, to] = [this.#phrase(at + part.length, this.#words.past), this.#phrase(at + part.length, this.#words.to)];
    const led = Math.max(past, to);
    const hour =
      led > 0
        ? this.#count(at + part.length + led, 24)
        : isHalf && this.#phrase(at + part.length, this.#ones) === 0
          ? this.#count(at + part.length, 12)
          : undefined;
    if (!hour || this.#month(at + part.length + led + hour.length)) return undefined;
    const length = part.length + led + hour.length;
    return {
      value: hour.value * 60 + (to > 0 ? -part.value : part.value),
      length: length + this.#phrase(at + length, this.#words.clock),
    };
  }

  /** "at nine": an hour with nothing but a word before it. */
  #hourOnly(at: number, led: number): Read<number> {
    if (led === 0 || !this.#leadsHour(at, led)) return undefined;
    const hour = this.#count(at + led, 24);
    if (!hour || this.#phrase(at + led, this.#ones) > 0) return undefined;
    const behind = this.#pieces[at + led + hour.length];
    const unit = Object.values(this.#words.units).some((words) => words.includes(behind?.word ?? ' '));
    if (unit || this.#month(at + led + hour.length) || /^[\d/.%€$:]/.test(behind?.word ?? '')) return undefined;
    return { value: hour.value * 60, length: hour.length };
  }

  /** Of the words before an hour only some stand before an hour alone: "by 9" is one, "from 9 people" is not. */
  #leadsHour(at: number, led: number): boolean {
    const words = this.#pieces
      .slice(at, at + led)
      .map((p) => p.word)
      .join(' ');
    return [
      'at',
      'around',
      'by',
      'um',
      'gegen',
      'a las',
      'a la',
      'sobre las',
      'desde las',
      'hasta las',
      'de las',
      'las',
      'vers',
    ].includes(words);
  }

  /** How many pieces from here on name a part of the day. */
  partOfDay(at: number): number {
    return this.#partOfDay(at).length;
  }

  #partOfDay(at: number): At<'morning' | 'evening' | undefined> {
    const evening = this.#phrase(at, this.#words.evening);
    if (evening > 0) return { value: 'evening', length: evening };
    const morning = this.#phrase(at, this.#words.morning);
    return morning > 0 ? { value: 'morning', length: morning } : { value: undefined, length: 0 };
  }

  /** The part of the day that was named just before: "tonight at eight". */
  #partBefore(at: number): 'morning' | 'evening' | undefined {
    for (let length = 3; length > 0; length--)
      for (const part of ['evening', 'morning'] as const)
        if (at - length >= 0 && this.#phrase(at - length, this.#words[part]) === length) return part;
    return undefined;
  }

  /** "in two hours", "in 20 minutes": a moment, by the clock that goes on when clocks are changed. */
  soon(at: number): Read<{ readonly date: string; readonly time: string }> {
    const ahead = this.#phrase(at, this.#words.ahead);
    const span = ahead > 0 ? this.#span(at + ahead) : undefined;
    if (!span || (span.value.unit !== 'hour' && span.value.unit !== 'minute')) return undefined;
    const ms = span.value.count * (span.value.unit === 'hour' ? 3_600_000 : 60_000);
    const then = new Date(Date.parse(this.#setting.at) + ms).toISOString();
    return { value: localMoment(then, this.#setting.zone), length: ahead + span.length };
  }
}

/**
 * Days and times in a text, from the left, in the visitor's language and where there are none in English. A weekday or a day
 * without a year is the next one, or one of the last two months where it was so lately; `wants` decides where it is given. Day
 * and month in figures stand in the order of the zone and language.
 */
export function findMoments(text: string, setting: AnswerSetting): FoundMoment[] {
  if (!/\d|\p{L}{2}/u.test(text)) return [];
  const pieces = piecesOf(text);
  const base = baseOf(setting.language);
  for (const language of ofLanguage(DATE_WORDS, base) && base !== 'en' ? [base, 'en'] : ['en']) {
    const found = momentsIn(pieces, new Grammar(pieces, language, setting));
    if (found.length > 0) return found;
  }
  return [];
}

function momentsIn(pieces: readonly Piece[], grammar: Grammar): FoundMoment[] {
  const found: FoundMoment[] = [];
  const span = (at: number, length: number) => ({ from: pieces[at]?.from ?? 0, to: pieces[at + length - 1]?.to ?? 0 });
  for (let at = 0; at < pieces.length;) {
    if (!grammar.mayBegin(at)) {
      at++;
      continue;
    }
    const soon = grammar.soon(at);
    const day = soon ? undefined : grammar.day(at);
    const time = soon ? undefined : grammar.time(at);
    if (soon) found.push({ ...span(at, soon.length), ...soon.value });
    else if (day && day.length >= (time?.length ?? 0)) found.push({ ...span(at, day.length), date: day.value });
    else if (time) found.push({ ...span(at, time.length), time: time.value });
    const length = soon?.length ?? Math.max(day?.length ?? 0, time?.length ?? 0);
    // "por la mañana" behind a day is not tomorrow.
    at += Math.max(1, length > 0 ? length : grammar.partOfDay(at));
  }
  return found;
}
