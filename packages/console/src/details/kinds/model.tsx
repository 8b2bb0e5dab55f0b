import { AnswerFields } from '../AnswerFields.js';
import { DurationInput } from '../DurationInput.js';
import { OptionalTarget, UnderField } from '../fields.js';
import { ProfileInput } from '../ProfileInput.js';
import { PicturesInput, PromptParts } from '../PromptParts.js';
import { RecallFields } from '../RecallFields.js';
import { Ticked } from '../Ticked.js';
import { WaysFields } from '../WaysFields.js';
import type { EditorProps } from './editor.js';

export function ModelEditor({ node, set }: EditorProps) {
  const flag = (name: string) => (on: boolean) => set(name, on ? true : undefined);
  return (
    <>
      <ProfileInput node={node} set={set} />
      <PromptParts node={node} set={set} />
      <RecallFields node={node} set={set} />
      <AnswerFields node={node} set={set} />
      <WaysFields node={node} set={set} />
      <OptionalTarget
        label="Keep the answer as"
        field="/into"
        value={node['into'] as string | undefined}
        onChange={(v) => set('into', v)}
      />
      <div className="fld ticks">
        <Ticked
          label="told date, weekday, time and zone"
          on={node['clock'] !== false}
          onChange={(on) => set('clock', on ? undefined : false)}
        />
        <Ticked label="said aloud, sentence by sentence" on={node['aloud'] === true} onChange={flag('aloud')} />
        <UnderField field="/aloud" />
        <Ticked label="plain text: marks are taken out" on={node['plain'] === true} onChange={flag('plain')} />
        <UnderField field="/plain" />
      </div>
      <PicturesInput node={node} set={set} />
      <DurationInput
        label="Wait at most"
        field="/timeout"
        usual="30s"
        value={node['timeout'] as string | undefined}
        onChange={(v) => set('timeout', v)}
      />
    </>
  );
}
