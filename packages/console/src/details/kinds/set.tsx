import type { Value } from '@primrose/core';
import { RemoveButton, Rows, TargetInput, TextInput, UnderField } from '../fields.js';
import type { EditorProps } from './registry.js';

type Setting = { readonly into: string } & ({ readonly to: Value } | { readonly add: Value } | { readonly remove: Value });
type Way = 'to' | 'add' | 'remove';
const WAYS: readonly (readonly [Way, string])[] = [
  ['to', 'becomes'],
  ['add', 'gets added'],
  ['remove', 'loses'],
];

/** How a line changes its variable, and with which value. */
function wayOf(setting: Setting): [Way, Value] {
  if ('add' in setting) return ['add', setting.add];
  return 'remove' in setting ? ['remove', setting.remove] : ['to', setting.to];
}

/** A value as it is written in a field; what is not text shows as JSON. */
export function written(value: Value | undefined): string {
  if (value === undefined || value === null) return '';
  return typeof value === 'string' ? value : JSON.stringify(value);
}

export function SetEditor({ node, set }: EditorProps) {
  const sets = node['sets'] as Setting[];
  const write = (i: number, into: string, way: Way, value: Value) =>
    set(
      'sets',
      sets.map((s, j) => (i === j ? { into, [way]: value } : s)),
    );
  return (
    <>
      <Rows label="Values" add="a value" onAdd={() => set('sets', [...sets, { into: 'flow.value', to: '' }])}>
        {sets.map((s, i) => {
          const [way, value] = wayOf(s);
          return (
            <div className="pair double" key={i}>
              <TargetInput
                label="Variable"
                field={`/sets/${i}/into`}
                value={s.into}
                onChange={(into) => write(i, into, way, value)}
              />
              <select
                className="form-select"
                aria-label={`What happens to ${s.into}`}
                value={way}
                onChange={(e) => write(i, s.into, e.target.value as Way, value)}
              >
                {WAYS.map(([key, words]) => (
                  <option key={key} value={key}>
                    {words}
                  </option>
                ))}
              </select>
              <TextInput
                label="Value"
                code
                field={`/sets/${i}/${way}`}
                placeholder="empty"
                value={written(value)}
                onChange={(to) => write(i, s.into, way, to === '' ? null : to)}
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
          );
        })}
      </Rows>
      <UnderField field="/sets" />
    </>
  );
}
