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
export function wallClock(at: string, name: string): Date {
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

/** True for the name of a time zone, such as Europe/Dublin. */
export function isZone(zone: string): boolean {
  try {
    new Intl.DateTimeFormat('en', { timeZone: zone });
    return true;
  } catch {
    return false;
  }
}

const DAY_MS = 86_400_000;
const two = (n: number): string => String(n).padStart(2, '0');

/** A day of the calendar as text, `2026-05-15`; undefined where there is none such. */
export function dayOf(year: number, month: number, day: number): string | undefined {
  const at = new Date(Date.UTC(year, month - 1, day));
  if (at.getUTCFullYear() !== year || at.getUTCMonth() !== month - 1 || at.getUTCDate() !== day) return undefined;
  return `${String(year).padStart(4, '0')}-${two(month)}-${two(day)}`;
}

/** So many days after a day. */
export function addDays(day: string, days: number): string {
  return new Date(Date.parse(day) + days * DAY_MS).toISOString().slice(0, 10);
}

/** So many months after a day; the last of a shorter month where there is no such day. */
export function addMonths(day: string, months: number): string {
  const [y = 0, m = 1, d = 1] = day.split('-').map(Number);
  const first = new Date(Date.UTC(y, m - 1 + months, 1));
  const last = new Date(Date.UTC(first.getUTCFullYear(), first.getUTCMonth() + 1, 0)).getUTCDate();
  return `${String(first.getUTCFullYear()).padStart(4, '0')}-${two(first.getUTCMonth() + 1)}-${two(Math.min(d, last))}`;
}

/** Which day of the week a day is, from 0 for Sunday. */
export const weekdayOf = (day: string): number => new Date(`${day}T00:00:00Z`).getUTCDay();

/** How many days lie between two days. */
export const daysBetween = (from: string, to: string): number => Math.round((Date.parse(to) - Date.parse(from)) / DAY_MS);

/** In which order day and month are written in figures: with the month first in the United States only. */
export function monthFirst(language: string, zone: string): boolean {
  if (/-us$/i.test(language)) return true;
  return language.toLowerCase() === 'en' && US_ZONES.test(zone);
}
const US_ZONES =
  /^(US\/|America\/(New_York|Chicago|Denver|Los_Angeles|Phoenix|Anchorage|Detroit|Boise|Juneau|Nome|Sitka|Adak|Menominee|Indiana\/|Kentucky\/|North_Dakota\/)|Pacific\/Honolulu)/;

/** Minutes of a day as `09:40`, in the part of the day that was said. */
export function written(minutes: number, part: 'morning' | 'evening' | undefined): string {
  const hour = Math.floor(minutes / 60);
  const later = part === 'evening' && hour < 12 && hour > 0 ? 720 : part === 'morning' && hour === 12 ? -720 : 0;
  const at = (minutes + later + 1440) % 1440;
  return `${String(Math.floor(at / 60)).padStart(2, '0')}:${String(at % 60).padStart(2, '0')}`;
}
