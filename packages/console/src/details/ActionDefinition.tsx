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

/** How an action is asked and what is taken from its answer: address with parameters, query, JSON body. It is shared by all nodes that run it. */
export function ActionDefinition({ connection, id, action }: ActionDefinitionProps) {
  const { edit } = useDraftHandle();
  const target = actionTarget(action) ?? { method: 'get', path: '/' };
  const takes = Object.entries(action.takes ?? {});
  const inputs = takes.map(([name]) => name);
  const { query = {}, body, ...others } = action.sends ?? {};
  const write = (next: Action) =>
    edit((d) => {
      const before = d.connections?.[connection];
      if (!before) return d;
      const made = { ...before, actions: { ...before.actions, [id]: next } };
      return { ...d, connections: { ...d.connections, [connection]: made } };
    });
  const address = (method: string, path: string) => {
    const { get: _g, post: _p, put: _u, patch: _a, delete: _d, ...rest } = action;
    write({ ...rest, [method]: path });
  };
  const sends = (change: object) => {
    const next = Object.entries({ ...others, query, body, ...change }).filter(
      ([key, v]) => v !== undefined && !(key === 'query' && empty(v)),
    );
    const { sends: _old, ...rest } = action;
    write(next.length === 0 ? rest : { ...rest, sends: Object.fromEntries(next) });
  };
  /** The table with one row changed or taken out; a name that another row has changes nothing. */
  const rows = <T,>(entries: readonly (readonly [string, T])[], i: number, entry: readonly [string, T] | undefined) => {
    const taken = entries.some(([name], j) => j !== i && name === entry?.[0]);
    return Object.fromEntries(taken ? entries : entries.flatMap((e, j) => (i !== j ? [e] : entry ? [entry] : [])));
  };
  return (
    <div className="branchbox" aria-label={`The action ${id}`} role="group">
      <p className="note">Shared by every node that runs {id}.</p>
      <div className="addressfield">
        <select
          className="form-select"
          aria-label="Method"
          value={target.method}
          onChange={(e) => address(e.target.value, target.path)}
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
          locals={inputs}
          value={target.path}
          onChange={(path) => address(target.method, path)}
        />
      </div>
      <Rows
        label="It takes"
        add="an input"
        onAdd={() => write({ ...action, takes: { ...action.takes, [freeName(inputs)]: 'text' } })}
      >
        {takes.map(([name, type], i) => (
          <div className="pair double" key={i}>
            <ShapedInput
              label="Name"
              code
              value={name}
              form={NAME_PATTERN}
              wrong="Small letters, digits and underscores."
              onChange={(v) => write({ ...action, takes: rows(takes, i, [v, type]) })}
            />
            <ShapedInput
              label="Type, with ? if it may be empty"
              code
              value={typeName(type)}
              form={TYPE}
              wrong="A type such as text, date? or port."
              onChange={(v) => write({ ...action, takes: rows(takes, i, [name, v]) })}
            />
            <RemoveButton
              label={`Remove the input ${name}`}
              onClick={() => write({ ...action, takes: rows(takes, i, undefined) })}
            />
          </div>
        ))}
      </Rows>
      <Rows
        label="Sends in the address"
        add="a parameter"
        onAdd={() => sends({ query: { ...query, [freeName(Object.keys(query))]: '' } })}
      >
        {Object.entries(query).map(([name, value], i, all) => (
          <div className="pair double" key={i}>
            <ShapedInput
              label="Name"
              code
              value={name}
              form={/^\S+$/}
              wrong="A name without blanks."
              onChange={(v) => sends({ query: rows(all, i, [v, value]) })}
            />
            <CodeInput
              label={`Value of ${name}`}
              mode="template"
              field={`/definition/query/${name}`}
              locals={inputs}
              value={asText(value)}
              onChange={(v) => sends({ query: rows(all, i, [name, v]) })}
            />
            <RemoveButton label={`Remove the parameter ${name}`} onClick={() => sends({ query: rows(all, i, undefined) })} />
          </div>
        ))}
      </Rows>
      {target.method !== 'get' && <JsonBody value={body} locals={inputs} onChange={(v) => sends({ body: v })} />}
      <Rows
        label="Takes from the answer; all of it without any"
        add="a field"
        onAdd={() =>
          write({ ...action, gives: { ...action.gives, [freeName(Object.keys(action.gives ?? {}))]: '{{ answer }}' } })
        }
      >
        {Object.entries(action.gives ?? {}).map(([name, value], i, all) => (
          <div className="pair double" key={i}>
            <ShapedInput
              label="Name"
              code
              value={name}
              form={NAME_PATTERN}
              wrong="Small letters, digits and underscores."
              onChange={(v) => write({ ...action, gives: rows(all, i, [v, value]) })}
            />
            <CodeInput
              label={`Where ${name} is`}
              mode="template"
              field={`/definition/gives/${name}`}
              locals={ANSWER}
              value={asText(value)}
              onChange={(v) => write({ ...action, gives: rows(all, i, [name, v]) })}
            />
            <RemoveButton label={`Do not take ${name}`} onClick={() => write(without(action, rows(all, i, undefined)))} />
          </div>
        ))}
      </Rows>
    </div>
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
