import type { ChatLook } from '@primrose/contract';
import type { Host } from './host.js';

/**
 * What this browser keeps of a chat: the visitor's key. Where our own storage is closed to us inside a page of somebody else's, that page keeps it
 * for us; where it cannot either, nothing is kept. A page knows the key that it keeps, or may have made it up: so it is asked only where nobody
 * but the page itself can have the visitor sign in, as a key that somebody else knows must never come to speak for a person.
 */
export class KeyStore {
  readonly #name: string;
  readonly #host: Host;
  readonly #own: boolean;
  readonly #mayAsk: boolean;

  constructor(channel: string, host: Host, look: ChatLook | undefined) {
    this.#name = `primrose-visitor-${channel}`;
    this.#host = host;
    this.#mayAsk = look !== undefined && !look.signIn.mail && look.signIn.service === null;
    this.#own = this.#try(() => {
      const probe = `${this.#name}-probe`;
      localStorage.setItem(probe, '1');
      localStorage.removeItem(probe);
    });
  }

  /** False where nothing is kept. */
  get works(): boolean {
    return this.#own || (this.#mayAsk && this.#host.keeps);
  }

  get key(): string | undefined {
    if (!this.#own) return this.#mayAsk ? this.#host.kept : undefined;
    let found: string | null = null;
    this.#try(() => (found = localStorage.getItem(this.#name)));
    return found ?? undefined;
  }

  /** Keeps a key; `signedIn` where it speaks for somebody whom the page around us may not speak for. */
  keep(key: string, signedIn: boolean): void {
    if (this.#own) this.#try(() => localStorage.setItem(this.#name, key));
    else if (this.#mayAsk) this.#host.keep(signedIn ? null : key);
  }

  forget(): void {
    if (this.#own) this.#try(() => localStorage.removeItem(this.#name));
    else this.#host.keep(null);
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
