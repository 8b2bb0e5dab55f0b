import {
  BANDS,
  routeRails,
  type Coverage,
  type Flow,
  type FlowLayout,
  type MapGeometry,
  type PlacedNode,
  type Routed,
} from '@primrose/core';
import {
  startTransition,
  useCallback,
  useEffect,
  useLayoutEffect,
  useMemo,
  useRef,
  useState,
  type FocusEvent,
  type MouseEvent,
} from 'react';
import type { MapActs, OpenChip } from './acts.js';
import { AddBox } from './AddBox.js';
import { Glance } from './Glance.js';
import { NodeCard } from './NodeCard.js';
import { useDragLink, type DraggedLink } from './useDragLink.js';
import { useMapKeys } from './useMapKeys.js';

const BAND_WORDS = {
  visitor: ['Visitor', 'asked and heard'],
  bot: ['Bot', 'says and decides'],
  outside: ['Outside', 'looked up and done'],
} as const;

export interface FlowMapProps {
  readonly flow: Flow;
  readonly layout: FlowLayout;
  readonly language: string;
  readonly selected: string | undefined;
  readonly marked: readonly string[];
  readonly found: ReadonlySet<string>;
  readonly stale: ReadonlySet<string>;
  /** Node ids in the order in which the last turn came by. */
  readonly visited: readonly string[];
  readonly problems: ReadonlyMap<string, number>;
  /** By node: how often each tool that hangs on it was called in the conversation that is shown. */
  readonly called: ReadonlyMap<string, string>;
  /** Questions that a visitor can correct while the chosen node waits. */
  readonly reach: ReadonlySet<string>;
  readonly outline: boolean;
  /** How often the rehearsals came by; undefined where the Map does not show it. */
  readonly coverage: Coverage | undefined;
  readonly flowId: string;
  readonly acts: MapActs;
}

interface Drawn extends Routed {
  readonly width: number;
  readonly height: number;
}

const NOTHING: Drawn = { rails: [], widen: new Map(), width: 0, height: 0 };

/** A flow as a score: three bands, numbered beats, rails between them. It lays itself out. */
export function FlowMap(props: FlowMapProps) {
  const {
    flow,
    layout,
    language,
    selected,
    marked,
    found,
    reach,
    stale,
    visited,
    problems,
    called,
    outline,
    coverage,
    flowId,
    acts,
  } = props;
  const nodes = useFirstThenAll(layout, selected);
  const scroll = useRef<HTMLDivElement>(null);
  const score = useRef<HTMLDivElement>(null);
  const drawn = useRails(score, nodes, selected, outline);
  const [open, setOpen] = useState<OpenedChip>();
  const { dragged, onPointerDown } = useDragLink(acts.link);
  const openChip = useCallback((chip: HTMLElement) => {
    const root = score.current?.getBoundingClientRect();
    const { node, exit } = chip.dataset;
    if (!root || node === undefined || exit === undefined) return;
    const at = chip.getBoundingClientRect();
    setOpen({ node, exit, left: Math.max(30, Math.min(at.left - root.left, root.width - 322)), top: at.bottom - root.top + 6 });
  }, []);
  const goTo = useCallback((id: string) => {
    const card = score.current?.querySelector<HTMLElement>(`#node-${id}`);
    card?.scrollIntoView({ block: 'nearest' });
    card?.focus();
  }, []);
  const { typed, onKeyDown } = useMapKeys({ flow, layout, marked, acts, openChip, goTo, score });
  useScrollToWait(score, visited);
  const onFocus = useKeptFocus(score);

  const close = () => {
    const chip = open && score.current?.querySelector<HTMLElement>(`[data-node="${open.node}"][data-exit="${open.exit}"]`);
    setOpen(undefined);
    chip?.focus();
  };
  const onClick = (event: MouseEvent) => {
    const target = event.target as Element;
    const chip = target.closest<HTMLElement>('.out');
    const card = target.closest<HTMLElement>('.node');
    const id = card?.dataset['id'];
    if (chip && event.altKey) goTo(flow.nodes[chip.dataset['node'] ?? '']?.exits?.[chip.dataset['exit'] ?? ''] ?? '');
    else if (chip) openChip(chip);
    else if (id !== undefined && (event.shiftKey || event.ctrlKey || event.metaKey)) acts.mark(toggled(marked, id, selected));
    else if (id !== undefined) acts.select(id);
    else if (target === event.currentTarget || target.classList.contains('wash')) acts.leave();
  };
  const order = useMemo(() => new Map(visited.map((id, i) => [id, i + 1])), [visited]);
  const marks = useMemo(() => new Set(marked), [marked]);
  return (
    <div className="stage">
      <div className="scroll" ref={scroll}>
        <BandHeads />
        <div
          className={`score${outline ? ' outline' : ''}${dragged ? ' linking' : ''}`}
          ref={score}
          style={{ gridTemplateRows: `repeat(${layout.beats}, auto) minmax(12px, 1fr)` }}
          onClick={onClick}
          onKeyDown={onKeyDown}
          onFocus={onFocus}
          onPointerDown={onPointerDown}
          onMouseDown={keepSelection}
        >
          {BANDS.map((band) => (
            <div key={band} className={`wash ${band}`} />
          ))}
          <RailLayer drawn={drawn} visited={visited} dragged={dragged} />
          {Array.from({ length: layout.beats }, (_, i) => (
            <span key={i} className="beat" style={{ gridRow: i + 1 }} aria-hidden="true">
              {i + 1}
            </span>
          ))}
          {nodes.map((placed) => (
            <NodeCard
              key={placed.id}
              placed={placed}
              node={flow.nodes[placed.id]}
              language={language}
              selected={placed.id === selected || placed.id === dragged?.over}
              marked={marks.has(placed.id)}
              found={found.has(placed.id)}
              stale={stale.has(placed.id)}
              visit={order.get(placed.id) ?? 0}
              problems={problems.get(placed.id) ?? 0}
              reach={reach.has(placed.id)}
              openExit={open?.node === placed.id ? open.exit : undefined}
              room={drawn.widen.get(placed.beat) ?? 0}
              times={coverage?.nodes[`${flowId}/${placed.id}`]}
              untaken={coverage && untakenExits(coverage, flowId, placed)}
              called={called.get(placed.id)}
            />
          ))}
          {open && (
            <Added
              key={`${open.node}/${open.exit}`}
              flow={flow}
              layout={layout}
              language={language}
              after={open}
              acts={acts}
              onDone={() => setOpen(undefined)}
              onClose={close}
            />
          )}
        </div>
        {typed !== '' && (
          <p className="goto" role="status">
            to beat {typed} <kbd>Enter</kbd>
          </p>
        )}
      </div>
      <Glance layout={layout} visited={visited} problems={problems} scroll={scroll} />
    </div>
  );
}

