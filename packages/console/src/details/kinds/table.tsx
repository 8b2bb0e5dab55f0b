import {
  BARE_RELATIONS,
  columnSources,
  RELATIONS,
  scopeOf,
  TABLE_DOES,
  type Relation,
  type TableDeclaration,
  type TableDoes,
  type Value,
} from '@primrose/core';
import { CodeInput } from '../CodeInput.js';
import { OptionalTarget, UnderField } from '../fields.js';
import { RemoveButton, Rows } from '../Rows.js';
import { useFieldSetting } from '../setting.js';
import type { EditorProps } from './editor.js';
import { written } from './set.js';

const DOES_WORDS: Readonly<Record<TableDoes, string>> = {
  find: 'find rows',
  add: 'add a row',
  change: 'change rows',
  put: 'add, or change by key',
  remove: 'remove rows',
};
const RELATION_WORDS: Readonly<Record<Relation, string>> = {
  is: 'is',
  'is-not': 'is not',
  contains: 'contains',
  begins: 'begins with',
  less: 'is less than',
  'at-most': 'is at most',
  more: 'is more than',
  'at-least': 'is at least',
  'one-of': 'is one of',
  empty: 'is empty',
  filled: 'is filled in',
};
const DEFAULT_LIMIT = 20;

interface Condition {
  readonly column: string;
  readonly relation: Relation;
  readonly value?: Value;
}

export function TableEditor({ node, set }: EditorProps) {
  const { document } = useFieldSetting();
  const tables = Object.keys(document.tables ?? {});
  const name = node['table'] as string;
  const does = node['does'] as TableDoes;
  const declared = document.tables?.[name];
  const seeks = does === 'find' || does === 'change' || does === 'remove';
  return (
    <>
      <div className="fld">
        <label htmlFor="table">Table</label>
        <select id="table" className="form-select" value={name} onChange={(e) => set('table', e.target.value)}>
          {!tables.includes(name) && <option value={name}>{name || 'choose one'}</option>}
          {tables.map((t) => (
            <option key={t}>{t}</option>
          ))}
        </select>
        <UnderField field="/table" />
      </div>
      <div className="fld">
        <label htmlFor="does">What to do</label>
        <select id="does" className="form-select" value={does} onChange={(e) => set('does', e.target.value)}>
          {TABLE_DOES.map((d) => (
            <option key={d} value={d}>
              {DOES_WORDS[d]}
            </option>
          ))}
        </select>
        <UnderField field="/does" />
      </div>
      {seeks && <Which node={node} set={set} declared={declared} />}
      {does !== 'find' && does !== 'remove' && declared && <Values node={node} set={set} declared={declared} />}
      {does === 'find' && <Order node={node} set={set} declared={declared} />}
      <OptionalTarget
        label={does === 'find' ? 'Keep what is found as' : 'Keep the row as'}
        field="/into"
        value={node['into'] as string | undefined}
        onChange={(v) => set('into', v)}
      />
    </>
  );
}

interface PartProps extends EditorProps {
  readonly declared: TableDeclaration | undefined;
}

