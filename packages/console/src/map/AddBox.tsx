import { linesOf, nodeKinds, readClip, readyMade, type Flow, type FlowLayout } from '@primrose/core';
import { useEffect, useId, useRef, useState, type ClipboardEvent, type CSSProperties, type KeyboardEvent } from 'react';
import { Prose } from '../parts/Prose.js';
import { countCopied, lastCopied } from './copied.js';

interface AddBoxProps {
  readonly flow: Flow;
  readonly layout?: FlowLayout;
  readonly language: string;
  readonly after?: { readonly node: string; readonly exit: string };
  readonly style?: CSSProperties;
  readonly onClose: () => void;
  readonly onAdd: (kind: string) => void;
  /** Several lines were pasted: each becomes something that is said. */
  readonly onLines: (lines: readonly string[]) => void;
  readonly onPaste: (text: string) => void;
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
export function AddBox({ layout, style, onClose, ...offer }: AddBoxProps) {
  const { after } = offer;
  const [typed, setTyped] = useState('');
  const [at, setAt] = useState(0);
  const id = useId();
  const box = useRef<HTMLDivElement>(null);
  useEffect(() => {
    box.current?.scrollIntoView({ block: 'nearest' });
    const outside = (event: PointerEvent) => {
      if (!box.current?.contains(event.target as Node)) onClose();
    };
    document.addEventListener('pointerdown', outside);
    return () => document.removeEventListener('pointerdown', outside);
  }, [onClose]);
  const sought = typed.trim().toLowerCase();
  const entries = entriesFor({ ...offer, layout }, sought);
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
  const onPaste = (event: ClipboardEvent) => {
    const text = event.clipboardData.getData('text/plain');
    const lines = linesOf(text);
    if (readClip(text)) offer.onPaste(text);
    else if (lines.length > 1) offer.onLines(lines);
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
      <b>
        <Sought text={entry.head} sought={sought} />
      </b>
      <span>{entry.group === 'node' ? <Prose text={entry.about} /> : <Sought text={entry.about} sought={sought} />}</span>
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
        onPaste={onPaste}
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
      <p className="note hint">Several pasted lines become several say nodes.</p>
    </div>
  );
}

/** The letters that were typed, marked where they stand. */
function Sought({ text, sought }: { readonly text: string; readonly sought: string }) {
  const at = sought === '' ? -1 : text.toLowerCase().indexOf(sought);
  if (at < 0) return <>{text}</>;
  return (
    <>
      {text.slice(0, at)}
      <u>{text.slice(at, at + sought.length)}</u>
      {text.slice(at + sought.length)}
    </>
  );
}

type Offer = Omit<AddBoxProps, 'style' | 'onClose' | 'layout'> & { readonly layout: FlowLayout | undefined };

function entriesFor(offer: Offer, typed: string): Entry[] {
  const copied = countCopied();
  const paste: Entry[] =
    copied > 0 && 'paste'.startsWith(typed)
      ? [
          {
            key: 'paste',
            head: 'paste',
            about: copied === 1 ? 'the copied node' : `${copied} copied nodes`,
            group: 'kind',
            pick: () => offer.onPaste(lastCopied() ?? ''),
          },
        ]
      : [];
  const kinds = [...nodeKinds.values()]
    .filter((k) => k.kind.startsWith(typed) || (typed.length > 2 && k.about.includes(typed)))
    .map((k): Entry => ({ key: `kind-${k.kind}`, head: k.kind, about: k.about, group: 'kind', pick: () => offer.onAdd(k.kind) }));
  const made = [...readyMade]
    .filter(
      ([id, r]) =>
        typed !== '' && (r.name.startsWith(typed) || id.startsWith(typed) || (typed.length > 2 && r.about.includes(typed))),
    )
    .map(([id, r]): Entry => ({ key: `made-${id}`, head: r.name, about: r.about, group: 'kind', pick: () => offer.onAdd(id) }));
  return [...(typed === '' ? [] : paste), ...kinds, ...made, ...(typed === '' ? paste : []), ...links(offer, typed)];
}

function links({ flow, layout, language, after, onLink }: Offer, typed: string): Entry[] {
  if (!after || !layout) return [];
  const nodes = layout.nodes.flatMap(({ id, beat, address }): Entry[] => {
    const node = flow.nodes[id];
    if (!node || typed === '') return [];
    const text = nodeKinds.get(node.kind)?.prose(node, language).text ?? '';
    const words = `${node.title ?? ''} ${id} ${text}`.toLowerCase();
    const fits = String(beat) === typed || address === typed || (typed.length > 1 && words.includes(typed));
    return fits
      ? [{ key: `node-${id}`, head: address, about: node.title ?? (text || id), group: 'node', pick: () => onLink(id) }]
      : [];
  });
  const linked = flow.nodes[after.node]?.exits?.[after.exit] !== undefined;
  const none: Entry[] =
    linked && 'nowhere'.startsWith(typed)
      ? [{ key: 'nowhere', head: 'nowhere', about: 'take the link away', group: 'none', pick: () => onLink(undefined) }]
      : [];
  return [...nodes.slice(0, MOST_NODES), ...none];
}
