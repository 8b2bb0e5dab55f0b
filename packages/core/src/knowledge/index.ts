export { COMPARED, cosine, quantised, rankAlike, READ_LETTERS } from './alike.js';
export { leansOn, lookAlone, withBefore } from './alone.js';
export { inBase, isLookedAt, outOfBases, several, synonymsOf } from './bases.js';
export { evaluate, figuresOf, judged, type Figures, type Judged, type TestQuestion } from './evaluate.js';
export { MOST_PASSAGES, PASSAGE_LENGTH, splitDocument, splitReading, sentences, usualSplitting, type Passage } from './split.js';
export { pieceOf, type DocumentReading, type Piece } from './pieces.js';
export { MOST_READ, boundedReading, isTextForm, readText, type TextForm } from './reading.js';
export { htmlReading } from './read-html.js';
export { questionsOf, type AddedQuestion } from './question-lines.js';
export { pageLinks, type PageLinks } from './page-links.js';
export { linesReading } from './read-rows.js';
export { buildPart, mergeParts, type IndexPart, type PartDocument } from './part.js';
export { decodePart, encodePart } from './stored.js';
export {
  Ranking,
  createKnowledgeIndex,
  type FoundPassage,
  type KnowledgeIndex,
  type LookedUp,
  type Looking,
  type RankedPart,
  type WhyRanked,
} from './rank.js';
export { languageOf } from './words.js';
export { quotation } from './quote.js';
export { checkAnswer, supportOf, type Checked, type Cited, type Support, type Unsupported } from './support.js';
