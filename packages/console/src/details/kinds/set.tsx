import { CodeInput } from '../CodeInput.js';
import type { Value } from '@primrose/core';
import { RemoveButton, Rows, movedItem } from '../Rows.js';
import { TargetInput, UnderField } from '../fields.js';
import { useFieldSetting } from '../setting.js';
import type { EditorProps } from './editor.js';

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

/** Contexts that the node opens, with what each carries, and those that it closes. */
function Contexts({ node, set }: EditorProps) {
  const { document } = useFieldSetting();
  const declared = document.contexts ?? {};
  if (Object.keys(declared).length === 0) return null;
  const opens = (node['opens'] as Record<string, Record<string, Value>> | undefined) ?? {};
  const closes = (node['closes'] as string[] | undefined) ?? [];
  const choose = (context: string, what: string) => {
    const { [context]: _old, ...others } = opens;
    const opened = what === 'opens' ? { ...others, [context]: opens[context] ?? {} } : others;
    const closed = what === 'closes' ? [...closes.filter((c) => c !== context), context] : closes.filter((c) => c !== context);
    // Two fields change in one step, so the second sees the first.
    set('opens', Object.keys(opened).length === 0 ? undefined : opened);
    set('closes', closed.length === 0 ? undefined : closed);
  };
  const carry = (context: string, key: string, text: string) => {
    const { [key]: _old, ...rest } = opens[context] ?? {};
    set('opens', { ...opens, [context]: text === '' ? rest : { ...rest, [key]: text } });
  };
  return (
    <div className="fld">
      <div className="lab">Contexts</div>
      {Object.entries(declared).map(([context, { carries }]) => (
        <div key={context}>
          <label className="note">
            {context.replaceAll('_', ' ')}{' '}
            <select
              className="form-select"
              value={context in opens ? 'opens' : closes.includes(context) ? 'closes' : ''}
              onChange={(e) => choose(context, e.target.value)}
            >
              <option value="">stays as it is</option>
              <option value="opens">opens, carrying</option>
              <option value="closes">closes</option>
            </select>
          </label>
          {context in opens &&
            Object.keys(carries ?? {}).map((key) => (
              <CodeInput
                key={key}
                label={key.replaceAll('_', ' ')}
                mode="template"
                field={`/opens/${context}/${key}`}
                value={written(opens[context]?.[key])}
                onChange={(v) => carry(context, key, v)}
              />
            ))}
        </div>
      ))}
    </div>
  );
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
      <Rows
        label="Values"
        add="a value"
        onAdd={() => set('sets', [...sets, { into: 'flow.value', to: '' }])}
        onMove={(from, to) => set('sets', movedItem(sets, from, to))}
      >
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
              <CodeInput
                label="Value"
                mode="template"
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
      <Contexts node={node} set={set} />
    </>
  );
}
