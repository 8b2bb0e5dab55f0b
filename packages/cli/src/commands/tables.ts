import { readFileSync, writeFileSync } from 'node:fs';
import { SHEET_TYPES, type SheetReport } from '@primrose/contract';
import { columnsOf, RELATIONS, textOf, type Relation, type Value } from '@primrose/core';
import { count, findBot, table, type Context } from '../context.js';
import { CommandFailure, EXIT } from '../outcome.js';

const [CSV, XLSX] = SHEET_TYPES;
const CELL = 28;
const PROBLEMS_SHOWN = 20;

const short = (value: Value): string => {
  const text = textOf(value).replace(/\s+/g, ' ');
  return text.length > CELL ? `${text.slice(0, CELL - 1)}…` : text;
};

/** The tables of a bot's draft with how many rows they have. */
export async function cmdTables({ client, asJson, json, print }: Context, word: string): Promise<void> {
  const bot = await findBot(client, word);
  const { items } = await client.call('listTables', { params: { bot: bot.id }, query: {} });
  if (asJson) return json({ items });
  if (items.length === 0) return print(`${bot.name} has no tables. They are declared in its files, under tables/.`);
  const rows = items.map((t) => [
    t.name,
    t.problem ?? `${t.rows}${t.more ? '+' : ''}`,
    columnsOf(t.declared)
      .map((c) => c.name)
      .join(', '),
  ]);
  print(table([['TABLE', 'ROWS', 'COLUMNS'], ...rows]));
}

interface RowsOptions {
  readonly where?: readonly string[];
  readonly order?: string;
  readonly limit: string;
  readonly add?: string;
  readonly change?: string;
  readonly values?: string;
  readonly remove?: string;
}

const SIGNS: readonly (readonly [string, Relation])[] = [
  ['!=', 'is-not'],
  ['>=', 'at-least'],
  ['<=', 'at-most'],
  ['~', 'contains'],
  ['>', 'more'],
  ['<', 'less'],
  ['=', 'is'],
];

/** A condition as it is typed: `boat=sandpiper`, `seen>=2026-05-01`, `what~window`, or `boat begins sand`. */
function conditionIn(text: string): { column: string; relation: Relation; value?: Value } {
  const spoken = /^([a-z0-9_]+) ([a-z-]+)(?: (.*))?$/.exec(text);
  const relation = RELATIONS.find((r) => r === spoken?.[2]);
  if (spoken && relation) return { column: spoken[1] ?? '', relation, ...(spoken[3] === undefined ? {} : { value: spoken[3] }) };
  for (const [sign, of] of SIGNS) {
    const at = text.indexOf(sign);
    if (at > 0) return { column: text.slice(0, at).trim(), relation: of, value: text.slice(at + sign.length).trim() };
  }
  throw new CommandFailure(EXIT.usage, `"${text}" cannot be read. Write a column, a sign and a value, such as boat=sandpiper.`);
}

function valuesIn(text: string): Record<string, Value> {
  try {
    const read: unknown = JSON.parse(text);
    if (read !== null && typeof read === 'object' && !Array.isArray(read)) return read as Record<string, Value>;
  } catch {
    // Said below.
  }
  throw new CommandFailure(EXIT.usage, `"${text}" is no JSON object. Write columns and values, such as {"boat": "sandpiper"}.`);
}

/** Rows of a table: found, added, changed or removed. */
export async function cmdTable(context: Context, word: string, name: string, o: RowsOptions): Promise<void> {
  const { client, asJson, json, print } = context;
  const bot = await findBot(client, word);
  const params = { bot: bot.id, table: name };
  if (o.add !== undefined) {
    const row = await client.call('addTableRow', { params, query: {}, body: { values: valuesIn(o.add) } });
    return asJson ? json(row) : print(`Added as ${row.id}.`);
  }
  if (o.change !== undefined || o.remove !== undefined) return changeRow(context, params, o);
  const [column, down] = (o.order ?? '').split(' ');
  const limit = Math.max(1, Math.min(200, Number(o.limit) || 20));
  const body = {
    where: (o.where ?? []).map(conditionIn),
    ...(column ? { order: { column, ...(down ? { down: true } : {}) } } : {}),
    limit,
  };
  const { items } = await client.call('findTableRows', { params, body });
  if (asJson) return json({ items });
  if (items.length === 0) return print('No such rows.');
  const columns = [...new Set(items.flatMap((r) => Object.keys(r.values)))];
  const rows = items.map((r) => [...columns.map((c) => short(r.values[c] ?? null)), r.id]);
  print(table([[...columns.map((c) => c.toUpperCase()), 'ID'], ...rows]));
}

