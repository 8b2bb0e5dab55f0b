export { AGENT_SAYINGS, agentWords } from './agent/words.js';
export {
  agentSchema,
  agentTool,
  MOST_TOOLS,
  OWN_TOOLS,
  toolName,
  type AgentLimits,
  type AgentNode,
  type AgentTool,
} from './agent/declared.js';
export { changesOutside } from './agent/checks.js';
export { alikeTools, type Alike } from './agent/likeness.js';
export { DEFAULT_STEPS, DEFAULT_TIME_MS } from './agent/limits.js';
export { FINISH, readyAgent, type ReadyAgent } from './agent/ready.js';
export { type ReadyTool } from './agent/tools.js';
export { workItem, type CallOutcome, type WorkItem } from './agent/work.js';
export { wentWrong, workWords } from './agent/work-words.js';
export { advance, beginTurn, wasIdle, openSession, waitingAt, type RunningTurn } from './advance.js';
export { isStaffed } from './staffed.js';
export { talkSummary, type TalkSummary } from './talk-summary.js';
export { asksSignIn } from './asks-sign-in.js';
export { compile } from './compile.js';
export { Compiler } from './compiler.js';
export {
  drive,
  everyPerformer,
  PAUSE,
  performedBy,
  performWith,
  type Driven,
  type Noted,
  type Performer,
  type Performers,
  type Port,
} from './drive.js';
export { type ActionEffect, type ActionResult } from './effects/action.js';
export { defineEffect, FAILURE_CODES, failureOf, type EffectType, type Failure, type FailureCode } from './effects/effect.js';
export { lookedUp, type LookupEffect, type LookupResult } from './effects/lookup.js';
export {
  messagesOf,
  onTranscript,
  type ModelEffect,
  type ModelMessage,
  type ModelResult,
  type ModelTool,
  type PromptPart,
  type ToolCall,
  type Trimmed,
} from './effects/model.js';
export {
  effectTypes,
  callsOf,
  isCall,
  storedRequest,
  typeOf,
  type ActionCall,
  type Completed,
  type Effect,
  type EffectName,
  type EffectOf,
  type LookupCall,
  type McpCall,
  type ModelCall,
  type NoticeCall,
  type TableCall,
  type Performed,
  type PerformedOf,
  type Result,
  type ResultOf,
} from './effects/registry.js';
export { type McpEffect, type McpResult } from './effects/mcp.js';
export { NOTHING_SPENT, spending, type Spending, type SpentEffect, type SpentResult } from './effects/spent.js';
export { type NoticeEffect, type NoticeResult } from './effects/notice.js';
export { PRACTICE_CODE, practiceSignIn, type SignInEffect, type SignInResult } from './effects/sign-in.js';
export { TABLE_DOES, type TableDoes, type TableEffect, type TableResult } from './effects/table.js';
export { type StepEffect, type StepResult } from './effects/step.js';
export { type TimerEffect, type TimerResult } from './effects/timer.js';
export { understood, type UnderstandEffect, type UnderstandResult } from './effects/understand.js';
export {
  choiceIn,
  incomingEvent,
  saidIn,
  SOURCES,
  firstNameOf,
  spokenEvent,
  variableValues,
  wordsIn,
  type EventOf,
  type IncomingEvent,
  type MessageEvent,
  type SentFile,
  type Source,
  type SpokenEvent,
  type StartAt,
  type VariableValues,
} from './event.js';
export { defineKind, type AnyKind, type Band, type Exit, type NodeKinds, type Prose, type Reference, type Use } from './kind.js';
export { ENGINE_LIMITS, type EngineLimits } from './limits.js';
export { message, type Citation, type Message } from './message.js';
export { missedIn, type MissedMessage } from './missed.js';
export { createMind, knowledgeIndex, type Encode, type Hearer, type Look, type Mind } from './mind.js';
export { profileSettings } from './prompt/ask-model.js';
export { promptPart, type PartDeclaration } from './prompt/parts.js';
export { nodeKinds } from './nodes/registry.js';
export { columnSources } from './nodes/table.js';
export { rowValue } from './row-value.js';
export { asksVisitor, calledFlows, endsFlow, isStill, keepsWords, referencesOf, usesOf, waits } from './refers.js';
export {
  PASSED_OVER,
  turnSheet,
  type PassedOver,
  type Change,
  type HandedOver,
  type Heard,
  type OpenContext,
  type ResolvedValue,
  type Step,
  type Taken,
  type TurnProblem,
  type TurnSheet,
  type MemoryNote,
} from './sheet.js';
export { derivedReads } from './talk/slots.js';
export { consideredWords, takenWords } from './talk/taken-words.js';
export { type CompiledBot, type Turn } from './turn.js';
export { type TurnOptions } from './turn-options.js';
export {
  type EffectBatch,
  type KnownAs,
  type Frame,
  type Observer,
  type OfferedChoice,
  type Resting,
  type Session,
  type TurnResult,
  type Values,
  type VisitorChange,
  type Waiting,
  type Walking,
} from './types.js';
export { memoryNoteWords } from './memory-words.js';
export { type RecallDeclaration } from './prompt/recall.js';
export { type DrawEffect, type DrawResult } from './effects/draw.js';
export { pageRequest } from './seeing.js';
export { SUM_AFTER, summedUp, summingRequest } from './summing.js';
export { MAX_DEPTH } from './enter.js';
export { MAX_NODE_RUNS, perform, performAll } from './walk.js';
export { sampleText } from '../document/texts.js';
export type { Written } from './turn-options.js';
