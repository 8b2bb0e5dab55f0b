import { checkBot, type BotDocument, type Problem } from '@primrose/core';
import { createContext, useContext, useDeferredValue, useMemo } from 'react';
import type { DraftHandle } from './useDraft.js';

export const DraftContext = createContext<DraftHandle | undefined>(undefined);

/** The draft that the bot's pages work on. */
export function useDraftHandle(): DraftHandle {
  const handle = useContext(DraftContext);
  if (!handle) throw new Error('this page stands outside a bot');
  return handle;
}

/** What the checks find, a moment behind the typing. */
export function useProblems(document: BotDocument): readonly Problem[] {
  const settled = useDeferredValue(document);
  return useMemo(() => checkBot(settled), [settled]);
}