/** Which rows are meant: by column, relation and value, by an expression, or just one that was found before. */
function Which({ node, set, declared }: PartProps) {
  const where = (node['where'] as readonly Condition[] | undefined) ?? [];
  const columns = Object.keys(declared?.columns ?? {});
  const write = (i: number, change: Partial<Condition>) =>
    set(
      'where',
      where.map((c, j) => (i === j ? { ...c, ...change } : c)),
    );
  return (
    <>
      <Rows
        label="Rows that are all of this"
        add="a condition"
        onAdd={() => set('where', [...where, { column: columns[0] ?? '', relation: 'is', value: '' }])}
      >
        {where.map((c, i) => (
          <div className="condition" key={i}>
            <select
              className="form-select"
              aria-label="Column"
              value={c.column}
              onChange={(e) => write(i, { column: e.target.value })}
            >
              {!columns.includes(c.column) && <option>{c.column}</option>}
              {columns.map((n) => (
                <option key={n}>{n}</option>
              ))}
            </select>
            <select
              className="form-select"
              aria-label="Relation"
              value={c.relation}
              onChange={(e) => write(i, { relation: e.target.value as Relation })}
            >
              {RELATIONS.map((r) => (
                <option key={r} value={r}>
                  {RELATION_WORDS[r]}
                </option>
              ))}
            </select>
            <RemoveButton
              label={`Remove the condition on ${c.column}`}
              onClick={() =>
                set(
                  'where',
                  where.filter((_, j) => j !== i),
                )
              }
            />
            {!BARE_RELATIONS.has(c.relation) && (
              <CodeInput
                label="value"
                mode="template"
                field={`/where/${i}/value`}
                value={written(c.value)}
                onChange={(value) => write(i, { value })}
              />
            )}
            <UnderField field={`/where/${i}/column`} />
          </div>
        ))}
      </Rows>
      <UnderField field="/where" />
      <CodeInput
        label="And for which holds"
        mode="expression"
        locals={['row']}
        field="/when"
        value={(node['when'] as string | undefined) ?? ''}
        placeholder="row.seen < clock.today, or nothing"
        onChange={(v) => set('when', v === '' ? undefined : v)}
      />
      {node['does'] !== 'find' && (
        <CodeInput
          label="Or just this row, found before"
          mode="template"
          field="/row"
          value={(node['row'] as string | undefined) ?? ''}
          placeholder="{{ flow.row }}, or nothing"
          onChange={(v) => set('row', v === '' ? undefined : v)}
        />
      )}
    </>
  );
}

/** What each column gets: as is written here, from the variable of its name, by default, or nothing. */
function Values({ node, set, declared }: PartProps & { readonly declared: TableDeclaration }) {
  const { document, flowId } = useFieldSetting();
  const given = (node['values'] as Record<string, Value> | undefined) ?? {};
  const variables = scopeOf(document, document.flows[flowId] ?? { nodes: {} }).fields.get('flow') ?? new Set<string>();
  const give = (column: string, text: string) => {
    const { [column]: _old, ...rest } = given;
    const next = text === '' ? rest : { ...given, [column]: text };
    set('values', Object.keys(next).length === 0 ? undefined : next);
  };
  return (
    <div className="fld">
      {columnSources(node, declared, variables).map(({ column, from }) => (
        <CodeInput
          key={column.name}
          label={`${column.name.replaceAll('_', ' ')}${column.needed ? ', needed' : ''}`}
          mode="template"
          field={`/values/${column.name}`}
          value={written(given[column.name])}
          placeholder={PLACEHOLDERS[from](column.name)}
          onChange={(v) => give(column.name, v)}
        />
      ))}
      <UnderField field="/values" />
    </div>
  );
}

const PLACEHOLDERS: Readonly<Record<'given' | 'name' | 'default' | 'nothing', (column: string) => string>> = {
  given: () => '',
  name: (column) => `{{ flow.${column} }}, by its name`,
  default: () => 'as the table says',
  nothing: () => 'nothing',
};

function Order({ node, set, declared }: PartProps) {
  const order = node['order'] as { column: string; down?: boolean } | undefined;
  return (
    <>
      <div className="fld">
        <label htmlFor="order">In the order of</label>
        <select
          id="order"
          className="form-select"
          value={order ? `${order.column}${order.down ? ' down' : ''}` : ''}
          onChange={(e) => {
            const [column = '', down] = e.target.value.split(' ');
            set('order', column === '' ? undefined : { column, ...(down ? { down: true } : {}) });
          }}
        >
          <option value="">their age</option>
          {Object.keys(declared?.columns ?? {}).flatMap((c) => [
            <option key={c} value={c}>
              {c}
            </option>,
            <option key={`${c} down`} value={`${c} down`}>
              {c}, the largest first
            </option>,
          ])}
        </select>
        <UnderField field="/order/column" />
      </div>
      <label className="soft">
        <input type="checkbox" checked={node['one'] === true} onChange={(e) => set('one', e.target.checked || undefined)} /> only
        the first, not as a list
      </label>
      {node['one'] !== true && (
        <div className="fld">
          <label htmlFor="limit">Rows at most</label>
          <input
            id="limit"
            type="number"
            min={1}
            max={200}
            className="form-control"
            value={(node['limit'] as number | undefined) ?? DEFAULT_LIMIT}
            onChange={(e) => set('limit', Math.max(1, Math.min(200, Math.round(Number(e.target.value) || 1))))}
          />
        </div>
      )}
    </>
  );
}
