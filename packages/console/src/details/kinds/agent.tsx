import {
  Compiler,
  estimateTokens,
  readyAgent,
  type AgentLimits,
  type AgentNode,
  type AgentTool,
  type FlowNode,
} from '@primrose/core';
import { useMemo } from 'react';
import { AgentTools } from '../AgentTools.js';
import { AnswerFields } from '../AnswerFields.js';
import { DurationInput } from '../DurationInput.js';
import { OptionalTarget, UnderField } from '../fields.js';
import { NumberField } from '../NumberField.js';
import { ProfileInput } from '../ProfileInput.js';
import { PicturesInput, PromptParts } from '../PromptParts.js';
import { RecallFields } from '../RecallFields.js';
import { useFieldSetting } from '../setting.js';
import { Ticked } from '../Ticked.js';
import type { EditorProps } from './editor.js';

/** About what Primrose tells every agent of how it works, in tokens. */
const HOUSE_TOKENS = 130;

/** An agent: its prompt, its tools, what it hands on, and how far it may go. */
export function AgentEditor({ node, set }: EditorProps) {
  const { document } = useFieldSetting();
  const besides = useMemo(() => {
    const { wire } = readyAgent(node as unknown as AgentNode, new Compiler(document));
    return HOUSE_TOKENS + wire.reduce((sum, t) => sum + estimateTokens(JSON.stringify(t)), 0);
  }, [node, document]);
  return (
    <>
      <ProfileInput node={node} set={set} />
      <PromptParts node={node} set={set} besides={besides} />
      <AgentTools tools={(node['tools'] as readonly AgentTool[] | undefined) ?? []} onChange={(tools) => set('tools', tools)} />
      <Ways node={node} set={set} />
      <AnswerFields node={node} set={set} label="Values that it hands on; words without any" />
      <OptionalTarget
        label={node['gives'] === undefined ? 'Keep its answer as' : 'Keep what it hands on as'}
        field="/into"
        value={node['into'] as string | undefined}
        onChange={(v) => set('into', v)}
      />
      <Limits node={node} set={set} />
    </>
  );
}

/** How it behaves towards the visitor, and what it is told and shown. */
function Ways({ node, set }: EditorProps) {
  const flag = (name: string) => (on: boolean) => set(name, on ? true : undefined);
  return (
    <>
      <div className="fld ticks">
        <Ticked label="stays with the visitor until its task is done" on={node['stays'] === true} onChange={flag('stays')} />
        <Ticked label="shows the visitor what it is doing" on={node['shows'] === true} onChange={flag('shows')} />
        <Ticked label="plain text: marks are taken out" on={node['plain'] === true} onChange={flag('plain')} />
        <Ticked
          label="told date, weekday, time and zone"
          on={node['clock'] !== false}
          onChange={(on) => set('clock', on ? undefined : false)}
        />
      </div>
      <RecallFields node={node} set={set} usual={10} />
      <PicturesInput node={node} set={set} />
    </>
  );
}

const SCOPES = [
  ['conversation', 'in one conversation'],
  ['visitor', 'for one visitor a day'],
  ['day', 'for everybody a day'],
] as const;
const KINDS = [
  ['steps', 'Calls of the model'],
  ['tokens', 'Tokens'],
  ['money', 'Money'],
] as const;

/** How far it may go: in a turn, a conversation, for a visitor, on a day. */
function Limits({ node, set }: { readonly node: FlowNode; readonly set: EditorProps['set'] }) {
  const limits = (node['limits'] as AgentLimits | undefined) ?? {};
  const write = (next: Record<string, unknown>) => {
    const kept = Object.fromEntries(Object.entries(next).filter(([, v]) => v !== undefined));
    set('limits', Object.keys(kept).length === 0 ? undefined : kept);
  };
  const spent = (of: Record<string, unknown>, kind: string, value: number | undefined) => {
    const kept = Object.fromEntries(Object.entries({ ...of, [kind]: value }).filter(([, v]) => v !== undefined));
    return Object.keys(kept).length === 0 ? undefined : kept;
  };
  return (
    <details className="fld limits" open={node['limits'] !== undefined}>
      <summary>Limits</summary>
      <h3 className="caps">In one turn</h3>
      <div className="trio">
        {KINDS.map(([kind, label]) => (
          <NumberField
            key={kind}
            label={`${label} in one turn`}
            value={limits[kind]}
            {...(kind === 'steps' ? { usual: 8, most: 40 } : {})}
            fraction={kind === 'money'}
            onChange={(v) => write({ ...limits, [kind]: v })}
          />
        ))}
      </div>
      <DurationInput
        label="Time for one turn"
        field="/limits/time"
        usual="120s"
        value={limits.time}
        onChange={(time) => write({ ...limits, time })}
      />
      {SCOPES.map(([scope, words]) => (
        <div key={scope}>
          <h3 className="caps">{words}</h3>
          <div className="trio">
            {KINDS.map(([kind, label]) => (
              <NumberField
                key={kind}
                label={`${label} ${words}`}
                value={limits[scope]?.[kind]}
                fraction={kind === 'money'}
                onChange={(v) => write({ ...limits, [scope]: spent({ ...limits[scope] }, kind, v) })}
              />
            ))}
          </div>
        </div>
      ))}
      <UnderField field="/limits" />
    </details>
  );
}
