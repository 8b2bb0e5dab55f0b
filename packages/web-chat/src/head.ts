import type { ChatLook, OpenedChat } from '@primrose/contract';
import type { Host } from './host.js';
import type { Said } from './look.js';
import { el, FLOWER, icon } from './render.js';
import type { Words } from './words.js';

const MORE_ICON = 'M3 8h.01M8 8h.01M13 8h.01';
const CLOSE_ICON = 'M3.5 3.5l9 9M12.5 3.5l-9 9';

/** What the head of a chat offers. */
export interface HeadActs {
  readonly startOver: () => void;
  readonly history: () => void;
  readonly signIn: () => void;
  readonly signOut: () => void;
  readonly readAloud: () => void;
  readonly close: () => void;
}

/** The head of a chat: whose it is, and what can be done besides talking. */
export class Head {
  readonly element: HTMLElement;
  readonly #title = el('h1', {}, '');
  readonly #about = el('p', {}, '');
  readonly #over = el('button', { type: 'button', class: 'link' });
  readonly #more = el('button', { type: 'button', class: 'sign', 'aria-expanded': 'false' }, icon(16, MORE_ICON));
  readonly #menu = el('div', { class: 'menu', hidden: '' });
  readonly #close = el('button', { type: 'button', class: 'sign' }, icon(16, CLOSE_ICON));
  readonly #acts: HeadActs;
  #words: Words | undefined;
  #said: Said | undefined;

  constructor(look: ChatLook | undefined, host: Host, acts: HeadActs) {
    this.#acts = acts;
    const mark = look?.logo ? el('img', { src: look.logo, alt: '', class: 'logo' }) : flower();
    const text = el('div', { class: 'who' }, this.#title, this.#about);
    const close = host.place === 'bubble' ? [this.#close] : [];
    this.element = el('header', {}, mark, text, el('span', { class: 'spring' }), this.#over, this.#more, ...close, this.#menu);
    this.#over.addEventListener('click', acts.startOver);
    this.#close.addEventListener('click', acts.close);
    this.#more.addEventListener('click', () => this.#toggle(this.#menu.hidden !== false));
    this.element.addEventListener('keydown', (event) => {
      if (event.key !== 'Escape' || this.#menu.hidden) return;
      event.stopPropagation();
      this.#toggle(false);
      this.#more.focus();
    });
    addEventListener('click', ({ target }) => {
      if (!this.element.contains(target as Node)) this.#toggle(false);
    });
  }

  #toggle(open: boolean): void {
    this.#menu.hidden = !open;
    this.#more.setAttribute('aria-expanded', String(open));
  }

  /** Shows who speaks, in the visitor's language, and what is offered. */
  draw(
    words: Words,
    said: Said,
    offers: {
      readonly history: boolean;
      readonly signIn: boolean;
      readonly who: OpenedChat['who'];
      /** Whether answers are read aloud; undefined where that cannot be. */ readonly aloud?: boolean | undefined;
    },
  ): void {
    this.#words = words;
    this.#said = said;
    this.#title.textContent = said.name;
    this.#about.textContent = said.about;
    this.#over.textContent = words.startOver;
    this.#more.setAttribute('aria-label', words.more);
    this.#close.setAttribute('aria-label', words.close);
    const item = (label: string, act: () => void) => {
      const button = el('button', { type: 'button' }, label);
      button.addEventListener('click', () => {
        this.#toggle(false);
        act();
      });
      return button;
    };
    const { who } = offers;
    const name = who?.name ?? who?.email ?? null;
    this.#menu.replaceChildren(
      ...(name === null ? [] : [el('p', {}, `${words.signedInAs} ${name}`)]),
      ...(offers.history ? [item(words.history, this.#acts.history)] : []),
      ...(offers.aloud === undefined ? [] : [item(offers.aloud ? words.beSilent : words.readAloud, this.#acts.readAloud)]),
      ...(who === null && offers.signIn ? [item(words.signIn, this.#acts.signIn)] : []),
      ...(who === null ? [] : [item(words.signOut, this.#acts.signOut)]),
    );
    this.#more.hidden = this.#menu.childElementCount === 0;
  }

  set busy(busy: boolean) {
    this.#over.disabled = busy;
  }

  /** Says whether the line stands. */
  connected(connected: boolean): void {
    document.body.classList.toggle('cut', !connected);
    this.#about.textContent = (connected ? this.#said?.about : this.#words?.reconnecting) ?? '';
  }

  get name(): string {
    return this.#title.textContent ?? '';
  }
}

export function flower(): SVGSVGElement {
  const mark = icon(28, FLOWER, 25);
  mark.classList.add('flower');
  return mark;
}
