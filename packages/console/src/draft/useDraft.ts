import type { Draft } from '@primrose/contract';
import { useEffect, useMemo, useState, useSyncExternalStore } from 'react';
import { DraftStore, type DraftView } from './store.js';

export type DraftHandle = DraftView & Pick<DraftStore, 'bot' | 'edit' | 'flush' | 'settle' | 'step' | 'restore' | 'reload'>;

/** The open draft of a bot for the pages that show and edit it. */
export function useDraft(opened: Draft): DraftHandle {
  const [store] = useState(() => new DraftStore(opened));
  const view = useSyncExternalStore(store.subscribe, store.view);
  useEffect(() => store.refresh(opened), [store, opened]);
  useEffect(() => store.follow(), [store]);
  useEffect(() => {
    const warn = (event: BeforeUnloadEvent) => {
      if (store.view().state.kind === 'saved') return;
      void store.flush();
      event.preventDefault();
    };
    addEventListener('beforeunload', warn);
    return () => removeEventListener('beforeunload', warn);
  }, [store]);
  return useMemo(() => {
    const { bot, edit, flush, settle, step, restore, reload } = store;
    return { ...view, bot, edit, flush, settle, step, restore, reload };
  }, [view, store]);
}
