import { z } from 'zod';
import { columnsOf, VISITOR, type TableDeclaration } from '../../document/tables.js';
import { expression, isTable, name, nodeBase, target, template, value, type Value } from '../../document/shapes.js';
import { textOf } from '../../expressions/functions.js';
import { fitConditions, fitValues, misfitWords, RELATIONS, BARE_RELATIONS, defaultsOf } from '../../tables/rows.js';
import type { Condition, RowValues, TableRow } from '../../tables/rows.js';
import { nearest } from '../../text/nearest.js';
import type { Outcome } from '../compiled.js';
import { TABLE_DOES, type TableDoes, type TableEffect, type TableResult } from '../effects/table.js';
import { failureSays, type VisibleFailure } from '../failure-words.js';
import { defineKind, type Exit, type Found, type Place, type Use } from '../kind.js';
import type { Turn } from '../turn.js';
import type { Walking } from '../types.js';
import { rowValue } from '../row-value.js';
import { perform } from '../walk.js';
import { valueUses } from './set.js';

const condition = z.strictObject({ column: name, relation: z.enum(RELATIONS), value: value.optional() });
const schema = z.strictObject({
  kind: z.literal('table'),
  ...nodeBase,
  table: z.string(),
  does: z.enum(TABLE_DOES),
  /** What the rows have to be: all of it. */
  where: z.array(condition).max(20).optional(),
  /** The same as an expression over `row`. */
  when: expression.optional(),
  order: z.strictObject({ column: name, down: z.boolean().optional() }).optional(),
  /** The most rows that are found. */
  limit: z.number().int().min(1).max(200).optional(),
  /** The first row itself, and no list. */
  one: z.boolean().optional(),
  /** Just this row, which was found before: a template. */
  row: template.optional(),
  /** What the row is to hold, by column. */
  values: z.record(name, value).optional(),
  into: target.optional(),
});
type TableNode = z.infer<typeof schema>;

const DEFAULT_LIMIT = 20;
/** So many rows are looked at with an expression. */
const LOOKED_AT = 500;

const DONE: Exit = { name: 'done', about: 'it is done' };
const NONE: Exit = { name: 'none', about: 'there is no such row', way: 'aside' };
const CONFLICT: Exit = { name: 'conflict', about: 'somebody else was there before', way: 'aside' };
const FAILED: Exit = { name: 'failed', about: 'a value does not fit, or the table is not there', way: 'aside' };
const EXITS: Readonly<Record<TableDoes, readonly Exit[]>> = {
  find: [{ name: 'found', about: 'there are such rows' }, NONE, FAILED],
  add: [DONE, CONFLICT, FAILED],
  change: [DONE, NONE, CONFLICT, FAILED],
  put: [DONE, CONFLICT, FAILED],
  remove: [DONE, NONE, CONFLICT, FAILED],
};
const VERBS: Readonly<Record<TableDoes, string>> = {
  find: 'Find in',
  add: 'Add to',
  change: 'Change in',
  put: 'Add or change by key in',
  remove: 'Remove from',
};

/** True where a column takes the value of the flow's variable of its name by itself. */
const matches = (does: TableDoes): boolean => does === 'add' || does === 'put';

/** How each column of a table gets its value in a new row: as the node says, by its name, by default, or not at all. */
export function columnSources(
  node: Readonly<Record<string, unknown>>,
  declared: TableDeclaration,
  variables: ReadonlySet<string>,
) {
  const given = (node['values'] as Record<string, Value> | undefined) ?? {};
  return columnsOf(declared).map((column) => {
    const from =
      column.name in given
        ? ('given' as const)
        : matches(node['does'] as TableDoes) && variables.has(column.name)
          ? ('name' as const)
          : column.default !== null
            ? ('default' as const)
            : ('nothing' as const);
    return { column, from };
  });
}

