export { addCoverage, coverageOf, shareOf, type Coverage, type Share } from './coverage.js';
export { compareTurns, differenceKind, effectName, pathOf, valuesOf, wordsOf, type TurnDifference } from './difference.js';
export { miss, missesOf, missSentence, type Miss } from './expect.js';
export { keepConversation, type Kept, type KeptTurn } from './keep.js';
export { recordedResults } from './recorded.js';
export { byScope, rehearse, type RehearsalOutcome, type TurnOutcome } from './rehearse.js';
export { eventOf, keptEvent, noSample, sampleFor, sampleOf, type Sampled, type Samples } from './samples.js';
export { readRehearsal, writeRehearsal, type RehearsalText, type TextProblem } from './text.js';
export { followersOf, lastOf, layoutTurns, lineTo, type PlacedTurn, type TreeTurn } from './tree.js';
