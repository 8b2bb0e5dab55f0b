import { nodeKinds, workWords } from '@primrose/core';
import { useDraftHandle } from '../draft/context.js';
import { Prose } from '../parts/Prose.js';
import { duration } from '../parts/words.js';
import type { LiveTurn } from '@primrose/contract';
import { SaidMessage } from './ScriptTurn.js';

/** A turn while it runs: nodes and calls with their times, and words as they are written. */
export function LiveTurnPart({ live, onStop }: { readonly live: LiveTurn; readonly onStop: () => void }) {
  const { document } = useDraftHandle();
  const language = document.languages[0] ?? 'en';
  return (
    <section className="turn live" aria-label="The turn that runs" aria-busy="true">
      {live.said.map((message, i) => (
        <SaidMessage key={i} message={message} first={i === 0} off buttons onChoice={() => undefined} />
      ))}
      {live.doing !== '' && <p className="line bot provisional note">{live.doing}</p>}
      {live.words !== '' && (
        <div className="line bot provisional">
          <b>writes</b>
          <div dir="auto">{live.words}</div>
        </div>
      )}
      <ol className="livepath">
        {live.steps.map((step) => {
          const node = document.flows[step.flow]?.nodes[step.node];
          const kind = nodeKinds.get(step.kind);
          return (
            <li key={step.place} className={kind?.band}>
              <span className="pr">
                {node && kind?.kind === node.kind ? <Prose {...kind.prose(node, language)} /> : step.node}
              </span>
              <span className="ms">{step.tookMs === undefined ? '…' : duration(step.tookMs)}</span>
            </li>
          );
        })}
        {Object.values(live.work)
          .flat()
          .flatMap((item, i) =>
            item.did === 'called' || item.did === 'stopped' || (item.did === 'checked' && item.claims.length > 0)
              ? [
                  <li key={`work-${i}`} className="outside call">
                    <span className="pr">{workWords(item)}</span>
                    <span className="ms" />
                  </li>,
                ]
              : [],
          )}
        {live.calls.map((c) => (
          <li key={c.path} className="outside call">
            <span className="pr">
              {c.words}
              {c.sample !== undefined && <span className="note"> from {c.sample}</span>}
            </span>
            <span className="ms">{c.tookMs === undefined ? '…' : duration(c.tookMs)}</span>
          </li>
        ))}
      </ol>
      <p className="turnacts">
        <span className="spring" />
        <button type="button" className="btn btn-outline-secondary btn-sm" onClick={onStop}>
          Stop
        </button>
      </p>
    </section>
  );
}
