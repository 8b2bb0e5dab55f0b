import type { BotDocument } from '../document/schema.js';
import type { Column } from '../document/tables.js';
import type { Value } from '../document/shapes.js';
import { textOf } from '../expressions/functions.js';
import { compilePattern } from '../understanding/recognise.js';
import { normalise } from '../understanding/words.js';

/** The longest text in a cell, in characters, and the most items of a list. */
export const MOST_CELL = 20_000;
const MOST_ITEMS = 500;

/** What a column makes of a value, or why it does not take it (the end of a sentence that begins with the column). */
export type Fitted = { readonly ok: true; readonly value: Value } | { readonly ok: false; readonly reason: string };
type Entities = Pick<BotDocument, 'entities'>;

const good = (value: Value): Fitted => ({ ok: true, value });
const bad = (wanted: string, found: Value): Fitted => {
  const text = textOf(found);
  return { ok: false, reason: `takes ${wanted}, and this is ${text.length > 60 ? `${text.slice(0, 59)}…` : text}` };
};

const YES = new Set(['yes', 'true', '1', 'y']);
const NO = new Set(['no', 'false', '0', 'n']);
const DAY = /^(\d{4})-(\d\d)-(\d\d)$/;

/** True for a day that the calendar has, as `YYYY-MM-DD`. */
function isDay(text: string): boolean {
  const [, year = '', month = '', day = ''] = DAY.exec(text) ?? [];
  const at = new Date(Date.UTC(Number(year), Number(month) - 1, Number(day)));
  return year !== '' && at.getUTCMonth() === Number(month) - 1 && at.getUTCDate() === Number(day);
}

const READERS: Readonly<Record<string, (value: Value, text: string, column: Column) => Fitted>> = {
  text: (_v, text) => good(text),
  visitor: (_v, text) => good(text),
  number: (v, text) => {
    if (typeof v === 'number') return Number.isFinite(v) ? good(v) : bad('a number', v);
    return /^[+-]?\d+(\.\d+)?$/.test(text.trim()) ? good(Number(text.trim())) : bad('a number such as 12 or 12.5', v);
  },
  yes_no: (v, text) => {
    if (typeof v === 'boolean') return good(v);
    const word = text.trim().toLowerCase();
    if (YES.has(word)) return good(true);
    return NO.has(word) ? good(false) : bad('yes or no', v);
  },
  date: (v, text) => {
    const day = text.trim().slice(0, 10);
    const rest = text.trim().slice(10);
    return isDay(day) && (rest === '' || /^[T ]\d\d:\d\d/.test(rest)) ? good(day) : bad('a day such as 2026-05-14', v);
  },
  time: (v, text) => {
    const [, hour = '', minute = ''] = /^(\d{1,2}):(\d\d)(?::\d\d)?$/.exec(text.trim()) ?? [];
    if (hour === '' || Number(hour) > 23 || Number(minute) > 59) return bad('a time such as 09:30', v);
    return good(`${hour.padStart(2, '0')}:${minute}`);
  },
  moment: (v, text) => {
    const iso = text.trim().replace(' ', 'T');
    const whole = DAY.test(iso) ? `${iso}T00:00:00Z` : /(Z|[+-]\d\d:?\d\d)$/i.test(iso) ? iso : `${iso}Z`;
    const at = /^\d{4}-\d\d-\d\dT\d\d:\d\d/.test(whole) ? Date.parse(whole) : NaN;
    return Number.isNaN(at) ? bad('a moment such as 2026-05-14T09:30:00Z', v) : good(new Date(at).toISOString());
  },
  one_of: (v, text, { of }) => {
    const found = of.find((o) => normalise(o) === normalise(text));
    return found === undefined ? bad(`one of ${of.join(', ')}`, v) : good(found);
  },
};

/** A value as a column keeps it. What is empty is kept as null, whatever its form. */
export function fitCell({ entities }: Entities, column: Column, value: Value): Fitted {
  if (value === null || value === '') return good(null);
  if (column.type === 'list') return fitList(value);
  if (typeof value === 'object') return bad('one single value', value);
  const text = textOf(value);
  if (text.length > MOST_CELL) return { ok: false, reason: `takes at most ${MOST_CELL} characters, and this has ${text.length}` };
  const read = READERS[column.type];
  return read ? read(value, text, column) : fitEntity({ entities }, column.type, value, text);
}

function fitList(value: Value): Fitted {
  const items: readonly Value[] = Array.isArray(value) ? (value as readonly Value[]) : [value];
  if (items.length === 0) return good(null);
  if (items.length > MOST_ITEMS) return { ok: false, reason: `takes at most ${MOST_ITEMS} items, and this has ${items.length}` };
  if (items.some((i) => i === null || typeof i === 'object')) return bad('a list of single values', value);
  const length = items.reduce((sum: number, i) => sum + textOf(i).length, 0);
  return length > MOST_CELL ? { ok: false, reason: `takes at most ${MOST_CELL} characters in all` } : good(items);
}

function fitEntity({ entities = {} }: Entities, type: string, value: Value, text: string): Fitted {
  const entity = Object.hasOwn(entities, type) ? entities[type] : undefined;
  if (!entity) return good(text);
  if (entity.values) {
    if (Object.hasOwn(entity.values, text)) return good(text);
    const words = normalise(text);
    const found = Object.entries(entity.values).find(([, of]) =>
      (Array.isArray(of) ? of : Object.values(of).flat()).some((w) => normalise(w) === words),
    );
    return found ? good(found[0]) : bad(`a ${type} (${Object.keys(entity.values).slice(0, 8).join(', ')})`, value);
  }
  const fits = compilePattern(entity.pattern ?? '')?.matches(text.trim()) ?? true;
  return fits ? good(text.trim()) : bad(`a ${type} of the form ${entity.pattern ?? ''}`, value);
}

/** A value as cells are compared and found by: whatever the case and the spaces around. Of a list, one for each item. */
export function keysOf(value: Value): string[] {
  if (value === null) return [];
  if (Array.isArray(value)) return (value as readonly Value[]).flatMap(keysOf);
  return [textOf(value).normalize('NFC').trim().toLowerCase()];
}
