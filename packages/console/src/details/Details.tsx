import {
  changeKind,
  fixFor,
  isStill,
  kindsFor,
  linkExit,
  nodeKinds,
  problemSentence,
  setField,
  type FlowLayout,
  type FlowNode,
  type Problem,
  type Value,
} from '@primrose/core';
import type { TurnRecord } from '@primrose/contract';
import { useEffect, useMemo, useRef, type KeyboardEvent } from 'react';
import { Dropdown } from 'react-bootstrap';
import { Link } from 'react-router';
import { useDraftHandle } from '../draft/context.js';
import type { MapActs } from '../map/acts.js';
import { Petal } from '../parts/Petal.js';
import { useSimulation } from '../simulator/simulation.js';
import { TextInput } from './fields.js';
import { kindEditors } from './kinds/registry.js';
import { FieldContext, type FieldSetting } from './setting.js';
import { TalkPart } from './TalkPart.js';
import { TryNode } from './TryNode.js';

interface DetailsProps {
  readonly flowId: string;
  readonly nodeId: string;
  readonly node: FlowNode;
  readonly layout: FlowLayout;
  readonly problems: readonly Problem[];
  readonly onClose: () => void;
  readonly acts: MapActs;
  /** Begins a conversation at the node. */
  readonly onStart: () => void;
}

const BAND_LETTER = { visitor: 'v', bot: 'b', outside: 'o' } as const;

/** What variables hold after the turns of the simulation so far. */
function lastValues(turns: readonly TurnRecord[]): Map<string, Value> {
  return new Map(turns.flatMap((t) => t.sheet.changes.map((c) => [c.name, c.after] as const)));
}

/** The turns of a line up to one of them, which may stand on another line. */
function upTo(turns: readonly TurnRecord[], shown: TurnRecord | undefined): readonly TurnRecord[] {
  const at = turns.findIndex((t) => t.id === shown?.id);
  return at < 0 ? (shown ? [shown] : turns) : turns.slice(0, at + 1);
}

/** The details of one node: its own editor, its exits, and what can be done to it. */
export function Details({ flowId, nodeId, node, layout, problems, onClose, acts, onStart }: DetailsProps) {
  const { bot, document, edit } = useDraftHandle();
  const { shown } = useSimulation();
  const panel = useRef<HTMLElement>(null);
  const kind = nodeKinds.get(node.kind);
  const Editor = kindEditors[node.kind];
  useEffect(() => {
    const first = 'section .cm-content, section textarea, section input, section select';
    panel.current?.querySelector<HTMLElement>(first)?.focus({ preventScroll: true });
  }, []);
  const step = shown?.sheet.path.findLast((s) => s.flow === flowId && s.node === nodeId);
  const setting = useSetting(flowId, problems, step, onClose);
  const set = (field: string, value: unknown) => edit((d) => setField(d, flowId, nodeId, field, value));
  const flow = document.flows[flowId];
  const placed = layout.nodes.find((n) => n.id === nodeId);
  if (!kind || !Editor || !flow) return null;
  const onKey = (event: KeyboardEvent) => {
    if (event.key === 'Escape' && !event.defaultPrevented) onClose();
  };
  return (
    <FieldContext value={setting}>
      <aside className="details" aria-label={`Details of ${node.title ?? nodeId}`} ref={panel} onKeyDown={onKey}>
        <header>
          <div style={{ display: 'flex', alignItems: 'center', gap: 6 }}>
            <span className={`caps ${BAND_LETTER[kind.band]}`}>{kind.kind}</span>
            <span className="note">beat {placed?.address}</span>
            <span className="spring" />
            {step && shown && (
              <Link className="note" to={`/bots/${bot}/simulations/${shown.conversation}/${shown.id}`}>
                in turn {shown.number}
              </Link>
            )}
            <NodeMenu flowId={flowId} nodeId={nodeId} node={node} acts={acts} onStart={onStart} />
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
        <Exits flowId={flowId} nodeId={nodeId} node={node} layout={layout} taken={step?.exit} />
        {!isStill(node) && <TalkPart flowId={flowId} nodeId={nodeId} node={node} set={set} />}
        <Foot node={node} nodeId={nodeId} set={set} onRemove={() => acts.remove([nodeId])} />
        {!isStill(node) && <TryNode key={shown?.id} flowId={flowId} nodeId={nodeId} turn={step && shown} />}
        <Elsewhere problems={problems} />
      </aside>
    </FieldContext>
  );
}

/** What the fields of a node are told: what values are and were, what is wrong, how to mend it. */
function useSetting(
  flowId: string,
  problems: readonly Problem[],
  step: TurnRecord['sheet']['path'][number] | undefined,
  leave: () => void,
): FieldSetting {
  const { document, edit } = useDraftHandle();
  const { turns, shown } = useSimulation();
  return useMemo((): FieldSetting => {
    const applyFix = (field: string) => {
      const fix = problems.filter((p) => p.field === field).flatMap((p) => fixFor(p, document) ?? [])[0];
      if (fix) edit(fix.apply);
      return fix !== undefined;
    };
    return {
      document,
      flowId,
      problems,
      resolved: step?.values ?? [],
      readIn: shown === undefined || shown.id === turns.at(-1)?.id ? 'last turn' : `turn ${shown.number}`,
      last: lastValues(upTo(turns, shown)),
      applyFix,
      leave,
    };
  }, [document, edit, problems, turns, shown, step, flowId, leave]);
}

