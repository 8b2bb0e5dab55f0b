import {
  addFlow,
  addLines,
  addNode,
  copyNodes,
  correctionsFrom,
  exitsOf,
  layoutFlow,
  linkExit,
  moveNodes,
  pasteNodes,
  readClip,
  referredTo,
  removeNodes,
  sharedReferences,
  switchNodes,
  type BotDocument,
  type Flow,
  type FlowLayout,
  type Problem,
  type SharedReference,
} from '@primrose/core';
import { lazy, Suspense, useCallback, useDeferredValue, useEffect, useMemo, useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import { useDraftHandle, useProblems } from '../draft/context.js';
import { ReplaceDialog } from '../find/ReplaceDialog.js';
import { useKeys } from '../keys/keys.js';
import { KeysDialog } from '../keys/KeysDialog.js';
import { AddBox } from '../map/AddBox.js';
import { CutOutDialog } from '../map/CutOutDialog.js';
import { FindInFlow } from '../map/FindInFlow.js';
import { FlowBar } from '../map/FlowBar.js';
import type { MapActs, OpenChip } from '../map/acts.js';
import { FlowMap, type FlowMapProps } from '../map/FlowMap.js';
import { MarkedBar } from '../map/MarkedBar.js';
import { useLayout } from '../map/useLayout.js';
import { SharedNotice } from '../map/SharedNotice.js';
import { useLastRun, useRehearsing } from '../rehearsals/run.js';
import { useSimulation } from '../simulator/simulation.js';
import { StartDialog } from '../simulator/StartDialog.js';
import { WithSimulator } from '../simulator/WithSimulator.js';

/** The editors weigh more than the rest of the console, so they come after the Map is there. */
const loadDetails = async () => ({ default: (await import('../details/Details.js')).Details });
const Details = lazy(loadDetails);
const AFTER_THE_MAP_MS = 600;

const NONE: ReadonlySet<string> = new Set();
const NOT_VISITED: readonly string[] = [];
const NOTHING_SHARED: readonly SharedReference[] = [];

function shownFlow(document: BotDocument, wanted: string | undefined): string {
  const known = [wanted, document.begins, Object.keys(document.flows)[0]];
  return known.find((id) => id !== undefined && Object.hasOwn(document.flows, id)) ?? '';
}

/** What the copies in a flow share with their originals; it outlives the step into a flow that was duplicated. */
interface Shared {
  readonly flow: string;
  readonly list: readonly SharedReference[];
}

/** The Map of one flow, with the simulator before it and the details of a node behind it. */
export default function MapPage() {
  const { flow: wanted, node: selected } = useParams();
  const { document } = useDraftHandle();
  const [shared, setShared] = useState<Shared>({ flow: '', list: [] });
  const flowId = shownFlow(document, wanted);
  const flow = document.flows[flowId];
  return (
    <WithSimulator>
      {flow ? (
        <OneFlow
          key={flowId}
          flowId={flowId}
          flow={flow}
          selected={selected}
          shared={shared.flow === flowId ? shared.list : NOTHING_SHARED}
          onShared={setShared}
        />
      ) : (
        <NewFlow />
      )}
    </WithSimulator>
  );
}

interface OneFlowProps {
  readonly flowId: string;
  readonly flow: Flow;
  readonly selected: string | undefined;
  readonly shared: readonly SharedReference[];
  readonly onShared: (shared: Shared) => void;
}

type Opened = 'find' | 'keys' | 'replace';

function OneFlow({ flowId, flow, selected, shared, onShared }: OneFlowProps) {
  const { document } = useDraftHandle();
  const [chosen, setMarked] = useState<readonly string[]>([]);
  // Undoing may have taken away what was marked or pasted.
  const marked = useMemo(() => chosen.filter((n) => Object.hasOwn(flow.nodes, n)), [chosen, flow]);
  const sharing = shared.filter((s) => s.nodes.some((n) => Object.hasOwn(flow.nodes, n)));
  const [found, setFound] = useState<ReadonlySet<string>>(NONE);
  const setShared = useCallback((list: readonly SharedReference[]) => onShared({ flow: flowId, list }), [onShared, flowId]);
  const [open, setOpen] = useState<Opened>();
  const [cutting, setCutting] = useState<readonly string[]>();
  const [outline, setOutline] = useState(false);
  const { covering, setCovering } = useRehearsing();
  const { acts, select } = useActs({ flowId, selected, marked, setMarked, setShared, setCutting });
  const close = useCallback(() => setOpen(undefined), []);
  const onFound = useCallback((nodes: readonly string[]) => setFound(new Set(nodes)), []);
  // Typing in a field goes first; the Map follows a moment later.
  const shown = useDeferredValue(flow);
  const layout = useLayout(shown);
  useKeys({
    f: () => setOpen('find'),
    r: () => setOpen('replace'),
    o: () => setOutline((on) => !on),
    c: () => setCovering(!covering),
    escape: () => acts.leave(),
    arrowdown: () => focusNode(layout.nodes[0]?.id),
  });
  const leave = () => {
    select(undefined);
    focusNode(selected);
  };
  const cutOut = (call: string) => {
    setCutting(undefined);
    setMarked([]);
    select(call);
  };
  return (
    <>
      <main className="mapwrap" aria-label={`Map of the flow ${flow.title ?? flowId}`}>
        <FlowBar
          flowId={flowId}
          layout={layout}
          resting={selected !== undefined}
          outline={outline}
          onOutline={() => setOutline(!outline)}
          covering={covering}
          onCovering={() => setCovering(!covering)}
          onFind={() => setOpen('find')}
          onKeys={() => setOpen('keys')}
          onReplace={() => setOpen('replace')}
          onShared={(copy, list) => onShared({ flow: copy, list })}
        />
        {Object.keys(flow.nodes).length === 0 ? (
          <FirstNode flow={flow} acts={acts} />
        ) : (
          <Drawn
            flowId={flowId}
            flow={shown}
            layout={layout}
            selected={selected}
            marked={marked}
            found={open === 'find' ? found : NONE}
            outline={outline}
            acts={acts}
          />
        )}
        {open === 'find' && <FindInFlow document={document} flowId={flowId} onFound={onFound} onGo={focusNode} onClose={close} />}
        {sharing.length > 0 && <SharedNotice flowId={flowId} shared={sharing} onChange={setShared} />}
        {marked.length > 1 && <MarkedBar marked={marked} acts={acts} />}
      </main>
      <Selected flowId={flowId} flow={flow} selected={selected} layout={layout} acts={acts} onClose={leave} />
      {open === 'keys' && <KeysDialog onClose={close} />}
      {open === 'replace' && <ReplaceDialog flowId={flowId} onClose={close} />}
      {cutting && <CutOutDialog flowId={flowId} nodes={cutting} onClose={() => setCutting(undefined)} onDone={cutOut} />}
    </>
  );
}

/** The problems of one flow. */
function useFlowProblems(flowId: string): readonly Problem[] {
  const { document } = useDraftHandle();
  const problems = useProblems(document);
  return useMemo(() => problems.filter((p) => p.flow === flowId), [problems, flowId]);
}

type DrawnProps = Pick<FlowMapProps, 'flowId' | 'flow' | 'layout' | 'selected' | 'marked' | 'found' | 'outline' | 'acts'>;

/** The flow with what is known of its nodes: problems, the last turn, the rehearsals. */
function Drawn(props: DrawnProps) {
  const { flowId } = props;
  const { bot, document } = useDraftHandle();
  const problems = useFlowProblems(flowId);
  const counts = useMemo(() => {
    const found = new Map<string, number>();
    for (const { node } of problems) if (node !== undefined) found.set(node, (found.get(node) ?? 0) + 1);
    return found;
  }, [problems]);
  const { visited, stale } = useTried(flowId);
  const called = useCalled(flowId);
  const { selected } = props;
  const reach = useMemo(
    () => new Set(selected === undefined ? [] : correctionsFrom(document, flowId, selected).reached),
    [document, flowId, selected],
  );
  const { covering } = useRehearsing();
  const run = useLastRun(bot, covering);
  const coverage = covering ? run?.coverage : undefined;
  return (
    <FlowMap
      {...props}
      language={document.languages[0] ?? 'en'}
      stale={stale}
      visited={coverage ? NOT_VISITED : visited}
      coverage={coverage}
      problems={counts}
      called={called}
      reach={reach}
    />
  );
}

/** What a flow without nodes begins with. */
function FirstNode({ flow, acts }: { readonly flow: Flow; readonly acts: MapActs }) {
  const { document } = useDraftHandle();
  return (
    <div className="firstbox">
      <p>Nobody has spoken yet. What should happen first?</p>
      <AddBox
        flow={flow}
        language={document.languages[0] ?? 'en'}
        onClose={nothing}
        onLink={nothing}
        onPaste={(text) => acts.paste(text, undefined)}
        onLines={(lines) => acts.addLines(lines, undefined)}
        onAdd={(kind) => acts.add(kind, undefined)}
      />
    </div>
  );
}

interface SelectedProps {
  readonly flowId: string;
  readonly flow: Flow;
  readonly selected: string | undefined;
  readonly layout: FlowLayout;
  readonly acts: MapActs;
  readonly onClose: () => void;
}

/** The details of the node that is chosen, and the dialog that starts the simulator there. */
function Selected({ flowId, flow, selected, layout, acts, onClose }: SelectedProps) {
  const problems = useFlowProblems(flowId);
  const [starting, setStarting] = useState<string>();
  useEffect(() => {
    const timer = setTimeout(() => void loadDetails(), AFTER_THE_MAP_MS);
    return () => clearTimeout(timer);
  }, []);
  const node = selected === undefined ? undefined : flow.nodes[selected];
  return (
    <>
      {node && selected !== undefined && (
        <Suspense fallback={<aside className="details" aria-label="Details" />}>
          <Details
            key={`${flowId}/${selected}/${node.kind}`}
            flowId={flowId}
            nodeId={selected}
            node={node}
            layout={layout}
            problems={problems.filter((p) => p.node === selected)}
            onClose={onClose}
            acts={acts}
            onStart={() => setStarting(selected)}
          />
        </Suspense>
      )}
      {starting !== undefined && <StartDialog flow={flowId} node={starting} onClose={() => setStarting(undefined)} />}
    </>
  );
}

const nothing = () => undefined;

function focusNode(id: string | undefined): void {
  const card = id === undefined ? null : document.getElementById(`node-${id}`);
  card?.scrollIntoView({ block: 'center' });
  // After what is open has gone, so that the focus stays.
  setTimeout(() => card?.focus(), 0);
}

/** Where the chosen turn came by, and which nodes refer to something that has changed since they were tried. */
/** How often agents of a flow called each of their tools in the conversation of the simulator, by node. */
function useCalled(flowId: string): ReadonlyMap<string, string> {
  const { turns } = useSimulation();
  return useMemo(() => {
    const counts = new Map<string, Map<string, number>>();
    for (const step of turns.flatMap((t) => t.sheet.path)) {
      if (step.flow !== flowId) continue;
      for (const item of step.work ?? []) {
        if (item.did !== 'called' || item.outcome === 'refused' || item.outcome === 'began') continue;
        const own = counts.get(step.node) ?? new Map<string, number>();
        counts.set(step.node, own.set(item.tool, (own.get(item.tool) ?? 0) + 1));
      }
    }
    return new Map([...counts].map(([node, own]) => [node, [...own].map(([tool, n]) => `${tool} ${n}`).join('\n')]));
  }, [turns, flowId]);
}

function useTried(flowId: string): { visited: readonly string[]; stale: ReadonlySet<string> } {
  const { document } = useDraftHandle();
  const { shown, paused, tried } = useSimulation();
  const visited = useMemo(
    () => [
      ...(shown?.sheet.path ?? []).filter((s) => s.flow === flowId).map((s) => s.node),
      ...(paused?.flow === flowId ? [paused.node] : []),
    ],
    [shown, paused, flowId],
  );
  const stale = useMemo(() => {
    const nodes = document.flows[flowId]?.nodes ?? {};
    const changed = Object.entries(nodes).filter(([id, node]) => {
      const then = tried.get(`${flowId}/${id}`);
      return then !== undefined && then !== referredTo(document, node);
    });
    return changed.length === 0 ? NONE : new Set(changed.map(([id]) => id));
  }, [document, flowId, tried]);
  return { visited, stale };
}

interface ActsInput {
  readonly flowId: string;
  readonly selected: string | undefined;
  readonly marked: readonly string[];
  readonly setMarked: (nodes: readonly string[]) => void;
  readonly setShared: (shared: readonly SharedReference[]) => void;
  readonly setCutting: (nodes: readonly string[]) => void;
}

/** What can be done on the Map, done to the draft. */
function useActs({ flowId, selected, marked, setMarked, setShared, setCutting }: ActsInput) {
  const { bot, document, edit } = useDraftHandle();
  const navigate = useNavigate();
  return useMemo(() => {
    const select = (node: string | undefined) => {
      setMarked([]);
      void navigate(`/bots/${bot}/map/${flowId}${node === undefined ? '' : `/${node}`}`);
    };
    const flow = document.flows[flowId] ?? { nodes: {} };
    const paste = (text: string, after: OpenChip | undefined): boolean => {
      const clip = readClip(text);
      if (!clip) return false;
      const pasted = pasteNodes(document, flowId, clip, after);
      edit(() => pasted.document);
      setShared(
        sharedReferences(pasted.document, flowId, pasted.nodes, clip.from.bot === document.bot ? clip.from.flow : undefined),
      );
      setMarked(pasted.nodes);
      focusSoon(pasted.nodes[0]);
      return true;
    };
    const acts: MapActs = {
      select,
      mark: setMarked,
      add: (kind, after) => {
        const added = addNode(document, flowId, kind, after);
        edit(() => added.document);
        select(added.node);
      },
      addLines: (lines, after) => {
        const added = addLines(document, flowId, lines, after);
        edit(() => added.document);
        focusSoon(added.node);
      },
      paste,
      link: (after, to) => edit((d) => linkExit(d, flowId, after.node, after.exit, to)),
      remove: (nodes) => {
        const place = neighbour(flow, nodes);
        edit((d) => removeNodes(d, flowId, nodes));
        if (selected !== undefined && nodes.includes(selected)) select(undefined);
        setMarked([]);
        focusSoon(place);
      },
      copy: (nodes) => copyNodes(document, flowId, nodes),
      duplicate: (nodes) => {
        const last = layoutFlow(flow).nodes.findLast((n) => nodes.includes(n.id))?.id;
        const exit = last === undefined ? undefined : exitsOf(flow, last)[0]?.name;
        paste(copyNodes(document, flowId, nodes), last === undefined || exit === undefined ? undefined : { node: last, exit });
      },
      toggleOff: (nodes) => edit((d) => switchNodes(d, flowId, nodes, !nodes.every((n) => d.flows[flowId]?.nodes[n]?.off))),
      shift: (node, way) => {
        const after = shiftedAfter(flow, node, way);
        if (!after) return;
        edit((d) => moveNodes(d, flowId, [node], after).document);
        focusSoon(node);
      },
      cutOut: setCutting,
      leave: () => {
        if (marked.length > 0) setMarked([]);
        else if (selected !== undefined) {
          select(undefined);
          focusSoon(selected);
        }
      },
    };
    return { acts, select };
  }, [bot, document, edit, flowId, navigate, selected, marked, setMarked, setShared, setCutting]);
}

const focusSoon = (node: string | undefined) => requestAnimationFrame(() => focusNode(node));

/** Where the focus goes when nodes are removed: to what led to the first of them, else to what it led to. */
function neighbour(flow: Flow, gone: readonly string[]): string | undefined {
  const leading = Object.keys(flow.nodes).find(
    (id) => !gone.includes(id) && Object.values(flow.nodes[id]?.exits ?? {}).some((to) => gone.includes(to)),
  );
  return leading ?? Object.keys(flow.nodes).find((id) => !gone.includes(id));
}

/** The exit behind which a node stands when it moves one place along its rail. */
function shiftedAfter(flow: Flow, node: string, way: 'up' | 'down'): OpenChip | undefined {
  const entryOf = (id: string): OpenChip | undefined => {
    for (const { id: from } of layoutFlow(flow).nodes)
      for (const { name } of exitsOf(flow, from)) if (flow.nodes[from]?.exits?.[name] === id) return { node: from, exit: name };
    return undefined;
  };
  if (way === 'up') {
    const before = entryOf(node);
    return before && entryOf(before.node);
  }
  const next = exitsOf(flow, node).flatMap((e) => flow.nodes[node]?.exits?.[e.name] ?? [])[0];
  const exit = next === undefined ? undefined : exitsOf(flow, next)[0]?.name;
  return next === undefined || exit === undefined || next === node ? undefined : { node: next, exit };
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
