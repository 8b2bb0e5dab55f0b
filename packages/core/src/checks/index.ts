export { checkBot, scopeOf, type Scope } from './check.js';
export { secretProblems } from './connections.js';
export { PROBLEM_CODES, problemSentence } from './wording.js';
