import { readPhrase, writePhrase, type Mark } from '@primrose/core';
import { useRef, useState, type KeyboardEvent } from 'react';
import { RemoveButton } from '../details/Rows.js';

interface PhraseLineProps {
  readonly source: string;
  readonly number: number;
  readonly entities: readonly string[];
  readonly onChange: (source: string) => void;
  readonly onRemove: () => void;
}

/** Where a selection stands in the text of an element, counted over all text in it that is not a gloss. */
function selectionIn(element: HTMLElement): { from: number; to: number } | undefined {
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
function trimmed(text: string, { from, to }: { from: number; to: number }): { from: number; to: number } {
  const words = text.slice(from, to);
  const start = from + words.length - words.trimStart().length;
  return { from: start, to: start + words.trim().length };
}

/** A phrase with its marked values. Words are marked by selecting them, then naming the entity; a mark is clicked to change it. */
export function PhraseLine({ source, number, entities, onChange, onRemove }: PhraseLineProps) {
  const { text, marks } = readPhrase(source);
  const line = useRef<HTMLSpanElement>(null);
  const [marking, setMarking] = useState<Mark>();
  const [typing, setTyping] = useState<string>();
  const look = () => {
    const selected = line.current ? selectionIn(line.current) : undefined;
    if (!selected) return;
    const { from, to } = trimmed(text, selected);
    if (from < to && !marks.some((m) => m.from < to && from < m.to)) setMarking({ from, to, entity: entities[0] ?? '' });
  };
  const write = (next: readonly Mark[]) => onChange(writePhrase({ text, marks: next }));
  const keep = () => {
    if (!marking || marking.entity === '') return;
    const { role, ...rest } = marking;
    const others = marks.filter((m) => m.from !== marking.from);
    write([...others, { ...rest, ...(role ? { role } : {}) }]);
    setMarking(undefined);
  };
  const drop = () => {
    write(marks.filter((m) => m.from !== marking?.from));
    setMarking(undefined);
  };
  if (typing !== undefined) {
    const done = () => {
      if (typing.trim() !== '' && typing !== source) onChange(typing);
      setTyping(undefined);
    };
    const onKey = (e: KeyboardEvent) => {
      if (e.key === 'Enter') done();
      if (e.key === 'Escape') setTyping(undefined);
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
  return (
    <li>
      <span className="no">{number}</span>
      <div>
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
                <button type="button" onClick={() => setMarking(mark)}>
                  {words}
                </button>
                <small>{mark.role === undefined ? mark.entity : `${mark.role}: ${mark.entity}`}</small>
              </span>
            ) : (
              <span key={i}>{words}</span>
            ),
          )}
        </span>
        {marking && (
          <form
            className="marker"
            onSubmit={(e) => {
              e.preventDefault();
              keep();
            }}
          >
            <em>{text.slice(marking.from, marking.to)}</em>
            <select
              className="form-select"
              aria-label="Entity"
              autoFocus
              value={marking.entity}
              onChange={(e) => setMarking({ ...marking, entity: e.target.value })}
            >
              {entities.map((e) => (
                <option key={e}>{e}</option>
              ))}
            </select>
            <input
              className="form-control"
              aria-label="Role, if it has one"
              placeholder="role, if it has one"
              value={marking.role ?? ''}
              pattern="[a-z][a-z0-9]*(_[a-z0-9]+)*"
              title="small letters, digits and underscores, such as destination"
              onChange={(e) => setMarking({ ...marking, role: e.target.value })}
            />
            <button className="btn btn-outline-secondary btn-sm" type="submit">
              Mark
            </button>
            {marks.some((m) => m.from === marking.from) && (
              <button className="bare note" type="button" onClick={drop}>
                unmark
              </button>
            )}
            <button className="bare note" type="button" onClick={() => setMarking(undefined)}>
              leave it
            </button>
          </form>
        )}
      </div>
      <span className="acts">
        <button className="bare note" type="button" aria-label={`Edit phrase ${number}`} onClick={() => setTyping(source)}>
          edit
        </button>
        <RemoveButton label={`Remove phrase ${number}`} onClick={onRemove} />
      </span>
    </li>
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
