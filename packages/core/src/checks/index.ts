export { checkBot, scopeOf, type Scope } from './check.js';
export { correctionsFrom, type Reach } from './corrections.js';
export { secretProblems } from './connections.js';
export { PROBLEM_CODES, problemSentence } from './wording.js';
