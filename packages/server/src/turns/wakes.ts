import type { Value } from '@primrose/core';
import type { LineRow } from '../store/lines.js';

/** Called when a conversation has something new; with the new lines where this process has them at hand. */
type Listener = (fresh: readonly LineRow[]) => void;

/** A foretaste of what is coming: what a model has written so far, '' for nothing any more; or what is under way, in words. */
export type Hint = { readonly words: string } | { readonly doing: string } | { readonly made: Made } | Typing;

/** Somebody of the staff is writing, by name. */
export interface Typing {
  readonly typing: string;
}

/** What a node of a page's flow does, as it does it: it begins, a model writes, or a variable is there. */
export interface Made {
  readonly flow: string;
  readonly node: string;
  readonly words?: string;
  readonly written?: { readonly target: string; readonly value: Value };
}

/**
 * Tells whoever listens to a conversation that it has new lines. Keeps nothing: what a listener has missed is read from
 * the database. What another process has stored is found by looking at the line numbers of the conversations that are
 * listened to.
 */
export class Wakes {
  readonly #listeners = new Map<string, Set<Listener>>();
  readonly #hints = new Map<string, Set<(hint: Hint) => void>>();
  readonly #seen = new Map<string, number>();

  listen(conversationId: string, listener: Listener): () => void {
    const set = this.#listeners.get(conversationId) ?? new Set();
    this.#listeners.set(conversationId, set.add(listener));
    return () => {
      set.delete(listener);
      if (set.size > 0) return;
      this.#listeners.delete(conversationId);
      this.#seen.delete(conversationId);
    };
  }

  /** True for the one listener of a conversation that looks by itself for what nobody told of. */
  leads(conversationId: string, listener: Listener): boolean {
    const [first] = this.#listeners.get(conversationId) ?? [];
    return first === listener;
  }

  /** `fresh` may hold lines that were just stored, so that they need not be read again. */
  wake(conversationId: string, fresh: readonly LineRow[] = []): void {
    this.#listeners.get(conversationId)?.forEach((listener) => listener(fresh));
  }

  /** Hands on what a model has written so far, or what is under way. Provisional: what is said in the end is read from the database. */
  hint(conversationId: string, hint: Hint): void {
    this.#hints.get(conversationId)?.forEach((listener) => listener(hint));
  }

  listenForHints(conversationId: string, listener: (hint: Hint) => void): () => void {
    const set = this.#hints.get(conversationId) ?? new Set();
    this.#hints.set(conversationId, set.add(listener));
    return () => {
      set.delete(listener);
      if (set.size === 0) this.#hints.delete(conversationId);
    };
  }

  /** The conversations that somebody listens to. */
  listened(): string[] {
    return [...this.#listeners.keys()];
  }

  /** Takes note of the last line number of a conversation; wakes its listeners when it is a new one. */
  saw(conversationId: string, seq: number): void {
    if (this.#seen.get(conversationId) === seq) return;
    this.#seen.set(conversationId, seq);
    this.wake(conversationId);
  }
}
