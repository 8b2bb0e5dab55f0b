import { ApiError, type Draft, type Drafted } from '@primrose/contract';
import {
  applyPatch,
  draftPatch,
  readDocument,
  rebasePatch,
  type BotDocument,
  type Clash,
  type PatchOperation,
} from '@primrose/core';
import { call, errorText, invalidate } from '../api.js';

export type SaveState =
  | { readonly kind: 'saved' }
  | { readonly kind: 'unsaved' }
  | { readonly kind: 'saving' }
  | { readonly kind: 'failed'; readonly reason: string }
  | { readonly kind: 'clash'; readonly theirs: Draft; readonly clashes: readonly Clash[] };

export interface DraftView {
  readonly document: BotDocument;
  /** The draft as the service has it. */
  readonly saved: Draft;
  readonly state: SaveState;
  /** Why something that was asked for was not done; shown until the next change. */
  readonly notice: string | undefined;
}

/** An edit as the stream tells it. `undo` and `redo`: whether this person has something to undo or redo then. */
interface HeardEdit {
  readonly from: number;
  readonly revision: number;
  readonly patch: readonly PatchOperation[];
  readonly undo: boolean;
  readonly redo: boolean;
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
  /** Calls under way that change the draft; what others do meanwhile waits for their outcome. */
  #calls = 0;
  #waiting: HeardEdit[] = [];

  constructor(opened: Draft) {
    this.bot = opened.bot.id;
    this.#view = { document: opened.document, saved: opened, state: { kind: 'saved' }, notice: undefined };
  }

  readonly view = (): DraftView => this.#view;

  readonly subscribe = (listener: () => void): (() => void) => {
    this.#listeners.add(listener);
    return () => this.#listeners.delete(listener);
  };

