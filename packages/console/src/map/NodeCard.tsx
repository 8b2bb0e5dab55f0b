import { nodeKinds, type FlowNode, type PlacedChip, type PlacedNode, type Problem } from '@primrose/core';
import type { KeyboardEvent } from 'react';
import { Petal } from '../parts/Petal.js';
import { Prose } from '../parts/Prose.js';

interface NodeCardProps {
  readonly placed: PlacedNode;
  readonly node: FlowNode | undefined;
  readonly language: string;
  readonly selected: boolean;
  /** The node's place in the last turn, counted from 1; 0 when it was not visited. */
  readonly visit: number;
  readonly problems: readonly Problem[];
  readonly beatOf: (node: string) => number | undefined;
  readonly openExit: string | undefined;
  readonly onSelect: () => void;
  readonly onRemove: () => void;
  readonly onChip: (chip: PlacedChip, element: HTMLElement) => void;
  readonly onFollow: (node: string) => void;
}

const COLUMN = { visitor: 2, bot: 3, outside: 4 } as const;

/** One node as it stands on the Map: its words, its kind, its exits. */
export function NodeCard({
  placed,
  node,
  language,
  selected,
  visit,
  problems,
  beatOf,
  openExit,
  onSelect,
  onRemove,
  onChip,
  onFollow,
}: NodeCardProps) {
  const kind = node && nodeKinds.get(node.kind);
  if (!node || !kind) return null;
  const prose = kind.prose(node, language);
  const onKey = (event: KeyboardEvent) => {
    if (event.target !== event.currentTarget) return;
    if (event.key === 'Enter') onSelect();
    if (event.key === 'Delete') onRemove();
  };
  const [inside, edge] = chipRows(placed.chips);
  const chip = (c: PlacedChip) => (
    <Chip
      key={c.exit}
      node={placed.id}
      chip={c}
      beat={c.to === undefined ? undefined : beatOf(c.to)}
      open={openExit === c.exit}
      onOpen={onChip}
      onFollow={onFollow}
    />
  );
  const classes = ['node', placed.band, selected ? 'selected' : '', node.off ? 'off' : ''].filter(Boolean).join(' ');
  return (
    <article
      className={classes}
      id={`node-${placed.id}`}
      tabIndex={0}
      aria-label={`${kind.kind} ${node.title ?? placed.id}, beat ${placed.beat}${problems.length > 0 ? `, ${problems.length} problems` : ''}`}
      aria-current={selected || undefined}
      style={{ gridRow: placed.beat, gridColumn: COLUMN[placed.band] }}
      onClick={onSelect}
      onKeyDown={onKey}
    >
      {visit > 0 && (
        <span className="mk">
          <Petal size={25} mark={visit} />
        </span>
      )}
      {problems.length > 0 && <span className="corner">{problems.length}</span>}
      <p className="prose" dir="auto">
        <Prose {...prose} />
      </p>
      <p className="kind caps">
        {kind.kind}
        <span>{node.title ?? placed.id}</span>
        {node.off && <em>off</em>}
      </p>
      {inside.length > 0 && <div className="outs inside">{inside.map(chip)}</div>}
      {edge.length > 0 && <div className="outs edge">{edge.map(chip)}</div>}
    </article>
  );
}

/** What fits on the edge of the narrowest node, in letters. */
const EDGE_LETTERS = 24;
const CHIP_FRAME_LETTERS = 3;

/** Chips on the lower edge; where they need two lines the written ones go inside the node. */
function chipRows(chips: readonly PlacedChip[]): [inside: readonly PlacedChip[], edge: readonly PlacedChip[]] {
  const letters = chips.reduce((sum, c) => sum + c.exit.length + CHIP_FRAME_LETTERS + (c.written ? 5 : 0), 0);
  const written = chips.filter((c) => c.written);
  return letters <= EDGE_LETTERS || written.length === 0 ? [[], chips] : [written, chips.filter((c) => !c.written)];
}

interface ChipProps {
  readonly node: string;
  readonly chip: PlacedChip;
  readonly beat: number | undefined;
  readonly open: boolean;
  readonly onOpen: (chip: PlacedChip, element: HTMLElement) => void;
  readonly onFollow: (node: string) => void;
}

function Chip({ node, chip, beat, open, onOpen, onFollow }: ChipProps) {
  const words = chip.exit.replaceAll('-', ' ');
  const leads = chip.to === undefined ? ', leads nowhere yet' : chip.written ? ` to ${beat}` : `, leads to beat ${beat}`;
  const drawn = chip.to !== undefined && !chip.written;
  return (
    <button
      type="button"
      className={`out${chip.to === undefined ? ' open' : ''}`}
      data-node={node}
      data-exit={chip.exit}
      {...(drawn ? { 'data-to': chip.to } : {})}
      title={chip.about}
      aria-expanded={open}
      aria-label={`Exit ${words}${leads}. Add after`}
      onClick={(event) => {
        event.stopPropagation();
        if (event.altKey && chip.to !== undefined) onFollow(chip.to);
        else onOpen(chip, event.currentTarget);
      }}
    >
      {words}
      {chip.written && <i> to {beat}</i>}
      <s aria-hidden="true">+</s>
    </button>
  );
}
