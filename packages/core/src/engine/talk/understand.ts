import type { UnderstandResult } from '../effects/understand.js';
import type { Turn } from '../turn.js';
import type { Walking } from '../types.js';
import { perform } from '../walk.js';

/** Understands some words by themselves. */
export function* understandWords(turn: Turn, text: string, path: string): Walking<UnderstandResult> {
  const { language, at, zone, day } = turn;
  return yield* perform(turn, { type: 'understand', path, text, language, at, zone, ...(day === undefined ? {} : { day }) });
}
