import type { ChatLook } from '@primrose/contract';
import { flower } from './head.js';
import type { Host } from './host.js';
import { el } from './render.js';

const WIDEST = 300;

/** The bubble that a chat is while it is closed: one button, as large as the frame. */
export class Bubble {
  readonly button: HTMLButtonElement;
  readonly #host: Host;
  readonly #look: ChatLook | undefined;
  readonly #label = el('span', {});
  readonly #count = el('b', { hidden: '' });
  #unread = 0;
  #unreadWords = '';
  open = false;

  constructor(host: Host, look: ChatLook | undefined, opens: () => void) {
    this.#host = host;
    this.#look = look;
    const mark = look?.logo ? el('img', { src: look.logo, alt: '', class: 'logo' }) : flower();
    this.button = el('button', { type: 'button', class: 'bubble' }, mark, this.#label, this.#count);
    this.button.addEventListener('click', opens);
  }

  draw(label: string, unreadWords: string): void {
    this.#label.textContent = label;
    this.#unreadWords = unreadWords;
    this.#size();
  }

  /** Shows the button or what it opens, and has the page make room. */
  show(open: boolean): void {
    this.open = open;
    document.body.dataset['bubble'] = open ? 'open' : 'closed';
    if (open) this.unread(0);
    this.#size();
  }

  /** One more that nobody has seen, while it is closed; 0 for none any more. */
  unread(more: number): void {
    this.#unread = more === 0 ? 0 : this.#unread + more;
    this.#count.hidden = this.#unread === 0;
    this.#count.textContent = String(this.#unread);
    this.#count.setAttribute('aria-label', `${this.#unread} ${this.#unreadWords}`);
    this.#host.tell({ primrose: 'unread', count: this.#unread });
    this.#size();
  }

  #size(): void {
    const { width, height } = this.button.getBoundingClientRect();
    const side = this.#look?.side ?? 'end';
    this.#host.tell({
      primrose: 'size',
      open: this.open,
      width: Math.min(WIDEST, Math.ceil(width)),
      height: Math.ceil(height),
      side,
    });
  }
}