interface FootProps {
  readonly node: FlowNode;
  readonly nodeId: string;
  readonly set: (field: string, value: unknown) => void;
  readonly onRemove: () => void;
}

/** What every node has: a title, on or off, and a way to be rid of it. */
function Foot({ node, nodeId, set, onRemove }: FootProps) {
  return (
    <section>
      <TextInput
        label="Title"
        value={node.title ?? ''}
        placeholder={nodeId}
        onChange={(v) => set('title', v === '' ? undefined : v)}
      />
      <div style={{ display: 'flex', gap: 8, alignItems: 'center' }}>
        <label className="soft">
          <input type="checkbox" checked={node.off ?? false} onChange={(e) => set('off', e.target.checked ? true : undefined)} />{' '}
          off, passed through
        </label>
        <span className="spring" />
        <button className="btn btn-outline-secondary btn-sm" type="button" onClick={onRemove}>
          Delete
        </button>
      </div>
    </section>
  );
}

interface NodePart {
  readonly flowId: string;
  readonly nodeId: string;
  readonly node: FlowNode;
}

/** What else can be done to the node. */
function NodeMenu({ flowId, nodeId, node, acts, onStart }: NodePart & { readonly acts: MapActs; readonly onStart: () => void }) {
  const { edit } = useDraftHandle();
  const kinds = kindsFor(node);
  return (
    <Dropdown align="end">
      <Dropdown.Toggle as="button" className="bare note">
        more
      </Dropdown.Toggle>
      <Dropdown.Menu className="flowmenu">
        {!isStill(node) && <Dropdown.Item onClick={onStart}>Start the simulator here…</Dropdown.Item>}
        <Dropdown.Item onClick={() => acts.duplicate([nodeId])}>Duplicate</Dropdown.Item>
        <Dropdown.Item onClick={() => acts.shift(nodeId, 'up')}>Move up the rail</Dropdown.Item>
        <Dropdown.Item onClick={() => acts.shift(nodeId, 'down')}>Move down the rail</Dropdown.Item>
        <Dropdown.Item onClick={() => acts.cutOut([nodeId])}>Take out as a flow…</Dropdown.Item>
        {kinds.length > 0 && <Dropdown.Header>Change into</Dropdown.Header>}
        {kinds.map((kind) => (
          <Dropdown.Item key={kind} onClick={() => edit((d) => changeKind(d, flowId, nodeId, kind))}>
            {kind}
          </Dropdown.Item>
        ))}
      </Dropdown.Menu>
    </Dropdown>
  );
}

interface ExitsProps extends NodePart {
  readonly layout: FlowLayout;
  readonly taken: string | undefined;
}

/** Each exit with what it means, whether the last turn took it, and where it leads. */
function Exits({ flowId, nodeId, node, layout, taken }: ExitsProps) {
  const { document, edit } = useDraftHandle();
  const flow = document.flows[flowId];
  const titles = layout.nodes.map(({ id, address }) => `to ${address}, ${flow?.nodes[id]?.title ?? id}`).join('\n');
  const places = useMemo(
    () =>
      titles.split('\n').map((words, i) => (
        <option key={layout.nodes[i]?.id} value={layout.nodes[i]?.id}>
          {words}
        </option>
      )),
    [titles, layout],
  );
  const exits = nodeKinds.get(node.kind)?.exits(node) ?? [];
  if (exits.length === 0 || !flow) return null;
  return (
    <section>
      <p className="caps soft">Exits</p>
      {exits.map((exit) => (
        <div className="exitrow" key={exit.name}>
          <label htmlFor={`exit-${exit.name}`}>
            {exit.name.replaceAll('-', ' ')}
            <span className="note">
              {taken === exit.name && (
                <>
                  <Petal size={11} /> taken,{' '}
                </>
              )}
              {exit.about}
            </span>
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
            {places}
          </select>
        </div>
      ))}
    </section>
  );
}

/** Problems that stand at no field of the editor: of exits, and of the node as a whole. */
function Elsewhere({ problems }: { readonly problems: readonly Problem[] }) {
  const { document, edit } = useDraftHandle();
  const some = problems.filter((p) => p.field === undefined || p.field.startsWith('/exits'));
  if (some.length === 0) return null;
  return (
    <section>
      <p className="caps plum">Problems</p>
      <ul>
        {some.map((p, i) => {
          const fix = fixFor(p, document);
          return (
            <li key={i} className={p.severity === 'error' ? 'plum' : 'soft'}>
              {problemSentence(p)}{' '}
              {fix && (
                <button className="bare fix" type="button" onClick={() => edit(fix.apply)}>
                  {fix.label}
                </button>
              )}
            </li>
          );
        })}
      </ul>
    </section>
  );
}
