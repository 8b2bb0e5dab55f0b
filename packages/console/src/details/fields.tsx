import { fixFor, problemSentence, TARGET_PATTERN, textOf, type Value } from '@primrose/core';
import { useId, useState } from 'react';
import { useFieldSetting } from './setting.js';

const MOST_LETTERS = 160;

/** A value as it is read under a field; of a long one its beginning, of a list how many it holds. */
function readAs(value: Value): string {
  if (value === null) return 'empty';
  const words = textOf(value);
  const cut = words.length > MOST_LETTERS ? `${words.slice(0, MOST_LETTERS)}…` : words;
  return Array.isArray(value) ? `${value.length === 1 ? '1 entry' : `${value.length} entries`}: ${cut}` : cut;
}

/** Under a field: what it read as in the last simulated turn, what is wrong in it, and what would mend that. */
export function UnderField({ field }: { readonly field: string }) {
  const { document, problems, resolved, readIn, applyFix } = useFieldSetting();
  const value = resolved.find((r) => r.field === field);
  const found = problems.filter((p) => p.field === field);
  const firstFixed = found.findIndex((p) => fixFor(p, document) !== undefined);
  return (
    <>
      {value && (
        <div className="reads">
          <span>{readAs(value.value)}</span>
          <span className="src">{readIn}</span>
        </div>
      )}
      {found.map((p, i) => (
        <p key={i} className={`mistake${p.severity === 'warning' ? ' mild' : ''}`} role="status">
          {problemSentence(p)}{' '}
          {i === firstFixed && (
            <button className="bare fix" type="button" onClick={() => applyFix(field)}>
              {fixFor(p, document)?.label} <kbd>Alt+Enter</kbd>
            </button>
          )}
        </p>
      ))}
    </>
  );
}

export interface InputProps {
  readonly label: string;
  readonly value: string;
  readonly field?: string;
  readonly code?: boolean;
  readonly placeholder?: string;
  readonly onChange: (value: string) => void;
  readonly list?: readonly string[];
}

export function TextInput({ label, value, field, code = false, placeholder, onChange, list }: InputProps) {
  const id = useId();
  return (
    <div className="fld">
      <label htmlFor={id}>{label}</label>
      <input
        id={id}
        className={`form-control${code ? ' code' : ''}`}
        value={value}
        placeholder={placeholder}
        spellCheck={!code}
        autoComplete="off"
        list={list ? `${id}-list` : undefined}
        onChange={(e) => onChange(e.target.value)}
      />
      {list && (
        <datalist id={`${id}-list`}>
          {list.map((l) => (
            <option key={l} value={l} />
          ))}
        </datalist>
      )}
      {field !== undefined && <UnderField field={field} />}
    </div>
  );
}

/** An input whose text is taken only while it has the right form; until then it says what is wrong. */
export function ShapedInput({ form, wrong, onChange, ...props }: InputProps & { readonly form: RegExp; readonly wrong: string }) {
  const [typed, setTyped] = useState(props.value);
  const bad = !form.test(typed);
  const change = (text: string) => {
    setTyped(text);
    if (form.test(text)) onChange(text);
  };
  return (
    <>
      <TextInput {...props} value={typed} onChange={change} />
      {bad && (
        <p className="mistake" role="alert">
          {wrong}
        </p>
      )}
    </>
  );
}

/** Where a value goes: `flow.x`, `session.x` or `visitor.x`. */
export function TargetInput({ label, value, field, onChange }: InputProps) {
  const { document } = useFieldSetting();
  const declared = (['session', 'visitor'] as const).flatMap((scope) =>
    Object.keys(document.variables?.[scope] ?? {}).map((n) => `${scope}.${n}`),
  );
  return (
    <ShapedInput
      label={label}
      code
      value={value}
      {...(field === undefined ? {} : { field })}
      list={declared}
      form={TARGET_PATTERN}
      wrong="Write a variable such as flow.day, session.day or visitor.first_name. Not kept until it has this form."
      onChange={onChange}
    />
  );
}

/** An optional target: empty means that the value is not kept. */
export function OptionalTarget({
  label = 'Keep it as',
  value,
  onChange,
  field,
}: {
  readonly label?: string;
  readonly value: string | undefined;
  readonly field: string;
  readonly onChange: (v: string | undefined) => void;
}) {
  return (
    <ShapedInput
      label={label}
      code
      value={value ?? ''}
      field={field}
      placeholder="flow.name, or nothing"
      form={new RegExp(`^$|${TARGET_PATTERN.source}`)}
      wrong="Write a variable such as flow.day, or leave it empty."
      onChange={(v) => onChange(v === '' ? undefined : v)}
    />
  );
}
