export { admitted, type NotKept } from './door.js';
export {
  changedMemory,
  clip,
  EMPTY_MEMORY,
  fact,
  FACT_SIZE,
  factValues,
  manyOf,
  memory,
  memoryOf,
  MOST_EXCHANGES,
  newFact,
  PracticeMemories,
  replacedBy,
  proposal,
  type Exchange,
  type Fact,
  type KeyedChange,
  type Memory,
  type MemoryChange,
  type Proposal,
  type SessionFacts,
  type Summary,
} from './memory.js';
export { holdsSecrets, withoutSecrets } from './never.js';
export { kindsMeant, statedFacts, wordsFor, type Stating } from './propose.js';
