import { el, FLOWER, icon } from './render.js';
import type { Words } from './words.js';

/** A reply that takes longer than this can be stopped. */
const STOP_MS = 2000;
/** A reply that takes longer than this is no longer announced as being written. */
const TYPING_MS = 65_000;
/** Somebody of the staff says anew that they are writing at least this often. */
const STAFF_MS = 7000;

interface TypingParts {
  readonly append: (sign: HTMLElement) => void;
  readonly stop: () => void;
}

/** The sign that something is about to be said, at the end of the log; what takes long can be stopped. */
export class TypingSign {
  readonly #parts: TypingParts;
  readonly #label = el('span');
  readonly #sign = el('div', { class: 'typing', role: 'status' }, ...[0, 1, 2].map(() => icon(11, FLOWER, 25)), this.#label);
  readonly #stop = el('button', { type: 'button', class: 'link stop' });
  #until: ReturnType<typeof setTimeout> | undefined;
  #stopFrom: ReturnType<typeof setTimeout> | undefined;

  constructor(parts: TypingParts) {
    this.#parts = parts;
    this.#stop.addEventListener('click', parts.stop);
  }

  draw(words: Words): void {
    this.#stop.textContent = words.stop;
  }

  show(says: string, stoppable: boolean): void {
    clearTimeout(this.#until);
    if (stoppable) this.#stopFrom ??= setTimeout(() => this.#sign.isConnected && this.#sign.append(this.#stop), STOP_MS);
    this.#label.textContent = says;
    this.#parts.append(this.#sign);
    this.#until = setTimeout(() => this.hide(), stoppable ? TYPING_MS : STAFF_MS);
  }

  hide(): void {
    clearTimeout(this.#until);
    clearTimeout(this.#stopFrom);
    this.#stopFrom = undefined;
    this.#stop.remove();
    this.#sign.remove();
  }

  /** Moves the sign behind what was added to a log. */
  keepLast(log: HTMLElement): void {
    if (this.#sign.isConnected) log.append(this.#sign);
  }
}
