import { useCallback, useState, type PointerEvent } from 'react';
import type { OpenChip } from './acts.js';

/** A link as it is being drawn with the pointer, in pixels of the score. */
export interface DraggedLink {
  readonly from: OpenChip;
  readonly start: readonly [number, number];
  readonly end: readonly [number, number];
  /** The node under the pointer. */
  readonly over: string | undefined;
}

const DRAG_FROM_PX = 6;

interface DragLink {
  readonly dragged: DraggedLink | undefined;
  readonly onPointerDown: (event: PointerEvent<HTMLElement>) => void;
}

const nodeAt = (x: number, y: number): string | undefined =>
  document.elementFromPoint(x, y)?.closest<HTMLElement>('.node')?.dataset['id'];

/** Draws a link from a chip: pressed and dragged onto a node it leads there. A click stays a click. */
export function useDragLink(onLink: (from: OpenChip, to: string) => void): DragLink {
  const [dragged, setDragged] = useState<DraggedLink>();
  const onPointerDown = useCallback(
    (down: PointerEvent<HTMLElement>) => {
      const chip = down.target instanceof Element ? down.target.closest<HTMLElement>('.out') : null;
      const { node, exit } = chip?.dataset ?? {};
      if (!chip || node === undefined || exit === undefined || down.button !== 0) return;
      const score = down.currentTarget;
      const from = { node, exit };
      let moved = false;
      const place = (x: number, y: number): [number, number] => {
        const corner = score.getBoundingClientRect();
        return [x - corner.left, y - corner.top];
      };
      const chipBox = chip.getBoundingClientRect();
      const start = place((chipBox.left + chipBox.right) / 2, chipBox.bottom);
      const move = (event: globalThis.PointerEvent) => {
        moved ||= Math.hypot(event.clientX - down.clientX, event.clientY - down.clientY) > DRAG_FROM_PX;
        if (!moved) return;
        setDragged({ from, start, end: place(event.clientX, event.clientY), over: nodeAt(event.clientX, event.clientY) });
      };
      const stop = () => {
        removeEventListener('pointermove', move);
        removeEventListener('pointerup', up);
        removeEventListener('pointercancel', stop);
        removeEventListener('keydown', onKey);
        setDragged(undefined);
      };
      const up = (event: globalThis.PointerEvent) => {
        stop();
        const to = nodeAt(event.clientX, event.clientY);
        if (!moved) return;
        // The click that follows a drag must not open the add box.
        addEventListener('click', swallow, { capture: true, once: true });
        setTimeout(() => removeEventListener('click', swallow, { capture: true }), 0);
        if (to !== undefined) onLink(from, to);
      };
      const onKey = (event: KeyboardEvent) => event.key === 'Escape' && stop();
      addEventListener('pointermove', move);
      addEventListener('pointerup', up);
      addEventListener('pointercancel', stop);
      addEventListener('keydown', onKey);
    },
    [onLink],
  );
  return { dragged, onPointerDown };
}

function swallow(event: Event): void {
  event.stopPropagation();
  event.preventDefault();
}
