export { ANSWER_KINDS, readAnswer, readEntity } from './answers.js';
export { OUT_OF_SCOPE, type ClassifierData } from './classifier.js';
export { EVERYDAY, EVERYDAY_LANGUAGES } from './everyday.js';
export {
  createListener,
  listensForIntents,
  MATCH_FROM,
  phrasesOf,
  trainingKey,
  trainListener,
  type HeardIntent,
  type Listener,
  type Understood,
} from './listener.js';
export { isZone, localMoment } from './moments.js';
export { readPhrase, writePhrase, type Mark, type Phrase } from './phrases.js';
export { BUILT_IN_ENTITIES, createValueFinder, type FoundValue } from './recognise.js';
export { matchOption, normalise } from './words.js';
