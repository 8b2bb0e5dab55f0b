import { addFlow, callersOf, duplicateFlow, sharedReferences, type FlowLayout, type SharedReference } from '@primrose/core';
import { useMemo, useState } from 'react';
import { Dropdown } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { useDraftHandle, useProblems } from '../draft/context.js';
import { Along } from './Along.js';
import { FlowTalkDialog } from './FlowTalkDialog.js';

interface FlowBarProps {
  readonly flowId: string;
  readonly layout: FlowLayout;
  /** A node is open, which the Map does not leave by itself. */
  readonly resting: boolean;
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

/** How many problems each flow has. */
function useTroubled(): ReadonlyMap<string, number> {
  const { document } = useDraftHandle();
  const problems = useProblems(document);
  return useMemo(() => {
    const counts = new Map<string, number>();
    for (const { flow: id } of problems) if (id !== undefined) counts.set(id, (counts.get(id) ?? 0) + 1);
    return counts;
  }, [problems]);
}

/** The line above the Map: which flow, how large, who runs it, and what can be done with it. */
export function FlowBar(props: FlowBarProps) {
  const { flowId, layout } = props;
  const { document } = useDraftHandle();
  const [naming, setNaming] = useState<'new' | 'rename'>();
  const [talking, setTalking] = useState(false);
  const troubled = useTroubled();
  return (
    <div className="flowbar">
      <FlowMenu {...props} troubled={troubled} onNaming={setNaming} onTalk={() => setTalking(true)} />
      {talking && <FlowTalkDialog flowId={flowId} onClose={() => setTalking(false)} />}
      {naming ? (
        <NameField flowId={flowId} naming={naming} onDone={() => setNaming(undefined)} />
      ) : (
        <>
          <span className="note">
            {counted(Object.keys(document.flows[flowId]?.nodes ?? {}).length, 'node', 'nodes')} in{' '}
            {counted(layout.beats, 'beat', 'beats')}
            <Troubles count={troubled.get(flowId)} />
          </span>
          <CalledBy flowId={flowId} />
          <Along flowId={flowId} resting={props.resting} />
        </>
      )}
      <span className="spring" />
      <StepButtons />
      <Switches {...props} />
    </div>
  );
}

function Troubles({ count }: { readonly count: number | undefined }) {
  return count === undefined ? null : <span className="plum"> · {counted(count, 'problem', 'problems')}</span>;
}

interface FlowMenuProps extends FlowBarProps {
  readonly troubled: ReadonlyMap<string, number>;
  readonly onNaming: (naming: 'new' | 'rename') => void;
  readonly onTalk: () => void;
}

/** The flows of the bot, and what can be done with the one that is open. */
function FlowMenu({ flowId, troubled, onNaming, onTalk, onReplace, onShared }: FlowMenuProps) {
  const { bot, document, edit } = useDraftHandle();
  const navigate = useNavigate();
  const flow = document.flows[flowId];
  const open = (id: string) => void navigate(`/bots/${bot}/map/${id}`);
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
  const begins = document.begins === flowId;
  return (
    <Dropdown>
      <Dropdown.Toggle as="button" className="flowpick">
        <span dir="auto">{flow?.title ?? flowId}</span>
        <span className="visually-hidden">, choose another flow</span>
      </Dropdown.Toggle>
      <Dropdown.Menu className="flowmenu">
        {Object.entries(document.flows).map(([id, f]) => (
          <Dropdown.Item key={id} active={id === flowId} onClick={() => open(id)}>
            {f.title ?? id}
            <Troubles count={troubled.get(id)} />
          </Dropdown.Item>
        ))}
        <Dropdown.Divider />
        <Dropdown.Item onClick={() => onNaming('new')}>New flow…</Dropdown.Item>
        <Dropdown.Item onClick={() => onNaming('rename')}>Rename this flow…</Dropdown.Item>
        <Dropdown.Item onClick={duplicate}>Duplicate this flow</Dropdown.Item>
        <Dropdown.Item onClick={onTalk}>Conversation in this flow…</Dropdown.Item>
        <Dropdown.Item onClick={onReplace}>Replace words…</Dropdown.Item>
        {!begins && (
          <Dropdown.Item onClick={() => edit((d) => ({ ...d, begins: flowId }))}>Begin conversations here</Dropdown.Item>
        )}
        {!begins && document.unmatched !== flowId && (
          <Dropdown.Item onClick={() => edit((d) => ({ ...d, unmatched: flowId }))}>Run it when nothing matches</Dropdown.Item>
        )}
        {!begins && <Dropdown.Item onClick={remove}>Delete this flow</Dropdown.Item>}
      </Dropdown.Menu>
    </Dropdown>
  );
}

interface NameFieldProps {
  readonly flowId: string;
  readonly naming: 'new' | 'rename';
  readonly onDone: () => void;
}

/** Where the name of a new flow, or another one for this flow, is typed. */
function NameField({ flowId, naming, onDone }: NameFieldProps) {
  const { bot, document, edit } = useDraftHandle();
  const navigate = useNavigate();
  const name = (title: string) => {
    const words = title.trim();
    onDone();
    if (words === '') return;
    if (naming === 'rename')
      edit((d) => (d.flows[flowId] ? { ...d, flows: { ...d.flows, [flowId]: { ...d.flows[flowId], title: words } } } : d));
    else {
      const added = addFlow(document, words);
      edit(() => added.document);
      void navigate(`/bots/${bot}/map/${added.flow}`);
    }
  };
  return (
    <input
      className="form-control"
      style={{ width: 200 }}
      autoFocus
      aria-label={naming === 'new' ? 'Name of the new flow' : 'Name of this flow'}
      placeholder="Name of the flow"
      defaultValue={naming === 'rename' ? (document.flows[flowId]?.title ?? flowId) : ''}
      onBlur={(e) => e.target.value !== '' && name(e.target.value)}
      onKeyDown={(e) => {
        if (e.key === 'Enter') name(e.currentTarget.value);
        if (e.key === 'Escape') onDone();
      }}
    />
  );
}

function StepButtons() {
  const { saved, state, step } = useDraftHandle();
  return (
    <>
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
    </>
  );
}

/** Finding, the keys, and the other ways to show the flow. */
function Switches({ outline, onOutline, covering, onCovering, onFind, onKeys }: FlowBarProps) {
  return (
    <>
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
    </>
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
  const { nodes, intents, starts, pages, begins, unmatched } = useMemo(() => callersOf(document, flowId), [document, flowId]);
  const words = [
    ...(begins ? ['begins'] : []),
    ...(unmatched ? ['when nothing matches'] : []),
    ...(intents.length > 0 ? [counted(intents.length, 'intent', 'intents')] : []),
    ...(starts.length > 0 ? [counted(starts.length, 'start', 'starts')] : []),
    ...(pages.length > 0 ? [counted(pages.length, 'page', 'pages')] : []),
    ...(nodes.length > 0 ? [counted(nodes.length, 'caller', 'callers')] : []),
  ];
  if (nodes.length + intents.length + starts.length + pages.length === 0)
    return <span className={`note${words.length === 0 ? ' it' : ''}`}>{words.join(', ') || 'not used yet'}</span>;
  return (
    <Dropdown>
      <Dropdown.Toggle as="button" className="bare note" title="Who runs this flow">
        {words.join(', ')}
      </Dropdown.Toggle>
      <Dropdown.Menu>
        <Dropdown.Header>Who runs this flow</Dropdown.Header>
        {pages.map((page) => (
          <Dropdown.Item key={page} onClick={() => void navigate(`/bots/${bot}/pages/${page}`)}>
            page {document.pages?.[page]?.title ?? page}
          </Dropdown.Item>
        ))}
        {intents.map((intent) => (
          <Dropdown.Item key={intent} onClick={() => void navigate(`/bots/${bot}/understanding/intent/${intent}`)}>
            intent {intent}
          </Dropdown.Item>
        ))}
        {starts.map((start) => (
          <Dropdown.Item key={start} onClick={() => void navigate(`/bots/${bot}/starts/${start}`)}>
            start {start}
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
