import type { Value } from '@primrose/core';
import { RemoveButton, Rows, TargetInput, TextInput, UnderField } from '../fields.js';
import type { EditorProps } from './registry.js';

interface Setting {
  readonly into: string;
  readonly to: Value;
}

/** A value as it is written in a field; what is not text shows as JSON. */
export function written(value: Value | undefined): string {
  if (value === undefined || value === null) return '';
  return typeof value === 'string' ? value : JSON.stringify(value);
}

export function SetEditor({ node, set }: EditorProps) {
  const sets = node['sets'] as Setting[];
  const write = (i: number, change: Partial<Setting>) =>
    set(
      'sets',
      sets.map((s, j) => (i === j ? { ...s, ...change } : s)),
    );
  return (
    <>
      <Rows label="Values" add="a value" onAdd={() => set('sets', [...sets, { into: 'flow.value', to: '' }])}>
        {sets.map((s, i) => (
          <div className="pair double" key={i}>
            <TargetInput label="Variable" field={`/sets/${i}/into`} value={s.into} onChange={(into) => write(i, { into })} />
            <TextInput
              label="becomes"
              code
              field={`/sets/${i}/to`}
              placeholder="empty"
              value={written(s.to)}
              onChange={(to) => write(i, { to: to === '' ? null : to })}
            />
            <RemoveButton
              label={`Do not set ${s.into}`}
              onClick={() =>
                set(
                  'sets',
                  sets.filter((_, j) => j !== i),
                )
              }
            />
          </div>
        ))}
      </Rows>
      <UnderField field="/sets" />
    </>
  );
}
