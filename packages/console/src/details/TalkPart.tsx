import { correctionsFrom, derivedReads, nodeKinds, TARGET_PATTERN, waits as nodeWaits, type FlowNode } from '@primrose/core';
import { useMemo, useState } from 'react';
import { useDraftHandle } from '../draft/context.js';
import { Habits } from '../parts/Habits.js';
import { TextInput } from './fields.js';

interface TalkPartProps {
  readonly flowId: string;
  readonly nodeId: string;
  readonly node: FlowNode;
  readonly set: (field: string, value: unknown) => void;
}

/** How a conversation is led at a node: what can be corrected from there, on what it depends, which habits the bot has there. */
export function TalkPart({ flowId, nodeId, node, set }: TalkPartProps) {
  const waits = nodeWaits(node);
  return (
    <section>
      <details>
        <summary className="caps soft">Conversation</summary>
        {waits && <Correctable flowId={flowId} nodeId={nodeId} />}
        <DependsOn node={node} set={set} />
        {waits && <Habits value={node.talk} from="in the flow" onChange={(v) => set('talk', v)} />}
      </details>
    </section>
  );
}

/** Which questions a visitor can still correct while the node waits, and which no more. */
function Correctable({ flowId, nodeId }: Pick<TalkPartProps, 'flowId' | 'nodeId'>) {
  const { document } = useDraftHandle();
  const { reached, blocked } = useMemo(() => correctionsFrom(document, flowId, nodeId), [document, flowId, nodeId]);
  const named = (id: string) => document.flows[flowId]?.nodes[id]?.title ?? id;
  return (
    <>
      <p className="note">
        {reached.length === 0 ? 'Nothing was asked before that could be corrected here.' : 'Can be corrected from here: '}
        {reached.map(named).join(', ')}
      </p>
      {blocked.map((b) => (
        <p key={b.node} className="note">
          No more: {named(b.node)}, as {named(b.by)} has been done.
        </p>
      ))}
    </>
  );
}

/** The variables on which the node depends: by what it reads, or as somebody has said. */
function DependsOn({ node, set }: Pick<TalkPartProps, 'node' | 'set'>) {
  const { document } = useDraftHandle();
  const derived = useMemo(() => derivedReads(document, node, nodeKinds), [document, node]);
  const told = node['depends-on'];
  const [typed, setTyped] = useState(told?.join(', ') ?? '');
  const names = typed
    .split(',')
    .map((n) => n.trim())
    .filter(Boolean);
  const wrong = names.find((n) => !TARGET_PATTERN.test(n));
  const change = (text: string) => {
    setTyped(text);
    const list = text
      .split(',')
      .map((n) => n.trim())
      .filter(Boolean);
    if (list.every((n) => TARGET_PATTERN.test(n))) set('depends-on', list.length === 0 ? undefined : list);
  };
  return (
    <>
      <TextInput
        label="Depends on"
        code
        value={typed}
        placeholder={derived.length === 0 ? 'nothing, by what it reads' : derived.join(', ')}
        onChange={change}
      />
      {wrong !== undefined && (
        <p className="mistake" role="alert">
          Write variables such as flow.day, with commas between. “{wrong}” is none.
        </p>
      )}
    </>
  );
}
