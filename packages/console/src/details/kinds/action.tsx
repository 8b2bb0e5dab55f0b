import { actionNames, DURATION_PATTERN, actionTarget, findAction, type Value } from '@primrose/core';
import { OptionalTarget, ShapedInput, TextInput, UnderField, useFieldSetting } from '../fields.js';
import { Cases, type Case } from './cases.js';
import { DURATION_WRONG } from './pause.js';
import type { EditorProps } from './registry.js';
import { written } from './set.js';

export function ActionEditor({ node, set }: EditorProps) {
  const { document } = useFieldSetting();
  const runs = node['runs'] as string;
  const given = (node['given'] as Record<string, Value> | undefined) ?? {};
  const names = actionNames(document);
  const action = findAction(document, runs)?.action;
  const target = action && actionTarget(action);
  const inputs = [...new Set([...Object.keys(action?.takes ?? {}), ...Object.keys(given)])];
  const give = (key: string, text: string) => {
    const { [key]: _old, ...rest } = given;
    set('given', text === '' ? rest : { ...given, [key]: text });
  };
  return (
    <>
      <div className="fld">
        <label htmlFor="runs">Action</label>
        <select id="runs" className="form-select" value={runs} onChange={(e) => set('runs', e.target.value)}>
          {!names.includes(runs) && <option value={runs}>{runs === '' ? 'choose one' : runs}</option>}
          {names.map((n) => (
            <option key={n}>{n}</option>
          ))}
        </select>
        {target && (
          <p className="reads">
            <span>
              {target.method.toUpperCase()} {target.path}
            </span>
          </p>
        )}
        {names.length === 0 && (
          <p className="mistake mild">This bot has no actions yet. They are described in its files, under doing/.</p>
        )}
        <UnderField field="/runs" />
      </div>
      {inputs.map((key) => (
        <TextInput
          key={key}
          label={key.replaceAll('_', ' ')}
          code
          field={`/given/${key}`}
          value={written(given[key])}
          onChange={(v) => give(key, v)}
        />
      ))}
      <UnderField field="/given" />
      <OptionalTarget field="/into" value={node['into'] as string | undefined} onChange={(v) => set('into', v)} />
      <Cases cases={(node['cases'] as Case[] | undefined) ?? []} onChange={(v) => set('cases', v.length === 0 ? undefined : v)} />
      <ShapedInput
        label="Wait at most"
        value={(node['timeout'] as string | undefined) ?? ''}
        placeholder="10s"
        form={new RegExp(`^$|${DURATION_PATTERN.source}`)}
        wrong={DURATION_WRONG}
        onChange={(v) => set('timeout', v === '' ? undefined : v)}
      />
    </>
  );
}
