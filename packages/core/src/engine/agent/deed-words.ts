import type { Deed } from '../../honesty/index.js';
import { isTable, type Value } from '../../document/shapes.js';

const MOST_WORDS = 300;

/** What a deed was, in one line: what it did, and with which values. */
export function textsOfDeed({ about, name, given }: Deed): string {
  const values = wordsOf(given);
  const line = `${about || name.replaceAll(/[-_]/g, ' ')}${values === '' ? '' : ` – ${values}`}`;
  return line.length > MOST_WORDS ? `${line.slice(0, MOST_WORDS - 1)}…` : line;
}

function wordsOf(value: Value): string {
  if (value === null || value === '') return '';
  if (typeof value !== 'object') return String(value);
  if (Array.isArray(value)) return (value as readonly Value[]).map(wordsOf).filter(Boolean).join(', ');
  if (!isTable(value)) return '';
  const { target: _target, ...rest } = value;
  return Object.entries(rest)
    .map(([key, v]) => {
      const words = wordsOf(v);
      if (words === '') return '';
      return key === 'body' || key === 'query' ? words : `${key.replaceAll('_', ' ')}: ${words}`;
    })
    .filter(Boolean)
    .join(', ');
}
