import { jsonValue, RELATIONS, tableDeclaration, type TableDeclaration } from '@primrose/core';
import { z } from 'zod';
import { endpoint } from './endpoint.js';
import * as s from './shapes.js';

const moment = z.iso.datetime();
const key = s.conversationParams.shape.conversation;
const name = z.string().max(80);
const cells = z.record(name, jsonValue);
const declared: z.ZodType<TableDeclaration> = tableDeclaration;

/** The rows that are meant: those of a table, or the practice rows of a simulation. */
const realm = { simulation: key.optional() };

/** A table of a draft with its rows. */
export const tableSummary = z.object({
  name: z.string(),
  declared,
  /** The bot whose rows they are; null where they are this bot's own. */
  of: z.string().nullable(),
  rows: z.number().int(),
  /** There are more rows than were counted. */
  more: z.boolean(),
  /** The rows are being brought to another declaration. */
  carrying: z.boolean(),
  /** Why the rows cannot be shown; null where they can. */
  problem: z.string().nullable(),
});
export type TableSummary = z.infer<typeof tableSummary>;

const misfit = z.object({ column: z.string(), reason: z.string() });
const turnPlace = z.object({ conversation: z.string(), turn: z.number().int() });

/** A row with who wrote it. */
export const tableRow = z.object({
  id: z.string(),
  version: z.number().int(),
  values: cells,
  /** Values that do not fit the draft's declaration, and values of columns that it has not. */
  misfits: z.array(misfit),
  left: cells,
  madeAt: moment,
  madeBy: z.string(),
  /** The turn of a conversation or run that wrote it; null for people. */
  madeIn: turnPlace.nullable(),
  changedAt: moment,
  changedBy: z.string(),
  changedIn: turnPlace.nullable(),
});
export type TableRowView = z.infer<typeof tableRow>;

const condition = z.object({ column: name, relation: z.enum(RELATIONS), value: jsonValue.optional() });

const tableParams = s.botParams.extend({ table: name });
const rowParams = tableParams.extend({ row: key });

/** What an import came to, or would come to. */
export const sheetReport = z.object({
  lines: z.number().int(),
  added: z.number().int(),
  changed: z.number().int(),
  same: z.number().int(),
  matches: z.array(
    z.object({
      heading: z.string(),
      at: z.number().int(),
      column: z.string().nullable(),
      suggestion: z.string().nullable(),
    }),
  ),
  /** The first lines that do not fit, and how many there are. */
  problems: z.array(z.object({ line: z.number().int(), column: z.string(), reason: z.string() })),
  problemLines: z.number().int(),
  /** Columns of the table that the file has not. */
  missing: z.array(z.string()),
  imported: z.boolean(),
});
export type SheetReport = z.infer<typeof sheetReport>;

/** What a changed declaration does to the rows that there are. */
export const tableChange = z.object({
  table: z.string(),
  added: z.array(z.string()),
  removed: z.array(z.string()),
  changed: z.array(z.string()),
  rows: z.number().int(),
  /** Values that would not fit: they stay as they are and are shown. */
  misfits: z.number().int(),
  examples: z.array(z.object({ row: z.string(), column: z.string(), value: jsonValue, reason: z.string() })),
  /** Values in columns that are none any more: they stay, out of sight. */
  left: z.number().int(),
  /** Rows that the key would make the same. */
  sameKeys: z.number().int(),
});
export type TableChange = z.infer<typeof tableChange>;

export const SHEET_TYPES = ['text/csv', 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet'] as const;

/** The rows of tables: a part of the API's list. */
export const tableEndpoints = {
  listTables: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/tables',
    about: 'The tables of the draft with how many rows they have',
    access: 'person',
    params: s.botParams,
    query: z.object(realm),
    reply: s.list(tableSummary),
  }),
  listTableChanges: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/tables-changes',
    about: 'What a release of the draft would do to the rows that there are: what would not fit, what would be out of sight',
    access: 'person',
    params: s.botParams,
    reply: s.list(tableChange),
  }),
  findTableRows: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/tables/:table/find',
    about: 'Rows of a table that are all that is asked, a page at a time; the newest first unless an order is asked for',
    access: 'person',
    params: tableParams,
    body: z.object({
      where: z.array(condition).max(20).optional(),
      order: z.object({ column: name, down: z.boolean().optional() }).optional(),
      after: z.string().max(100).optional(),
      limit: z.number().int().min(1).max(200).optional(),
      ...realm,
    }),
    reply: s.list(tableRow),
  }),
  addTableRow: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/tables/:table/rows',
    about: 'Add a row; with key=change the row of the same key is changed instead',
    access: 'person',
    params: tableParams,
    query: z.object({ key: z.literal('change').optional(), ...realm }),
    body: z.object({ values: cells }),
    reply: tableRow,
    status: 201,
    problems: ['row-conflict'],
  }),
  getTableRow: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/tables/:table/rows/:row',
    about: 'One row, with who wrote it and from which turn',
    access: 'person',
    params: rowParams,
    query: z.object(realm),
    reply: tableRow,
  }),
  changeTableRow: endpoint({
    method: 'PATCH',
    path: '/api/bots/:bot/tables/:table/rows/:row',
    about: 'Change some values of a row, of the version that was looked at; null empties one',
    access: 'person',
    params: rowParams,
    query: z.object(realm),
    body: z.object({ version: z.number().int(), values: cells }),
    reply: tableRow,
    problems: ['row-conflict'],
  }),
  removeTableRows: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/tables/:table/remove',
    about: 'Remove rows, each of the version that was looked at; where one is another one now, none is removed',
    access: 'person',
    params: tableParams,
    query: z.object(realm),
    body: z.object({
      rows: z
        .array(z.object({ id: key, version: z.number().int() }))
        .min(1)
        .max(200),
    }),
    reply: z.object({ removed: z.number().int() }),
    problems: ['row-conflict'],
  }),
  importTable: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/tables/:table/import',
    about:
      'Rows from a CSV or XLSX file whose first line names the columns. Without import=true it only tells what would come of it; lines that do not fit stop it unless skip=true leaves them out; key=change changes rows of the same key',
    access: 'person',
    params: tableParams,
    query: z.object({
      import: z.enum(['true', 'false']).optional(),
      skip: z.enum(['true', 'false']).optional(),
      key: z.literal('change').optional(),
      /** Headings and the columns that they are read into, as JSON: {"Boat": "boat", "Notes": null}. */
      columns: z.string().max(20_000).optional(),
      ...realm,
    }),
    upload: [...SHEET_TYPES],
    reply: sheetReport,
  }),
  exportTable: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/tables/:table/export',
    about:
      'All rows as a CSV or XLSX file. A text that a spreadsheet would run is written with an apostrophe, which an import takes away',
    access: 'person',
    params: tableParams,
    query: z.object({ as: z.enum(['csv', 'xlsx']).optional(), ...realm }),
    download: [...SHEET_TYPES],
  }),
  resetPractice: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/simulations/:conversation/practice/reset',
    about: 'Forget the practice rows of a simulation: they are copied anew when they are next needed',
    access: 'person',
    params: s.botParams.extend({ conversation: key }),
    status: 204,
  }),
} as const;
