export {
  ability,
  numberedChoice,
  picturesIn,
  shownOn,
  spokenMessage,
  utf8Length,
  withoutPictures,
  type Ability,
  type ShownPart,
} from './ability.js';
export {
  fileAddress,
  fileHeaders,
  hookAbility,
  hookProfile,
  messageCalls,
  nextSince,
  pollCall,
  pollEveryMs,
  PROFILE_NAMES,
  profileProblems,
  readCallAnswer,
  readHook,
  typingCalls,
  type HookCall,
  type HookCalls,
  type HookEvent,
  type HookProfile,
  type HookReading,
  type HookSecrets,
  type HookSign,
  type ProfileProblem,
} from './hook-profile.js';
export { answerSubject, automaticLetter, ownWords, type LetterHeaders } from './mail-words.js';
export { READY_MAPPINGS, readyProfile, type ReadyMapping } from './ready-mappings.js';
export { thoughtOf } from './reactions.js';
export { SAMPLE_MESSAGES } from './samples.js';
export { splitText } from './split.js';
export { spokenText } from './spoken.js';
