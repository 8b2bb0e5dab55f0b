import { markDelivered } from '../store/conversations.js';
import type { Db } from '../store/database.js';

type Listener = () => void;

/** Tells whoever listens to a conversation that it has new lines. Holds nothing: lines are read from the database. */
export class Wakes {
  readonly #listeners = new Map<string, Set<Listener>>();

  listen(conversationId: string, listener: Listener): () => void {
    const set = this.#listeners.get(conversationId) ?? new Set();
    this.#listeners.set(conversationId, set.add(listener));
    return () => {
      set.delete(listener);
      if (set.size === 0) this.#listeners.delete(conversationId);
    };
  }

  wake(conversationId: string): void {
    this.#listeners.get(conversationId)?.forEach((listener) => listener());
  }
}

/** Step 5 of a turn: hands new lines to the channel. Web chat streams fetch them themselves once they are woken. */
export async function deliver(db: Db, wakes: Wakes, conversationId: string): Promise<void> {
  wakes.wake(conversationId);
  await markDelivered(db, conversationId);
}
