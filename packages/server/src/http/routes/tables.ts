import type { SheetReport, TableChange, TableRowView, TableSummary } from '@primrose/contract';
import {
  columnsOf,
  defaultsOf,
  fitConditions,
  fitValues,
  misfitWords,
  rowKey,
  rowLine,
  type BotDocument,
  type Condition,
  type TableDeclaration,
  type TableEffect,
  type TableResult,
  type Values,
} from '@primrose/core';
import { z } from 'zod';
import { ownBot, ownDraft, type BotParts } from '../../bots/bots.js';
import type { FileReading } from '../../bots/reading.js';
import { taken } from '../../base/event-stream.js';
import { Refused } from '../../base/refused.js';
import type { BotRow } from '../../store/bots.js';
import { isDuplicate } from '../../store/database.js';
import { statement } from '../../store/hot.js';
import { findSimulation } from '../../store/simulations.js';
import * as store from '../../store/tables.js';
import { byHand, importLines } from '../../tables/importing.js';
import { oddities, type OpenTable, type Tables, type Working } from '../../tables/tables.js';
import { XLSX } from '../../tables/workbook.js';
import { HttpProblem } from '../problem.js';
import { firstNumber, PAGE, sendFile, type Handlers } from '../route.js';

interface TableParts extends BotParts {
  readonly tables: Tables;
  readonly files: FileReading;
}

const COUNTED = 100_001;
const EXPORTED_AT_ONCE = 1000;
/** A workbook is made in memory. */
const MOST_WORKBOOK = 100_000;
const MOST_TOLD = 200;
const LOOKED_AT = 50_000;
const EXAMPLES = 20;
const DEEPEST_PAGE = 10_000;
/** Whoever keeps a file of rows waiting for so long gets no more of it. */
const PAUSE_MS = 120_000;

/** A table that a person looks at or writes, with all that it takes. */
interface OpenFor {
  readonly bot: BotRow;
  readonly document: BotDocument;
  readonly name: string;
  readonly table: OpenTable;
  readonly place: store.Place;
  readonly working: Working;
}

