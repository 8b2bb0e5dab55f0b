import type { BotDocument, Hit } from '@primrose/core';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { call } from '../api.js';

const SETTLES_MS = 250;
const LEAST_LETTERS = 3;
const MOST = 6;
const SHOWN = 160;

/** What the contents of documents have on the words that are typed: these stand beside the bot, so the service is asked. */
export function useDocumentHits(bot: string, document: BotDocument, typed: string): readonly Hit[] {
  const [sought, setSought] = useState('');
  useEffect(() => {
    const timer = setTimeout(() => setSought(typed.trim()), SETTLES_MS);
    return () => clearTimeout(timer);
  }, [typed]);
  const [knowledge, ...also] = Object.keys(document.knowledge ?? {}).slice(0, 5);
  const wanted = knowledge !== undefined && sought.length >= LEAST_LETTERS && sought === typed.trim();
  const { data } = useQuery({
    queryKey: ['askKnowledge', bot, knowledge, also, sought],
    queryFn: () =>
      call('askKnowledge', { params: { bot, knowledge: knowledge ?? '' }, body: { question: sought, also, most: MOST } }),
    enabled: wanted,
  });
  if (!wanted || !data) return [];
  return data.found.passages.map((p): Hit => {
    const text = `${p.heading === '' ? '' : `${p.heading}: `}${p.quote}`.slice(0, SHOWN);
    return { what: 'document', name: p.title, text, of: p.base ?? knowledge, id: p.document };
  });
}
