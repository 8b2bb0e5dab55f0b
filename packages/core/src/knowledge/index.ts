export { createKnowledgeIndex, type FoundPassage, type KnowledgeIndex, type LookedUp } from './rank.js';
export { splitDocument, type Passage } from './split.js';
