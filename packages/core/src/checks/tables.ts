import { pointer, type Problem } from '../document/problem.js';
import type { BotDocument } from '../document/schema.js';
import { COLUMN_TYPES, columnsOf, MOST_COLUMNS, ROW_FACTS, type TableDeclaration } from '../document/tables.js';
import { fitCell } from '../tables/cells.js';
import { nearest } from '../text/nearest.js';

/** What is wrong in the declarations of tables. */
export function tableProblems(document: BotDocument): Problem[] {
  return Object.entries(document.tables ?? {}).flatMap(([id, declared]) => oneTable(document, id, declared));
}

function oneTable(document: BotDocument, id: string, declared: TableDeclaration): Problem[] {
  const problem = (code: string, at: readonly (string | number)[], facts: Problem['facts']): Problem => {
    return { code, severity: 'error', field: pointer(['tables', id, ...at]), facts: { table: id, ...facts } };
  };
  const columns = columnsOf(declared);
  const names = columns.map((c) => c.name);
  const known = [...COLUMN_TYPES, ...Object.keys(document.entities ?? {})];
  return [
    ...(columns.length === 0 ? [problem('no-columns', ['columns'], {})] : []),
    ...(columns.length > MOST_COLUMNS ? [problem('too-many-columns', ['columns'], { most: MOST_COLUMNS })] : []),
    ...columns.flatMap((c): Problem[] => {
      const at = ['columns', c.name];
      if ((ROW_FACTS as readonly string[]).includes(c.name)) return [problem('column-name', at, { name: c.name })];
      if (!known.includes(c.type))
        return [problem('unknown-type', at, { name: c.name, type: c.type, suggestion: nearest(c.type, known) ?? null, known })];
      if ((c.type === 'one_of') !== c.of.length > 0) return [problem('one-of-what', at, { name: c.name })];
      if (c.default === null || (c.default === 'now' && ['date', 'time', 'moment'].includes(c.type))) return [];
      const fitted = fitCell(document, c, c.default);
      return fitted.ok ? [] : [problem('column-default', [...at, 'default'], { name: c.name, reason: fitted.reason })];
    }),
    ...(declared.key ?? []).flatMap((name, i): Problem[] => {
      if (names.includes(name)) return [];
      return [problem('unknown-column', ['key', i], { name, suggestion: nearest(name, names) ?? null })];
    }),
  ];
}
