import type { FlowLayout } from '@primrose/core';
import { useEffect, useRef, useState, type PointerEvent, type RefObject } from 'react';

interface GlanceProps {
  readonly layout: FlowLayout;
  readonly visited: readonly string[];
  readonly problems: ReadonlyMap<string, number>;
  /** What scrolls. */
  readonly scroll: RefObject<HTMLDivElement | null>;
}

const LEFT = { visitor: 3, bot: 11.5, outside: 20 } as const;
const HIGHEST_STEP = 13;
const MARGIN = 8;

/** The whole flow at a glance, with the window that is seen; a press goes there. Seen only: the beats say the same. */
export function Glance({ layout, visited, problems, scroll }: GlanceProps) {
  const strip = useRef<HTMLDivElement>(null);
  const [view, setView] = useState({ height: 0, top: 0, part: 1 });
  useEffect(() => {
    const element = scroll.current;
    if (!element) return undefined;
    const measure = () => {
      const { scrollTop, clientHeight, scrollHeight } = element;
      setView({
        height: strip.current?.clientHeight ?? 0,
        top: scrollTop / scrollHeight,
        part: Math.min(1, clientHeight / scrollHeight),
      });
    };
    measure();
    element.addEventListener('scroll', measure, { passive: true });
    const observer = new ResizeObserver(measure);
    observer.observe(element);
    if (element.lastElementChild) observer.observe(element.lastElementChild);
    return () => {
      element.removeEventListener('scroll', measure);
      observer.disconnect();
    };
  }, [scroll, layout]);
  const step = Math.min(HIGHEST_STEP, (view.height - 2 * MARGIN) / Math.max(1, layout.beats));
  const whole = step * layout.beats;
  const goTo = (event: PointerEvent<HTMLDivElement>) => {
    const element = scroll.current;
    if (!element || whole === 0 || (event.type === 'pointermove' && event.buttons !== 1)) return;
    const y = event.clientY - event.currentTarget.getBoundingClientRect().top - MARGIN;
    element.scrollTo({ top: (y / whole - view.part / 2) * element.scrollHeight });
  };
  const seen = new Set(visited);
  return (
    <div className="glance" aria-hidden="true" ref={strip} onPointerDown={goTo} onPointerMove={goTo}>
      {layout.nodes.map(({ id, band, beat }) => (
        <i
          key={id}
          className={`${band}${seen.has(id) ? ' vis' : ''}${problems.has(id) ? ' prob' : ''}`}
          style={{ left: LEFT[band], top: MARGIN + (beat - 1) * step, height: Math.max(1.5, Math.min(7, step - 1.5)) }}
        />
      ))}
      <div className="win" style={{ top: MARGIN - 4 + view.top * whole, height: Math.max(8, view.part * whole) }} />
    </div>
  );
}
