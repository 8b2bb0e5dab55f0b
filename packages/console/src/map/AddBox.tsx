import { nodeKinds, type Flow } from '@primrose/core';
import { useEffect, useId, useRef, useState, type CSSProperties, type KeyboardEvent } from 'react';
import { Prose } from '../parts/Prose.js';

interface AddBoxProps {
  readonly flow: Flow;
  readonly language: string;
  readonly after?: { readonly node: string; readonly exit: string };
  readonly beatOf: (node: string) => number | undefined;
  readonly style?: CSSProperties;
  readonly onClose: () => void;
  readonly onAdd: (kind: string) => void;
  readonly onLink: (to: string | undefined) => void;
}

interface Entry {
  readonly key: string;
  readonly head: string;
  readonly about: string;
  readonly group: 'kind' | 'node' | 'none';
  readonly pick: () => void;
}

const MOST_NODES = 8;

/** Type to add: letters of a kind add a node; a beat number or words of a node lead the exit there. */
export function AddBox({ flow, language, after, beatOf, style, onClose, onAdd, onLink }: AddBoxProps) {
  const [typed, setTyped] = useState('');
  const [at, setAt] = useState(0);
  const id = useId();
  const box = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const outside = (event: PointerEvent) => {
      if (!box.current?.contains(event.target as Node)) onClose();
    };
    document.addEventListener('pointerdown', outside);
    return () => document.removeEventListener('pointerdown', outside);
  }, [onClose]);
  const entries = entriesFor({ flow, language, after, beatOf, onAdd, onLink }, typed.trim().toLowerCase());
  const chosen = entries[Math.min(at, entries.length - 1)];
  const onKey = (event: KeyboardEvent) => {
    event.stopPropagation();
    if (event.key === 'Escape') onClose();
    else if (event.key === 'ArrowDown') setAt((n) => Math.min(n + 1, entries.length - 1));
    else if (event.key === 'ArrowUp') setAt((n) => Math.max(n - 1, 0));
    else if (event.key === 'Enter') chosen?.pick();
    else return;
    event.preventDefault();
  };
  const item = (entry: Entry) => (
    <li
      key={entry.key}
      id={`${id}-${entry.key}`}
      role="option"
      aria-selected={entry === chosen}
      className={entry === chosen ? 'on' : ''}
      onClick={entry.pick}
    >
      <b>{entry.head}</b>
      <span>
        <Prose text={entry.about} />
      </span>
      {entry === chosen && <kbd>Enter</kbd>}
    </li>
  );
  const links = entries.filter((e) => e.group !== 'kind');
  return (
    <div className="addmenu" role="dialog" aria-label="Add a node" style={style} ref={box} onClick={(e) => e.stopPropagation()}>
      <label htmlFor={id}>
        {after ? (
          <>
            After <b className="serif it">{after.exit.replaceAll('-', ' ')}</b>, add…
          </>
        ) : (
          'Begin with…'
        )}
      </label>
      <input
        id={id}
        autoFocus
        autoComplete="off"
        spellCheck={false}
        role="combobox"
        aria-expanded="true"
        aria-controls={`${id}-list`}
        aria-activedescendant={chosen ? `${id}-${chosen.key}` : undefined}
        value={typed}
        onKeyDown={onKey}
        onChange={(event) => {
          setTyped(event.target.value);
          setAt(0);
        }}
      />
      <ul role="listbox" id={`${id}-list`} aria-label="What to add or where to lead">
        {entries.filter((e) => e.group === 'kind').map(item)}
        {links.length > 0 && (
          <li role="presentation" className="caps note" style={{ cursor: 'default' }}>
            Or lead to
          </li>
        )}
        {links.map(item)}
        {entries.length === 0 && (
          <li role="presentation" className="note">
            Nothing is called that.
          </li>
        )}
      </ul>
    </div>
  );
}

type Offer = Pick<AddBoxProps, 'flow' | 'language' | 'beatOf' | 'onAdd' | 'onLink'> & {
  readonly after: AddBoxProps['after'] | undefined;
};

function entriesFor({ flow, language, after, beatOf, onAdd, onLink }: Offer, typed: string): Entry[] {
  const kinds = [...nodeKinds.values()]
    .filter((k) => k.kind.startsWith(typed) || (typed.length > 2 && k.about.includes(typed)))
    .map((k): Entry => ({ key: `kind-${k.kind}`, head: k.kind, about: k.about, group: 'kind', pick: () => onAdd(k.kind) }));
  if (!after) return kinds;
  const nodes = Object.entries(flow.nodes).flatMap(([id, node]): Entry[] => {
    const beat = beatOf(id);
    const text = nodeKinds.get(node.kind)?.prose(node, language).text ?? '';
    const words = `${node.title ?? ''} ${id} ${text}`.toLowerCase();
    const fits = typed !== '' && (String(beat) === typed || (typed.length > 1 && words.includes(typed)));
    return fits
      ? [
          {
            key: `node-${id}`,
            head: String(beat ?? ''),
            about: node.title ?? (text || id),
            group: 'node',
            pick: () => onLink(id),
          },
        ]
      : [];
  });
  const linked = flow.nodes[after.node]?.exits?.[after.exit] !== undefined;
  const none: Entry[] =
    linked && 'nowhere'.startsWith(typed)
      ? [{ key: 'nowhere', head: 'nowhere', about: 'take the link away', group: 'none', pick: () => onLink(undefined) }]
      : [];
  return [...kinds, ...nodes.slice(0, MOST_NODES), ...none];
}
