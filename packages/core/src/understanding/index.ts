export { ANSWER_KINDS, readAnswer, readEntity } from './answers.js';
export { OUT_OF_SCOPE, UNTRAINED, type ClassifierData } from './classifier.js';
export { EVERYDAY, EVERYDAY_LANGUAGES } from './everyday.js';
export {
  createListener,
  listensForIntents,
  MATCH_FROM,
  phrasesOf,
  teachingOf,
  trainingKey,
  trainListener,
  type HeardIntent,
  type Listener,
  type Teaching,
  type Understood,
} from './listener.js';
export { isZone, localMoment } from './moments.js';
export { readPhrase, writePhrase, type Mark, type Phrase } from './phrases.js';
export { BUILT_IN_ENTITIES, createValueFinder, type FoundValue } from './recognise.js';
export { UNDERSTOOD_LENGTH, matchOption, normalise } from './words.js';
