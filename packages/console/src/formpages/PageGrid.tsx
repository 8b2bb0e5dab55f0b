import { PAGE_COLUMNS, movePart, widenPart, type Page } from '@primrose/core';
import { useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import { partKind, partName, widthOf } from './words.js';

interface PageGridProps {
  readonly page: Page;
  readonly selected: number | undefined;
  readonly onSelect: (at: number) => void;
  readonly onChange: (next: Page) => void;
  readonly onRemove: (at: number) => void;
}

/** The parts of a page in its columns. Arrows with Alt move a part, with Shift they make it wider or narrower; the mouse does both. */
export function PageGrid({ page, selected, onSelect, onChange, onRemove }: PageGridProps) {
  const grid = useRef<HTMLOListElement>(null);
  const [dragged, setDragged] = useState<number>();
  const focus = (at: number) =>
    requestAnimationFrame(() => grid.current?.querySelectorAll<HTMLElement>('.pagepart > button')[at]?.focus());
  const move = (at: number, by: number) => {
    const to = Math.max(0, Math.min(page.parts.length - 1, at + by));
    onChange(movePart(page, at, by));
    onSelect(to);
    focus(to);
  };
  const onKey = (at: number) => (event: KeyboardEvent) => {
    const part = page.parts[at];
    if (!part) return;
    const by =
      event.key === 'ArrowLeft' || event.key === 'ArrowUp' ? -1 : event.key === 'ArrowRight' || event.key === 'ArrowDown' ? 1 : 0;
    if (event.key === 'Delete') {
      event.preventDefault();
      onRemove(at);
      focus(Math.max(0, at - 1));
    } else if (by !== 0) {
      event.preventDefault();
      if (event.altKey) move(at, by);
      else if (event.shiftKey) onChange(widenPart(page, at, widthOf(part) + by));
      else {
        const to = Math.max(0, Math.min(page.parts.length - 1, at + by));
        onSelect(to);
        focus(to);
      }
    }
  };
  const drop = (to: number) => {
    if (dragged !== undefined && dragged !== to) move(dragged, to - dragged);
    setDragged(undefined);
  };
  return (
    <ol className="pagegrid" aria-label="Parts of the page" ref={grid}>
      {page.parts.map((part, i) => (
        <li
          key={i}
          className={`pagepart${selected === i ? ' on' : ''}`}
          style={{ gridColumn: `span ${widthOf(part)}` }}
          draggable
          onDragStart={(e) => {
            setDragged(i);
            e.dataTransfer.effectAllowed = 'move';
          }}
          onDragOver={(e) => e.preventDefault()}
          onDrop={() => drop(i)}
          onDragEnd={() => setDragged(undefined)}
        >
          <button type="button" aria-pressed={selected === i} onClick={() => onSelect(i)} onKeyDown={onKey(i)}>
            <b dir="auto">{partName(part)}</b>
            <span className="note">{partKind(part)}</span>
          </button>
          <Handle name={partName(part)} wide={widthOf(part)} grid={grid} onWide={(wide) => onChange(widenPart(page, i, wide))} />
        </li>
      ))}
    </ol>
  );
}

interface HandleProps {
  readonly name: string;
  readonly wide: number;
  readonly grid: React.RefObject<HTMLOListElement | null>;
  readonly onWide: (wide: number) => void;
}

/** The edge by which a part is made wider or narrower. */
function Handle({ name, wide, grid, onWide }: HandleProps) {
  const begun = useRef<{ x: number; wide: number }>(undefined);
  const drag = (event: PointerEvent<HTMLSpanElement>) => {
    if (!begun.current || !grid.current) return;
    const column = grid.current.clientWidth / PAGE_COLUMNS;
    const next = begun.current.wide + Math.round((event.clientX - begun.current.x) / column);
    if (next !== wide) onWide(next);
  };
  return (
    <span
      className="edge"
      role="slider"
      tabIndex={0}
      aria-label={`Width of ${name}, in columns`}
      aria-valuemin={2}
      aria-valuemax={PAGE_COLUMNS}
      aria-valuenow={wide}
      onKeyDown={(e) => {
        const by = e.key === 'ArrowRight' || e.key === 'ArrowUp' ? 1 : e.key === 'ArrowLeft' || e.key === 'ArrowDown' ? -1 : 0;
        if (by === 0) return;
        e.preventDefault();
        onWide(wide + by);
      }}
      onPointerDown={(e) => {
        e.preventDefault();
        e.currentTarget.setPointerCapture(e.pointerId);
        begun.current = { x: e.clientX, wide };
      }}
      onPointerMove={drag}
      onPointerUp={() => (begun.current = undefined)}
    />
  );
}
