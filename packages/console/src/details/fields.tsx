import { problemSentence, textOf, type BotDocument, type Problem, type ResolvedValue, type Text } from '@primrose/core';
import { createContext, useContext, useId, useState, type ReactNode } from 'react';

/** What the fields of one node share: its problems by field, and what its fields read as in the last turn. */
export interface FieldSetting {
  readonly document: BotDocument;
  readonly problems: readonly Problem[];
  readonly resolved: readonly ResolvedValue[];
}

export const FieldContext = createContext<FieldSetting | undefined>(undefined);

export function useFieldSetting(): FieldSetting {
  const setting = useContext(FieldContext);
  if (!setting) throw new Error('a field stands outside the details');
  return setting;
}

/** Under a field: what is wrong in it, and what it read as in the last simulated turn. */
export function UnderField({ field }: { readonly field: string }) {
  const { problems, resolved } = useFieldSetting();
  const value = resolved.find((r) => r.field === field);
  return (
    <>
      {value && (
        <div className="reads">
          <span>{value.value === null ? 'empty' : textOf(value.value).slice(0, 300)}</span>
          <span className="src">last turn</span>
        </div>
      )}
      {problems
        .filter((p) => p.field === field)
        .map((p, i) => (
          <p key={i} className={`mistake${p.severity === 'warning' ? ' mild' : ''}`} role="status">
            {problemSentence(p)}
          </p>
        ))}
    </>
  );
}

interface InputProps {
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

const TARGET = /^(flow|session|visitor)\.[a-z][a-z0-9]*(_[a-z0-9]+)*$/;

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
      form={TARGET}
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
      form={new RegExp(`^$|${TARGET.source}`)}
      wrong="Write a variable such as flow.day, or leave it empty."
      onChange={(v) => onChange(v === '' ? undefined : v)}
    />
  );
}

interface WordsProps {
  readonly label: string;
  readonly field: string;
  readonly value: Text | undefined;
  readonly onChange: (value: Text | undefined) => void;
  readonly optional?: boolean;
}

/** The wordings of a text in one language. */
function wordingsIn(value: Text | undefined, language: string, first: string): string[] {
  if (value === undefined) return [''];
  if (typeof value === 'string') return language === first ? [value] : [''];
  if (Array.isArray(value)) return language === first ? value : [''];
  const own = value[language] ?? '';
  return Array.isArray(own) ? own : [own];
}

/** The shortest form of a text: a string where that is enough, a list of wordings, else one of these per language. */
function compact(byLanguage: Readonly<Record<string, string[]>>, first: string): Text | undefined {
  const filled = Object.entries(byLanguage).filter(([language, list]) => language === first || list.some((t) => t !== ''));
  const short = (list: string[]): string | string[] => (list.length === 1 ? (list[0] ?? '') : list);
  const only = filled[0];
  if (filled.length === 1 && only?.[0] === first) return short(only[1]);
  return Object.fromEntries(filled.map(([language, list]) => [language, short(list)]));
}

/** Words that the visitor reads: per language of the bot, one wording or several that take turns. */
export function WordsInput({ label, field, value, onChange, optional = false }: WordsProps) {
  const { document } = useFieldSetting();
  const first = document.languages[0] ?? 'en';
  const [language, setLanguage] = useState(first);
  const id = useId();
  const list = wordingsIn(value, language, first);
  const plain = typeof value !== 'object' || Array.isArray(value);
  const write = (next: string[]) => {
    const all = Object.fromEntries(document.languages.map((l) => [l, l === language ? next : wordingsIn(value, l, first)]));
    const made = compact(all, first);
    onChange(optional && made === '' ? undefined : made);
  };
  const place = plain && language === first ? field : `${field}/${language}`;
  return (
    <div className="fld">
      <div className="lab">
        <label htmlFor={`${id}-0`}>{label}</label>
        {document.languages.length > 1 && (
          <span className="langs" role="group" aria-label={`Language of ${label}`}>
            {document.languages.map((l) => (
              <button key={l} type="button" aria-pressed={l === language} onClick={() => setLanguage(l)}>
                {l}
              </button>
            ))}
          </span>
        )}
      </div>
      {list.map((wording, i) => (
        <Wording
          key={i}
          id={`${id}-${i}`}
          text={wording}
          field={list.length > 1 ? `${place}/${i}` : place}
          onChange={(t) => write(list.map((w, j) => (i === j ? t : w)))}
          {...(list.length > 1 ? { onRemove: () => write(list.filter((_, j) => j !== i)) } : {})}
        />
      ))}
      <button className="bare note" type="button" onClick={() => write([...list, ''])}>
        + another wording, taken in turn
      </button>
    </div>
  );
}

function Wording({
  id,
  text,
  field,
  onChange,
  onRemove,
}: {
  readonly id: string;
  readonly text: string;
  readonly field: string;
  readonly onChange: (text: string) => void;
  readonly onRemove?: () => void;
}) {
  return (
    <div className={onRemove ? 'pair' : ''}>
      <div>
        <textarea id={id} className="form-control" dir="auto" rows={1} value={text} onChange={(e) => onChange(e.target.value)} />
        <UnderField field={field} />
      </div>
      {onRemove && <RemoveButton label="Remove this wording" onClick={onRemove} />}
    </div>
  );
}

export function RemoveButton({ label, onClick }: { readonly label: string; readonly onClick: () => void }) {
  return (
    <button className="bare" type="button" aria-label={label} title={label} onClick={onClick}>
      ×
    </button>
  );
}

/** A group of rows with a way to add one. */
export function Rows({
  label,
  add,
  onAdd,
  children,
}: {
  readonly label: string;
  readonly add: string;
  readonly onAdd: () => void;
  readonly children: ReactNode;
}) {
  return (
    <div className="fld">
      <div className="lab">{label}</div>
      {children}
      <button className="bare note" type="button" onClick={onAdd}>
        + {add}
      </button>
    </div>
  );
}
