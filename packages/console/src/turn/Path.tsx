import type { TurnRecord } from '@primrose/contract';
import { endsFlow, nodeKinds, type ResolvedValue, type Step } from '@primrose/core';
import { Link } from 'react-router';
import { useDraftHandle } from '../draft/context.js';
import { Petal } from '../parts/Petal.js';
import { Prose } from '../parts/Prose.js';
import { Shown } from '../parts/Shown.js';
import { duration } from '../parts/words.js';
import { Work } from './Work.js';

/** Round lengths of time for the axis, in ms. */
const TICKS = [1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10_000, 20_000, 60_000];
const PARTS = 4;

/** The nodes of a turn in the order in which they ran, each as a bar on one axis of time, with the values that it read. */
export function Path({ turn }: { readonly turn: TurnRecord }) {
  const { sheet, timings, ms } = turn;
  const { bot, document } = useDraftHandle();
  const language = document.languages[0] ?? 'en';
  const tick = TICKS.find((t) => t * PARTS >= ms) ?? ms / PARTS;
  const whole = tick * PARTS;
  const share = (t: number) => `${Math.min(100, (100 * t) / whole).toFixed(2)}%`;
  return (
    <section className="sec" aria-label="Path">
      <h2>
        Path <span className="note">{duration(ms)}</span>
      </h2>
      <div className="fall">
        {sheet.path.map((step, i) => {
          const node = document.flows[step.flow]?.nodes[step.node];
          const kind = nodeKinds.get(step.kind);
          const prose = node && kind?.kind === node.kind ? kind.prose(node, language) : { text: step.node };
          const timing = timings[i] ?? { begins: 0, ms: 0 };
          return (
            <div key={i} id={`step-${step.place}`} style={{ display: 'contents' }}>
              <span>
                <Petal size={20} mark={i + 1} />
              </span>
              <span className="pr" style={{ paddingInlineStart: 12 * (step.within?.length ?? 0) }}>
                <Link to={`/bots/${bot}/map/${step.flow}/${step.node}`} title={`${step.node}, on the Map`}>
                  <Prose {...prose} />
                </Link>
              </span>
              <span className={`tr ${kind?.band ?? 'bot'}`}>
                <i style={{ insetInlineStart: share(timing.begins), width: share(timing.ms) }} />
              </span>
              <span className="ms">{duration(timing.ms)}</span>
              <details className="valuerows">
                <summary className="note">{wayWords(step)}</summary>
                {Object.entries(step.set ?? {}).map(([name, v]) => (
                  <div key={name}>
                    {name} = <Shown value={v} what={name} /> <span className="note">set by hand</span>
                  </div>
                ))}
                {step.values.filter(isOwnField).map((v, j) => (
                  <div key={j}>
                    {short(v.source)} = <Shown value={v.value} what={v.source} />
                  </div>
                ))}
              </details>
              {step.work && <Work items={step.work} timing={timing} share={share} depth={step.within?.length ?? 0} />}
            </div>
          );
        })}
        {sheet.path.length > 0 && (
          <span className="ax" aria-hidden="true">
            {Array.from({ length: PARTS }, (_, i) => (
              <span key={i}>{i === 0 ? '0' : duration(tick * i)}</span>
            ))}
          </span>
        )}
      </div>
    </section>
  );
}

/** How the node was left. */
function wayWords({ branch, kind, node, exit, note }: Step): string {
  const before = branch === undefined ? '' : `branch ${branch}: `;
  const name = `${before}${kind} ${node}`;
  if (exit !== undefined) return `${name}, left by ${exit}${note === undefined ? '' : ` (${note})`}`;
  if (note === undefined) return `${name}, waits`;
  if (!endsFlow(kind)) return `${name}, ${note}`;
  return `${name}, ends the ${note === 'failed' ? 'flow as failed' : note}`;
}

/** Fields of the node itself; what an action makes of its inputs stands with its call. */
function isOwnField(v: ResolvedValue): boolean {
  return v.field.startsWith('/') && v.field !== '/shows';
}

function short(source: string): string {
  return source.length > 60 ? `${source.slice(0, 59)}…` : source;
}
