export { actionChanges, actionNames, actionTarget, findAction, keptNames, METHODS } from './actions.js';
export { compareDocuments, differenceSentence, type Difference } from './differences.js';
export {
  contentMark,
  FORM_ENDINGS,
  isBotFile,
  isKnowledgeFile,
  markedContent,
  readFolder,
  strayFiles,
  writeFolder,
  type Folder,
  type FolderProblem,
  type FolderResult,
} from './folder.js';
export { misfitOf, shownValue, type Issue, type Misfit } from './issues.js';
export { draftPatch, rebasePatch, sameValue, type Clash, type Rebased } from './merge.js';
export { applyPatch, comparePatch, patchOperation, type Patched, type PatchOperation } from './patch.js';
export { pointer, type Problem, type Severity } from './problem.js';
export { documentJsonSchema, readDocument, type ReadResult } from './read.js';
export {
  isActionSample,
  isEventSample,
  isHookSample,
  isMcpSample,
  isModelSample,
  WAYS_IN,
  type ActionSample,
  type EventSample,
  type Expectation,
  type Firing,
  type HookSample,
  type ModelSample,
  type Rehearsal,
  type RehearsedTurn,
  type Sample,
} from './rehearsals.js';
export {
  botDocument,
  DOCUMENT_FORMS,
  SOURCE_TIMES,
  type KnowledgeSource,
  type Action,
  type BotDocument,
  type Connection,
  type Context,
  type Entity,
  type Flow,
  type Intent,
  type KnowledgeBase,
  type KnowledgeDocument,
  splitting,
  type DocumentForm,
  type Splitting,
  mcpTool,
  type McpTool,
  type ModelProfile,
} from './schema.js';
export {
  DURATION_PATTERN,
  durationMs,
  ID_PATTERN,
  isTable,
  NAME_PATTERN,
  TALK_HABITS,
  TAKEN_AS,
  type TakenAs,
  type TalkHabit,
  type TalkHabits,
  TARGET_PATTERN,
  typeName,
  value as jsonValue,
  type FlowNode,
  type Immutable,
  type Text,
  type TypeDeclaration,
  type TypeObject,
  type Value,
} from './shapes.js';
export { FORMAT_VERSION, withPresentPaths } from './upgrade.js';
export {
  INPUT_FORMS,
  isChatPart,
  isInputPart,
  isOutputPart,
  OUTPUT_FORMS,
  page as pageDeclaration,
  PAGE_COLUMNS,
  type ChatPart,
  type InputForm,
  type InputPart,
  type OutputForm,
  type OutputPart,
  type Page,
  type PagePart,
} from './pages.js';
export { ROW_EVENTS, start as startDeclaration, type RowEvent, type Start, type StartKind, type StartOf } from './starts.js';
export {
  COLUMN_TYPES,
  columnsOf,
  MOST_COLUMNS,
  table as tableDeclaration,
  VISITOR,
  type Column,
  type ColumnDeclaration,
  type TableDeclaration,
} from './tables.js';
export { FACTS_LAST, MOST_FACT_KINDS, type FactKind, type MemoryDeclaration } from './memory.js';
export { MAX_NESTING, sizeOf } from './size.js';
export { applyChanges, fitsType } from './variables.js';
export { historyOf, valuesTogether, withChanges, type DatedChange, type VariableHistory } from './variable-history.js';
export { HOURS_PATTERN, STAFF_DAYS, type Staff, type StaffDay } from './staff.js';