  /** Follows what other windows and people do to the draft, until the returned function is called. */
  readonly follow = (): (() => void) => {
    const source = new EventSource(`/api/bots/${this.bot}/draft/stream?since=${this.#view.saved.revision}`);
    source.addEventListener('edit', (event: MessageEvent<string>) => this.#heard(JSON.parse(event.data) as HeardEdit));
    source.addEventListener('behind', () => this.#catchUp());
    return () => source.close();
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

  /** After a clash: goes on with our values or theirs where they clash; everything else of ours is kept in either case. */
  readonly settle = (keep: 'mine' | 'theirs'): void => {
    const { state, document, saved } = this.#view;
    if (state.kind !== 'clash') return;
    const { theirs } = state;
    const merged = merge(saved.document, document, theirs.document, keep) ?? (keep === 'mine' ? document : theirs.document);
    this.#set({ saved: theirs, document: merged, state: { kind: 'unsaved' } });
    this.#later(0);
  };

  /** Takes back this person's last edit, or makes it again; what is unsaved is saved first. */
  readonly step = async (which: 'undo' | 'redo'): Promise<void> => {
    if (!(await this.flush())) return;
    const name = which === 'undo' ? 'undoEdit' : 'redoEdit';
    await this.#change((revision) => call(name, { params: { bot: this.bot }, body: { revision } }));
  };

  /** Brings the draft back to what it was at a revision. */
  readonly restore = async (to: number): Promise<void> => {
    if (!(await this.flush())) return;
    await this.#change((revision) => call('restoreDraft', { params: { bot: this.bot }, body: { revision, to } }));
  };

  /** Takes over the draft as the service has it, after something that was changed there and not here. */
  readonly reload = async (): Promise<void> => this.refresh(await call('getDraft', { params: { bot: this.bot } }));

  /** Does something that changes the draft; edits of others that are told meanwhile come after its outcome. */
  async #alone(work: () => Promise<void>): Promise<void> {
    this.#calls++;
    try {
      await work();
    } finally {
      this.#calls--;
      for (const edit of this.#waiting.splice(0)) this.#heard(edit);
    }
  }

  /** A change that the service makes; the screen follows. */
  async #change(make: (revision: number) => Promise<Drafted>): Promise<void> {
    const { saved } = this.#view;
    try {
      await this.#alone(async () => this.#took(saved.document, await make(saved.revision)));
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      this.#set({ notice: error.details.code === 'clash' ? clashWords(error) : errorText(error) });
    }
  }

  /** The service has stored what led to `outcome`; what was edited here since is put on top. */
  #took(outcome: BotDocument, { patch, ...answer }: Drafted): void {
    const now = applyPatch(outcome, patch);
    if (!now.ok) throw new Error('the draft of the service does not follow from this one; reload the page');
    const document = now.value as BotDocument;
    const { document: shown, saved } = this.#view;
    const merged = shown === outcome ? document : merge(outcome, shown, document);
    const { bot, revision, undo, redo } = answer;
    this.#set({
      saved: { ...saved, bot, revision, undo, redo, document },
      document: merged ?? shown,
      state: { kind: merged === document ? 'saved' : 'unsaved' },
      notice: undefined,
    });
    invalidate('listBots', 'listHistory');
  }

  /** Fetches the draft anew; where that fails the next edit, save or look at the window tries again. */
  #catchUp(): void {
    this.reload().catch(() => undefined);
  }

  /** An edit of somebody else: shown here at once, and put below what is not saved yet. */
  #heard(edit: HeardEdit): void {
    const { saved, document, state } = this.#view;
    if (edit.revision <= saved.revision) return;
    if (this.#calls > 0) {
      this.#waiting.push(edit);
      return;
    }
    const theirs = edit.from === saved.revision ? applyPatch(saved.document, edit.patch) : undefined;
    if (!theirs?.ok) {
      this.#catchUp();
      return;
    }
    const now = theirs.value as BotDocument;
    const merged = document === saved.document ? now : merge(saved.document, document, now);
    // Where both changed the same place the next save is refused, and the person chooses.
    if (!merged) return;
    const bot = { ...saved.bot, changedSinceRelease: saved.bot.changedSinceRelease + edit.revision - saved.revision };
    const next = { ...saved, bot, revision: edit.revision, document: now, undo: edit.undo, redo: edit.redo };
    this.#set({ saved: next, document: merged, ...(state.kind === 'saved' ? {} : { state: { kind: 'unsaved' } }) });
    invalidate('listBots', 'listHistory');
  }

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
    const patch = draftPatch(base.document, sent);
    if (patch.length === 0) {
      this.#set({ state: { kind: 'saved' } });
      return false;
    }
    this.#set({ state: { kind: 'saving' } });
    try {
      const params = { bot: this.bot };
      const body = { revision: base.revision, patch };
      await this.#alone(async () => this.#took(sent, await call('patchDraft', { params, body })));
      return this.#view.state.kind === 'unsaved';
    } catch (error) {
      return await this.#refused(error);
    }
  }

  async #refused(error: unknown): Promise<false> {
    try {
      if (!(error instanceof ApiError) || error.details.code !== 'clash') throw error;
      const theirs = await call('getDraft', { params: { bot: this.bot } });
      this.#set({ state: { kind: 'clash', theirs, clashes: error.details['clashes'] as Clash[] } });
    } catch (failure) {
      this.#set({ state: { kind: 'failed', reason: errorText(failure) } });
      this.#later(RETRY_MS);
    }
    return false;
  }
}

/** Our changes put on top of theirs; undefined where they clash, unless `prefer` says whose value to take there. */
function merge(base: BotDocument, mine: BotDocument, theirs: BotDocument, prefer?: 'mine' | 'theirs'): BotDocument | undefined {
  const rebased = rebasePatch(base, theirs, draftPatch(base, mine), prefer);
  const read = rebased.ok ? readDocument(rebased.value, theirs) : undefined;
  return read?.ok ? read.document : undefined;
}

function clashWords(error: ApiError): string {
  const [first] = error.details['clashes'] as Clash[];
  return `Somebody changed the same place since (${first?.path ?? ''}), so your edit cannot be undone by itself. History shows who.`;
}
