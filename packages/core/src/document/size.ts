import { wellFormed } from '../text/well-formed.js';
import type { Value } from './shapes.js';

/** How many values may stand inside each other; what is deeper has no end as far as anybody here is concerned. */
export const MAX_NESTING = 64;

const known = new WeakMap<object, { readonly size: number; readonly depth: number }>();

/**
 * About how many characters a value is as JSON. Infinity where values stand more than MAX_NESTING deep in each other. What
 * has been measured once is not measured again, so a list that stands in a hundred places costs what it costs once: values are
 * never changed in place.
 */
export function sizeOf(value: unknown): number {
  return measure(value, 0).size;
}

/** The same with how deep it is; texts are measured by their length, so an emoji may count as two. */
function measure(value: unknown, level: number): { readonly size: number; readonly depth: number } {
  if (typeof value === 'string') return { size: value.length + 2, depth: 0 };
  if (value === null || typeof value !== 'object') return { size: 8, depth: 0 };
  const before = known.get(value);
  if (before) return level + before.depth > MAX_NESTING ? { ...before, size: Infinity } : before;
  if (level >= MAX_NESTING) return { size: Infinity, depth: 0 };
  let size = 2;
  let depth = 0;
  const add = (part: unknown): void => {
    const inner = measure(part, level + 1);
    size += inner.size + 1;
    depth = Math.max(depth, inner.depth + 1);
  };
  if (Array.isArray(value)) value.forEach(add);
  else
    for (const [key, part] of Object.entries(value)) {
      size += key.length + 3;
      add(part);
    }
  const found = { size, depth };
  if (size !== Infinity) known.set(value, found);
  return found;
}

/** A value as a record keeps it: one that is longer than `most` characters is told instead of shown. */
export function recorded(value: Value, most: number): Value {
  const size = sizeOf(value);
  if (size <= most) return value;
  if (typeof value === 'string')
    return `${wellFormed(value.slice(0, most / 10))} … (${value.length} characters, not all of them kept here)`;
  const what = Array.isArray(value) ? `a list of ${value.length}` : 'a value of several fields';
  return `${what}, ${size === Infinity ? 'nested too deeply' : `about ${size} characters`}, not kept here`;
}
