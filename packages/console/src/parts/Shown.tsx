import type { Value } from '@primrose/core';
import { useState } from 'react';

/** Longer texts are folded. */
const LONG = 240;
/** Lists and objects of so many entries stand open. */
const FEW = 6;

/** Copies what it stands behind. Seen when its line is pointed at or has the focus. */
export function Copy({ text, what }: { readonly text: string; readonly what: string }) {
  const [said, setSaid] = useState('copy');
  const copy = () => {
    const done = (words: string) => {
      setSaid(words);
      setTimeout(() => setSaid('copy'), 1500);
    };
    // Over plain HTTP from another machine a browser has no clipboard.
    if (!isSecureContext) return done('cannot copy here');
    navigator.clipboard.writeText(text).then(
      () => done('copied'),
      () => done('not allowed'),
    );
  };
  return (
    <button className="copy" type="button" aria-label={`Copy ${what}`} onClick={copy}>
      {said}
    </button>
  );
}

const asText = (value: Value): string => (typeof value === 'string' ? value : JSON.stringify(value, null, 2));

interface ShownProps {
  readonly value: Value;
  /** Names it for the copy button. */
  readonly what: string;
  /** Lists and objects stand closed at first. */
  readonly folded?: boolean;
}

/** A value whole: text as it is, long text folded, lists and objects as a tree. */
export function Shown({ value, what, folded = false }: ShownProps) {
  return (
    <span className="shown">
      <Tree value={value} depth={folded ? 2 : 0} />
      {value !== null && <Copy text={asText(value)} what={what} />}
    </span>
  );
}

function Tree({ value, depth }: { readonly value: Value; readonly depth: number }) {
  if (value === null) return <span className="note">empty</span>;
  if (typeof value === 'string') return <Text text={value} quoted={depth > 0} />;
  if (typeof value !== 'object') return <span>{String(value)}</span>;
  const entries = Array.isArray(value) ? value.map((v: Value, i) => [String(i + 1), v] as const) : Object.entries(value);
  if (entries.length === 0) return <span className="note">{Array.isArray(value) ? 'an empty list' : 'nothing in it'}</span>;
  return (
    <details className="tree" open={depth === 0 ? entries.length <= FEW : depth === 1 && entries.length <= FEW}>
      <summary>{summaryOf(value, entries)}</summary>
      <ul>
        {entries.map(([key, v]) => (
          <li key={key}>
            <b>{key}</b> <Tree value={v} depth={depth + 1} />
          </li>
        ))}
      </ul>
    </details>
  );
}

function summaryOf(value: Value, entries: readonly (readonly [string, unknown])[]): string {
  if (Array.isArray(value)) return entries.length === 1 ? '1 item' : `${entries.length} items`;
  const words = entries.map(([key, v]) => `${key} ${typeof v === 'object' && v !== null ? '…' : String(v)}`).join(', ');
  return words.length > 60 ? `${words.slice(0, 59)}…` : words;
}

function Text({ text, quoted }: { readonly text: string; readonly quoted: boolean }) {
  if (text.length <= LONG) return <span dir="auto">{quoted ? `“${text}”` : text}</span>;
  return (
    <details className="long">
      <summary>
        <span dir="auto">{text.slice(0, LONG - 40)}… </span>
        <span className="note">{text.length} characters</span>
      </summary>
      <span className="whole" dir="auto">
        {text}
      </span>
    </details>
  );
}
