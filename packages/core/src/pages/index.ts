export { makingOf, makingsOf, type MakerPlace, type Making } from './making.js';
export {
  broughtWith,
  fileOf,
  formOfType,
  inputReason,
  LONGEST_INPUT,
  mayStayEmpty,
  pageInputs,
  typeOfForm,
  type InputTrouble,
  type PageInputProblem,
  type PageInputs,
} from './inputs.js';
export { madeBy, pageOutcome, type PageOutcome } from './outcome.js';
export {
  keptNow,
  OUTPUT_STATES,
  outputsNow,
  type OutputNow,
  type OutputState,
  type OutputVersion,
  type PageRun,
} from './result.js';
