import { columnsOf, keysOf, rowKey, type RowValues, type TableDeclaration, type Value } from '@primrose/core';
import { hashSecret } from '../base/clock.js';

/** Cells are found by so many characters of what they hold; what is longer is looked at whole afterwards. */
const MOST_HELD = 120;

/** A number as a text that sorts as the number does: its bits (IEEE 754), turned so that smaller ones come first. */
function sortable(number: number): string {
  const bits = Buffer.alloc(8);
  bits.writeDoubleBE(number === 0 ? 0 : number);
  const negative = bits.readUInt8(0) >= 0x80;
  for (let i = 0; i < bits.length; i++)
    bits[i] = negative ? ~bits.readUInt8(i) : i === 0 ? bits.readUInt8(0) | 0x80 : bits.readUInt8(i);
  return bits.toString('hex');
}

/** What a value is found and sorted by; of a list, each item. */
export function heldOf(value: Value): string[] {
  if (typeof value === 'number') return [sortable(value)];
  return keysOf(value).map((key) => key.slice(0, MOST_HELD).replace(/\p{Surrogate}/gu, ''));
}

/** The searchable columns of a table, those of both declarations while it is brought from one to another. */
export function searchable(declared: TableDeclaration, wanted: TableDeclaration | undefined): ReadonlySet<string> {
  const of = (d: TableDeclaration | undefined) => (d ? columnsOf(d).filter((c) => c.search) : []);
  return new Set([...of(declared), ...of(wanted)].map((c) => c.name));
}

/** The cells by which a row is found. */
export function cellsOf(values: RowValues, columns: ReadonlySet<string>): [string, string][] {
  return [...columns].flatMap((name) => heldOf(values[name] ?? null).map((held): [string, string] => [name, held]));
}

/** What makes a row the same as another, as it is stored; null where nothing does. */
export function keyHash(declared: TableDeclaration, values: RowValues): string | null {
  const key = rowKey(declared, values);
  return key === undefined ? null : hashSecret(key);
}
