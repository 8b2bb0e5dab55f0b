import {
  layoutFlow,
  routeRails,
  type Flow,
  type MapGeometry,
  type PlacedChip,
  type PlacedNode,
  type Problem,
  type Rail,
} from '@primrose/core';
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import { AddBox } from './AddBox.js';
import { NodeCard } from './NodeCard.js';

const BANDS = ['visitor', 'bot', 'outside'] as const;
const BAND_WORDS = {
  visitor: ['Visitor', 'asked and heard'],
  bot: ['Bot', 'says and decides'],
  outside: ['Outside', 'looked up and done'],
} as const;

export interface OpenChip {
  readonly node: string;
  readonly exit: string;
}

interface FlowMapProps {
  readonly flow: Flow;
  readonly language: string;
  readonly selected: string | undefined;
  /** Node ids in the order in which the last turn came by. */
  readonly visited: readonly string[];
  readonly problems: readonly Problem[];
  readonly onSelect: (node: string) => void;
  readonly onAdd: (kind: string, after: OpenChip) => void;
  readonly onLink: (after: OpenChip, to: string | undefined) => void;
  readonly onRemove: (node: string) => void;
}

/** A flow as a score: three bands, numbered beats, rails between them. It lays itself out. */
export function FlowMap(props: FlowMapProps) {
  const { flow, language, selected, visited, problems, onSelect, onAdd, onLink, onRemove } = props;
  const layout = useMemo(() => layoutFlow(flow), [flow]);
  const score = useRef<HTMLDivElement>(null);
  const [rails, setRails] = useState<{ list: readonly Rail[]; width: number; height: number }>({ list: [], width: 0, height: 0 });
  const [open, setOpen] = useState<OpenChip & { left: number; top: number }>();
  const beatOf = useMemo(() => new Map(layout.nodes.map((n) => [n.id, n.beat])), [layout]);

  const measure = useCallback(() => {
    const root = score.current;
    if (!root) return;
    setRails({ list: routeRails(geometryOf(root, layout.nodes, selected)).rails, width: root.scrollWidth, height: root.scrollHeight });
  }, [layout, selected]);
  useLayoutEffect(() => {
    measure();
    const observer = new ResizeObserver(measure);
    if (score.current) observer.observe(score.current);
    void document.fonts.ready.then(measure);
    return () => observer.disconnect();
  }, [measure]);

  const waitsAt = visited.at(-1);
  useEffect(() => {
    if (waitsAt !== undefined)
      score.current?.querySelector(`#node-${waitsAt}`)?.scrollIntoView({ block: 'center', behavior: 'smooth' });
  }, [waitsAt, visited]);

  const openChip = (node: string, chip: PlacedChip, element: HTMLElement) => {
    const root = score.current?.getBoundingClientRect();
    const at = element.getBoundingClientRect();
    if (!root) return;
    setOpen({
      node,
      exit: chip.exit,
      left: Math.max(30, Math.min(at.left - root.left, root.width - 322)),
      top: at.bottom - root.top + 6,
    });
  };
  const close = () => {
    const chip = open && score.current?.querySelector<HTMLElement>(`[data-node="${open.node}"][data-exit="${open.exit}"]`);
    setOpen(undefined);
    chip?.focus();
  };
  const goTo = (id: string) => {
    const card = score.current?.querySelector<HTMLElement>(`#node-${id}`);
    card?.scrollIntoView({ block: 'center' });
    card?.focus();
  };
  const seen = new Set(visited.slice(0, -1).map((id, i) => `${id}>${visited[i + 1]}`));
  return (
    <div className="scroll">
      <div className="bands">
        <span className="corner0" />
        {BANDS.map((band) => (
          <div key={band} className={`bandhead ${band}`}>
            <b>{BAND_WORDS[band][0]}</b>
            <span>{BAND_WORDS[band][1]}</span>
          </div>
        ))}
      </div>
      <div className="score" ref={score} style={{ gridTemplateRows: `repeat(${layout.beats}, auto) 12px` }}>
        {BANDS.map((band) => (
          <div key={band} className={`wash ${band}`} />
        ))}
        <RailLayer rails={rails} seen={seen} />
        {Array.from({ length: layout.beats }, (_, i) => (
          <span key={i} className="beat" style={{ gridRow: i + 1 }}>
            {i + 1}
          </span>
        ))}
        {layout.nodes.map((placed) => (
          <NodeCard
            key={placed.id}
            placed={placed}
            node={flow.nodes[placed.id]}
            language={language}
            selected={placed.id === selected}
            visit={visited.lastIndexOf(placed.id) + 1}
            problems={problems.filter((p) => p.node === placed.id)}
            beatOf={(id) => beatOf.get(id)}
            openExit={open?.node === placed.id ? open.exit : undefined}
            onSelect={() => onSelect(placed.id)}
            onRemove={() => onRemove(placed.id)}
            onChip={(chip, element) => openChip(placed.id, chip, element)}
            onFollow={goTo}
          />
        ))}
        {open && (
          <AddBox
            key={`${open.node}/${open.exit}`}
            flow={flow}
            language={language}
            after={open}
            beatOf={(id) => beatOf.get(id)}
            style={{ left: open.left, top: open.top }}
            onClose={close}
            onAdd={(kind) => {
              setOpen(undefined);
              onAdd(kind, open);
            }}
            onLink={(to) => {
              onLink(open, to);
              close();
            }}
          />
        )}
      </div>
    </div>
  );
}

function RailLayer({
  rails,
  seen,
}: {
  readonly rails: { list: readonly Rail[]; width: number; height: number };
  readonly seen: ReadonlySet<string>;
}) {
  const gone = (r: Rail) => (seen.has(`${r.node}>${r.to}`) ? ' gone' : '');
  const sorted = [...rails.list].sort((a, b) => gone(a).length - gone(b).length);
  return (
    <svg className="rails" width={rails.width} height={rails.height} aria-hidden="true">
      {sorted.map((r) => (
        <g key={`${r.node}/${r.exit}`}>
          <path className={`l${gone(r)}`} d={r.path} />
          <path className={`a${gone(r)}`} d={r.head} />
        </g>
      ))}
    </svg>
  );
}

function geometryOf(root: HTMLElement, nodes: readonly PlacedNode[], selected: string | undefined): MapGeometry {
  const corner = root.getBoundingClientRect();
  const box = (element: Element) => {
    const r = element.getBoundingClientRect();
    return { left: r.left - corner.left, right: r.right - corner.left, top: r.top - corner.top, bottom: r.bottom - corner.top };
  };
  const cards = nodes.flatMap((n) => {
    const element = root.querySelector(`#node-${n.id}`);
    return element ? [{ id: n.id, beat: n.beat, band: n.band, selected: n.id === selected, ...box(element) }] : [];
  });
  const chips = [...root.querySelectorAll<HTMLElement>('.out[data-to]')].map((element) => {
    const { left, right, bottom } = box(element);
    const { node = '', exit = '', to = '' } = element.dataset;
    return { node, exit, to, x: (left + right) / 2, bottom };
  });
  return { bands: BANDS.map((band) => box(root.querySelector(`.wash.${band}`) ?? root)), nodes: cards, chips };
}
