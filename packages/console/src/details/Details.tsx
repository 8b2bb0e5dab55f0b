import { layoutFlow, linkExit, nodeKinds, problemSentence, setField, type FlowNode, type Problem } from '@primrose/core';
import { useEffect, useMemo, useRef } from 'react';
import { useDraftHandle } from '../draft/context.js';
import type { MapActs } from '../map/FlowMap.js';
import { Prose } from '../parts/Prose.js';
import { useSimulation } from '../simulator/simulation.js';
import { FieldContext, TextInput, type FieldSetting } from './fields.js';
import { kindEditors } from './kinds/registry.js';

interface DetailsProps {
  readonly flowId: string;
  readonly nodeId: string;
  readonly node: FlowNode;
  readonly problems: readonly Problem[];
  readonly onClose: () => void;
  readonly acts: MapActs;
}

const BAND_LETTER = { visitor: 'v', bot: 'b', outside: 'o' } as const;

/** The details of one node: its own editor, its exits, and what can be done to it. */
export function Details({ flowId, nodeId, node, problems, onClose, acts }: DetailsProps) {
  const { document, edit } = useDraftHandle();
  const { turns } = useSimulation();
  const panel = useRef<HTMLElement>(null);
  const kind = nodeKinds.get(node.kind);
  const Editor = kindEditors[node.kind];
  useEffect(
    () =>
      panel.current
        ?.querySelector<HTMLElement>('section textarea, section input, section select')
        ?.focus({ preventScroll: true }),
    [],
  );
  const setting = useMemo((): FieldSetting => {
    const step = turns.at(-1)?.sheet.path.findLast((s) => s.flow === flowId && s.node === nodeId);
    return { document, problems, resolved: step?.values ?? [] };
  }, [document, problems, turns, flowId, nodeId]);
  const set = (field: string, value: unknown) => edit((d) => setField(d, flowId, nodeId, field, value));
  const flow = document.flows[flowId];
  const beats = useMemo(() => new Map(flow ? layoutFlow(flow).nodes.map((n) => [n.id, n.beat]) : []), [flow]);
  if (!kind || !Editor || !flow) return null;
  const language = document.languages[0] ?? 'en';
  return (
    <FieldContext value={setting}>
      <aside className="details" aria-label={`Details of ${node.title ?? nodeId}`} ref={panel}>
        <header>
          <div style={{ display: 'flex', alignItems: 'center', gap: 6 }}>
            <span className={`caps ${BAND_LETTER[kind.band]}`}>{kind.kind}</span>
            <span className="note">beat {beats.get(nodeId)}</span>
            <span className="spring" />
            <button className="bare" type="button" aria-label="Close details" onClick={onClose}>
              <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden="true">
                <path d="M2 2l8 8M10 2l-8 8" stroke="currentColor" strokeWidth="1.4" />
              </svg>
            </button>
          </div>
          <h2 dir="auto">{node.title ?? nodeId}</h2>
        </header>
        <section>
          <Editor node={node} set={set} />
        </section>
        {kind.exits(node).length > 0 && (
          <section>
            <p className="caps soft">Exits</p>
            {kind.exits(node).map((exit) => (
              <div className="exitrow" key={exit.name}>
                <label htmlFor={`exit-${exit.name}`} title={exit.about}>
                  {exit.name.replaceAll('-', ' ')}
                </label>
                <select
                  id={`exit-${exit.name}`}
                  className="form-select"
                  value={node.exits?.[exit.name] ?? ''}
                  onChange={(e) =>
                    edit((d) => linkExit(d, flowId, nodeId, exit.name, e.target.value === '' ? undefined : e.target.value))
                  }
                >
                  <option value="">leads nowhere</option>
                  {Object.entries(flow.nodes).map(([id, n]) => (
                    <option key={id} value={id}>
                      to {beats.get(id)}, {n.title ?? id}
                    </option>
                  ))}
                </select>
              </div>
            ))}
          </section>
        )}
        <section>
          <TextInput
            label="Title"
            value={node.title ?? ''}
            placeholder={nodeId}
            onChange={(v) => set('title', v === '' ? undefined : v)}
          />
          <div style={{ display: 'flex', gap: 8, alignItems: 'center' }}>
            <label className="soft">
              <input
                type="checkbox"
                checked={node.off ?? false}
                onChange={(e) => set('off', e.target.checked ? true : undefined)}
              />{' '}
              off, passed through
            </label>
            <span className="spring" />
            <button className="btn btn-outline-secondary btn-sm" type="button" onClick={() => acts.remove([nodeId])}>
              Delete
            </button>
          </div>
        </section>
        {problems.length > 0 && (
          <section>
            <p className="caps plum">Problems</p>
            <ProblemLines problems={problems} />
          </section>
        )}
        <p className="visually-hidden">
          <Prose {...kind.prose(node, language)} />
        </p>
      </aside>
    </FieldContext>
  );
}

function ProblemLines({ problems }: { readonly problems: readonly Problem[] }) {
  return (
    <ul>
      {problems.map((p, i) => (
        <li key={i} className={p.severity === 'error' ? 'plum' : 'soft'}>
          {problemSentence(p)}
        </li>
      ))}
    </ul>
  );
}
