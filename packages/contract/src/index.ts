export {
  ApiError,
  createClient,
  everyPage,
  fillPath,
  UnreachableError,
  type CallInput,
  type Client,
  type ClientOptions,
  type FileContent,
} from './client.js';
export { endpoint, type Access, type BodyOf, type Endpoint, type ParamsOf, type QueryOf, type ReplyOf } from './endpoint.js';
export { endpoints, type EndpointName, type Endpoints } from './endpoints.js';
export {
  INBOX_VIEWS,
  type CannedWords,
  type ConversationNote,
  type InboxItem,
  type InboxTalk,
  type InboxView,
  type StaffMember,
} from './inbox.js';
export type { MissedGroupView } from './understanding.js';
export { requestBodies } from './bodies.js';
export { openApiDocument } from './openapi.js';
export {
  RECORD_KINDS,
  type AsideEvent,
  type Kept,
  type KeptVisitor,
  type KeyedMemory,
  type RecordKind,
  type Visitor,
} from './keeping.js';
export {
  MOST_DOCUMENT_BYTES,
  type DocumentStateView,
  type EvaluationView,
  type ProposedQuestionView,
  type SourceStateView,
  type TestQuestionView,
} from './knowing.js';
export {
  DOWNLOAD_FORMS,
  GALLERY,
  PAGE_ACCESS,
  type DownloadForm,
  type FrozenResult,
  type GalleryItem,
  type PageOutput,
  type PageOutputVersion,
  type PageResult,
  type PageShare,
  type ShownPage,
  type ShownPart,
} from './pages.js';
export { API_PROBLEMS, problemDetails, type ApiProblemCode, type FieldError, type ProblemDetails } from './problems.js';
export { editWords, turnRecord } from './shapes.js';
export type {
  LiveEvent,
  MadeUpVisitor,
  OutsideMode,
  Paused,
  RehearsalResult,
  RehearsalRun,
  SimulatedEvent,
  Simulation,
  SimulationClock,
  Speaker,
} from './simulating.js';
export type { Notice, Run, StagedStart, StartEvent, StartState } from './starts.js';
export { SHEET_TYPES, type SheetReport, type TableChange, type TableRowView, type TableSummary } from './tables.js';
export type {
  BotSummary,
  Channel,
  ChannelEvent,
  ChannelKind,
  ChannelState,
  ChatLine,
  ConnectionState,
  ConnectionTested,
  Conversation,
  Draft,
  Drafted,
  Edit,
  Messenger,
  ModelTried,
  PastEdit,
  Release,
  Said,
  Sample,
  TurnRecord,
} from './shapes.js';
export { isBegun, lineOf, NOTHING_SAID, talked, type LiveCall, type LiveTurn, type TalkAction, type Talking } from './talking.js';
export {
  CHAT_SETTINGS,
  chatSettings,
  tokenKey,
  type ChatLook,
  type ChatSettings,
  type ChatWords,
  type OpenedChat,
  type PastChat,
  type TokenKey,
  type WebChat,
} from './web-chat.js';