function checks(node: TableNode, { document, variables }: Place): Found[] {
  const known = Object.keys(document.tables ?? {});
  const declared = document.tables?.[node.table];
  if (!declared) {
    const facts = { name: node.table, suggestion: nearest(node.table, known) ?? null };
    return [{ code: 'unknown-table', severity: 'error', field: '/table', facts }];
  }
  return [...columnChecks(node, declared), ...valueChecks(node, declared, variables), ...formChecks(node, declared)];
}

function columnChecks(node: TableNode, declared: TableDeclaration): Found[] {
  const columns = Object.keys(declared.columns);
  const unknown = (column: string, field: string): Found[] => {
    if (columns.includes(column)) return [];
    const facts = { name: column, table: node.table, suggestion: nearest(column, columns) ?? null };
    return [{ code: 'unknown-column', severity: 'error', field, facts }];
  };
  return [
    ...(node.where ?? []).flatMap((c, i) => unknown(c.column, `/where/${i}/column`)),
    ...Object.keys(node.values ?? {}).flatMap((c) => unknown(c, `/values/${c}`)),
    ...(node.order ? unknown(node.order.column, '/order/column') : []),
  ];
}

function valueChecks(node: TableNode, declared: TableDeclaration, variables: ReadonlySet<string>): Found[] {
  if (!matches(node.does)) return [];
  return columnSources(node, declared, variables).flatMap(({ column, from }): Found[] => {
    if (from !== 'nothing') return [];
    const facts = { name: column.name, table: node.table };
    if (column.needed) return [{ code: 'column-not-given', severity: 'error', field: '/values', facts }];
    return [{ code: 'column-left-empty', severity: 'warning', field: '/values', facts }];
  });
}

function formChecks(node: TableNode, declared: TableDeclaration): Found[] {
  const found = (code: string, field: string, severity: Found['severity'] = 'error'): Found => {
    return { code, severity, field, facts: { table: node.table } };
  };
  const all = (node.where ?? []).length === 0 && node.when === undefined && node.row === undefined;
  return [
    ...(node.does === 'put' && !declared.key ? [found('table-without-key', '/does')] : []),
    ...((node.does === 'change' || node.does === 'remove') && all ? [found('all-rows', '/where', 'warning')] : []),
    ...(node.does === 'change' && Object.keys(node.values ?? {}).length === 0 ? [found('nothing-changed', '/values')] : []),
    ...(node.does === 'find' && node.into === undefined ? [found('found-for-nothing', '/into', 'warning')] : []),
  ];
}

/** Which row a value that was found before is. */
function rowIn(found: Value): { id: string; version: number } | undefined {
  const one = Array.isArray(found) ? (found as readonly Value[])[0] : found;
  if (!isTable(one)) return undefined;
  const { id, version } = one;
  return typeof id === 'string' && typeof version === 'number' ? { id, version } : undefined;
}

function failed(turn: Turn, table: string, code: VisibleFailure, reason: string): Outcome {
  turn.view.turn['failure'] = { table, reason, says: failureSays(code, turn.language) };
  turn.problem('table-failed', { table, reason });
  return { exit: 'failed', note: reason };
}

/** The prose of what it looks for, as the Map shows it. */
function whereWords(node: TableNode): string {
  const shown = (v: Value | undefined) => (typeof v === 'string' ? v : textOf(v ?? null));
  const parts = (node.where ?? []).map((c) => `${c.column} ${c.relation} ${shown(c.value)}`.trim());
  if (node.when !== undefined) parts.push(node.when);
  return parts.length === 0 ? '' : ` where ${parts.join(' and ')}`;
}

