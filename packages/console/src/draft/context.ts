import { checkBot, secretProblems, type BotDocument, type Problem } from '@primrose/core';
import { createContext, useContext, useEffect, useMemo, useState } from 'react';
import { useCall } from '../api.js';
import type { DraftHandle } from './useDraft.js';

export const DraftContext = createContext<DraftHandle | undefined>(undefined);

/** The draft that the bot's pages work on. */
export function useDraftHandle(): DraftHandle {
  const handle = useContext(DraftContext);
  if (!handle) throw new Error('this page stands outside a bot');
  return handle;
}

const found = new WeakMap<BotDocument, readonly Problem[]>();

/** Several parts of a page ask for the same document. */
function problemsOf(document: BotDocument): readonly Problem[] {
  const problems = found.get(document) ?? checkBot(document);
  found.set(document, problems);
  return problems;
}

const SETTLED_AFTER_MS = 120;
const NONE: readonly Problem[] = [];

/** What the checks find, a moment behind the page and the typing: they run when the keys rest. */
export function useProblems(document: BotDocument): readonly Problem[] {
  const [settled, setSettled] = useState<BotDocument>();
  useEffect(() => {
    const timer = setTimeout(() => setSettled(document), SETTLED_AFTER_MS);
    return () => clearTimeout(timer);
  }, [document]);
  const bot = useContext(DraftContext)?.bot;
  const connections = useCall('listConnections', { params: { bot: bot ?? '' } }, bot !== undefined).data?.items;
  return useMemo(() => {
    if (!settled) return NONE;
    const kept = (connections ?? []).filter((c) => c.secret).map((c) => c.name);
    return connections ? [...problemsOf(settled), ...secretProblems(settled, kept)] : problemsOf(settled);
  }, [settled, connections]);
}