function BandHeads() {
  return (
    <div className="bands" aria-hidden="true">
      <span className="corner0" />
      {BANDS.map((band) => (
        <div key={band} className={`bandhead ${band}`}>
          <b>{BAND_WORDS[band][0]}</b>
          <span>{BAND_WORDS[band][1]}</span>
        </div>
      ))}
    </div>
  );
}

/** An exit whose box is open, and where the box stands. */
interface OpenedChip extends OpenChip {
  readonly left: number;
  readonly top: number;
}

interface AddedProps extends Pick<FlowMapProps, 'flow' | 'layout' | 'language' | 'acts'> {
  readonly after: OpenedChip;
  readonly onDone: () => void;
  /** Closes the box and goes back to its exit. */
  readonly onClose: () => void;
}

/** The box in which is said what comes behind an exit. */
function Added({ after, acts, onDone, onClose, ...rest }: AddedProps) {
  return (
    <AddBox
      {...rest}
      after={after}
      style={{ left: after.left, top: after.top }}
      onClose={onClose}
      onAdd={(kind) => {
        onDone();
        acts.add(kind, after);
      }}
      onLines={(lines) => {
        onDone();
        acts.addLines(lines, after);
      }}
      onPaste={(text) => {
        if (acts.paste(text, after)) onDone();
      }}
      onLink={(to) => {
        acts.link(after, to);
        onClose();
      }}
    />
  );
}

/** The exits of a node that no rehearsal took, in one word for the card's memory. */
function untakenExits({ exits }: Coverage, flow: string, { id, chips }: PlacedNode): string {
  return chips.flatMap((c) => (exits[`${flow}/${id}/${c.exit}`] === 0 ? [c.exit] : [])).join(' ');
}

/** Marking by click with Shift or Ctrl must not select the words of the page. */
function keepSelection(event: MouseEvent): void {
  const card = (event.target as Element).closest<HTMLElement>('.node');
  if (!card || !(event.shiftKey || event.ctrlKey || event.metaKey)) return;
  event.preventDefault();
  card.focus({ preventScroll: true });
}

function toggled(marked: readonly string[], id: string, selected: string | undefined): string[] {
  const before = marked.length === 0 && selected !== undefined ? [selected] : marked;
  return before.includes(id) ? before.filter((m) => m !== id) : [...before, id];
}

/** What a screen or two hold: a large flow is drawn from its top first, and the rest a moment later. */
const FIRST_NODES = 24;

function useFirstThenAll({ nodes }: FlowLayout, selected: string | undefined): readonly PlacedNode[] {
  const [whole, setWhole] = useState(nodes.length <= 3 * FIRST_NODES || nodes.findIndex((n) => n.id === selected) >= FIRST_NODES);
  useEffect(() => {
    if (whole) return undefined;
    const timer = setTimeout(() => startTransition(() => setWhole(true)), 0);
    return () => clearTimeout(timer);
  }, [whole]);
  return useMemo(() => (whole ? nodes : nodes.slice(0, FIRST_NODES)), [whole, nodes]);
}

