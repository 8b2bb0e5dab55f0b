export { checkBot, scopeOf, type Scope } from './check.js';
export { PROBLEM_CODES, problemSentence } from './wording.js';
