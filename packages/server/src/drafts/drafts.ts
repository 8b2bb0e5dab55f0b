import {
  applyPatch,
  compareDocuments,
  comparePatch,
  readDocument,
  rebasePatch,
  type BotDocument,
  type Difference,
  type PatchOperation,
} from '@primrose/core';
import type { Clock } from '../base/clock.js';
import { Refused } from '../base/refused.js';
import { acceptDocument, fieldErrors, storedDocument } from '../bots/documents.js';
import {
  type EditKind,
  advanceDraft,
  draftRevision,
  insertEdit,
  insertSnapshot,
  markUndone,
  nextRedo,
  nextUndo,
  patchesBetween,
  snapshotBefore,
} from '../store/edits.js';
import { isDuplicate, type Db } from '../store/database.js';
import { retrying } from '../store/hot.js';
import type { Contents } from '../knowledge/contents.js';

/** A draft at one of its revisions. */
export interface DraftAt {
  readonly revision: number;
  readonly document: BotDocument;
}

/** A change to a draft that was made against a revision. */
export interface Edit {
  readonly botId: string;
  readonly personId: string;
  readonly revision: number;
  readonly kind: EditKind;
  readonly ofRevision?: number;
  readonly patch: readonly PatchOperation[];
}

const SNAPSHOT_EVERY = 100;
const KEPT_BOTS = 32;
const KEPT_REVISIONS = 40;
const MAX_TRIES = 8;
const MAX_DIFFERENCES = 30;

/**
 * The drafts: snapshots with patches behind them in the database, and the last revisions of those that were used last in
 * memory. Revisions share what did not change, so that an edit costs what it touches and not what the bot weighs.
 */
export class Drafts {
  readonly #db: Db;
  readonly #clock: Clock;
  readonly #contents: Contents;
  readonly #onEdit: (botId: string, now: DraftAt) => void;
  readonly #kept = new Map<string, Map<number, BotDocument>>();

  /** `onEdit` is told every new state of a draft, for what is prepared in the background. */
  constructor(db: Db, clock: Clock, contents: Contents, onEdit: (botId: string, now: DraftAt) => void = () => undefined) {
    this.#db = db;
    this.#clock = clock;
    this.#contents = contents;
    this.#onEdit = onEdit;
  }

  /** A draft that was just made. */
  begun(botId: string, document: BotDocument): void {
    this.#keep(botId, 1, document);
    this.#onEdit(botId, { revision: 1, document });
  }