/** Measures what is on the page and routes the rails, again whenever a box may have changed. */
function useRails(
  score: React.RefObject<HTMLDivElement | null>,
  nodes: readonly PlacedNode[],
  selected: string | undefined,
  outline: boolean,
): Drawn {
  const [drawn, setDrawn] = useState(NOTHING);
  const { widen } = drawn;
  useLayoutEffect(() => {
    const root = score.current;
    if (!root) return undefined;
    const measure = () => {
      markCut(root);
      const routed = routeRails(geometryOf(root, nodes, selected));
      setDrawn((before) => ({
        rails: routed.rails,
        widen: sameEntries(before.widen, routed.widen) ? before.widen : routed.widen,
        width: root.scrollWidth,
        height: root.scrollHeight,
      }));
    };
    measure();
    // A node whose words have grown moves its chips even where nothing else moves, so each is watched.
    const seen = new Map<Element, string>();
    const observer = new ResizeObserver((entries) => {
      const changed = entries.filter(({ target, contentRect: { width, height } }) => {
        const size = `${width} ${height}`;
        const before = seen.get(target);
        seen.set(target, size);
        return before !== undefined && before !== size;
      });
      if (changed.length > 0) measure();
    });
    observer.observe(root);
    for (const card of root.querySelectorAll('.node')) observer.observe(card);
    if (document.fonts.status !== 'loaded') void document.fonts.ready.then(() => root.isConnected && measure());
    return () => observer.disconnect();
  }, [score, nodes, selected, outline, widen]);
  return drawn;
}

/** Words that do not fit on their node end with "more". */
function markCut(root: HTMLElement): void {
  const prose = [...root.querySelectorAll<HTMLElement>('.prose')];
  const cut = prose.map((p) => p.scrollHeight > p.clientHeight + 1);
  prose.forEach((p, i) => p.toggleAttribute('data-cut', cut[i]));
}

function sameEntries(a: ReadonlyMap<number, number>, b: ReadonlyMap<number, number>): boolean {
  return a.size === b.size && [...a].every(([key, value]) => b.get(key) === value);
}

/** Keeps the focus on a chip that is drawn anew because it moved to another line of its node. */
function useKeptFocus(score: React.RefObject<HTMLDivElement | null>): (event: FocusEvent) => void {
  const last = useRef<HTMLElement>(undefined);
  useLayoutEffect(() => {
    const { current } = last;
    if (!current || current.isConnected || document.activeElement !== document.body) return;
    const { node, exit } = current.dataset;
    score.current?.querySelector<HTMLElement>(`[data-node="${node}"][data-exit="${exit}"]`)?.focus({ preventScroll: true });
  });
  return useCallback((event) => {
    last.current = event.target as HTMLElement;
  }, []);
}

/** After a turn the Map scrolls to where the bot waits. */
function useScrollToWait(score: React.RefObject<HTMLDivElement | null>, visited: readonly string[]): void {
  const waitsAt = visited.at(-1);
  useEffect(() => {
    if (waitsAt === undefined) return;
    const still = matchMedia('(prefers-reduced-motion: reduce)').matches;
    const card = score.current?.querySelector(`#node-${waitsAt}`);
    card?.scrollIntoView({ block: 'center', behavior: still ? 'auto' : 'smooth' });
  }, [score, waitsAt, visited]);
}

interface RailLayerProps {
  readonly drawn: Drawn;
  readonly visited: readonly string[];
  readonly dragged: DraggedLink | undefined;
}

function RailLayer({ drawn: { rails, width, height }, visited, dragged }: RailLayerProps) {
  const seen = new Set(visited.slice(0, -1).map((id, i) => `${id}>${visited[i + 1]}`));
  const gone = (r: { node: string; to: string }) => (seen.has(`${r.node}>${r.to}`) ? ' gone' : '');
  const sorted = [...rails].sort((a, b) => gone(a).length - gone(b).length);
  return (
    <svg className="rails" width={width} height={height} aria-hidden="true">
      {sorted.map((r) => (
        <g key={`${r.node}/${r.exit}`}>
          <path className={`l${gone(r)}`} d={r.path} />
          <path className={`a${gone(r)}`} d={r.head} />
        </g>
      ))}
      {dragged && <path className="l drag" d={`M${dragged.start.join(' ')}L${dragged.end.join(' ')}`} />}
    </svg>
  );
}

function geometryOf(root: HTMLElement, nodes: readonly PlacedNode[], selected: string | undefined): MapGeometry {
  const corner = root.getBoundingClientRect();
  const box = (element: Element) => {
    const r = element.getBoundingClientRect();
    return { left: r.left - corner.left, right: r.right - corner.left, top: r.top - corner.top, bottom: r.bottom - corner.top };
  };
  const elements = new Map([...root.querySelectorAll<HTMLElement>('.node')].map((e) => [e.dataset['id'], e]));
  const cards = nodes.flatMap((n) => {
    const element = elements.get(n.id);
    return element ? [{ id: n.id, beat: n.beat, band: n.band, selected: n.id === selected, ...box(element) }] : [];
  });
  const chips = [...root.querySelectorAll<HTMLElement>('.out[data-to]')].map((element) => {
    const { left, right, bottom } = box(element);
    const { node = '', exit = '', to = '' } = element.dataset;
    return { node, exit, to, x: (left + right) / 2, bottom };
  });
  return { bands: BANDS.map((band) => box(root.querySelector(`.wash.${band}`) ?? root)), nodes: cards, chips };
}
