export {
  hookProfile,
  messageCalls,
  PROFILE_NAMES,
  profileProblems,
  readHook,
  splitText,
  typingCalls,
  type HookCall,
  type HookCalls,
  type HookEvent,
  type HookProfile,
  type HookReading,
  type HookSecrets,
  type ProfileProblem,
} from './channels/hook-profile.js';
export { checkBot, scopeOf, type Scope } from './checks/check.js';
export { PROBLEM_CODES, problemSentence } from './checks/wording.js';
export { actionNames, actionTarget, findAction, METHODS } from './document/actions.js';
export { compareDocuments, differenceSentence, type Difference } from './document/differences.js';
export { isBotFile, readFolder, writeFolder, type Folder, type FolderProblem, type FolderResult } from './document/folder.js';
export { draftPatch, rebasePatch, sameValue, type Clash, type Rebased } from './document/merge.js';
export { applyPatch, comparePatch, patchOperation, type Patched, type PatchOperation } from './document/patch.js';
export { pointer, type Problem, type Severity } from './document/problem.js';
export { documentJsonSchema, readDocument, type ReadResult } from './document/read.js';
export {
  botDocument,
  DOCUMENT_FORMS,
  type Action,
  type BotDocument,
  type Connection,
  type Context,
  type Entity,
  type Flow,
  type Intent,
  type KnowledgeBase,
  type KnowledgeDocument,
  type ModelProfile,
} from './document/schema.js';
export {
  DURATION_PATTERN,
  ID_PATTERN,
  TARGET_PATTERN,
  NAME_PATTERN,
  typeName,
  value as jsonValue,
  type FlowNode,
  type Text,
  type TypeDeclaration,
  type Value,
} from './document/shapes.js';
export {
  WAYS_IN,
  type ActionSample,
  type EventSample,
  type Expectation,
  type ModelSample,
  type Rehearsal,
  type RehearsedTurn,
  type Sample,
} from './document/rehearsals.js';
export { applyChanges } from './document/variables.js';
export { FORMAT_VERSION } from './document/upgrade.js';
export {
  copyNodes,
  duplicateFlow,
  moveNodes,
  pasteNodes,
  pointAtCopy,
  readClip,
  sharedReferences,
  type Clip,
  type Pasted,
  type SharedReference,
} from './editing/clipboard.js';
export { cutOut, typeOfVariable, type CutOut } from './editing/cut-out.js';
export { find, findables, replacements, replaceTexts, type Findable, type Hit, type Replacement } from './editing/find.js';
export { fixFor, type Fix } from './editing/fixes.js';
export {
  addFlow,
  addLines,
  addNode,
  callersOf,
  changeKind,
  changeNode,
  freeId,
  idOf,
  kindsFor,
  linesOf,
  linkExit,
  removeNode,
  removeNodes,
  setField,
  switchNodes,
  type Added,
  type After,
  type Callers,
} from './editing/nodes.js';
export { referredTo, valueAt, variablesOf, withValueAt } from './editing/references.js';
export { advance, beginTurn, hasRested, openSession, waitingAt, type RunningTurn, type TurnOptions } from './engine/advance.js';
export { compile, type CompiledBot } from './engine/compiler.js';
export { sampleText, type AnyKind, type Band, type Exit, type Prose, type Use } from './engine/kind.js';
export { calledFlows } from './engine/nodes/asks.js';
export { nodeKinds } from './engine/nodes/registry.js';
export { isActionCall, isLookupCall, isModelCall } from './engine/performed.js';
export type {
  ActionCall,
  ActionEffect,
  Change,
  Citation,
  Completed,
  Effect,
  EffectBatch,
  EffectResult,
  FailureCode,
  HandedOver,
  Heard,
  Frame,
  IncomingEvent,
  LookupCall,
  LookupEffect,
  Message,
  ModelCall,
  ModelEffect,
  ModelResult,
  Observer,
  OpenContext,
  Performed,
  PromptPart,
  ResolvedValue,
  SentFile,
  Session,
  StartAt,
  Step,
  StepEffect,
  TimerEffect,
  UnderstandEffect,
  TurnProblem,
  TurnResult,
  TurnSheet,
  Values,
  VariableValues,
  VisitorChange,
  Waiting,
} from './engine/types.js';
export { MAX_DEPTH, MAX_NODE_RUNS } from './engine/walk.js';
export {
  compileExpression,
  type Compiled,
  type Expression,
  type ExpressionProblem,
  type Reading,
} from './expressions/expression.js';
export { addDays, CEL_FUNCTIONS, FUNCTIONS, isKnown, textOf } from './expressions/functions.js';
export { compileTemplate, type Template } from './expressions/template.js';
export { createKnowledgeIndex, type FoundPassage, type KnowledgeIndex, type LookedUp } from './knowledge/rank.js';
export { splitDocument, type Passage } from './knowledge/split.js';
export { drawFlow, type SvgOptions } from './map/draw.js';
export { BANDS, chipLines, exitsOf, layoutFlow, type FlowLayout, type PlacedChip, type PlacedNode } from './map/layout.js';
export { drawingOf, plainName, plainProse, type Drawing, type DrawnNode } from './map/measure.js';
export { routeRails, type MapGeometry, type Rail, type Routed } from './map/rails.js';
export { addCoverage, coverageOf, shareOf, type Coverage, type Share } from './rehearsal/coverage.js';
export {
  compareTurns,
  differenceKind,
  effectName,
  pathOf,
  valuesOf,
  wordsOf,
  type TurnDifference,
} from './rehearsal/difference.js';
export { missesOf, missSentence, type Miss } from './rehearsal/expect.js';
export { keepConversation, type Kept, type KeptTurn } from './rehearsal/keep.js';
export { createMind, knowledgeIndex, type Compute } from './rehearsal/mind.js';
export { recordedResults } from './rehearsal/recorded.js';
export { byScope, rehearse, type RehearsalOutcome, type TurnOutcome } from './rehearsal/rehearse.js';
export {
  eventOf,
  isActionSample,
  isEventSample,
  isModelSample,
  noSample,
  sampleFor,
  sampleOf,
  type Sampled,
  type Samples,
} from './rehearsal/samples.js';
export { readRehearsal, writeRehearsal, type RehearsalText, type TextProblem } from './rehearsal/text.js';
export { followersOf, lastOf, layoutTurns, lineTo, type PlacedTurn, type TreeTurn } from './rehearsal/tree.js';
export { escapeMarkdown, plainText, readMarkdown, safeAddress, type Block, type Inline } from './text/markdown.js';
export { editDistance, nearest } from './text/nearest.js';
export { estimateTokens } from './text/tokens.js';
export { ANSWER_KINDS, readAnswer, readEntity } from './understanding/answers.js';
export { OUT_OF_SCOPE, type ClassifierData } from './understanding/classifier.js';
export { EVERYDAY, EVERYDAY_LANGUAGES } from './understanding/everyday.js';
export {
  createListener,
  listensForIntents,
  MATCH_FROM,
  phrasesOf,
  trainingKey,
  trainListener,
  type HeardIntent,
  type Listener,
  type Understood,
} from './understanding/listener.js';
export { isZone, localMoment } from './understanding/moments.js';
export { readPhrase, writePhrase, type Mark, type Phrase } from './understanding/phrases.js';
export { BUILT_IN_ENTITIES, createValueFinder, type FoundValue } from './understanding/recognise.js';
export { matchOption, normalise } from './understanding/words.js';