/** Changes or removes one row, as it is now. */
async function changeRow(
  { client, asJson, json, print }: Context,
  params: { bot: string; table: string },
  o: RowsOptions,
): Promise<void> {
  const id = o.change ?? o.remove ?? '';
  const row = await client.call('getTableRow', { params: { ...params, row: id }, query: {} });
  if (o.remove !== undefined) {
    const removed = await client.call('removeTableRows', { params, query: {}, body: { rows: [{ id, version: row.version }] } });
    return asJson ? json(removed) : print('Removed.');
  }
  if (o.values === undefined)
    throw new CommandFailure(EXIT.usage, 'Say what the row is to hold: --values \'{"state": "done"}\'.');
  const body = { version: row.version, values: valuesIn(o.values) };
  const changed = await client.call('changeTableRow', { params: { ...params, row: id }, query: {}, body });
  return asJson ? json(changed) : print(`Changed; it is version ${changed.version} now.`);
}

interface ImportOptions {
  readonly try?: boolean;
  readonly skip?: boolean;
  readonly key?: boolean;
  readonly columns?: string;
}

/** Rows from a CSV or XLSX file; what does not fit is told line by line. */
export async function cmdTableImport(
  context: Context,
  word: string,
  name: string,
  file: string,
  o: ImportOptions,
): Promise<void> {
  const { client, asJson, json, print, endWith } = context;
  const bot = await findBot(client, word);
  const bytes = new Uint8Array(readFile(file));
  const query = {
    import: o.try ? ('false' as const) : ('true' as const),
    skip: o.skip ? ('true' as const) : ('false' as const),
    ...(o.key ? { key: 'change' as const } : {}),
    ...(o.columns === undefined ? {} : { columns: o.columns }),
  };
  const type = /\.xlsx$/i.test(file) ? XLSX : CSV;
  const report = await client.upload('importTable', { params: { bot: bot.id, table: name }, query }, { bytes, type });
  if (report.problemLines > 0 && !report.imported) endWith(EXIT.problems);
  return asJson ? json(report) : print(reportText(report, name));
}

function readFile(file: string): Buffer {
  try {
    return readFileSync(file);
  } catch {
    throw new CommandFailure(EXIT.usage, `The file ${file} cannot be read.`);
  }
}

function reportText(r: SheetReport, name: string): string {
  const nowhere = r.matches.filter((m) => m.column === null);
  return [
    `${count(r.lines, 'line')}: ${r.added} new, ${r.changed} changed, ${r.same} as they are.`,
    ...(nowhere.length > 0
      ? [
          `Read into no column: ${nowhere.map((m) => `${m.heading}${m.suggestion === null ? '' : ` (${m.suggestion}?)`}`).join(', ')}`,
        ]
      : []),
    ...(r.missing.length > 0 ? [`Not in the file: ${r.missing.join(', ')}`] : []),
    ...r.problems.slice(0, PROBLEMS_SHOWN).map((p) => `  line ${p.line}: ${p.column} ${p.reason}`),
    ...(r.problems.length > PROBLEMS_SHOWN ? [`  and ${r.problems.length - PROBLEMS_SHOWN} more`] : []),
    r.imported
      ? `Imported into ${name}.`
      : r.problemLines > 0
        ? `Nothing was imported: ${count(r.problemLines, 'line does', 'lines do')} not fit. Mend the file, or leave them out with --skip.`
        : 'Nothing was imported: this was only tried.',
  ].join('\n');
}

/** All rows as a CSV or XLSX file. */
export async function cmdTableExport(
  { client, asJson, json, print, io }: Context,
  word: string,
  name: string,
  o: { output?: string },
): Promise<void> {
  const bot = await findBot(client, word);
  const file = o.output ?? `${name}.csv`;
  const as = /\.xlsx$/i.test(file) ? ('xlsx' as const) : ('csv' as const);
  const { bytes } = await client.download('exportTable', { params: { bot: bot.id, table: name }, query: { as } });
  if (file === '-') return void io.output.write(Buffer.from(bytes).toString('utf8'));
  writeFileSync(file, bytes);
  return asJson ? json({ file, bytes: bytes.length }) : print(`Written to ${file}.`);
}

/** What a release of the draft would do to the rows that there are. */
export async function cmdTableChanges({ client, asJson, json, print }: Context, word: string): Promise<void> {
  const bot = await findBot(client, word);
  const { items } = await client.call('listTableChanges', { params: { bot: bot.id } });
  if (asJson) return json({ items });
  if (items.length === 0) return print('A release would change nothing about the rows.');
  for (const c of items) {
    const parts = [
      ...(c.added.length > 0 ? [`new ${c.added.join(', ')}`] : []),
      ...(c.changed.length > 0 ? [`changed ${c.changed.join(', ')}`] : []),
      ...(c.removed.length > 0 ? [`gone ${c.removed.join(', ')}`] : []),
    ];
    print(`${c.table}: ${parts.join('; ')}`);
    print(
      `  ${count(c.rows, 'row')}, ${count(c.misfits, 'value')} that would not fit, ${count(c.left, 'value')} of columns that are gone`,
    );
    for (const e of c.examples) print(`  ${e.row}: ${e.column} ${e.reason}`);
  }
}
