import { useMemo, useState } from 'react';
import { Dropdown } from 'react-bootstrap';
import { useNavigate, useParams } from 'react-router';
import { addFlow, addNode, calledFlows, linkExit, removeNode } from '@primrose/core';
import { Details } from '../details/Details.js';
import { useDraftHandle, useProblems } from '../draft/context.js';
import { AddBox } from '../map/AddBox.js';
import { FlowMap } from '../map/FlowMap.js';
import { useSimulation } from '../simulator/simulation.js';
import { WithSimulator } from '../simulator/WithSimulator.js';

/** The Map of one flow, with the simulator before it and the details of a node behind it. */
export default function MapPage() {
  const { flow: wanted, node: selected } = useParams();
  const { bot, document, edit } = useDraftHandle();
  const navigate = useNavigate();
  const { turns } = useSimulation();
  const flowId =
    wanted !== undefined && wanted in document.flows
      ? wanted
      : document.begins in document.flows
        ? document.begins
        : (Object.keys(document.flows)[0] ?? '');
  const flow = document.flows[flowId];
  const allProblems = useProblems(document);
  const problems = useMemo(() => allProblems.filter((p) => p.flow === flowId), [allProblems, flowId]);
  const visited = useMemo(
    () => (turns.at(-1)?.sheet.path ?? []).filter((s) => s.flow === flowId).map((s) => s.node),
    [turns, flowId],
  );
  const language = document.languages[0] ?? 'en';
  const select = (node?: string) => void navigate(`/bots/${bot}/map/${flowId}${node === undefined ? '' : `/${node}`}`);
  const add = (kind: string, after?: { node: string; exit: string }) => {
    const added = addNode(document, flowId, kind, after);
    edit(() => added.document);
    select(added.node);
  };
  const remove = (node: string) => {
    edit((d) => removeNode(d, flowId, node));
    select();
  };
  if (!flow) {
    return (
      <WithSimulator>
        <NewFlow />
      </WithSimulator>
    );
  }
  const empty = Object.keys(flow.nodes).length === 0;
  const node = selected === undefined ? undefined : flow.nodes[selected];
  return (
    <WithSimulator>
      <main className="mapwrap" aria-label={`Map of the flow ${flow.title ?? flowId}`}>
        <FlowBar flowId={flowId} />
        {empty ? (
          <div className="firstbox">
            <p>Nothing happens here yet. What does the bot do first?</p>
            <AddBox
              flow={flow}
              language={language}
              beatOf={() => undefined}
              onClose={() => undefined}
              onLink={() => undefined}
              onAdd={(kind) => add(kind)}
            />
          </div>
        ) : (
          <FlowMap
            flow={flow}
            language={language}
            selected={selected}
            visited={visited}
            problems={problems}
            onSelect={select}
            onAdd={add}
            onRemove={remove}
            onLink={(after, to) => edit((d) => linkExit(d, flowId, after.node, after.exit, to))}
          />
        )}
      </main>
      {node && selected !== undefined && (
        <Details
          key={`${flowId}/${selected}`}
          flowId={flowId}
          nodeId={selected}
          node={node}
          problems={problems.filter((p) => p.node === selected)}
          onClose={() => select()}
          onRemove={() => remove(selected)}
        />
      )}
    </WithSimulator>
  );
}

function FlowBar({ flowId }: { readonly flowId: string }) {
  const { bot, document, edit, saved, state, step } = useDraftHandle();
  const canUndo = saved.undo || state.kind !== 'saved';
  const navigate = useNavigate();
  const [naming, setNaming] = useState(false);
  const flow = document.flows[flowId];
  const count = Object.keys(flow?.nodes ?? {}).length;
  const callers = Object.values(document.flows).flatMap((f) =>
    Object.values(f.nodes).filter((n) => calledFlows(n).includes(flowId)),
  ).length;
  const starters = Object.values(document.intents ?? {}).filter((i) => i.starts === flowId).length;
  const role =
    document.begins === flowId
      ? 'where conversations begin'
      : document.unmatched === flowId
        ? 'when nothing matches'
        : callers + starters === 0
          ? 'not used yet'
          : [
              ...(starters > 0 ? [`begun by ${starters === 1 ? 'one intent' : `${starters} intents`}`] : []),
              ...(callers > 0 ? [`called by ${callers === 1 ? 'one node' : `${callers} nodes`}`] : []),
            ].join(', ');
  const create = (title: string) => {
    setNaming(false);
    if (title.trim() === '') return;
    const added = addFlow(document, title.trim());
    edit(() => added.document);
    void navigate(`/bots/${bot}/map/${added.flow}`);
  };
  const removeFlow = () => {
    edit((d) => {
      const { [flowId]: _gone, ...flows } = d.flows;
      const { unmatched, ...rest } = d;
      return { ...rest, flows, ...(unmatched === undefined || unmatched === flowId ? {} : { unmatched }) };
    });
    void navigate(`/bots/${bot}/map`);
  };
  return (
    <div className="flowbar" style={{ overflow: 'visible' }}>
      <Dropdown>
        <Dropdown.Toggle as="button" className="flowpick">
          <span dir="auto">{flow?.title ?? flowId}</span>
          <span className="visually-hidden">, choose another flow</span>
        </Dropdown.Toggle>
        <Dropdown.Menu>
          {Object.entries(document.flows).map(([id, f]) => (
            <Dropdown.Item key={id} active={id === flowId} onClick={() => void navigate(`/bots/${bot}/map/${id}`)}>
              {f.title ?? id}
            </Dropdown.Item>
          ))}
          <Dropdown.Divider />
          <Dropdown.Item onClick={() => setNaming(true)}>New flow…</Dropdown.Item>
          {document.begins !== flowId && (
            <Dropdown.Item onClick={() => edit((d) => ({ ...d, begins: flowId }))}>Begin conversations here</Dropdown.Item>
          )}
          {document.begins !== flowId && document.unmatched !== flowId && (
            <Dropdown.Item onClick={() => edit((d) => ({ ...d, unmatched: flowId }))}>Run it when nothing matches</Dropdown.Item>
          )}
          {document.begins !== flowId && <Dropdown.Item onClick={removeFlow}>Delete this flow</Dropdown.Item>}
        </Dropdown.Menu>
      </Dropdown>
      {naming ? (
        <input
          className="form-control"
          style={{ width: 200 }}
          autoFocus
          aria-label="Name of the new flow"
          placeholder="Name of the new flow"
          onBlur={(e) => e.target.value !== '' && create(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === 'Enter') create(e.currentTarget.value);
            if (e.key === 'Escape') setNaming(false);
          }}
        />
      ) : (
        <span className="note">
          {count === 1 ? '1 node' : `${count} nodes`} · {role}
        </span>
      )}
      <span className="spring" />
      <button className="bare" type="button" disabled={!canUndo} onClick={() => void step('undo')} title="Ctrl+Z">
        Undo
      </button>
      <button className="bare" type="button" disabled={!saved.redo} onClick={() => void step('redo')} title="Ctrl+Shift+Z">
        Redo
      </button>
    </div>
  );
}

function NewFlow() {
  const { edit, document } = useDraftHandle();
  return (
    <main className="page">
      <div className="empty">
        <p>This bot has no flow yet.</p>
        <button
          type="button"
          className="btn btn-outline-secondary"
          onClick={() => {
            const added = addFlow(document, 'Welcome');
            edit(() => ({ ...added.document, begins: added.flow }));
          }}
        >
          Add the first one
        </button>
      </div>
    </main>
  );
}
