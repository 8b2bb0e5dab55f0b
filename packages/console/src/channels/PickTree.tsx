import type { Value } from '@primrose/core';

type Key = string | number;

interface TreeProps {
  readonly value: Value;
  readonly keys?: readonly Key[];
  readonly onPick: (keys: readonly Key[]) => void;
}

const MOST = 60;
const MOST_LETTERS = 48;

/** What a leaf shows: short. */
function leafWords(value: Value): string {
  const words = JSON.stringify(value);
  return words.length > MOST_LETTERS ? `${words.slice(0, MOST_LETTERS)}…` : words;
}

/** A body as a tree, each place of which can be picked. */
export function PickTree({ value, keys = [], onPick }: TreeProps) {
  if (value === null || typeof value !== 'object') return null;
  const entries: [Key, Value][] = Array.isArray(value)
    ? (value as readonly Value[]).map((v, i): [Key, Value] => [i, v])
    : Object.entries(value as Readonly<Record<string, Value>>);
  return (
    <ul className="picktree">
      {entries.slice(0, MOST).map(([key, inside]) => {
        const at = [...keys, key];
        const leaf = inside === null || typeof inside !== 'object';
        return (
          <li key={key}>
            <button type="button" className="bare mono" onClick={() => onPick(at)}>
              {key}
              {leaf ? `: ${leafWords(inside)}` : Array.isArray(inside) ? ` (${inside.length})` : ''}
            </button>
            {!leaf && <PickTree value={inside} keys={at} onPick={onPick} />}
          </li>
        );
      })}
      {entries.length > MOST && <li className="note">and {entries.length - MOST} more</li>}
    </ul>
  );
}
