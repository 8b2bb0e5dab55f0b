import { ApiError, type Draft } from '@primrose/contract';
import { applyPatch, comparePatch, readDocument, type BotDocument } from '@primrose/core';
import { call, errorText, invalidate } from '../api.js';

export type SaveState =
  | { readonly kind: 'saved' }
  | { readonly kind: 'unsaved' }
  | { readonly kind: 'saving' }
  | { readonly kind: 'failed'; readonly reason: string }
  | { readonly kind: 'clash'; readonly theirs: Draft };

export interface DraftView {
  readonly document: BotDocument;
  /** The draft as the service has it. */
  readonly saved: Draft;
  readonly state: SaveState;
}

const SAVE_AFTER_MS = 500;
const RETRY_MS = 4000;
const MAX_ROUNDS = 5;

/** The draft as it is edited here: changed at once on the screen, saved in the background as a patch. */
export class DraftStore {
  readonly bot: string;
  #view: DraftView;
  readonly #listeners = new Set<() => void>();
  #timer: ReturnType<typeof setTimeout> | undefined;
  #flushing: Promise<boolean> | undefined;

  constructor(opened: Draft) {
    this.bot = opened.bot.id;
    this.#view = { document: opened.document, saved: opened, state: { kind: 'saved' } };
  }

  readonly view = (): DraftView => this.#view;

  readonly subscribe = (listener: () => void): (() => void) => {
    this.#listeners.add(listener);
    return () => this.#listeners.delete(listener);
  };

  /** Changes the draft; it is saved by itself a moment later. */
  readonly edit = (change: (document: BotDocument) => BotDocument): void => {
    const document = change(this.#view.document);
    if (document === this.#view.document) return;
    this.#set(this.#view.state.kind === 'clash' ? { document } : { document, state: { kind: 'unsaved' } });
    this.#later(SAVE_AFTER_MS);
  };

  /** Saves at once what is unsaved; true when everything is saved. */
  readonly flush = (): Promise<boolean> => {
    this.#flushing ??= this.#saveAll().finally(() => {
      this.#flushing = undefined;
    });
    return this.#flushing;
  };

  /** After a clash: goes on with ours or with theirs. */
  readonly settle = (keep: 'mine' | 'theirs'): void => {
    const { state, document } = this.#view;
    if (state.kind !== 'clash') return;
    const mine = keep === 'mine';
    this.#set({
      saved: state.theirs,
      document: mine ? document : state.theirs.document,
      state: { kind: mine ? 'unsaved' : 'saved' },
    });
    if (mine) this.#later(0);
  };

  /** Takes over what the service says now: a new release, and somebody else's edits while nothing of ours is unsaved. */
  readonly refresh = (draft: Draft): void => {
    const { saved, state } = this.#view;
    if (draft.revision < saved.revision || draft === saved) return;
    if (draft.revision === saved.revision) this.#set({ saved: { ...draft, document: saved.document } });
    else if (state.kind === 'saved') this.#set({ saved: draft, document: draft.document });
  };

  #set(change: Partial<DraftView>): void {
    this.#view = { ...this.#view, ...change };
    this.#listeners.forEach((listener) => listener());
  }

  #later(ms: number): void {
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => void this.flush(), ms);
  }

  async #saveAll(): Promise<boolean> {
    for (let round = 0; round < MAX_ROUNDS; round++) {
      if (this.#view.state.kind === 'clash') return false;
      const goesOn = await this.#saveOnce();
      if (this.#view.state.kind === 'saved') return true;
      if (!goesOn) return false;
    }
    this.#later(SAVE_AFTER_MS);
    return false;
  }

  /** One try; true when another round makes sense. */
  async #saveOnce(): Promise<boolean> {
    const { document: sent, saved: base } = this.#view;
    const patch = comparePatch(base.document, sent);
    if (patch.length === 0) {
      this.#set({ state: { kind: 'saved' } });
      return false;
    }
    this.#set({ state: { kind: 'saving' } });
    try {
      const saved = await call('patchDraft', { params: { bot: this.bot }, body: { revision: base.revision, patch } });
      const edited = this.#view.document !== sent;
      this.#set({
        saved,
        document: edited ? this.#view.document : saved.document,
        state: { kind: edited ? 'unsaved' : 'saved' },
      });
      invalidate('listBots');
      return edited;
    } catch (error) {
      return this.#refused(error, base);
    }
  }

  async #refused(error: unknown, base: Draft): Promise<boolean> {
    try {
      if (!(error instanceof ApiError) || error.details.code !== 'stale-revision') throw error;
      const theirs = await call('getDraft', { params: { bot: this.bot } });
      const merged = rebase(base.document, this.#view.document, theirs.document);
      this.#set(merged ? { saved: theirs, document: merged, state: { kind: 'unsaved' } } : { state: { kind: 'clash', theirs } });
      return merged !== undefined;
    } catch (failure) {
      this.#set({ state: { kind: 'failed', reason: errorText(failure) } });
      this.#later(RETRY_MS);
      return false;
    }
  }
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
