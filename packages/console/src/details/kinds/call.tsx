import { CodeInput } from '../CodeInput.js';
import type { Value } from '@primrose/core';
import { OptionalTarget, UnderField } from '../fields.js';
import { useFieldSetting } from '../setting.js';
import { written } from './set.js';

/** How a flow is called: which, what it is given, and where its results go. */
export interface CallFields {
  readonly calls: string;
  readonly given?: Readonly<Record<string, Value>>;
  readonly into?: Readonly<Record<string, string>>;
}

function without<T>(table: Readonly<Record<string, T>>, key: string): Record<string, T> {
  return Object.fromEntries(Object.entries(table).filter(([name]) => name !== key));
}

const orNothing = <T,>(table: Record<string, T>) => (Object.keys(table).length === 0 ? undefined : table);

interface CallEditorProps {
  readonly call: CallFields;
  /** Where the call stands in its node, as a JSON Pointer. */
  readonly at: string;
  readonly onChange: (field: 'calls' | 'given' | 'into', value: unknown) => void;
}

export function CallEditor({ call, at, onChange }: CallEditorProps) {
  const { document } = useFieldSetting();
  const { calls, given = {}, into = {} } = call;
  const flow = document.flows[calls];
  const inputs = [...new Set([...Object.keys(flow?.takes ?? {}), ...Object.keys(given)])];
  const outputs = [...new Set([...Object.keys(flow?.gives ?? {}), ...Object.keys(into)])];
  const id = `calls${at.replaceAll('/', '-')}`;
  return (
    <>
      <div className="fld">
        <label htmlFor={id}>Flow</label>
        <select id={id} className="form-select" value={calls} onChange={(e) => onChange('calls', e.target.value)}>
          {!flow && <option value={calls}>{calls === '' ? 'choose one' : calls}</option>}
          {Object.entries(document.flows).map(([name, f]) => (
            <option key={name} value={name}>
              {f.title ?? name}
            </option>
          ))}
        </select>
        <UnderField field={`${at}/calls`} />
      </div>
      {inputs.map((key) => (
        <CodeInput
          key={key}
          label={`${key.replaceAll('_', ' ')}, given`}
          mode="template"
          field={`${at}/given/${key}`}
          value={written(given[key])}
          onChange={(v) => onChange('given', orNothing(v === '' ? without(given, key) : { ...given, [key]: v }))}
        />
      ))}
      <UnderField field={`${at}/given`} />
      {outputs.map((key) => (
        <OptionalTarget
          key={key}
          label={`Keep ${key.replaceAll('_', ' ')} as`}
          field={`${at}/into/${key}`}
          value={into[key]}
          onChange={(v) => onChange('into', orNothing(v === undefined ? without(into, key) : { ...into, [key]: v }))}
        />
      ))}
    </>
  );
}
