import { z } from 'zod';
import { id, name, value, type Value } from './shapes.js';

/** What a column of a table can hold, besides the values of an entity of the bot. */
export const COLUMN_TYPES = ['text', 'number', 'yes_no', 'date', 'time', 'moment', 'one_of', 'list', 'visitor'] as const;
export const MOST_COLUMNS = 100;
const MOST_KEYS = 5;

const columnType = z.string().regex(/^[a-z][a-z0-9_]*$/);

const describedColumn = z.strictObject({
  type: columnType,
  /** What it can be, for `one_of`. */
  of: z.array(z.string().min(1).max(200)).min(1).max(200).optional(),
  /** Rows are found by it without being looked at one by one. */
  search: z.boolean().optional(),
  /** A row without it is none. */
  needed: z.boolean().optional(),
  /** What it holds in a new row where nothing is given; `now` in a date, a time or a moment is the moment of the row. */
  default: value.optional(),
  about: z.string().max(500).optional(),
});
export const column = z.union([columnType, describedColumn]);
export type ColumnDeclaration = z.infer<typeof column>;

/** Rows that Primrose keeps for a bot. They are records: the document declares what they hold. */
export const table = z.strictObject({
  title: z.string().max(120).optional(),
  about: z.string().optional(),
  /** The bot whose rows they are, where they are another one's that lets this one in. */
  of: id.optional(),
  /** Other bots that may use the rows. */
  allows: z.array(id).max(50).optional(),
  columns: z.record(name, column),
  /** The columns that make two rows the same. */
  key: z.array(name).min(1).max(MOST_KEYS).optional(),
});
export type TableDeclaration = z.infer<typeof table>;

/** A column with nothing left open. */
export interface Column {
  readonly name: string;
  readonly type: string;
  readonly of: readonly string[];
  readonly search: boolean;
  readonly needed: boolean;
  readonly default: Value;
  readonly about: string;
}

/** Stands for whoever speaks, in a column that holds a visitor: who that is, the service knows. */
export const VISITOR = '(the visitor)';

/** Names that every row has besides its columns. */
export const ROW_FACTS = ['id', 'version'] as const;

/** The columns of a table in their order. What is part of the key is searchable and needed, and so is a visitor searchable. */
export function columnsOf(declared: TableDeclaration): Column[] {
  return Object.entries(declared.columns).map(([columnName, given]) => {
    const described = typeof given === 'string' ? { type: given } : given;
    const inKey = declared.key?.includes(columnName) ?? false;
    return {
      name: columnName,
      type: described.type,
      of: described.of ?? [],
      search: inKey || described.search === true || described.type === 'visitor',
      needed: inKey || described.needed === true,
      default: described.default ?? null,
      about: described.about ?? '',
    };
  });
}
