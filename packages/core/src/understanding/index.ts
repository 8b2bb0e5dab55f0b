export { ANSWER_KINDS, readAnswer, readEntity } from './answers.js';
export { OUT_OF_SCOPE, UNTRAINED, type ClassifierData } from './classifier.js';
export type { Vectors } from './dense-view.js';
export { EVERYDAY, EVERYDAY_LANGUAGES } from './everyday.js';
export { createListener, MATCH_FROM, matchFrom, type HeardIntent, type Listener, type Understood } from './listener.js';
export { NO_LEXICON, type Lexicon } from './lexicon.js';
export type { Mended } from './mending.js';
export { isZone, localMoment } from './calendar.js';
export { findMoments, type AnswerSetting, type Wants } from './moments.js';
export { readPhrase, writePhrase, type Mark, type Phrase } from './phrases.js';
export { BUILT_IN_ENTITIES, createValueFinder, type FoundValue } from './recognise.js';
export {
  listensForIntents,
  phrasesOf,
  samplesOf,
  teachingOf,
  textsToEncode,
  trainingKey,
  trainListener,
  type Teaching,
} from './teaching.js';
export { UNDERSTOOD_LENGTH, matchOption, normalise } from './words.js';
export { readCsvRows, readLabelled, writeCsv, type LabelledFile, type LabelledProblem, type LabelledText } from './labelled.js';
export { groupMissed, type MissedGroup, type MissedText } from './missed.js';
export { markValues, proposePhrases } from './proposals.js';
export {
  crossValidate,
  nearDuplicates,
  reportOf,
  type Advice,
  type AtThreshold,
  type FaultyPhrase,
  type IntentQuality,
  type JudgedPhrase,
  type MixedUp,
  type NearDuplicate,
  type QualityReport,
} from './quality.js';
export type { SpokenFor, Why } from './why.js';
export { saysNothing } from './cues/cue.js';
export { DISTRESS, distressIn } from './cues/distress.js';
export { correcting, denies, followingUp, goesBack, pointsBack, type Correcting } from './cues/steering.js';
export { wayOut, type WayOut } from './cues/ways-out.js';
export { polarityOf, type Polarity } from './cues/yes-no.js';
export { waysToPart, type Part } from './parting.js';
export { pickOffered, type Offered, type Picked } from './picking.js';
