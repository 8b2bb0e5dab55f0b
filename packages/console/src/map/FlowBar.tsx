import { addFlow, callersOf, duplicateFlow, sharedReferences, type FlowLayout, type SharedReference } from '@primrose/core';
import { useMemo, useState } from 'react';
import { Dropdown } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { useDraftHandle, useProblems } from '../draft/context.js';

interface FlowBarProps {
  readonly flowId: string;
  readonly layout: FlowLayout;
  readonly outline: boolean;
  readonly onOutline: () => void;
  /** The Map shows what the rehearsals came by. */
  readonly covering: boolean;
  readonly onCovering: () => void;
  readonly onFind: () => void;
  readonly onKeys: () => void;
  readonly onReplace: () => void;
  /** A flow was duplicated: what its copy still shares with the original. */
  readonly onShared: (flow: string, shared: readonly SharedReference[]) => void;
}

const counted = (n: number, one: string, many: string) => (n === 1 ? `1 ${one}` : `${n} ${many}`);

/** The line above the Map: which flow, how large, who runs it, and what can be done with it. */
export function FlowBar(props: FlowBarProps) {
  const { flowId, layout, outline, onOutline, covering, onCovering, onFind, onKeys, onReplace, onShared } = props;
  const { bot, document, edit, saved, state, step } = useDraftHandle();
  const navigate = useNavigate();
  const [naming, setNaming] = useState<'new' | 'rename'>();
  const flow = document.flows[flowId];
  const { beats } = layout;
  const problems = useProblems(document);
  const troubled = useMemo(() => {
    const counts = new Map<string, number>();
    for (const { flow: id } of problems) if (id !== undefined) counts.set(id, (counts.get(id) ?? 0) + 1);
    return counts;
  }, [problems]);
  const open = (id: string) => void navigate(`/bots/${bot}/map/${id}`);
  const name = (title: string) => {
    const words = title.trim();
    setNaming(undefined);
    if (words === '') return;
    if (naming === 'rename')
      edit((d) => (d.flows[flowId] ? { ...d, flows: { ...d.flows, [flowId]: { ...d.flows[flowId], title: words } } } : d));
    else {
      const added = addFlow(document, words);
      edit(() => added.document);
      open(added.flow);
    }
  };
  const duplicate = () => {
    const made = duplicateFlow(document, flowId);
    edit(() => made.document);
    open(made.flow);
    onShared(made.flow, sharedReferences(made.document, made.flow, Object.keys(flow?.nodes ?? {}), flowId));
  };
  const remove = () => {
    edit((d) => {
      const { [flowId]: _gone, ...flows } = d.flows;
      const { unmatched, ...rest } = d;
      return { ...rest, flows, ...(unmatched === undefined || unmatched === flowId ? {} : { unmatched }) };
    });
    void navigate(`/bots/${bot}/map`);
  };
  return (
    <div className="flowbar">
      <Dropdown>
        <Dropdown.Toggle as="button" className="flowpick">
          <span dir="auto">{flow?.title ?? flowId}</span>
          <span className="visually-hidden">, choose another flow</span>
        </Dropdown.Toggle>
        <Dropdown.Menu className="flowmenu">
          {Object.entries(document.flows).map(([id, f]) => (
            <Dropdown.Item key={id} active={id === flowId} onClick={() => open(id)}>
              {f.title ?? id}
              {troubled.has(id) && <span className="plum"> · {counted(troubled.get(id) ?? 0, 'problem', 'problems')}</span>}
            </Dropdown.Item>
          ))}
          <Dropdown.Divider />
          <Dropdown.Item onClick={() => setNaming('new')}>New flow…</Dropdown.Item>
          <Dropdown.Item onClick={() => setNaming('rename')}>Rename this flow…</Dropdown.Item>
          <Dropdown.Item onClick={duplicate}>Duplicate this flow</Dropdown.Item>
          <Dropdown.Item onClick={onReplace}>Replace words…</Dropdown.Item>
          {document.begins !== flowId && (
            <Dropdown.Item onClick={() => edit((d) => ({ ...d, begins: flowId }))}>Begin conversations here</Dropdown.Item>
          )}
          {document.begins !== flowId && document.unmatched !== flowId && (
            <Dropdown.Item onClick={() => edit((d) => ({ ...d, unmatched: flowId }))}>Run it when nothing matches</Dropdown.Item>
          )}
          {document.begins !== flowId && <Dropdown.Item onClick={remove}>Delete this flow</Dropdown.Item>}
        </Dropdown.Menu>
      </Dropdown>
      {naming ? (
        <input
          className="form-control"
          style={{ width: 200 }}
          autoFocus
          aria-label={naming === 'new' ? 'Name of the new flow' : 'Name of this flow'}
          placeholder="Name of the flow"
          defaultValue={naming === 'rename' ? (flow?.title ?? flowId) : ''}
          onBlur={(e) => e.target.value !== '' && name(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === 'Enter') name(e.currentTarget.value);
            if (e.key === 'Escape') setNaming(undefined);
          }}
        />
      ) : (
        <>
          <span className="note">
            {counted(Object.keys(flow?.nodes ?? {}).length, 'node', 'nodes')} in {counted(beats, 'beat', 'beats')}
            {troubled.has(flowId) && <span className="plum"> · {counted(troubled.get(flowId) ?? 0, 'problem', 'problems')}</span>}
          </span>
          <CalledBy flowId={flowId} />
        </>
      )}
      <span className="spring" />
      <button
        className="bare"
        type="button"
        aria-label="Undo"
        disabled={!saved.undo && state.kind === 'saved'}
        onClick={() => void step('undo')}
        title="Undo, Ctrl+Z"
      >
        <Turn />
      </button>
      <button
        className="bare"
        type="button"
        aria-label="Redo"
        disabled={!saved.redo}
        onClick={() => void step('redo')}
        title="Redo, Ctrl+Shift+Z"
      >
        <Turn back />
      </button>
      <button className="bare note" type="button" onClick={onFind}>
        <span className="wide">Find in flow</span> <kbd>F</kbd>
      </button>
      <button className="bare note" type="button" onClick={onKeys}>
        <span className="wide">Keys</span> <kbd>?</kbd>
      </button>
      <button className="bare note" type="button" aria-pressed={outline} onClick={onOutline}>
        <span className="wide">Outline</span> <kbd>O</kbd>
      </button>
      <button
        className="bare note"
        type="button"
        aria-pressed={covering}
        onClick={onCovering}
        title="What the rehearsals came by"
      >
        <span className="wide">Coverage</span> <kbd>C</kbd>
      </button>
    </div>
  );
}

