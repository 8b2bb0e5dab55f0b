import { DurationInput } from '../DurationInput.js';
import { CodeInput } from '../CodeInput.js';
import { estimateTokens, textOf, type TypeDeclaration } from '@primrose/core';
import { RemoveButton, Rows } from '../Rows.js';
import { ShapedInput, TargetInput, TextInput, UnderField } from '../fields.js';
import { useFieldSetting } from '../setting.js';
import type { EditorProps } from './editor.js';

interface Part {
  readonly part: string;
  readonly says: string;
  readonly input?: boolean;
}

const NAME = /^[a-z][a-z0-9]*(_[a-z0-9]+)*$/;
const TYPE = /^[a-z][a-z0-9_]*\??$/;

const typeOf = (d: TypeDeclaration): string => (typeof d === 'string' ? d : d.type);
const aboutOf = (d: TypeDeclaration): string => (typeof d === 'string' ? '' : (d.about ?? ''));

export function ModelEditor({ node, set }: EditorProps) {
  const { document } = useFieldSetting();
  const profiles = Object.keys(document.models ?? {});
  const uses = node['uses'] as string;
  return (
    <>
      <div className="fld">
        <label htmlFor="profile">Model profile</label>
        <select id="profile" className="form-select" value={uses} onChange={(e) => set('uses', e.target.value)}>
          {!profiles.includes(uses) && <option value={uses}>{uses || 'choose one'}</option>}
          {profiles.map((p) => (
            <option key={p}>{p}</option>
          ))}
        </select>
        <UnderField field="/uses" />
      </div>
      <Prompt node={node} set={set} />
      <Fields node={node} set={set} />
      <TargetInput label="Keep the answer as" field="/into" value={node['into'] as string} onChange={(v) => set('into', v)} />
      <div className="fld">
        <Ticked
          label="told date, weekday, time and zone"
          on={node['clock'] !== false}
          onChange={(on) => set('clock', on ? undefined : false)}
        />
      </div>
      <div className="fld">
        <Ticked
          label="said aloud, sentence by sentence"
          on={node['aloud'] === true}
          onChange={(on) => set('aloud', on ? true : undefined)}
        />
        <UnderField field="/aloud" />
      </div>
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

interface TickedProps {
  readonly label: string;
  readonly on: boolean;
  readonly onChange: (on: boolean) => void;
}

function Ticked({ label, on, onChange }: TickedProps) {
  return (
    <label className="note">
      <input type="checkbox" checked={on} onChange={(e) => onChange(e.target.checked)} /> {label}
    </label>
  );
}

/** The prompt in its parts, and about how long it is. */
function Prompt({ node, set }: EditorProps) {
  const { resolved } = useFieldSetting();
  const parts = node['parts'] as Part[];
  const write = (i: number, part: Part) =>
    set(
      'parts',
      parts.map((p, j) => (i === j ? part : p)),
    );
  const remove = (i: number) =>
    set(
      'parts',
      parts.filter((_, j) => j !== i),
    );
  const whole = parts.map((p, i) => textOf(resolved.find((r) => r.field === `/parts/${i}/says`)?.value ?? p.says)).join('\n');
  return (
    <>
      <Rows label="Prompt" add="a part" onAdd={() => set('parts', [...parts, { part: `part ${parts.length + 1}`, says: '' }])}>
        {parts.map((p, i) => (
          <div className="branchbox" key={i}>
            <div className="pair">
              <TextInput label="Part" value={p.part} onChange={(part) => write(i, { ...p, part: part.slice(0, 60) || 'part' })} />
              <RemoveButton label={`Remove the part ${p.part}`} onClick={() => remove(i)} />
            </div>
            <CodeInput
              label={`Text of ${p.part}`}
              mode="template"
              field={`/parts/${i}/says`}
              value={p.says}
              onChange={(says) => write(i, { ...p, says })}
            />
            <Ticked
              label="what others wrote, no instruction"
              on={p.input ?? false}
              onChange={(on) => write(i, withInput(p, on))}
            />
          </div>
        ))}
      </Rows>
      <p className="note" role="status">
        About {estimateTokens(whole)} tokens, before what Primrose adds.
      </p>
      <UnderField field="/parts" />
    </>
  );
}

function withInput({ input: _old, ...part }: Part, input: boolean): Part {
  return input ? { ...part, input } : part;
}

/** The fields of the answer, each with its type and what it is. */
function Fields({ node, set }: EditorProps) {
  const gives = Object.entries((node['gives'] as Record<string, TypeDeclaration> | undefined) ?? {});
  const write = (next: readonly (readonly [string, TypeDeclaration])[]) =>
    set('gives', next.length === 0 ? undefined : Object.fromEntries(next));
  const change = (i: number, entry: readonly [string, TypeDeclaration]) => write(gives.map((g, j) => (i === j ? entry : g)));
  return (
    <Rows
      label="Fields of the answer; text without any"
      add="a field"
      onAdd={() => write([...gives, [freeName(gives), 'text?']])}
    >
      {gives.map(([name, declaration], i) => (
        <div className="branchbox" key={i}>
          <div className="pair double">
            <ShapedInput
              label="Name"
              code
              value={name}
              form={NAME}
              wrong="Small letters, digits and underscores."
              onChange={(v) => change(i, [v, declaration])}
            />
            <ShapedInput
              label="Type, with ? if it may be empty"
              code
              value={typeOf(declaration)}
              form={TYPE}
              wrong="A type such as text, date? or port?."
              onChange={(type) => change(i, [name, aboutOf(declaration) === '' ? type : { type, about: aboutOf(declaration) }])}
            />
            <RemoveButton label={`Remove the field ${name}`} onClick={() => write(gives.filter((_, j) => j !== i))} />
          </div>
          <TextInput
            label="What it is"
            value={aboutOf(declaration)}
            onChange={(about) => change(i, [name, about === '' ? typeOf(declaration) : { type: typeOf(declaration), about }])}
          />
        </div>
      ))}
    </Rows>
  );
}

function freeName(gives: readonly (readonly [string, unknown])[]): string {
  for (let n = gives.length + 1; ; n++) if (!gives.some(([name]) => name === `field_${n}`)) return `field_${n}`;
}
