import type { TurnRecord } from '@primrose/contract';
import {
  isActionSample,
  isModelSample,
  nodeKinds,
  plainText,
  referencesOf,
  waits,
  type TurnSheet,
  type VariableValues,
  typeOf,
} from '@primrose/core';
import { useState } from 'react';
import { call, errorText } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Shown } from '../parts/Shown.js';
import { useSimulation } from '../simulator/simulation.js';

interface TryNodeProps {
  readonly flowId: string;
  readonly nodeId: string;
  /** The turn in which it ran last, if it did. */
  readonly turn: TurnRecord | undefined;
}

const NOTHING: VariableValues = { flow: {}, session: {}, visitor: {} };

/** Runs one node by itself on the values of the chosen turn, and sets what it came to beside what it came to then. */
export function TryNode({ flowId, nodeId, turn }: TryNodeProps) {
  const { bot, document, flush } = useDraftHandle();
  const { settings } = useSimulation();
  const [result, setResult] = useState<TurnRecord>();
  const [problem, setProblem] = useState<string>();
  const [sample, setSample] = useState('');
  const [text, setText] = useState('');
  const node = document.flows[flowId]?.nodes[nodeId];
  const asks = node !== undefined && waits(node) && nodeKinds.get(node.kind)?.band === 'visitor';
  const outside = node !== undefined && referencesOf(node).some((r) => r.to === 'action' || r.to === 'model');
  const samples = Object.entries(document.samples ?? {}).filter(([, s]) => isActionSample(s) || isModelSample(s));
  const run = async () => {
    setProblem(undefined);
    await flush();
    const variables = lastValues(turn, flowId);
    const body = {
      flow: flowId,
      node: nodeId,
      variables,
      ...(text.trim() === '' ? {} : { text }),
      ...(settings?.speaker.language ? { language: settings.speaker.language } : {}),
      ...(sample === ''
        ? settings
          ? { outside: settings.outside }
          : {}
        : { samples: [sample], outside: onlySamples(document.connections) }),
    };
    setResult(await call('tryNode', { params: { bot }, body }));
  };
  return (
    <section aria-label="Run this node">
      <p className="caps soft">Run this node by itself</p>
      {asks && (
        <input
          className="form-control mb-1"
          aria-label="What the visitor answers"
          placeholder="what the visitor answers"
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      )}
      <div style={{ display: 'flex', gap: 8, alignItems: 'center' }}>
        {outside && samples.length > 0 && (
          <select className="form-select" aria-label="What comes back" value={sample} onChange={(e) => setSample(e.target.value)}>
            <option value="">as the simulation calls</option>
            {samples.map(([id]) => (
              <option key={id} value={id}>
                the sample {id}
              </option>
            ))}
          </select>
        )}
        <button
          type="button"
          className="btn btn-outline-secondary btn-sm"
          onClick={() => void run().catch((error: unknown) => setProblem(errorText(error)))}
        >
          Run
        </button>
        <span className="note">{turn ? `on the values of turn ${turn.number}` : 'on empty values'}</span>
      </div>
      {problem !== undefined && <p className="plum">{problem}</p>}
      {result && <Beside before={turn && stepOnly(turn.sheet, flowId, nodeId)} now={result.sheet} />}
    </section>
  );
}

/** What the variables held when the node's flow was last under way in the turn. */
function lastValues(turn: TurnRecord | undefined, flow: string): VariableValues {
  if (!turn) return NOTHING;
  const now = turn.sheet.variables ?? NOTHING;
  const left = turn.sheet.left?.findLast((l) => l.flow === flow);
  return { ...now, flow: left?.values ?? now.flow };
}

function onlySamples(connections: Readonly<Record<string, unknown>> | undefined): Record<string, 'samples'> {
  return Object.fromEntries(Object.keys(connections ?? {}).map((name) => [name, 'samples' as const]));
}

/** Of a turn's record what one node did in it. */
function stepOnly(sheet: TurnSheet, flow: string, node: string): TurnSheet | undefined {
  const step = sheet.path.findLast((s) => s.flow === flow && s.node === node);
  if (!step) return undefined;
  const { from = 0, to = 0 } = step.said ?? {};
  return {
    ...sheet,
    path: [step],
    messages: sheet.messages.slice(from, to),
    effects: sheet.effects.filter((e) => step.effects.includes(e.request.path)),
  };
}

/** Old and new result of the node, side by side. */
function Beside({ before, now }: { readonly before: TurnSheet | undefined; readonly now: TurnSheet }) {
  const rows: (readonly [string, string | null, string | null])[] = [
    ['exit', before?.path[0]?.exit ?? null, now.path[0]?.exit ?? 'waits'],
    ['says', before ? words(before) : null, words(now)],
    ['came back', before ? cameBack(before) : null, cameBack(now)],
  ];
  const set = now.changes.map((c) => c.name).join(', ');
  return (
    <table className="t beside" aria-label="Old and new result">
      <thead>
        <tr>
          <th>
            <span className="visually-hidden">what</span>
          </th>
          <th>then</th>
          <th>now</th>
        </tr>
      </thead>
      <tbody>
        {rows.map(([what, old, fresh]) => (
          <tr key={what}>
            <td>{what}</td>
            <td>{old === null ? <span className="note">not run</span> : <Shown value={old} what={`${what} then`} />}</td>
            <td className={old !== null && old !== fresh ? 'differs' : undefined}>
              <Shown value={fresh} what={`${what} now`} />
            </td>
          </tr>
        ))}
        <tr>
          <td>sets</td>
          <td />
          <td>{set || <span className="note">nothing</span>}</td>
        </tr>
      </tbody>
    </table>
  );
}

function words(sheet: TurnSheet): string {
  return sheet.messages.map((m) => plainText(m.blocks)).join('\n') || 'nothing';
}

function cameBack({ effects }: TurnSheet): string {
  return effects.map(({ request, result }) => typeOf(request).came(result)).join('\n') || 'nothing';
}
