import * as de from 'chrono-node/de';
import * as en from 'chrono-node/en';
import * as es from 'chrono-node/es';

/** What a text is read with: the moment (ISO 8601, UTC), the bot's zone and the visitor's language. */
export interface AnswerSetting {
  readonly at: string;
  readonly zone: string;
  readonly language: string;
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

/** A zone's formatter, and how far its clock is ahead of UTC, in ms, in the minute that was asked for last. */
interface Zone {
  readonly format: Intl.DateTimeFormat;
  minute: number;
  ahead: number;
}

const MOST_ZONES = 1000;
const zones = new Map<string, Zone>();

/** Making a formatter costs some 30 µs, so each zone has one. Throws RangeError on a zone that does not exist. */
function zoneOf(name: string): Zone {
  const known = zones.get(name);
  if (known) return known;
  const format = new Intl.DateTimeFormat('en-CA', {
    timeZone: name,
    year: 'numeric',
    month: '2-digit',
    day: '2-digit',
    hour: '2-digit',
    minute: '2-digit',
    second: '2-digit',
    hourCycle: 'h23',
  });
  if (zones.size >= MOST_ZONES) zones.clear();
  const zone = { format, minute: NaN, ahead: 0 };
  zones.set(name, zone);
  return zone;
}

/** The wall clock in a zone as a Date whose UTC fields are the local ones. No zone changes within a minute, so one is asked once. */
function wallClock(at: string, name: string): Date {
  const moment = new Date(at).getTime();
  const minute = Math.floor(moment / 60_000);
  const second = Math.floor(moment / 1000) * 1000;
  const zone = zoneOf(name);
  if (zone.minute !== minute) {
    const parts = zone.format.formatToParts(moment);
    const get = (type: string) => Number(parts.find((p) => p.type === type)?.value ?? 0);
    const local = Date.UTC(get('year'), get('month') - 1, get('day'), get('hour'), get('minute'), get('second'));
    zone.minute = minute;
    zone.ahead = local - second;
  }
  return new Date(second + zone.ahead);
}

/** The local date and time in a zone: `2026-05-15` and `14:05`. Throws RangeError on a zone that does not exist. */
export function localMoment(at: string, zone: string): { date: string; time: string } {
  const iso = wallClock(at, zone).toISOString();
  return { date: iso.slice(0, 10), time: iso.slice(11, 16) };
}

const two = (n: number | null): string => String(n ?? 0).padStart(2, '0');

/** Dates and times in a text, in the visitor's language and then in English. A day without a year is the next such day. */
export function findMoments(text: string, { at, zone, language }: AnswerSetting): FoundMoment[] {
  const reference = { instant: wallClock(at, zone), timezone: 0 };
  const base = language.toLowerCase().split('-')[0];
  const parsers = base === 'de' ? [de, en] : base === 'es' ? [es, en] : [en];
  for (const parser of parsers) {
    const found = parser.parse(text, reference, { forwardDate: true }).flatMap((r): FoundMoment[] => {
      const { start } = r;
      const day = start.isCertain('day') || start.isCertain('weekday') || start.isCertain('month');
      const [year, month, date] = [start.get('year'), start.get('month'), start.get('day')];
      const span = { from: r.index, to: r.index + r.text.length };
      const said = day && year !== null && month !== null && date !== null;
      const time = start.isCertain('hour') ? { time: `${two(start.get('hour'))}:${two(start.get('minute'))}` } : {};
      const whole = said ? { date: `${String(year).padStart(4, '0')}-${two(month)}-${two(date)}` } : {};
      return said || 'time' in time ? [{ ...span, ...whole, ...time }] : [];
    });
    if (found.length > 0) return found;
  }
  return [];
}

/** True for the name of a time zone, such as Europe/Dublin. */
export function isZone(zone: string): boolean {
  try {
    new Intl.DateTimeFormat('en', { timeZone: zone });
    return true;
  } catch {
    return false;
  }
}
