export { fitCell, keysOf, MOST_CELL, type Fitted } from './cells.js';
export { PracticeTables } from './practice.js';
export {
  BARE_RELATIONS,
  compareCells,
  defaultsOf,
  fitConditions,
  fitValues,
  misfitWords,
  missingIn,
  RELATIONS,
  rowFits,
  rowKey,
  sortRows,
  type Condition,
  type Misfit as RowMisfit,
  type Order,
  type Relation,
  type RowValues,
  type TableRow,
} from './rows.js';
export {
  matchColumns,
  readCsv,
  readSheet,
  rowLine,
  guardCell,
  unguardCell,
  writeSheet,
  type ColumnMatch,
  type ReadSheet,
  type SheetProblem,
} from './sheet.js';
export { decideWrite, MOST_ROW, MOST_WRITTEN, type Decided, type RowWrite } from './writing.js';