/** The rows of tables: shown, written by hand, brought in and taken out as files. */
export function tableHandlers({ tables, files, ...parts }: TableParts): Handlers {
  const { db, clock } = parts;

  const realmOf = async (botId: string, simulation: string | undefined): Promise<string> => {
    if (simulation === undefined) return store.REAL;
    const found = await findSimulation(db, botId, simulation);
    if (!found) throw new Refused('no-simulation', {});
    return found.id;
  };

  const open = async (
    person: { readonly id: string; readonly name: string },
    { bot: botId, table: name }: { bot: string; table: string },
    simulation: string | undefined,
  ): Promise<OpenFor> => {
    const { bot, document } = await ownDraft(parts, person.id, botId);
    if (!document.tables || !Object.hasOwn(document.tables, name)) throw new Refused('no-table', { table: name });
    const opened = await tables.open(bot.id, document, name);
    if (!opened.ok) throw new Refused('table-elsewhere', { reason: opened.reason });
    const realm = await realmOf(bot.id, simulation);
    const place = { table: opened.table.id, realm };
    if (realm !== store.REAL) await tables.practise(place);
    const working = { botId: bot.id, document, realm, writer: { by: person.name, in: null }, visitor: null };
    return { bot, document, name, table: opened.table, place, working };
  };

  const rowView = ({ document, table }: OpenFor, row: store.StoredRow): TableRowView => {
    const { misfits, left } = oddities(document, table.declared, row.values);
    const values = Object.fromEntries(
      Object.entries(row.values).filter(([column]) => Object.hasOwn(table.declared.columns, column)),
    );
    return {
      id: row.id,
      version: row.version,
      values,
      misfits,
      left,
      madeAt: row.madeAt.toISOString(),
      madeBy: row.madeBy,
      madeIn: row.madeIn,
      changedAt: row.changedAt.toISOString(),
      changedBy: row.changedBy,
      changedIn: row.changedIn,
    };
  };
  const rowOf = async (at: OpenFor, id: string): Promise<TableRowView> => {
    const [row] = await statement(db, (hot) => store.rowsById(hot, at.place, [id], false));
    if (!row) throw new Refused('no-row', {});
    return rowView(at, row);
  };

  const fitted = (at: OpenFor, values: Values): Values => {
    const found = fitValues(at.document, at.table.declared, values);
    if (!found.ok) throw new Refused('row-misfit', { reason: misfitWords(at.name, found.misfits) });
    return found.values;
  };
  const conditions = (at: OpenFor, where: readonly Condition[]): readonly Condition[] => {
    const found = fitConditions(at.document, at.table.declared, where);
    if (!found.ok) throw new Refused('row-misfit', { reason: misfitWords(at.name, found.misfits) });
    return found.conditions;
  };
  /** Does what a person asks for; what does not go ends the request. */
  const write = async (at: OpenFor, effect: TableEffect): Promise<Extract<TableResult, { outcome: 'stored' }>> => {
    const came = await tables.perform(effect, at.working);
    if (came.outcome === 'stored') return came;
    if (came.outcome === 'conflict') throw new Refused('row-conflict', { reason: came.reason });
    throw new Refused('row-misfit', { reason: came.outcome === 'failed' ? came.reason : 'nothing came of it' });
  };

  /** Every row, some at a time. */
  async function* everyRow({ place }: OpenFor, most: number): AsyncGenerator<store.StoredRow> {
    let behind: store.Behind | undefined;
    for (let seen = 0; seen < most;) {
      const met = await statement(db, (hot) => store.walkRows(hot, place, { down: false }, behind, EXPORTED_AT_ONCE));
      for (const { row } of met) yield row;
      seen += met.length;
      const last = met.at(-1);
      if (!last || met.length < EXPORTED_AT_ONCE) return;
      behind = { id: last.row.id, held: '' };
    }
  }

  const summary = async (bot: BotRow, document: BotDocument, name: string, realm: string): Promise<TableSummary> => {
    const declared = document.tables?.[name] ?? { columns: {} };
    const opened = await tables.open(bot.id, document, name);
    const base = { name, declared, of: declared.of ?? null };
    if (!opened.ok) return { ...base, rows: 0, more: false, carrying: false, problem: opened.reason };
    const place = { table: opened.table.id, realm };
    const rows = await statement(db, (hot) => store.countRows(hot, place, COUNTED));
    return {
      ...base,
      rows: Math.min(rows, COUNTED - 1),
      more: rows === COUNTED,
      carrying: opened.table.wanted !== undefined,
      problem: null,
    };
  };

  const changeOf = async (at: OpenFor, before: TableDeclaration): Promise<TableChange> => {
    const { declared } = at.table;
    const [old, now] = [before.columns, declared.columns];
    const changed = Object.keys(now).filter((c) => c in old && JSON.stringify(old[c]) !== JSON.stringify(now[c]));
    const counts = { rows: 0, misfits: 0, left: 0, sameKeys: 0 };
    const examples: TableChange['examples'] = [];
    const keys = new Set<string>();
    for await (const row of everyRow(at, LOOKED_AT)) {
      counts.rows++;
      const odd = oddities(at.document, declared, row.values);
      counts.misfits += odd.misfits.length;
      counts.left += Object.keys(odd.left).length;
      for (const m of odd.misfits)
        if (examples.length < EXAMPLES)
          examples.push({ row: row.id, column: m.column, value: row.values[m.column] ?? null, reason: m.reason });
      const key = rowKey(declared, row.values);
      if (key !== undefined && keys.has(key)) counts.sameKeys++;
      if (key !== undefined) keys.add(key);
    }
    return {
      table: at.name,
      added: Object.keys(now).filter((c) => !(c in old)),
      removed: Object.keys(old).filter((c) => !(c in now)),
      changed: JSON.stringify(before.key ?? []) === JSON.stringify(declared.key ?? []) ? changed : [...changed, 'the key'],
      ...counts,
      examples,
    };
  };

  return {
    listTables: async ({ person, params, query }) => {
      const { bot, document } = await ownDraft(parts, person.id, params.bot);
      const realm = await realmOf(bot.id, query.simulation);
      const practised = realm === store.REAL ? undefined : new Set((await store.practiceTables(db, realm)).map((t) => t.name));
      const names = Object.keys(document.tables ?? {}).filter((n) => practised === undefined || practised.has(n));
      const items: TableSummary[] = [];
      for (const name of names) items.push(await summary(bot, document, name, realm));
      return { items, next: null };
    },
    listTableChanges: async ({ person, params }) => {
      const { document } = await ownDraft(parts, person.id, params.bot);
      const items: TableChange[] = [];
      for (const [name, declared] of Object.entries(document.tables ?? {})) {
        if (declared.of !== undefined) continue;
        const at = await open(person, { bot: params.bot, table: name }, undefined);
        const goal = at.table.wanted ?? at.table.indexed;
        if (JSON.stringify(goal) !== JSON.stringify(declared)) items.push(await changeOf(at, goal));
      }
      return { items: items.filter((c) => [c.added, c.removed, c.changed].some((l) => l.length > 0)), next: null };
    },
    findTableRows: async ({ person, params, body }) => {
      const at = await open(person, params, body.simulation);
      const limit = body.limit ?? PAGE;
      const where = conditions(
        at,
        (body.where ?? []).map((c) => ({ ...c, value: c.value ?? null })),
      );
      if (where.length === 0 && !body.order) {
        // By age a page goes on behind its last row, however many there are.
        const behind = body.after === undefined ? undefined : { id: body.after, held: '' };
        const met = await statement(db, (hot) => store.walkRows(hot, at.place, { down: true }, behind, limit + 1));
        const rows = met.slice(0, limit).map((m) => m.row);
        return { items: rows.map((r) => rowView(at, r)), next: met.length > limit ? (rows.at(-1)?.id ?? null) : null };
      }
      const skip = Math.min(DEEPEST_PAGE, firstNumber(body.after));
      const answer = await tables.ask(at.table, at.place, { where, order: body.order, limit, skip, newest: true });
      if (!answer.ok) throw new Refused('row-misfit', { reason: answer.reason });
      const more = answer.more && skip + limit <= DEEPEST_PAGE;
      return { items: answer.rows.map((r) => rowView(at, r)), next: more ? String(skip + limit) : null };
    },
    addTableRow: async ({ person, params, query, body }) => {
      const at = await open(person, params, query.simulation);
      const fresh = defaultsOf(at.table.declared, clock.now().toISOString(), at.document.zone);
      const does = query.key === 'change' ? 'put' : 'add';
      const done = await write(at, byHand(at.name, does, { values: fitted(at, body.values), fresh }));
      return rowOf(at, done.rows[0]?.id ?? '');
    },
    getTableRow: async ({ person, params, query }) => rowOf(await open(person, params, query.simulation), params.row),
    changeTableRow: async ({ person, params, query, body }) => {
      const at = await open(person, params, query.simulation);
      const row = { id: params.row, version: body.version };
      await write(at, byHand(at.name, 'change', { row, values: fitted(at, body.values) }));
      return rowOf(at, params.row);
    },
    removeTableRows: async ({ person, params, query, body }) => {
      const at = await open(person, params, query.simulation);
      if (!(await tables.remove(at.table, at.working, body.rows)))
        throw new Refused('row-conflict', { reason: 'one of the rows was changed or removed by somebody else meanwhile' });
      return { removed: body.rows.length };
    },
    importTable: async ({ person, params, query, body, req }): Promise<SheetReport> => {
      const at = await open(person, params, query.simulation);
      const type = String(req.headers['content-type'] ?? '').split(';')[0] ?? '';
      const lines = await files.readLines(body as unknown as Uint8Array, type);
      const came = await importLines(tables, at.name, at.table, at.working, {
        lines,
        columns: chosenColumns(query.columns),
        byKey: query.key === 'change',
        skip: query.skip === 'true',
        fresh: defaultsOf(at.table.declared, clock.now().toISOString(), at.document.zone),
        carryOut: query.import === 'true',
      }).catch((error: unknown) => {
        if (!isDuplicate(error)) throw error;
        throw new Refused('import-crossed', {});
      });
      const matched = new Set(came.read.matches.map((m) => m.column));
      return {
        lines: lines.length - 1,
        added: came.added,
        changed: came.changed,
        same: came.same,
        matches: [...came.read.matches],
        problems: came.problems.slice(0, MOST_TOLD),
        problemLines: new Set(came.problems.map((p) => p.line)).size,
        missing: columnsOf(at.table.declared).flatMap((c) => (matched.has(c.name) ? [] : [c.name])),
        imported: came.imported,
      };
    },
    exportTable: async ({ person, params, query, res }) => {
      const at = await open(person, params, query.simulation);
      const headings = columnsOf(at.table.declared).map((c) => c.name);
      if (query.as === 'xlsx') {
        const lines = [headings];
        for await (const row of everyRow(at, MOST_WORKBOOK + 1)) lines.push(rowLine(at.table.declared, row.values));
        if (lines.length > MOST_WORKBOOK + 1)
          throw new HttpProblem('too-large', `A workbook has room for ${MOST_WORKBOOK} rows. Export it as CSV.`);
        return sendFile(res, XLSX, `${at.name}.xlsx`, await files.writeWorkbook(at.name, lines)) as never;
      }
      res.setHeader('content-disposition', `attachment; filename="${at.name}.csv"`);
      res.type('text/csv');
      res.write(csvLine(headings));
      for await (const row of everyRow(at, Infinity)) {
        if (res.destroyed) break;
        if (!res.write(csvLine(rowLine(at.table.declared, row.values)))) await taken(res, clock, PAUSE_MS);
      }
      res.end();
      return undefined;
    },
    resetPractice: async ({ person, params }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const realm = await realmOf(bot.id, params.conversation);
      await store.dropPractice(db, realm);
      return undefined;
    },
  };
}

/** A line of CSV (RFC 4180). */
function csvLine(cells: readonly string[]): string {
  return `${cells.map((c) => (/[",\r\n]|^\s|\s$/.test(c) ? `"${c.replaceAll('"', '""')}"` : c)).join(',')}\r\n`;
}

const columnChoice = z.record(z.string(), z.string().nullable());

function chosenColumns(text: string | undefined): Readonly<Record<string, string | null>> {
  if (text === undefined) return {};
  try {
    return columnChoice.parse(JSON.parse(text));
  } catch {
    throw new HttpProblem(
      'invalid-input',
      'columns cannot be read. Write headings and columns as JSON: {"Boat": "boat", "Notes": null}.',
    );
  }
}
