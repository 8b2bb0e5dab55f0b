import { chipLines, MOST_HUNG, nodeKinds, type FlowNode, type PlacedChip, type PlacedNode } from '@primrose/core';
import { memo } from 'react';
import { Petal } from '../parts/Petal.js';
import { Prose } from '../parts/Prose.js';

interface NodeCardProps {
  readonly placed: PlacedNode;
  readonly node: FlowNode | undefined;
  readonly language: string;
  readonly selected: boolean;
  readonly marked: boolean;
  readonly found: boolean;
  /** What it refers to has changed since it was last tried. */
  readonly stale: boolean;
  /** The node's place in the last turn, counted from 1; 0 when it was not visited. */
  readonly visit: number;
  readonly problems: number;
  /** A visitor can correct it while the chosen node waits. */
  readonly reach: boolean;
  readonly openExit: string | undefined;
  /** What the gap below its beat needs beyond the usual, in pixels. */
  readonly room: number;
  /** How often the rehearsals came by; undefined where the Map does not show it. */
  readonly times: number | undefined;
  /** Its exits that no rehearsal took, with spaces between. */
  readonly untaken: string | undefined;
  /** How often each thing that hangs on it was called in this conversation: `name 2`, parted by lines. */
  readonly called: string | undefined;
}

const COLUMN = { visitor: 2, bot: 3, outside: 4 } as const;

/** One node as it stands on the Map: its words, its kind, its exits. The Map listens for what is done to it. */
export const NodeCard = memo(function NodeCard(props: NodeCardProps) {
  const {
    placed,
    node,
    language,
    selected,
    marked,
    found,
    stale,
    visit,
    problems,
    reach,
    openExit,
    room,
    times,
    untaken,
    called,
  } = props;
  const kind = node && nodeKinds.get(node.kind);
  if (!node || !kind) return null;
  const prose = kind.prose(node, language);
  const { inside, edge } = chipLines(placed.chips);
  const never = untaken?.split(' ') ?? [];
  const chip = (c: PlacedChip) => (
    <Chip key={c.exit} node={placed.id} chip={c} open={openExit === c.exit} never={never.includes(c.exit)} />
  );
  const states = {
    troubled: problems > 0,
    selected: selected || marked,
    off: node.off,
    stale,
    found,
    reach,
    unrehearsed: times === 0,
  };
  const names = Object.entries(states).flatMap(([name, is]) => (is ? [name] : []));
  return (
    <article
      className={['node', placed.band, ...names].join(' ')}
      id={`node-${placed.id}`}
      data-id={placed.id}
      tabIndex={0}
      aria-label={spoken(props, kind.kind)}
      aria-current={selected || undefined}
      style={{ gridRow: placed.beat, gridColumn: COLUMN[placed.band], marginBottom: room }}
    >
      {visit > 0 && (
        <span className="mk" style={{ animationDelay: `${(visit - 1) * 90}ms` }}>
          <Petal size={25} mark={visit} />
        </span>
      )}
      {problems > 0 && <span className="corner">{problems}</span>}
      <p className="prose" dir="auto">
        <Prose {...prose} />
      </p>
      <p className="kind caps">
        {kind.kind}
        <span>{node.title ?? placed.id}</span>
        {node.off && <em>off</em>}
        {stale && <em>stale</em>}
        {reach && <em>correctable</em>}
        {times !== undefined && <em>{times === 0 ? 'never rehearsed' : `${times} times`}</em>}
      </p>
      <Hung names={kind.hangs?.(node) ?? []} called={called} />
      {inside.length > 0 && <div className="outs inside">{inside.map(chip)}</div>}
      {edge.length > 0 && <div className="outs edge">{edge.map(chip)}</div>}
    </article>
  );
});

/** What hangs on a node as a list, with how often it was called. */
function Hung({ names, called }: { readonly names: readonly string[]; readonly called: string | undefined }) {
  if (names.length === 0) return null;
  const counts = new Map((called ?? '').split('\n').map((line) => [line.replace(/ \d+$/, ''), line.split(' ').at(-1) ?? '']));
  const shown = names.length > MOST_HUNG ? names.slice(0, MOST_HUNG - 1) : names;
  return (
    <ul className="hung" aria-label="Tools">
      {shown.map((name) => (
        <li key={name}>
          {name}
          {counts.has(name) && <b title="calls in this conversation"> {counts.get(name)}×</b>}
        </li>
      ))}
      {shown.length < names.length && <li>and {names.length - shown.length} more</li>}
    </ul>
  );
}

/** The node as a screen reader says it before its words. */
function spoken({ placed, node, marked, stale, reach, visit, problems, times }: NodeCardProps, kind: string): string {
  return [
    `${kind} ${node?.title ?? placed.id}, beat ${placed.beat}`,
    ...(marked ? ['marked'] : []),
    ...(node?.off ? ['off'] : []),
    ...(stale ? ['stale'] : []),
    ...(reach ? ['can be corrected from the chosen node'] : []),
    ...(times === undefined ? [] : [times === 0 ? 'never rehearsed' : `rehearsed ${times} times`]),
    ...(visit > 0 ? [`visited as number ${visit}`] : []),
    ...(problems > 0 ? [problems === 1 ? '1 problem' : `${problems} problems`] : []),
  ].join(', ');
}

interface ChipProps {
  readonly node: string;
  readonly chip: PlacedChip;
  readonly open: boolean;
  /** No rehearsal took it, and the Map shows that. */
  readonly never: boolean;
}

function Chip({ node, chip, open, never }: ChipProps) {
  const words = chip.exit.replaceAll('-', ' ');
  const leads = chip.to === undefined ? ', leads nowhere yet' : chip.written ? ` to ${chip.at}` : `, leads to beat ${chip.at}`;
  const drawn = chip.to !== undefined && !chip.written;
  return (
    <button
      type="button"
      className={`out${chip.to === undefined ? ' open' : ''}${never ? ' never' : ''}`}
      data-node={node}
      data-exit={chip.exit}
      {...(drawn ? { 'data-to': chip.to } : {})}
      title={`${chip.about}. Click to add or link, drag onto a node to link, Alt+click to follow.`}
      aria-expanded={open}
      aria-label={`Exit ${words}${leads}${never ? ', never taken in a rehearsal' : ''}. Add after`}
    >
      <span>{words}</span>
      {chip.written && <i> to {chip.at}</i>}
      <s aria-hidden="true">+</s>
    </button>
  );
}
