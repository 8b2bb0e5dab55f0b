import { CodeInput } from '../CodeInput.js';
import { DurationInput } from '../DurationInput.js';
import { OptionalTarget, ShapedInput } from '../fields.js';
import { ProfileInput } from '../ProfileInput.js';
import { Ticked } from '../Ticked.js';
import type { EditorProps } from './editor.js';

export function DrawEditor({ node, set }: EditorProps) {
  const text = (name: string) => (node[name] as string | undefined) ?? '';
  return (
    <>
      <ProfileInput node={node} set={set} />
      <CodeInput label="What is drawn" mode="template" field="/says" value={text('says')} onChange={(v) => set('says', v)} />
      <ShapedInput
        label="Width and height in points"
        code
        value={text('size')}
        placeholder="512x512"
        form={/^$|^\d{2,4}x\d{2,4}$/}
        wrong="Two numbers such as 512x512."
        onChange={(v) => set('size', v === '' ? undefined : v)}
      />
      <CodeInput
        label="For those who do not see it"
        mode="template"
        field="/alt"
        value={text('alt')}
        placeholder="what is drawn"
        onChange={(v) => set('alt', v === '' ? undefined : v)}
      />
      <div className="fld ticks">
        <Ticked
          label="shown to the visitor"
          on={node['shows'] !== false}
          onChange={(on) => set('shows', on ? undefined : false)}
        />
      </div>
      <OptionalTarget
        label="Keep its address as"
        field="/into"
        value={node['into'] as string | undefined}
        onChange={(v) => set('into', v)}
      />
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