  /** The draft as it is now. Throws `not-found` where there is none. */
  async current(botId: string): Promise<DraftAt> {
    const revision = await draftRevision(this.#db, botId);
    if (revision === undefined) throw new Refused('no-bot', {});
    return { revision, document: await this.at(botId, revision) };
  }

  /** The draft as it was at a revision. */
  async at(botId: string, revision: number): Promise<BotDocument> {
    const kept = this.#revisions(botId);
    const known = kept.get(revision);
    if (known) return known;
    const nearest = Math.max(-1, ...[...kept.keys()].filter((r) => r < revision));
    const snapshot = await snapshotBefore(this.#db, botId, revision);
    if (!snapshot) throw new Refused('no-revision', { revision });
    const near = nearest >= snapshot.revision ? kept.get(nearest) : undefined;
    const from = near ? nearest : snapshot.revision;
    let document = near ?? storedDocument(snapshot.document);
    for (const patch of await patchesBetween(this.#db, botId, from, revision)) document = patched(document, patch);
    this.#keep(botId, revision, document);
    return document;
  }

  #revisions(botId: string): Map<number, BotDocument> {
    const kept = this.#kept.get(botId) ?? new Map<number, BotDocument>();
    this.#kept.delete(botId);
    this.#kept.set(botId, kept);
    const [oldest] = this.#kept.keys();
    if (this.#kept.size > KEPT_BOTS && oldest !== undefined) this.#kept.delete(oldest);
    return kept;
  }

  #keep(botId: string, revision: number, document: BotDocument): void {
    const kept = this.#revisions(botId);
    kept.set(revision, document);
    const [first] = kept.keys();
    if (kept.size > KEPT_REVISIONS && first !== undefined) kept.delete(first);
  }

  /**
   * Makes a change on top of whatever the draft has become meanwhile. Edits to different places merge; where the same
   * place was changed differently it throws `clash` with both values, and nothing is stored.
   */
  async edit(edit: Edit): Promise<DraftAt> {
    const base = await this.at(edit.botId, await this.#knownRevision(edit));
    for (let tries = 1; ; tries++) {
      const now = await this.current(edit.botId);
      const merged = this.#merged(edit, base, now);
      // Contents that came within the document are stored beside it.
      const document = await this.#contents.settle(edit.botId, edit.personId, merged.document, now.document);
      const patch = document === merged.document ? merged.patch : comparePatch(now.document, document);
      if (patch.length === 0) {
        if (edit.kind === 'undo' || edit.kind === 'redo') await markUndone(this.#db, edit.botId, edit.revision);
        return now;
      }
      const done = await this.#store(edit, now, patch, document);
      if (done) return done;
      if (tries >= MAX_TRIES) throw new Refused('draft-busy', {});
    }
  }

  async #knownRevision({ botId, revision }: Edit): Promise<number> {
    const current = await draftRevision(this.#db, botId);
    if (current === undefined || revision < 1 || revision > current)
      throw new Refused('revision-to-come', { revision: current ?? 0, asked: revision });
    return revision;
  }

  #merged(edit: Edit, base: BotDocument, now: DraftAt): { patch: readonly PatchOperation[]; document: BotDocument } {
    const rebased = rebasePatch(base, now.document, edit.patch);
    if (!rebased.ok && rebased.reason === 'clash')
      throw new Refused('clash', { clashes: rebased.clashes, revision: now.revision });
    if (!rebased.ok) {
      const { index, why } = rebased;
      throw new Refused('patch-failed', { path: edit.patch[index]?.path ?? '', index, why });
    }
    const read = readDocument(rebased.value, now.document);
    if (read.ok) return { patch: rebased.patch, document: read.document };
    throw new Refused('invalid-document', { errors: fieldErrors(read.problems) });
  }

  /** Stores an edit of the draft as it is `now`; undefined when somebody else was faster. */
  async #store(edit: Edit, now: DraftAt, patch: readonly PatchOperation[], document: BotDocument): Promise<DraftAt | undefined> {
    const { botId, personId, kind, ofRevision = null } = edit;
    const revision = now.revision + 1;
    const at = this.#clock.now();
    const differences: Difference[] = compareDocuments(now.document, document).slice(0, MAX_DIFFERENCES);
    try {
      const stored = await retrying(() =>
        this.#db.transaction(async (tx) => {
          if (!(await advanceDraft(tx, botId, now.revision, document, at))) return false;
          await insertEdit(tx, { botId, revision, personId, at, kind, ofRevision, patch, differences });
          if (kind === 'undo' || kind === 'redo') await markUndone(tx, botId, edit.revision);
          if (revision % SNAPSHOT_EVERY === 0) await insertSnapshot(tx, botId, revision, document);
          return true;
        }),
      );
      if (!stored) return undefined;
    } catch (error) {
      if (isDuplicate(error)) return undefined;
      throw error;
    }
    this.#keep(botId, revision, document);
    this.#onEdit(botId, { revision, document });
    return { revision, document };
  }

  /** Puts a whole document in place of the draft; the difference is kept as the edit. */
  async replace(edit: Omit<Edit, 'patch'>, source: unknown): Promise<DraftAt> {
    const document = acceptDocument(source);
    const base = await this.at(edit.botId, await this.#knownRevision({ ...edit, patch: [] }));
    return this.edit({ ...edit, patch: comparePatch(base, document) });
  }

  /** Takes back a person's newest edit that still stands; what others did since stays. */
  async undo(botId: string, personId: string): Promise<DraftAt> {
    const found = await nextUndo(this.#db, botId, personId);
    if (!found) throw new Refused('nothing-to-undo', {});
    return this.#takeBack({ botId, personId, revision: found.revision, kind: 'undo', ofRevision: found.revision });
  }

  /** Makes again what the person has undone last, if they have not edited since. */
  async redo(botId: string, personId: string): Promise<DraftAt> {
    const found = await nextRedo(this.#db, botId, personId);
    if (!found) throw new Refused('nothing-to-redo', {});
    return this.#takeBack({ botId, personId, revision: found.revision, kind: 'redo', ofRevision: found.of_revision });
  }

  async #takeBack(edit: Omit<Edit, 'patch'>): Promise<DraftAt> {
    const [after, before] = await Promise.all([this.at(edit.botId, edit.revision), this.at(edit.botId, edit.revision - 1)]);
    return this.edit({ ...edit, patch: comparePatch(after, before) });
  }

  /** Brings the draft back to what it was at a revision, as a new edit. */
  async restore(botId: string, personId: string, to: number): Promise<DraftAt> {
    const now = await this.current(botId);
    if (to < 1 || to >= now.revision) throw new Refused('no-restore', { newest: now.revision - 1 });
    const patch = comparePatch(now.document, await this.at(botId, to));
    return this.edit({ botId, personId, revision: now.revision, kind: 'restore', ofRevision: to, patch });
  }
}

function patched(document: BotDocument, patch: readonly PatchOperation[]): BotDocument {
  const done = applyPatch(document, patch);
  if (!done.ok) throw new Error(`step ${done.index + 1} of a stored patch does not fit: ${done.reason}`);
  const read = readDocument(done.value, document);
  if (!read.ok) throw new Error(`a stored draft cannot be read: ${JSON.stringify(read.problems.slice(0, 3))}`);
  return read.document;
}