function Turn({ back = false }: { readonly back?: boolean }) {
  return (
    <svg width="15" height="15" viewBox="0 0 15 15" aria-hidden="true" style={back ? { transform: 'scaleX(-1)' } : undefined}>
      <path d="M5.5 2 2.5 5l3 3M3 5h6a3.5 3.5 0 0 1 0 7H6" fill="none" stroke="currentColor" strokeWidth="1.4" />
    </svg>
  );
}

/** Who runs a flow, with a way to each. */
function CalledBy({ flowId }: { readonly flowId: string }) {
  const { bot, document } = useDraftHandle();
  const navigate = useNavigate();
  const { nodes, intents, begins, unmatched } = useMemo(() => callersOf(document, flowId), [document, flowId]);
  const words = [
    ...(begins ? ['begins'] : []),
    ...(unmatched ? ['when nothing matches'] : []),
    ...(intents.length > 0 ? [counted(intents.length, 'intent', 'intents')] : []),
    ...(nodes.length > 0 ? [counted(nodes.length, 'caller', 'callers')] : []),
  ];
  if (nodes.length + intents.length === 0)
    return <span className={`note${words.length === 0 ? ' it' : ''}`}>{words.join(', ') || 'not used yet'}</span>;
  return (
    <Dropdown>
      <Dropdown.Toggle as="button" className="bare note" title="Who runs this flow">
        {words.join(', ')}
      </Dropdown.Toggle>
      <Dropdown.Menu>
        <Dropdown.Header>Who runs this flow</Dropdown.Header>
        {intents.map((intent) => (
          <Dropdown.Item key={intent} onClick={() => void navigate(`/bots/${bot}/understanding/intent/${intent}`)}>
            intent {intent}
          </Dropdown.Item>
        ))}
        {nodes.map(({ flow, node }) => (
          <Dropdown.Item key={`${flow}/${node}`} onClick={() => void navigate(`/bots/${bot}/map/${flow}/${node}`)}>
            {document.flows[flow]?.nodes[node]?.title ?? node} in {document.flows[flow]?.title ?? flow}
          </Dropdown.Item>
        ))}
      </Dropdown.Menu>
    </Dropdown>
  );
}
