import { actionTarget, METHODS, NAME_PATTERN, typeName, type Action, type Value } from '@primrose/core';
import { useState } from 'react';
import { CodeInput } from './CodeInput.js';
import { ShapedInput } from './fields.js';
import { RemoveButton, Rows } from './Rows.js';
import { useDraftHandle } from '../draft/context.js';

const TYPE = /^[a-z][a-z0-9_]*\??$/;

interface ActionDefinitionProps {
  readonly connection: string;
  readonly id: string;
  readonly action: Action;
}

interface EditProps {
  readonly action: Action;
  readonly write: (next: Action) => void;
}

/** The table with one row changed or taken out; a name that another row has changes nothing. */
function withRow<T>(entries: readonly (readonly [string, T])[], i: number, entry: readonly [string, T] | undefined) {
  const taken = entries.some(([name], j) => j !== i && name === entry?.[0]);
  return Object.fromEntries(taken ? entries : entries.flatMap((e, j) => (i !== j ? [e] : entry ? [entry] : [])));
}

/** An action that sends something else: its query, its body. */
function withSent(action: Action, change: Partial<NonNullable<Action['sends']>>): Action {
  const next = Object.entries({ ...action.sends, ...change }).filter(
    ([key, v]) => v !== undefined && !(key === 'query' && empty(v)),
  );
  const { sends: _old, ...rest } = action;
  return next.length === 0 ? rest : { ...rest, sends: Object.fromEntries(next) };
}

/** How an action is asked and what is taken from its answer: address with parameters, query, JSON body. It is shared by all nodes that run it. */
export function ActionDefinition({ connection, id, action }: ActionDefinitionProps) {
  const { edit } = useDraftHandle();
  const inputs = Object.keys(action.takes ?? {});
  const write = (next: Action) =>
    edit((d) => {
      const before = d.connections?.[connection];
      if (!before) return d;
      const made = { ...before, actions: { ...before.actions, [id]: next } };
      return { ...d, connections: { ...d.connections, [connection]: made } };
    });
  const { method } = targetOf(action);
  return (
    <div className="branchbox" aria-label={`The action ${id}`} role="group">
      <p className="note">Shared by every node that runs {id}.</p>
      <Address action={action} write={write} />
      <Inputs action={action} write={write} />
      <Query action={action} write={write} />
      {method !== 'get' && (
        <JsonBody value={action.sends?.body} locals={inputs} onChange={(v) => write(withSent(action, { body: v }))} />
      )}
      <Outputs action={action} write={write} />
    </div>
  );
}

const targetOf = (action: Action) => actionTarget(action) ?? ({ method: 'get', path: '/' } as const);

function Address({ action, write }: EditProps) {
  const target = targetOf(action);
  const change = (method: string, path: string) => {
    const { get: _g, post: _p, put: _u, patch: _a, delete: _d, ...rest } = action;
    write({ ...rest, [method]: path });
  };
  return (
    <div className="addressfield">
      <select
        className="form-select"
        aria-label="Method"
        value={target.method}
        onChange={(e) => change(e.target.value, target.path)}
      >
        {METHODS.map((m) => (
          <option key={m} value={m}>
            {m.toUpperCase()}
          </option>
        ))}
      </select>
      <CodeInput
        label="Address"
        mode="template"
        field={`/definition/${target.method}`}
        locals={Object.keys(action.takes ?? {})}
        value={target.path}
        onChange={(path) => change(target.method, path)}
      />
    </div>
  );
}

/** The name of a row, which has to be of a form. */
function NameInput({ value, form, wrong, onChange }: Omit<Parameters<typeof ShapedInput>[0], 'label' | 'code'>) {
  return <ShapedInput label="Name" code value={value} form={form} wrong={wrong} onChange={onChange} />;
}

const NAME_WRONG = 'Small letters, digits and underscores.';

