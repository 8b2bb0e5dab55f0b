import type { TurnRecord } from '@primrose/contract';
import { wentWrong, workWords, type WorkItem } from '@primrose/core';
import { Shown } from '../parts/Shown.js';
import { duration } from '../parts/words.js';

type Timing = TurnRecord['timings'][number];

interface WorkProps {
  readonly items: readonly WorkItem[];
  readonly timing: Timing;
  /** Where a time stands on the axis, in percent. */
  readonly share: (ms: number) => string;
  /** How deep the agent stands inside others. */
  readonly depth: number;
}

/** What an agent did on its way, step by step, each on the axis of time: a part of the path of a turn. */
export function Work({ items, timing, share, depth }: WorkProps) {
  return items.map((item, i) => {
    const path = 'effect' in item ? item.effect : undefined;
    const time = path === undefined ? undefined : timing.calls?.[path];
    return (
      <div key={i} className={`workrow ${item.did}`} style={{ display: 'contents' }} data-work={item.did}>
        <span />
        <span
          className={`pr${wentWrong(item) ? ' plum' : ''}`}
          style={{ paddingInlineStart: 12 * (depth + 1) }}
          title={workWords(item)}
        >
          {workWords(item)}
        </span>
        <span className="tr outside">
          {time && <i style={{ insetInlineStart: share(time.begins), width: share(time.ms) }} />}
        </span>
        <span className="ms">{time ? duration(time.ms) : ''}</span>
        <WorkDetail item={item} depth={depth} />
      </div>
    );
  });
}

/** What is worth reading of a step: parameters and results, the question, the claims. */
function WorkDetail({ item, depth }: { readonly item: WorkItem; readonly depth: number }) {
  const inset = { paddingInlineStart: 12 * (depth + 1) };
  switch (item.did) {
    case 'asked': {
      const { tokens, money } = item;
      const used = tokens ? `${tokens.in} in + ${tokens.out} out` : 'tokens were not counted';
      return (
        <span className="valuerows note" style={inset}>
          {used}
          {money !== undefined && `, ${money.toFixed(6).replace(/0+$/, '0')}`}
        </span>
      );
    }
    case 'called':
      return (
        <details className="valuerows" style={inset}>
          <summary className="note">
            {item.runs}
            {item.reason !== undefined && `: ${item.reason}`}
          </summary>
          {Object.entries(item.given).map(([name, value]) => (
            <div key={name}>
              {name} = <Shown value={value} what={name} />
            </div>
          ))}
          {item.gave !== undefined && item.gave !== null && (
            <div>
              gave <Shown value={item.gave} what={`what ${item.tool} gave`} />
            </div>
          )}
        </details>
      );
    case 'asked-first':
      return item.says === '' ? null : (
        <span className="valuerows" style={inset} dir="auto">
          “{item.says}”
        </span>
      );
    case 'checked':
      return item.claims.length + item.unsaid.length === 0 ? null : (
        <span className="valuerows" style={inset}>
          {item.claims.map((c, i) => (
            <span key={i} className="plum" dir="auto">
              “{c.says}”{' '}
              {c.why === 'not-done' ? 'no call has done that' : `was done otherwise: not ${(c.values ?? []).join(', ')}`}
              <br />
            </span>
          ))}
          {item.unsaid.length > 0 && <span className="note">nobody has said: {item.unsaid.join(', ')}</span>}
        </span>
      );
    case 'stopped':
      return null;
    default:
      return item satisfies never;
  }
}
