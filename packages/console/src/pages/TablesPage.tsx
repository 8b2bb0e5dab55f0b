import type { TableRowView, TableSummary } from '@primrose/contract';
import {
  BARE_RELATIONS,
  columnsOf,
  idOf,
  RELATIONS,
  textOf,
  type Column,
  type Relation,
  type TableDeclaration,
  type Value,
} from '@primrose/core';
import { useEffect, useRef, useState, type FormEvent } from 'react';
import { Button } from 'react-bootstrap';
import { Link, useNavigate, useParams } from 'react-router';
import { call, errorText, invalidate, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { putPart } from '../draft/parts.js';
import { Alarm } from '../parts/Alarm.js';
import { NewName } from '../parts/NewName.js';
import { ActionTabs } from '../parts/Tabs.js';
import { timeOfDay } from '../parts/words.js';
import { ImportDialog } from '../tables/ImportDialog.js';
import { TableColumns } from '../tables/TableColumns.js';

const PAGE = 50;

export interface Filter {
  readonly column: string;
  readonly relation: Relation;
  readonly value: string;
}

/** The tables of the bot: their rows, what they declare, and who wrote what. */
export default function TablesPage() {
  const { document, bot, edit, flush } = useDraftHandle();
  const { table: wanted } = useParams();
  const navigate = useNavigate();
  const names = Object.keys(document.tables ?? {});
  const name = wanted ?? names[0];
  const declared = name === undefined ? undefined : document.tables?.[name];
  const tables = useCall('listTables', { params: { bot }, query: {} });
  const [row, setRow] = useState<{ readonly table: string; readonly row: TableRowView }>();
  const chosen = row?.table === name ? row?.row : undefined;
  const add = (words: string) => {
    const id = idOf(words);
    if (id === '') return;
    edit((d) => (d.tables?.[id] ? d : putPart(d, 'tables', id, { title: words, columns: { what: 'text' } })));
    void flush().then(() => invalidate('listTables'));
    void navigate(`/bots/${bot}/tables/${id}`);
  };
  return (
    <div className="threefold tables">
      <nav className="lists" aria-label="Tables">
        <ActionTabs />
        {names.map((n) => (
          <TableLink key={n} name={n} current={n === name} summary={tables.data?.items.find((t) => t.name === n)} />
        ))}
        <NewName label="New table" onAdd={add} />
      </nav>
      <main className="middle" aria-label="Rows">
        {name === undefined || !declared ? (
          <div className="empty">
            <p>No tables. Name one: a list of repairs, of calls, of tasks.</p>
          </div>
        ) : (
          <Rows
            key={name}
            name={name}
            declared={declared}
            summary={tables.data?.items.find((t) => t.name === name)}
            chosen={chosen?.id}
            onChoose={(next) => setRow(next && { table: name, row: next })}
          />
        )}
      </main>
      <aside className="side">
        {chosen && <Provenance row={chosen} />}
        {name !== undefined && declared && <TableColumns key={name} name={name} declared={declared} />}
      </aside>
    </div>
  );
}

function TableLink({
  name,
  current,
  summary,
}: {
  readonly name: string;
  readonly current: boolean;
  readonly summary: TableSummary | undefined;
}) {
  const { bot, document } = useDraftHandle();
  return (
    <Link to={`/bots/${bot}/tables/${name}`} aria-current={current ? 'page' : undefined}>
      <span dir="auto">{document.tables?.[name]?.title ?? name}</span>
      {summary && (
        <span className="note">
          {summary.rows}
          {summary.more && '+'}
        </span>
      )}
    </Link>
  );
}

interface RowsProps {
  readonly name: string;
  readonly declared: TableDeclaration;
  readonly summary: TableSummary | undefined;
  readonly chosen: string | undefined;
  readonly onChoose: (row: TableRowView | undefined) => void;
}

/** The rows of a table: filtered, sorted, written in place. */
function Rows({ name, declared, summary, chosen, onChoose }: RowsProps) {
  const { bot } = useDraftHandle();
  const [filters, setFilters] = useState<readonly Filter[]>([]);
  const [order, setOrder] = useState<{ readonly column: string; readonly down?: boolean }>();
  const [cursors, setCursors] = useState<readonly string[]>([]);
  const [marked, setMarked] = useState<ReadonlyMap<string, number>>(new Map());
  const [adding, setAdding] = useState(false);
  const [importing, setImporting] = useState(false);
  const [problem, setProblem] = useState<string>();
  const after = cursors.at(-1);
  const where = filters.filter((f) => BARE_RELATIONS.has(f.relation) || f.value !== '');
  const body = { where: [...where], limit: PAGE, ...(order ? { order } : {}), ...(after === undefined ? {} : { after }) };
  const rows = useCall('findTableRows', { params: { bot, table: name }, body });
  const further = rows.data?.next ?? null;
  const columns = columnsOf(declared);
  const params = { bot, table: name };
  const done = () => {
    setProblem(undefined);
    invalidate('findTableRows', 'listTables');
  };
  const failed = (error: unknown) => {
    setProblem(errorText(error));
    invalidate('findTableRows');
  };
  const write = (row: TableRowView, column: string, value: Value) =>
    call('changeTableRow', {
      params: { ...params, row: row.id },
      query: {},
      body: { version: row.version, values: { [column]: value } },
    }).then((changed) => {
      // A row that is marked is removed as it is now.
      setMarked((all) => (all.has(changed.id) ? new Map(all).set(changed.id, changed.version) : all));
      done();
      onChoose(changed);
    }, failed);
  const remove = () => {
    const gone = [...marked].map(([id, version]) => ({ id, version }));
    call('removeTableRows', { params, query: {}, body: { rows: gone } }).then(() => {
      setMarked(new Map());
      onChoose(undefined);
      done();
    }, failed);
  };
  const sort = (column: string) => {
    setCursors([]);
    setOrder(order?.column !== column ? { column } : order.down ? undefined : { column, down: true });
  };
  return (
    <>
      <header>
        <h2 dir="auto">{declared.title ?? name}</h2>
        <span className="note">
          {summary?.problem ?? (summary ? (summary.rows === 1 ? '1 row' : `${summary.rows}${summary.more ? '+' : ''} rows`) : '')}
          {summary?.carrying && ', being brought to what was released'}
          {declared.of !== undefined && `, the rows of ${declared.of}`}
        </span>
      </header>
      <div className="facts">
        <Button variant="outline-secondary" size="sm" onClick={() => setAdding(true)}>
          Add a row
        </Button>
        <Button variant="outline-secondary" size="sm" onClick={() => setImporting(true)}>
          Import…
        </Button>
        <a className="btn btn-outline-secondary btn-sm" href={`/api/bots/${bot}/tables/${name}/export?as=csv`} download>
          Export CSV
        </a>
        <a className="btn btn-outline-secondary btn-sm" href={`/api/bots/${bot}/tables/${name}/export?as=xlsx`} download>
          Export XLSX
        </a>
        {marked.size > 0 && (
          <Button variant="outline-secondary" size="sm" onClick={remove}>
            Remove {marked.size === 1 ? '1 row' : `${marked.size} rows`}
          </Button>
        )}
      </div>
      <Filters columns={columns} filters={filters} onChange={(next) => (setCursors([]), setFilters(next))} />
      {problem !== undefined && <Alarm>{problem}</Alarm>}
      {rows.error && <Alarm>{errorText(rows.error)}</Alarm>}
      <div className="sheet-scroll">
        <table className="table-grid rows-grid">
          <thead>
            <tr>
              <th>
                <span className="visually-hidden">Mark</span>
              </th>
              {columns.map((c) => (
                <th key={c.name} aria-sort={order?.column === c.name ? (order.down ? 'descending' : 'ascending') : 'none'}>
                  <button type="button" className="bare" onClick={() => sort(c.name)} title={c.about || undefined}>
                    {c.name.replaceAll('_', ' ')}
                    {order?.column === c.name && (order.down ? ' ↓' : ' ↑')}
                  </button>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {adding && (
              <NewRow
                columns={columns}
                onClose={() => setAdding(false)}
                onAdd={(values) =>
                  call('addTableRow', { params, query: {}, body: { values } }).then(() => (setAdding(false), done()), failed)
                }
              />
            )}
            {rows.data?.items.map((row) => (
              <tr key={row.id} aria-current={row.id === chosen ? 'true' : undefined} onClick={() => onChoose(row)}>
                <td>
                  <input
                    type="checkbox"
                    aria-label="Mark the row"
                    checked={marked.has(row.id)}
                    onChange={(e) => {
                      const next = new Map(marked);
                      if (e.target.checked) next.set(row.id, row.version);
                      else next.delete(row.id);
                      setMarked(next);
                    }}
                  />
                </td>
                {columns.map((c) => (
                  <Cell key={c.name} row={row} column={c} onWrite={(value) => void write(row, c.name, value)} />
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {rows.data?.items.length === 0 && !adding && (
        <p className="empty">
          {where.length > 0 ? 'No row is like this.' : 'No rows yet. A flow adds them, or you: add one, or import a file.'}
        </p>
      )}
      <div className="pager">
        {cursors.length > 0 && (
          <button type="button" className="bare" onClick={() => setCursors(cursors.slice(0, -1))}>
            ← back
          </button>
        )}
        {further !== null && (
          <button type="button" className="bare" onClick={() => setCursors([...cursors, further])}>
            further →
          </button>
        )}
      </div>
      {importing && (
        <ImportDialog
          name={name}
          declared={declared}
          onClose={(changed) => {
            setImporting(false);
            if (changed) done();
          }}
        />
      )}
    </>
  );
}

const RELATION_WORDS: Readonly<Record<Relation, string>> = {
  is: 'is',
  'is-not': 'is not',
  contains: 'contains',
  begins: 'begins with',
  less: '<',
  'at-most': '≤',
  more: '>',
  'at-least': '≥',
  'one-of': 'is one of',
  empty: 'is empty',
  filled: 'is filled in',
};

function Filters({
  columns,
  filters,
  onChange,
}: {
  readonly columns: readonly Column[];
  readonly filters: readonly Filter[];
  readonly onChange: (filters: readonly Filter[]) => void;
}) {
  const write = (i: number, change: Partial<Filter>) => onChange(filters.map((f, j) => (i === j ? { ...f, ...change } : f)));
  return (
    <div className="rowfilters" role="group" aria-label="Show rows that">
      {filters.map((f, i) => (
        <span key={i} className="rowfilter">
          <select
            className="form-select"
            aria-label="Column"
            value={f.column}
            onChange={(e) => write(i, { column: e.target.value })}
          >
            {columns.map((c) => (
              <option key={c.name} value={c.name}>
                {c.name.replaceAll('_', ' ')}
              </option>
            ))}
          </select>
          <select
            className="form-select"
            aria-label="Relation"
            value={f.relation}
            onChange={(e) => write(i, { relation: e.target.value as Relation })}
          >
            {RELATIONS.filter((r) => r !== 'one-of').map((r) => (
              <option key={r} value={r}>
                {RELATION_WORDS[r]}
              </option>
            ))}
          </select>
          {!BARE_RELATIONS.has(f.relation) && (
            <input
              className="form-control"
              aria-label="Value"
              value={f.value}
              onChange={(e) => write(i, { value: e.target.value })}
            />
          )}
          <button
            type="button"
            className="bare"
            aria-label="Remove this filter"
            onClick={() => onChange(filters.filter((_, j) => j !== i))}
          >
            ×
          </button>
        </span>
      ))}
      <button
        type="button"
        className="bare note"
        onClick={() => onChange([...filters, { column: columns[0]?.name ?? '', relation: 'contains', value: '' }])}
      >
        + filter
      </button>
    </div>
  );
}

/** What a person typed into a cell, as a value: a list by its semicolons, nothing as nothing. */
export function typedValue(column: Column, text: string): Value {
  if (text.trim() === '') return null;
  if (column.type !== 'list') return text;
  return text
    .split(';')
    .map((t) => t.trim())
    .filter((t) => t !== '');
}

function Cell({
  row,
  column,
  onWrite,
}: {
  readonly row: TableRowView;
  readonly column: Column;
  readonly onWrite: (value: Value) => void;
}) {
  const [typing, setTyping] = useState<string>();
  const value = row.values[column.name] ?? null;
  const misfit = row.misfits.find((m) => m.column === column.name);
  const text = Array.isArray(value) ? value.map(textOf).join('; ') : textOf(value);
  const field = useRef<HTMLInputElement>(null);
  const open = typing !== undefined;
  useEffect(() => {
    if (open) field.current?.focus();
  }, [open]);
  if (typing === undefined)
    return (
      <td className={misfit ? 'plum' : undefined} title={misfit?.reason}>
        <button
          type="button"
          className="bare cell"
          dir="auto"
          aria-label={`${column.name}: ${text || 'empty'}`}
          onClick={() => setTyping(text)}
        >
          {text || <span className="note">·</span>}
        </button>
      </td>
    );
  const save = () => {
    setTyping(undefined);
    if (typing !== text) onWrite(typedValue(column, typing));
  };
  return (
    <td>
      {column.type === 'one_of' || column.type === 'yes_no' ? (
        <select
          className="form-select"
          autoFocus
          aria-label={column.name}
          value={typing}
          onChange={(e) => {
            setTyping(undefined);
            onWrite(e.target.value || null);
          }}
          onBlur={() => setTyping(undefined)}
        >
          {['', ...(column.type === 'yes_no' ? ['yes', 'no'] : column.of)].map((o) => (
            <option key={o} value={o}>
              {o}
            </option>
          ))}
        </select>
      ) : (
        <input
          ref={field}
          className="form-control"
          aria-label={column.name}
          value={typing}
          onChange={(e) => setTyping(e.target.value)}
          onBlur={save}
          onKeyDown={(e) => {
            if (e.key === 'Enter') save();
            if (e.key === 'Escape') setTyping(undefined);
          }}
        />
      )}
    </td>
  );
}

function NewRow({
  columns,
  onAdd,
  onClose,
}: {
  readonly columns: readonly Column[];
  readonly onAdd: (values: Record<string, Value>) => Promise<void>;
  readonly onClose: () => void;
}) {
  const [texts, setTexts] = useState<Readonly<Record<string, string>>>({});
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const values = columns.flatMap((c): [string, Value][] => {
      const value = typedValue(c, texts[c.name] ?? '');
      return value === null ? [] : [[c.name, value]];
    });
    void onAdd(Object.fromEntries(values));
  };
  return (
    <tr className="newrow">
      <td>
        <form id="new-row" onSubmit={submit}>
          <button type="submit" className="bare" aria-label="Add this row">
            +
          </button>
        </form>
      </td>
      {columns.map((c, i) => (
        <td key={c.name}>
          <input
            form="new-row"
            className="form-control"
            autoFocus={i === 0}
            aria-label={`New ${c.name}`}
            placeholder={c.default === null ? (c.needed ? 'needed' : '') : textOf(c.default)}
            value={texts[c.name] ?? ''}
            onChange={(e) => setTexts({ ...texts, [c.name]: e.target.value })}
            onKeyDown={(e) => e.key === 'Escape' && onClose()}
          />
        </td>
      ))}
    </tr>
  );
}

/** Who wrote a row, and from which turn. */
function Provenance({ row }: { readonly row: TableRowView }) {
  const { bot } = useDraftHandle();
  const left = Object.entries(row.left);
  const by = (who: string, at: string, where: TableRowView['madeIn']) => (
    <>
      {who}, {new Date(at).toLocaleDateString()} {timeOfDay(at)}
      {where !== null && (
        <>
          {' '}
          <Link to={`/bots/${bot}/conversations/${where.conversation}/turns/${where.turn}`}>from this turn</Link>
        </>
      )}
    </>
  );
  return (
    <section aria-label="The row">
      <h2>The row</h2>
      <p className="note">added by {by(row.madeBy, row.madeAt, row.madeIn)}</p>
      {row.version > 1 && (
        <p className="note">
          changed {row.version - 1 === 1 ? 'once' : `${row.version - 1} times`}, the last time by{' '}
          {by(row.changedBy, row.changedAt, row.changedIn)}
        </p>
      )}
      {row.misfits.map((m) => (
        <p key={m.column} className="plum">
          {m.column} {m.reason}
        </p>
      ))}
      {left.length > 0 && (
        <p className="note">Kept of columns that are none any more: {left.map(([n, v]) => `${n}: ${textOf(v)}`).join(', ')}</p>
      )}
    </section>
  );
}