function Inputs({ action, write }: EditProps) {
  const takes = Object.entries(action.takes ?? {});
  const set = (next: Record<string, (typeof takes)[number][1]>) => write({ ...action, takes: next });
  const names = takes.map(([name]) => name);
  return (
    <Rows label="It takes" add="an input" onAdd={() => set({ ...action.takes, [freeName(names)]: 'text' })}>
      {takes.map(([name, type], i) => (
        <div className="pair double" key={i}>
          <NameInput value={name} form={NAME_PATTERN} wrong={NAME_WRONG} onChange={(v) => set(withRow(takes, i, [v, type]))} />
          <ShapedInput
            label="Type, with ? if it may be empty"
            code
            value={typeName(type)}
            form={TYPE}
            wrong="A type such as text, date? or port."
            onChange={(v) => set(withRow(takes, i, [name, v]))}
          />
          <RemoveButton label={`Remove the input ${name}`} onClick={() => set(withRow(takes, i, undefined))} />
        </div>
      ))}
    </Rows>
  );
}

function Query({ action, write }: EditProps) {
  const { query = {} } = action.sends ?? {};
  const inputs = Object.keys(action.takes ?? {});
  const all = Object.entries(query);
  const set = (next: Record<string, Value>) => write(withSent(action, { query: next }));
  return (
    <Rows label="Sends in the address" add="a parameter" onAdd={() => set({ ...query, [freeName(Object.keys(query))]: '' })}>
      {all.map(([name, value], i) => (
        <div className="pair double" key={i}>
          <NameInput
            value={name}
            form={/^\S+$/}
            wrong="A name without blanks."
            onChange={(v) => set(withRow(all, i, [v, value]))}
          />
          <CodeInput
            label={`Value of ${name}`}
            mode="template"
            field={`/definition/query/${name}`}
            locals={inputs}
            value={asText(value)}
            onChange={(v) => set(withRow(all, i, [name, v]))}
          />
          <RemoveButton label={`Remove the parameter ${name}`} onClick={() => set(withRow(all, i, undefined))} />
        </div>
      ))}
    </Rows>
  );
}

function Outputs({ action, write }: EditProps) {
  const all = Object.entries(action.gives ?? {});
  const set = (next: Record<string, Value>) => write({ ...action, gives: next });
  const names = all.map(([name]) => name);
  return (
    <Rows
      label="Takes from the answer; all of it without any"
      add="a field"
      onAdd={() => set({ ...action.gives, [freeName(names)]: '{{ answer }}' })}
    >
      {all.map(([name, value], i) => (
        <div className="pair double" key={i}>
          <NameInput value={name} form={NAME_PATTERN} wrong={NAME_WRONG} onChange={(v) => set(withRow(all, i, [v, value]))} />
          <CodeInput
            label={`Where ${name} is`}
            mode="template"
            field={`/definition/gives/${name}`}
            locals={ANSWER}
            value={asText(value)}
            onChange={(v) => set(withRow(all, i, [name, v]))}
          />
          <RemoveButton label={`Do not take ${name}`} onClick={() => write(without(action, withRow(all, i, undefined)))} />
        </div>
      ))}
    </Rows>
  );
}

const ANSWER = ['answer'];
const empty = (value: unknown) => typeof value === 'object' && value !== null && Object.keys(value).length === 0;
const asText = (value: Value) => (typeof value === 'string' ? value : JSON.stringify(value));

function without({ gives: _old, ...action }: Action, gives: Record<string, Value>): Action {
  return Object.keys(gives).length === 0 ? action : { ...action, gives };
}

function freeName(taken: readonly string[]): string {
  for (let n = taken.length + 1; ; n++) if (!taken.includes(`input_${n}`)) return `input_${n}`;
}

interface JsonBodyProps {
  readonly value: Value | undefined;
  readonly locals: readonly string[];
  readonly onChange: (value: Value | undefined) => void;
}

/** The body as JSON with values in its texts; kept while it can be read. */
function JsonBody({ value, locals, onChange }: JsonBodyProps) {
  const [typed, setTyped] = useState(value === undefined ? '' : JSON.stringify(value, null, 2));
  const [wrong, setWrong] = useState<string>();
  const change = (text: string) => {
    setTyped(text);
    try {
      onChange(text.trim() === '' ? undefined : (JSON.parse(text) as Value));
      setWrong(undefined);
    } catch (error) {
      setWrong(error instanceof Error ? error.message : 'This is not JSON.');
    }
  };
  return (
    <>
      <CodeInput label="JSON body" mode="json" field="/definition/body" locals={locals} value={typed} onChange={change} />
      {wrong !== undefined && (
        <p className="mistake" role="alert">
          Not kept until it is JSON: {wrong}. Put values in quotes, such as &quot;{'{{ day }}'}&quot;.
        </p>
      )}
    </>
  );
}
