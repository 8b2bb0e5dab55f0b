import {
  COLUMN_TYPES,
  columnsOf,
  NAME_PATTERN,
  problemSentence,
  textOf,
  type Column,
  type ColumnDeclaration,
  type TableDeclaration,
} from '@primrose/core';
import { useState } from 'react';
import { useDraftHandle, useProblems } from '../draft/context.js';
import { putPart } from '../draft/parts.js';
import { NewName } from '../parts/NewName.js';

/** What a table declares: its columns, its key, and which other bots may use its rows. */
export function TableColumns({ name, declared }: { readonly name: string; readonly declared: TableDeclaration }) {
  const { document, edit } = useDraftHandle();
  const problems = useProblems(document).filter((p) => p.field?.startsWith(`/tables/${name}/`) === true);
  const put = (next: TableDeclaration | undefined) => edit((d) => putPart(d, 'tables', name, next));
  const putColumn = (column: string, next: ColumnDeclaration | undefined) => {
    const columns = Object.fromEntries(
      Object.entries(declared.columns).flatMap(([n, c]) => (n === column ? (next ? [[n, next]] : []) : [[n, c]])),
    );
    put({ ...declared, columns: next && !(column in columns) ? { ...columns, [column]: next } : columns });
  };
  const setKey = (column: string, on: boolean) => {
    const key = on ? [...(declared.key ?? []), column] : (declared.key ?? []).filter((k) => k !== column);
    const { key: _old, ...rest } = declared;
    put(key.length === 0 ? rest : { ...rest, key });
  };
  const add = (words: string) => {
    const column = words
      .trim()
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '_')
      .replace(/^[^a-z]+|_+$/g, '');
    if (NAME_PATTERN.test(column) && !(column in declared.columns)) putColumn(column, 'text');
  };
  return (
    <section aria-label="Columns">
      <h2>Columns</h2>
      {columnsOf(declared).map((c) => (
        <ColumnPart
          key={c.name}
          column={c}
          inKey={declared.key?.includes(c.name) ?? false}
          onChange={(next) => putColumn(c.name, next)}
          onKey={(on) => setKey(c.name, on)}
        />
      ))}
      <NewName label="New column" onAdd={add} />
      {problems.map((p, i) => (
        <p key={i} className="mistake">
          {problemSentence(p)}
        </p>
      ))}
      <div className="fld">
        <label htmlFor="allows">Bots that may use the rows</label>
        <input
          id="allows"
          className="form-control"
          placeholder="none but this one"
          defaultValue={(declared.allows ?? []).join(', ')}
          onBlur={(e) => {
            const allows = e.target.value
              .split(/[,\s]+/)
              .map((t) => t.trim())
              .filter((t) => /^[a-z][a-z0-9-]*$/.test(t));
            const { allows: _old, ...rest } = declared;
            put(allows.length === 0 ? rest : { ...rest, allows });
          }}
        />
      </div>
      <button type="button" className="bare note" onClick={() => put(undefined)}>
        take the table out of the bot
      </button>
      <p className="note">
        Its rows stay until the bot itself goes. What is changed here is carried out on them with the next release.
      </p>
    </section>
  );
}

interface ColumnPartProps {
  readonly column: Column;
  readonly inKey: boolean;
  readonly onChange: (next: ColumnDeclaration | undefined) => void;
  readonly onKey: (on: boolean) => void;
}

/** A column as it is written: one word where nothing but its type is said. */
function declaredOf({ type, of, search, needed, default: usual, about }: Column): ColumnDeclaration {
  const more = {
    ...(of.length > 0 ? { of: [...of] } : {}),
    ...(search && type !== 'visitor' ? { search: true } : {}),
    ...(needed ? { needed: true } : {}),
    ...(usual === null ? {} : { default: usual }),
    ...(about === '' ? {} : { about }),
  };
  return Object.keys(more).length === 0 ? type : { type, ...more };
}

function ColumnPart({ column, inKey, onChange, onKey }: ColumnPartProps) {
  const { document } = useDraftHandle();
  const [open, setOpen] = useState(false);
  const types = [...COLUMN_TYPES, ...Object.keys(document.entities ?? {})];
  const change = (more: Partial<Column>) => onChange(declaredOf({ ...column, ...more }));
  return (
    <div className="columnpart">
      <div className="columnline">
        <button type="button" className="bare" aria-expanded={open} onClick={() => setOpen(!open)}>
          {column.name}
        </button>
        <span className="note">
          {column.type}
          {inKey && ', key'}
          {column.search && !inKey && ', searchable'}
          {column.needed && !inKey && ', needed'}
        </span>
      </div>
      {open && (
        <div className="columnopen">
          <select
            className="form-select"
            aria-label={`Type of ${column.name}`}
            value={column.type}
            onChange={(e) => change({ type: e.target.value, of: e.target.value === 'one_of' ? ['open', 'done'] : [] })}
          >
            {types.map((t) => (
              <option key={t} value={t}>
                {t.replaceAll('_', ' ')}
              </option>
            ))}
          </select>
          {column.type === 'one_of' && (
            <input
              className="form-control"
              aria-label={`What ${column.name} can be`}
              defaultValue={column.of.join(', ')}
              onBlur={(e) =>
                change({
                  of: e.target.value
                    .split(',')
                    .map((t) => t.trim())
                    .filter((t) => t !== ''),
                })
              }
            />
          )}
          {(
            [
              ['search', 'rows are found by it'],
              ['needed', 'no row without it'],
            ] as const
          ).map(([field, words]) => (
            <label key={field} className="soft">
              <input
                type="checkbox"
                checked={column[field]}
                disabled={inKey}
                onChange={(e) => change({ [field]: e.target.checked })}
              />{' '}
              {words}
            </label>
          ))}
          <label className="soft">
            <input type="checkbox" checked={inKey} onChange={(e) => onKey(e.target.checked)} /> part of the key
          </label>
          <input
            className="form-control"
            aria-label={`What ${column.name} holds at first`}
            placeholder="holds nothing at first"
            defaultValue={textOf(column.default)}
            onBlur={(e) => change({ default: e.target.value === '' ? null : e.target.value })}
          />
          <button type="button" className="bare note" onClick={() => onChange(undefined)}>
            remove the column
          </button>
        </div>
      )}
    </div>
  );
}
