import { ApiError, type Draft } from '@primrose/contract';
import { applyPatch, comparePatch, readDocument, type BotDocument } from '@primrose/core';
import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { call, errorText, invalidate } from '../api.js';

export type SaveState =
  | { readonly kind: 'saved' }
  | { readonly kind: 'unsaved' }
  | { readonly kind: 'saving' }
  | { readonly kind: 'failed'; readonly reason: string }
  | { readonly kind: 'clash'; readonly theirs: Draft; readonly reason: string };

export interface DraftHandle {
  readonly bot: string;
  readonly document: BotDocument;
  readonly revision: number;
  readonly state: SaveState;
  readonly summary: Draft['bot'];
  /** Changes the draft; it is saved by itself a moment later. */
  readonly edit: (change: (document: BotDocument) => BotDocument) => void;
  /** Saves at once what is unsaved; true when everything is saved. */
  readonly flush: () => Promise<boolean>;
  /** After a clash: go on with ours or with theirs. */
  readonly settle: (keep: 'mine' | 'theirs') => void;
}

const SAVE_AFTER_MS = 500;
const RETRY_MS = 4000;

/** The draft as it is edited here: changed at once on the screen, saved in the background as a patch. */
export function useDraft(opened: Draft): DraftHandle {
  const [document, setDocument] = useState(opened.document);
  const [saved, setSaved] = useState(opened);
  const [state, setState] = useState<SaveState>({ kind: 'saved' });
  const now = useRef({ document, saved, state });
  now.current = { document, saved, state };
  const saving = useRef<Promise<boolean> | undefined>(undefined);
  const bot = opened.bot.id;

  const take = useCallback((draft: Draft, local: BotDocument) => {
    now.current = { ...now.current, document: local, saved: draft };
    setSaved(draft);
    setDocument(local);
    invalidate('listBots');
  }, []);

  const save = useCallback(async (): Promise<boolean> => {
    const { document: local, saved: base } = now.current;
    const patch = comparePatch(base.document, local);
    if (patch.length === 0) {
      setState({ kind: 'saved' });
      return true;
    }
    setState({ kind: 'saving' });
    try {
      const draft = await call('patchDraft', { params: { bot }, body: { revision: base.revision, patch } });
      const since = comparePatch(local, now.current.document);
      const merged = since.length === 0 ? draft.document : now.current.document;
      take(draft, merged);
      setState({ kind: since.length === 0 ? 'saved' : 'unsaved' });
      return since.length === 0;
    } catch (error) {
      if (!(error instanceof ApiError) || error.details.code !== 'stale-revision') {
        setState({ kind: 'failed', reason: errorText(error) });
        return false;
      }
      const theirs = await call('getDraft', { params: { bot } });
      const merged = rebase(base.document, now.current.document, theirs.document);
      if (!merged) {
        setState({ kind: 'clash', theirs, reason: error.message });
        return false;
      }
      take(theirs, merged);
      setState({ kind: 'unsaved' });
      return false;
    }
  }, [bot, take]);

  const flush = useCallback(async (): Promise<boolean> => {
    for (let tries = 0; tries < 5; tries++) {
      saving.current ??= save().finally(() => {
        saving.current = undefined;
      });
      if (await saving.current) return true;
      if (now.current.state.kind === 'clash' || now.current.state.kind === 'failed') return false;
    }
    return false;
  }, [save]);

  useEffect(() => {
    if (state.kind !== 'unsaved' && state.kind !== 'failed') return undefined;
    const timer = setTimeout(() => void flush(), state.kind === 'failed' ? RETRY_MS : SAVE_AFTER_MS);
    return () => clearTimeout(timer);
  }, [state, document, flush]);

  useEffect(() => {
    const warn = (event: BeforeUnloadEvent) => {
      if (now.current.state.kind === 'saved') return;
      void flush();
      event.preventDefault();
    };
    addEventListener('beforeunload', warn);
    return () => removeEventListener('beforeunload', warn);
  }, [flush]);

  const edit = useCallback((change: (document: BotDocument) => BotDocument) => {
    const next = change(now.current.document);
    if (next === now.current.document) return;
    now.current = { ...now.current, document: next };
    setDocument(next);
    setState((s) => (s.kind === 'clash' ? s : { kind: 'unsaved' }));
  }, []);

  const settle = useCallback(
    (keep: 'mine' | 'theirs') => {
      const { state: current } = now.current;
      if (current.kind !== 'clash') return;
      take(current.theirs, keep === 'mine' ? now.current.document : current.theirs.document);
      setState({ kind: keep === 'mine' ? 'unsaved' : 'saved' });
    },
    [take],
  );

  return useMemo(
    () => ({ bot, document, revision: saved.revision, state, summary: saved.bot, edit, flush, settle }),
    [bot, document, saved, state, edit, flush, settle],
  );
}

/** Our changes put on top of theirs, when they touch different places and still make a document. */
function rebase(base: BotDocument, mine: BotDocument, theirs: BotDocument): BotDocument | undefined {
  const ours = comparePatch(base, mine);
  const others = comparePatch(base, theirs).map((p) => p.path);
  const meets = (a: string, b: string) => a === b || a.startsWith(`${b}/`) || b.startsWith(`${a}/`);
  if (ours.some((p) => others.some((o) => meets(p.path, o)))) return undefined;
  const patched = applyPatch(theirs, ours);
  const read = patched.ok ? readDocument(patched.value) : undefined;
  return read?.ok ? read.document : undefined;
}
