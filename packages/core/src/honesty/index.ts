export { falsehoodsIn, shownSoFar, unsaidIn, type Falsehood, type Grounds, type Shown } from './check.js';
export type { DeclaredWords } from './claims.js';
export type { Deed } from './evidence.js';
export { EFFECT_CLASSES, classesIn, type EffectClass } from './lexicon.js';
