import { z } from 'zod';
import { value as jsonValue, type Immutable } from '../../document/shapes.js';
import { RELATIONS } from '../../tables/rows.js';
import { defineEffect, failure, failureOf, place } from './effect.js';

export const TABLE_DOES = ['find', 'add', 'change', 'put', 'remove'] as const;
export type TableDoes = (typeof TABLE_DOES)[number];

const values = z.record(z.string(), jsonValue);
const row = z.strictObject({ id: z.string(), version: z.int(), values });

const request = z.strictObject({
  type: z.literal('table'),
  ...place,
  table: z.string(),
  does: z.enum(TABLE_DOES).describe('put: add, or change by key'),
  where: z.array(z.strictObject({ column: z.string(), relation: z.enum(RELATIONS), value: jsonValue })),
  order: z.strictObject({ column: z.string(), down: z.boolean().optional() }).optional(),
  limit: z.int().describe('the most rows that are found'),
  row: z
    .strictObject({ id: z.string(), version: z.int() })
    .optional()
    .describe('just this row, as long as nobody has changed it since'),
  values: values.describe('what the row is to hold'),
  fresh: values.describe('the same where the row is a new one'),
});
const result = z.union([
  z.strictObject({ outcome: z.literal('rows'), rows: z.array(row), more: z.boolean() }),
  z.strictObject({
    outcome: z.literal('stored'),
    rows: z.array(row).describe('as they are now; those that were removed, as they were'),
    count: z.int(),
  }),
  z.strictObject({ outcome: z.literal('conflict'), reason: z.string(), row: row.nullable() }),
  failure,
]);

/** Rows of a table are found, added, changed or removed. */
export type TableEffect = Immutable<z.infer<typeof request>>;
export type TableResult = Immutable<z.infer<typeof result>>;

export const table = defineEffect<'table', TableEffect, TableResult>({
  type: 'table',
  request,
  result,
  journaled: ({ does }) => (does === 'find' ? 'after' : 'around'),
  // Whoever writes notes under the path of the effect what came of it, so a second try finds the first one.
  repeatable: () => true,
  failed: failureOf,
  shown: true,
  name: ({ table: name, does }) => `table ${name} ${does}`,
  spoken: ({ table: name }) => `the table ${name}`,
  line: ({ table: name, does }) => `${does} ${name}`,
  whole: ({ table: name, does, where, row: only, values: held }) => {
    const conditions = where.map((c) => `${c.column} ${c.relation} ${JSON.stringify(c.value)}`).join(', ');
    const set = Object.keys(held).length > 0 ? ` ${JSON.stringify(held)}` : '';
    return `${does} ${name}${only ? ` ${only.id}` : ''}${conditions === '' ? '' : ` where ${conditions}`}${set}`;
  },
  came: (came) => {
    if (came.outcome === 'conflict') return `conflict: ${came.reason}`;
    const { length } = came.rows;
    return `${length === 1 ? '1 row' : `${length} rows`}${came.outcome === 'rows' && came.more ? ' and more' : ''}`;
  },
  likeness: ({ table: name, does, where, order, limit, row: only, values: held }) => {
    return {
      table: name,
      does,
      where: where.map((c) => ({ ...c })),
      order: order ? { column: order.column, down: order.down ?? false } : null,
      limit,
      row: only?.id ?? null,
      values: held,
    };
  },
});
