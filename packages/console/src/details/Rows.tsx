import { Children, useRef, useState, type KeyboardEvent, type ReactNode } from 'react';

export function RemoveButton({ label, onClick }: { readonly label: string; readonly onClick: () => void }) {
  return (
    <button className="bare" type="button" aria-label={label} title={label} onClick={onClick}>
      ×
    </button>
  );
}

interface RowsProps {
  readonly label: string;
  readonly add: string;
  readonly onAdd: () => void;
  /** Puts a row in another place, where the order means something. */
  readonly onMove?: (from: number, to: number) => void;
  readonly children: ReactNode;
}

/** A group of rows with a way to add one; ordered ones are moved by Alt+Up and Alt+Down, or by dragging their grip. */
export function Rows({ label, add, onAdd, onMove, children }: RowsProps) {
  return (
    <div className="fld">
      <div className="lab">{label}</div>
      {onMove ? <MovableRows onMove={onMove}>{Children.toArray(children)}</MovableRows> : children}
      {add !== '' && (
        <button className="bare note" type="button" onClick={onAdd}>
          + {add}
        </button>
      )}
    </div>
  );
}

interface MovableRowsProps {
  readonly onMove: (from: number, to: number) => void;
  readonly children: readonly ReactNode[];
}

function MovableRows({ onMove, children }: MovableRowsProps) {
  const [dragged, setDragged] = useState<number>();
  const list = useRef<HTMLDivElement>(null);
  const move = (from: number, to: number) => {
    if (to < 0 || to >= children.length || from === to) return;
    onMove(from, to);
    setTimeout(() => list.current?.querySelectorAll<HTMLElement>('.grip')[to]?.focus(), 0);
  };
  const onKey = (i: number) => (event: KeyboardEvent<HTMLElement>) => {
    const onGrip = (event.target as Element).classList.contains('grip');
    const way = { ArrowUp: -1, ArrowDown: 1 }[event.key];
    if (way === undefined || !(event.altKey || onGrip)) return;
    event.preventDefault();
    event.stopPropagation();
    move(i, i + way);
  };
  return (
    <div ref={list}>
      {children.map((child, i) => (
        <div
          key={i}
          className={`movable${dragged === i ? ' dragged' : ''}`}
          onKeyDownCapture={onKey(i)}
          onDragOver={(e) => dragged !== undefined && e.preventDefault()}
          onDrop={(e) => {
            e.preventDefault();
            if (dragged !== undefined) move(dragged, i);
          }}
        >
          <button
            type="button"
            className="grip"
            draggable
            aria-label={`Row ${i + 1} of ${children.length}, move with Up and Down`}
            title="Drag, or press Up and Down"
            onDragStart={(e) => {
              e.dataTransfer.effectAllowed = 'move';
              setDragged(i);
            }}
            onDragEnd={() => setDragged(undefined)}
          >
            <svg width="8" height="14" viewBox="0 0 8 14" aria-hidden="true">
              <path d="M1 3h6M1 7h6M1 11h6" stroke="currentColor" strokeWidth="1.2" />
            </svg>
          </button>
          {child}
        </div>
      ))}
    </div>
  );
}

/** A list with one item in another place. */
export function movedItem<T>(list: readonly T[], from: number, to: number): T[] {
  const rest = list.filter((_, i) => i !== from);
  return [...rest.slice(0, to), ...list.slice(from, from + 1), ...rest.slice(to)];
}
