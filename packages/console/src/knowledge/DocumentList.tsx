import type { DocumentStateView } from '@primrose/contract';
import { problemSentence } from '@primrose/core';
import { Link } from 'react-router';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { call } from '../api.js';
import { useDraftHandle, useProblems } from '../draft/context.js';

const WORDS: Readonly<Record<DocumentStateView['state'], string>> = {
  waiting: 'waiting…',
  reading: 'reading…',
  indexing: 'indexing…',
  ready: '',
  failed: 'failed',
};
const LOOK_AGAIN_MS = 1000;

/** How far the documents of a base are; looked at again while one is under way, and when the base is saved as another one. */
export function useDocumentStates(base: string | undefined): ReadonlyMap<string, DocumentStateView> {
  const { document, bot, flush } = useDraftHandle();
  const own = base === undefined ? undefined : document.knowledge?.[base];
  const { data } = useQuery({
    queryKey: ['listDocuments', bot, base, own],
    queryFn: async () => {
      // What is asked for is the draft that is stored.
      await flush();
      return call('listDocuments', { params: { bot, knowledge: base ?? '' } });
    },
    enabled: own !== undefined,
    placeholderData: keepPreviousData,
    refetchInterval: (query) =>
      query.state.data?.items.some((d) => d.state !== 'ready' && d.state !== 'failed') ? LOOK_AGAIN_MS : false,
  });
  return new Map((data?.items ?? []).map((d) => [d.document, d]));
}

/** The documents of a base, with what is wrong with each. */
export function DocumentList({ base, current }: { readonly base: string; readonly current: string | undefined }) {
  const { document, bot } = useDraftHandle();
  const problems = useProblems(document);
  const states = useDocumentStates(base);
  return (
    <ul>
      {Object.entries(document.knowledge?.[base]?.documents ?? {}).map(([id, d]) => {
        const at = states.get(id);
        const wrong = problems.find((p) => p.field === `/knowledge/${base}/documents/${id}`);
        const why = at?.state === 'failed' ? (at.problem ?? 'it cannot be read') : wrong && problemSentence(wrong);
        return (
          <li key={id} className={d.off ? 'docrow off' : 'docrow'}>
            <Link to={`/bots/${bot}/knowledge/${base}/${id}`} aria-current={current === id ? 'page' : undefined}>
              <span dir="auto">{d.title ?? id}</span>
              <span className="note">{(at && WORDS[at.state]) || (d.off ? 'off' : d.form)}</span>
              {why !== undefined && (
                <span className="corner" title={why}>
                  1
                </span>
              )}
            </Link>
          </li>
        );
      })}
    </ul>
  );
}
