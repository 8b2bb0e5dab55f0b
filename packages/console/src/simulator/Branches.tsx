import type { TurnRecord } from '@primrose/contract';
import { layoutTurns, lineTo, saidIn } from '@primrose/core';
import { memo, useMemo, type KeyboardEvent } from 'react';

const STEP = 15;
const LANE = 13;
const EDGE = 8;

interface BranchesProps {
  readonly all: readonly TurnRecord[];
  readonly head: string | undefined;
  readonly onSwitch: (turn: string) => void;
}

/** The tree of turns, small: time runs to the right, each branch has a lane. Seen where there is more than one line. */
export const Branches = memo(function Branches({ all, head, onSwitch }: BranchesProps) {
  const placed = useMemo(() => layoutTurns(all), [all]);
  const line = useMemo(() => new Set(lineTo(all, head ?? null).map((t) => t.id)), [all, head]);
  const lanes = 1 + Math.max(0, ...placed.map((p) => p.lane));
  if (lanes < 2) return null;
  const at = new Map(placed.map((p) => [p.id, { x: EDGE + p.depth * STEP, y: EDGE + p.lane * LANE }]));
  const turns = new Map(all.map((t) => [t.id, t]));
  const width = 2 * EDGE + STEP * Math.max(...placed.map((p) => p.depth));
  const label = (id: string, lane: number) => {
    const { number = 0, sheet } = turns.get(id) ?? {};
    return `Turn ${number} on branch ${lane + 1}: ${(sheet && saidIn(sheet.heard)) ?? 'the bot begins'}`;
  };
  const onKey = (event: KeyboardEvent, id: string) => {
    if (event.key !== 'Enter' && event.key !== ' ') return;
    event.preventDefault();
    onSwitch(id);
  };
  return (
    <div className="branches" role="group" aria-label={`${lanes} branches`}>
      <svg width={width} height={2 * EDGE + LANE * (lanes - 1)}>
        {placed.map(({ id, parent, lane }) => {
          const to = at.get(id);
          const from = parent === null ? undefined : at.get(parent);
          if (!to) return null;
          const on = line.has(id);
          return (
            <g key={id}>
              {from && (
                <path className={on ? 'on' : undefined} d={`M${from.x} ${from.y}${from.y === to.y ? '' : `V${to.y}`}H${to.x}`} />
              )}
              <circle
                className={on ? 'on' : undefined}
                cx={to.x}
                cy={to.y}
                r={id === head ? 5 : 3.5}
                role="button"
                tabIndex={0}
                aria-label={label(id, lane)}
                aria-current={id === head || undefined}
                onClick={() => onSwitch(id)}
                onKeyDown={(e) => onKey(e, id)}
              >
                <title>{label(id, lane)}</title>
              </circle>
            </g>
          );
        })}
      </svg>
    </div>
  );
});
