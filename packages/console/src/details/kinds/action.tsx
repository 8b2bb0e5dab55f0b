import { actionNames, actionTarget, findAction, type Value } from '@primrose/core';
import { useState } from 'react';
import { ActionDefinition } from '../ActionDefinition.js';
import { CodeInput } from '../CodeInput.js';
import { DurationInput } from '../DurationInput.js';
import { OptionalTarget, UnderField } from '../fields.js';
import { NewAction } from '../NewAction.js';
import { useFieldSetting } from '../setting.js';
import { Cases, type Case } from './cases.js';
import type { EditorProps } from './editor.js';
import { written } from './set.js';

const ANSWER = ['answer', 'status'];
const NEW = ' new';

export function ActionEditor({ node, set }: EditorProps) {
  const { document } = useFieldSetting();
  const runs = node['runs'] as string;
  const given = (node['given'] as Record<string, Value> | undefined) ?? {};
  const names = actionNames(document);
  const found = findAction(document, runs);
  const target = found && actionTarget(found.action);
  const inputs = [...new Set([...Object.keys(found?.action.takes ?? {}), ...Object.keys(given)])];
  const [making, setMaking] = useState(names.length === 0);
  const [shown, setShown] = useState(false);
  const give = (key: string, text: string) => {
    const { [key]: _old, ...rest } = given;
    set('given', text === '' ? rest : { ...given, [key]: text });
  };
  return (
    <>
      <div className="fld">
        <label htmlFor="runs">Action</label>
        <select
          id="runs"
          className="form-select"
          value={making ? NEW : runs}
          onChange={(e) => {
            setMaking(e.target.value === NEW);
            if (e.target.value !== NEW) set('runs', e.target.value);
          }}
        >
          {!names.includes(runs) && <option value={runs}>{runs === '' ? 'choose one' : runs}</option>}
          {names.map((n) => (
            <option key={n}>{n}</option>
          ))}
          <option value={NEW}>new action…</option>
        </select>
        {target && !making && (
          <div className="lab">
            <code>
              {target.method.toUpperCase()} {target.path}
            </code>
            <button className="bare note" type="button" aria-expanded={shown} onClick={() => setShown(!shown)}>
              {shown ? 'done' : 'edit the action'}
            </button>
          </div>
        )}
        <UnderField field="/runs" />
      </div>
      {making && (
        <NewAction
          onMade={(name) => {
            setMaking(false);
            setShown(true);
            set('runs', name);
            requestAnimationFrame(() => window.document.getElementById('runs')?.focus());
          }}
        />
      )}
      {shown && found && <ActionDefinition connection={found.connection} id={found.id} action={found.action} />}
      {inputs.map((key) => (
        <CodeInput
          key={key}
          label={key.replaceAll('_', ' ')}
          mode="template"
          field={`/given/${key}`}
          value={written(given[key])}
          onChange={(v) => give(key, v)}
        />
      ))}
      <UnderField field="/given" />
      <OptionalTarget field="/into" value={node['into'] as string | undefined} onChange={(v) => set('into', v)} />
      <Cases
        cases={(node['cases'] as Case[] | undefined) ?? []}
        locals={ANSWER}
        onChange={(v) => set('cases', v.length === 0 ? undefined : v)}
      />
      <DurationInput
        label="Wait at most"
        field="/timeout"
        usual="10s"
        value={node['timeout'] as string | undefined}
        onChange={(v) => set('timeout', v)}
      />
    </>
  );
}
