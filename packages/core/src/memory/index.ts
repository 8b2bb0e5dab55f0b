export { admitted, type NotKept } from './door.js';
export { joinedMemory } from './join.js';
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
export { kindsMeant, statedFacts, type Stating } from './propose.js';
export { isOfPerson, togetherMemory } from './together.js';
export { wordsToForget } from './telling.js';
