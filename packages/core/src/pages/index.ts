export { contrast, legibleColours, luminance, type PageColours } from './colours.js';
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
export { spentIn, type Spent } from './spending.js';
export {
  asMarkdown,
  formOf,
  inWords,
  outputForm,
  shownAs,
  shownShape,
  sourcesIn,
  tableFor,
  type ShownSource,
  type ShownValue,
} from './shown.js';
export {
  resultMarkdown,
  resultRows,
  resultText,
  sectionText,
  sourceWords,
  type ResultDocument,
  type ResultSection,
} from './written.js';
export { planFromWords } from './described.js';
export { pageFromPlan, planRequest, readPlan, type PagePlan, type PageProposal } from './plan.js';
