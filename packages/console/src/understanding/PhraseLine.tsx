import { readPhrase, writePhrase, type Mark } from '@primrose/core';
import { useRef, useState, type FormEvent, type KeyboardEvent } from 'react';
import { RemoveButton } from '../details/Rows.js';

interface Span {
  readonly from: number;
  readonly to: number;
}

interface PhraseLineProps {
  readonly source: string;
  readonly number: number;
  readonly entities: readonly string[];
  readonly onChange: (source: string) => void;
  readonly onRemove: () => void;
}

/** Where a selection stands in the text of an element, counted over all text in it that is not a gloss. */
function selectionIn(element: HTMLElement): Span | undefined {
  const selection = getSelection();
  if (!selection || selection.isCollapsed || selection.rangeCount === 0) return undefined;
  const range = selection.getRangeAt(0);
  if (!element.contains(range.startContainer) || !element.contains(range.endContainer)) return undefined;
  const before = (node: Node, offset: number): number => {
    const upTo = globalThis.document.createRange();
    upTo.setStart(element, 0);
    upTo.setEnd(node, offset);
    const part = upTo.cloneContents();
    part.querySelectorAll('small').forEach((s) => s.remove());
    return part.textContent.length;
  };
  const from = before(range.startContainer, range.startOffset);
  const to = before(range.endContainer, range.endOffset);
  return from < to ? { from, to } : undefined;
}

/** Without the spaces at both ends. */
function trimmed(text: string, { from, to }: Span): Span {
  const words = text.slice(from, to);
  const start = from + words.length - words.trimStart().length;
  return { from: start, to: start + words.trim().length };
}

/** A phrase with its marked values. Words are marked by selecting them, then naming the entity; a mark is clicked to change it. */
export function PhraseLine({ source, number, entities, onChange, onRemove }: PhraseLineProps) {
  const { text, marks } = readPhrase(source);
  const [marking, setMarking] = useState<Mark>();
  const [typing, setTyping] = useState(false);
  if (typing) return <TypedPhrase source={source} number={number} onChange={onChange} onClose={() => setTyping(false)} />;
  const select = (at: Span) => {
    const { from, to } = trimmed(text, at);
    if (from < to && !marks.some((m) => m.from < to && from < m.to)) setMarking({ from, to, entity: entities[0] ?? '' });
  };
  const write = (mark: Mark | undefined) => {
    const others = marks.filter((m) => m.from !== marking?.from);
    onChange(writePhrase({ text, marks: mark ? [...others, mark] : others }));
    setMarking(undefined);
  };
  return (
    <li>
      <span className="no">{number}</span>
      <div>
        <MarkedWords text={text} marks={marks} number={number} onSelect={select} onMark={setMarking} />
        {marking && (
          <Marker
            key={marking.from}
            mark={marking}
            words={text.slice(marking.from, marking.to)}
            present={marks.some((m) => m.from === marking.from)}
            entities={entities}
            onKeep={write}
            onDrop={() => write(undefined)}
            onClose={() => setMarking(undefined)}
          />
        )}
      </div>
      <span className="acts">
        <button className="bare note" type="button" aria-label={`Edit phrase ${number}`} onClick={() => setTyping(true)}>
          edit
        </button>
        <RemoveButton label={`Remove phrase ${number}`} onClick={onRemove} />
      </span>
    </li>
  );
}

type TypedProps = Pick<PhraseLineProps, 'source' | 'number' | 'onChange'> & { readonly onClose: () => void };

/** The phrase as it is written in files. */
function TypedPhrase({ source, number, onChange, onClose }: TypedProps) {
  const [typing, setTyping] = useState(source);
  const done = () => {
    if (typing.trim() !== '' && typing !== source) onChange(typing);
    onClose();
  };
  const onKey = (e: KeyboardEvent) => {
    if (e.key === 'Enter') done();
    if (e.key === 'Escape') onClose();
  };
  return (
    <li>
      <span className="no">{number}</span>
      <input
        className="form-control code"
        aria-label={`Phrase ${number}`}
        autoFocus
        value={typing}
        onChange={(e) => setTyping(e.target.value)}
        onBlur={done}
        onKeyDown={onKey}
      />
      <span />
    </li>
  );
}

interface WordsProps {
  readonly text: string;
  readonly marks: readonly Mark[];
  readonly number: number;
  readonly onSelect: (at: Span) => void;
  readonly onMark: (mark: Mark) => void;
}

/** The words with a gloss under each mark. */
function MarkedWords({ text, marks, number, onSelect, onMark }: WordsProps) {
  const line = useRef<HTMLSpanElement>(null);
  const look = () => {
    const selected = line.current ? selectionIn(line.current) : undefined;
    if (selected) onSelect(selected);
  };
  return (
    <span
      className="phrase"
      dir="auto"
      ref={line}
      onMouseUp={look}
      onKeyDown={(e) => {
        if (e.key === '=') look();
      }}
      tabIndex={0}
      role="group"
      aria-label={`Phrase ${number}: ${text}`}
    >
      {pieces(text, marks).map(({ text: words, mark }, i) =>
        mark ? (
          <span key={i} className="glossed">
            <button type="button" onClick={() => onMark(mark)}>
              {words}
            </button>
            <small>{mark.role === undefined ? mark.entity : `${mark.role}: ${mark.entity}`}</small>
          </span>
        ) : (
          <span key={i}>{words}</span>
        ),
      )}
    </span>
  );
}

interface MarkerProps {
  readonly mark: Mark;
  readonly words: string;
  /** It is a mark of the phrase already. */
  readonly present: boolean;
  readonly entities: readonly string[];
  readonly onKeep: (mark: Mark) => void;
  readonly onDrop: () => void;
  readonly onClose: () => void;
}

/** Names the entity of some words, and their role. */
function Marker({ mark, words, present, entities, onKeep, onDrop, onClose }: MarkerProps) {
  const [entity, setEntity] = useState(mark.entity);
  const [role, setRole] = useState(mark.role ?? '');
  const keep = (e: FormEvent) => {
    e.preventDefault();
    const { from, to } = mark;
    if (entity !== '') onKeep({ from, to, entity, ...(role === '' ? {} : { role }) });
  };
  return (
    <form className="marker" onSubmit={keep}>
      <em>{words}</em>
      <select className="form-select" aria-label="Entity" autoFocus value={entity} onChange={(e) => setEntity(e.target.value)}>
        {entities.map((e) => (
          <option key={e}>{e}</option>
        ))}
      </select>
      <input
        className="form-control"
        aria-label="Role, if it has one"
        placeholder="role, if it has one"
        value={role}
        pattern="[a-z][a-z0-9]*(_[a-z0-9]+)*"
        title="small letters, digits and underscores, such as destination"
        onChange={(e) => setRole(e.target.value)}
      />
      <button className="btn btn-outline-secondary btn-sm" type="submit">
        Mark
      </button>
      {present && (
        <button className="bare note" type="button" onClick={onDrop}>
          unmark
        </button>
      )}
      <button className="bare note" type="button" onClick={onClose}>
        leave it
      </button>
    </form>
  );
}

function pieces(text: string, marks: readonly Mark[]): { text: string; mark?: Mark }[] {
  const out: { text: string; mark?: Mark }[] = [];
  let at = 0;
  for (const mark of [...marks].sort((a, b) => a.from - b.from)) {
    if (mark.from > at) out.push({ text: text.slice(at, mark.from) });
    out.push({ text: text.slice(mark.from, mark.to), mark });
    at = mark.to;
  }
  if (at < text.length) out.push({ text: text.slice(at) });
  return out;
}
