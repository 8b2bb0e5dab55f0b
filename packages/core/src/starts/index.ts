export { isCron, nextTimes } from './cron.js';
export { firedBy, type FiredBy } from './firing.js';
export { CAME_NAMES, givenOf, readForm, repeatKey, type Came, type Given, type InputProblem } from './given.js';
export { RUN_OUTCOMES, runResult, type RunOutcome, type RunResult } from './outcome.js';
export { outsideSheet, type Described, type OutsideSheet } from './outside.js';
