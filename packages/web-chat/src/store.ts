/** What this browser keeps of a chat: the visitor's key. Kept for our own origin only; where nothing may be kept, nothing is. */
export class KeyStore {
  readonly #name: string;
  /** False where the browser keeps nothing. */
  readonly works: boolean;

  constructor(channel: string) {
    this.#name = `primrose-visitor-${channel}`;
    this.works = this.#try(() => {
      const probe = `${this.#name}-probe`;
      localStorage.setItem(probe, '1');
      localStorage.removeItem(probe);
    });
  }

  get key(): string | undefined {
    let found: string | null = null;
    this.#try(() => (found = localStorage.getItem(this.#name)));
    return found ?? undefined;
  }

  keep(key: string): void {
    this.#try(() => localStorage.setItem(this.#name, key));
  }

  forget(): void {
    this.#try(() => localStorage.removeItem(this.#name));
  }

  #try(work: () => void): boolean {
    try {
      work();
      return true;
    } catch {
      // Without storage the chat works until the page is left.
      return false;
    }
  }
}