/** Finds, adds, changes or removes rows of a table. */
export const table = defineKind<TableNode>({
  kind: 'table',
  band: 'outside',
  about: 'find, add, change or remove rows of a table',
  schema,
  blank: () => ({ table: '', does: 'find', where: [], into: 'flow.rows' }),
  exits: (node) => EXITS[node.does],
  prose: (node) => ({ text: `${VERBS[node.does]} ${node.table || 'a table'}${whereWords(node)}` }),
  uses: (node): Use[] => [
    ...(node.where ?? []).flatMap((c, i) => valueUses(c.value ?? null, `/where/${i}/value`)),
    ...(node.when === undefined ? [] : [{ field: '/when', as: 'expression', text: node.when, locals: ['row'] } as const]),
    ...(node.row === undefined ? [] : [{ field: '/row', as: 'template', text: node.row } as const]),
    ...Object.entries(node.values ?? {}).flatMap(([key, v]) => valueUses(v, `/values/${key}`)),
    ...(node.into === undefined ? [] : [{ field: '/into', as: 'target', text: node.into } as const]),
  ],
  refers: (node) => [{ to: 'table', name: node.table, field: '/table' }],
  changes: (node) => node.does !== 'find',
  types: (node): Record<string, string> => {
    if (node.into === undefined) return {};
    return { [node.into]: (node.does === 'find' && !node.one) || node.does === 'remove' ? 'list' : 'object' };
  },
  checks,
  prepare: (node, compiler) => {
    const { document } = compiler;
    const declared = document.tables?.[node.table];
    const where = (node.where ?? []).map((c) => ({ ...c, prepared: compiler.value(c.value ?? null) }));
    const given = compiler.fields(node.values);
    const when = node.when === undefined ? undefined : compiler.expression(node.when);
    const row = node.row === undefined ? undefined : compiler.template(node.row);

    const seen = (found: TableRow): Value => rowValue(declared, found);
    const visitorColumns = new Set(declared ? columnsOf(declared).flatMap((c) => (c.type === 'visitor' ? [c.name] : [])) : []);
    const conditionsOf = (turn: Turn): Condition[] =>
      where.map(({ column, relation, prepared }, i) => {
        const bare = BARE_RELATIONS.has(relation);
        const value = bare ? null : turn.value(`/where/${i}/value`, prepared, undefined, true);
        // Of a visitor's rows those of whoever speaks are meant, unless another one is named.
        return { column, relation, value: value === null && visitorColumns.has(column) && !bare ? VISITOR : value };
      });
    /** What the row is to hold: as the node says, and for a new one what the flow knows by the names of the columns. */
    const valuesOf = (turn: Turn): RowValues => {
      const said = Object.fromEntries(given.map(([key, v]) => [key, turn.value(`/values/${key}`, v, undefined, true)]));
      if (!matches(node.does) || !declared) return said;
      const named = columnsOf(declared).flatMap(({ name: column, type }): [string, Value][] => {
        if (column in said) return [];
        const held = turn.read(`flow.${column}`);
        if (held === null && type === 'visitor') return [[column, VISITOR]];
        return held === null ? [] : [[column, held]];
      });
      return { ...Object.fromEntries(named), ...said };
    };

    /** Conditions without a value would choose rows that nobody meant; to find some that way is harmless, to write is not. */
    const withoutValue = (conditions: readonly Condition[]): Condition | undefined => {
      if (node.does !== 'change' && node.does !== 'remove') return undefined;
      return conditions.find((c) => c.value === null && !BARE_RELATIONS.has(c.relation));
    };

    const request = (turn: Turn, fitted: { where: readonly Condition[]; values: RowValues }): TableEffect | undefined => {
      const only = row === undefined ? undefined : rowIn(turn.value('/row', { template: row }));
      if (row !== undefined && !only) return undefined;
      return {
        type: 'table',
        path: turn.effectPath(),
        table: node.table,
        does: node.does,
        where: only ? [] : fitted.where,
        ...(node.order ? { order: node.order } : {}),
        limit: when ? LOOKED_AT : node.one ? 1 : (node.limit ?? DEFAULT_LIMIT),
        ...(only ? { row: only } : {}),
        values: fitted.values,
        fresh: declared && matches(node.does) ? defaultsOf(declared, turn.at, turn.zone) : {},
      };
    };

    const chosen = (turn: Turn, rows: readonly TableRow[]): readonly TableRow[] => {
      if (!when) return rows;
      const fitting = rows.filter((r) => turn.evaluate('/when', when, { row: seen(r) }) === true);
      // What is to be changed or removed is all of it, unless the node says how many.
      const most = node.one ? 1 : (node.limit ?? (node.does === 'find' ? DEFAULT_LIMIT : LOOKED_AT));
      return fitting.slice(0, most);
    };

    const settle = (turn: Turn, came: TableResult): Outcome => {
      if (came.outcome === 'failed') return failed(turn, node.table, came.code, came.reason);
      if (came.outcome === 'conflict') {
        turn.view.turn['failure'] = { table: node.table, reason: came.reason, row: came.row ? seen(came.row) : null };
        return { exit: 'conflict', note: came.reason };
      }
      if (came.outcome === 'rows') {
        const rows = chosen(turn, came.rows);
        const cut = when && came.more ? `only the first ${LOOKED_AT} rows were looked at` : undefined;
        if (node.into !== undefined) turn.write(node.into, node.one ? (rows[0] ? seen(rows[0]) : null) : rows.map(seen));
        if (rows.length === 0) return { exit: 'none', ...(cut === undefined ? {} : { note: cut }) };
        return { exit: 'found', note: cut ?? (rows.length === 1 ? '1 row' : `${rows.length} rows`) };
      }
      if (came.count === 0) return { exit: 'none' };
      const [first] = came.rows;
      if (node.into !== undefined)
        turn.write(node.into, node.does === 'remove' ? came.rows.map(seen) : first ? seen(first) : null);
      return { exit: 'done', note: came.count === 1 ? '1 row' : `${came.count} rows` };
    };

    function* done(turn: Turn, effect: TableEffect): Walking<TableResult> {
      const came = yield* perform(turn, effect);
      turn.recordEffect({ request: effect, result: came });
      return came;
    }

    return {
      run: function* (turn): Walking<Outcome> {
        if (!declared) return failed(turn, node.table, 'not-configured', `there is no table "${node.table}" in this bot`);
        const asked = conditionsOf(turn);
        const open = withoutValue(asked);
        if (open) {
          const reason = `there is no value for what ${open.column} of the rows of ${node.table} has to be`;
          return failed(turn, node.table, 'does-not-fit', reason);
        }
        const conditions = fitConditions(document, declared, asked);
        const values = fitValues(document, declared, valuesOf(turn));
        if (!conditions.ok) return failed(turn, node.table, 'does-not-fit', misfitWords(node.table, conditions.misfits));
        if (!values.ok) return failed(turn, node.table, 'does-not-fit', misfitWords(node.table, values.misfits));
        const effect = request(turn, { where: conditions.conditions, values: values.values });
        if (!effect) return failed(turn, node.table, 'does-not-fit', `"${node.row}" is no row that was found before`);
        if (!when || node.does === 'find' || effect.row) return settle(turn, yield* done(turn, effect));
        return yield* oneByOne(turn, effect);
      },
    };

    /** Changes or removes what an expression chooses: found first, then each as long as nobody has changed it since. */
    function* oneByOne(turn: Turn, effect: TableEffect): Walking<Outcome> {
      const found = yield* done(turn, { ...effect, does: 'find', values: {}, fresh: {} });
      if (found.outcome !== 'rows') return settle(turn, found);
      if (found.more) {
        const reason = `more than ${LOOKED_AT} rows of ${node.table} would have to be looked at; narrow them down with "where"`;
        return failed(turn, node.table, 'does-not-fit', reason);
      }
      const rows: TableRow[] = [];
      for (const { id, version } of chosen(turn, found.rows)) {
        const one = yield* done(turn, { ...effect, path: turn.effectPath(), where: [], row: { id, version } });
        if (one.outcome !== 'stored') return settle(turn, one);
        rows.push(...one.rows);
      }
      return settle(turn, { outcome: 'stored', rows, count: rows.length });
    }
  },
});
