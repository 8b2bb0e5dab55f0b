import type { ChatLine } from '@primrose/contract';
import { ChatProblem, type Connection } from './connection.js';
import { el, icon } from './render.js';
import type { Words } from './words.js';

const COPY_ICON = 'M5.5 5.5V2.5h8v8h-3M2.5 5.5h8v8h-8z';
const UP_ICON =
  'M2.5 7.5h2.5v6H2.5zM5 7.5 7.8 2.3c1.2.2 1.7 1 1.5 2.1L8.9 6.6h3.8c.8 0 1.3.7 1.1 1.5l-1.1 4.5c-.1.6-.6.9-1.2.9H5';
const DOWN_ICON =
  'M13.5 8.5H11v-6h2.5zM11 8.5l-2.8 5.2c-1.2-.2-1.7-1-1.5-2.1l.4-2.2H3.3c-.8 0-1.3-.7-1.1-1.5l1.1-4.5c.1-.6.6-.9 1.2-.9H11';

/** What can be done with an answer: copied, and told what one thinks of it. */
export class AnswerControls {
  readonly #connection: Connection;
  readonly #words: () => Words;
  readonly #feedback: boolean;

  constructor(connection: Connection, words: () => Words, feedback: boolean) {
    this.#connection = connection;
    this.#words = words;
    this.#feedback = feedback;
  }

  /** The controls under a line; `rated` is what was thought of it before. */
  under(line: ChatLine, rated: boolean | undefined): HTMLElement {
    const words = this.#words();
    const told = el('span', { class: 'told', role: 'status' });
    const row = el('div', { class: 'controls' });
    const copy = el('button', { type: 'button', 'aria-label': words.copy, title: words.copy }, icon(14, COPY_ICON));
    copy.addEventListener('click', () => {
      navigator.clipboard.writeText(line.message.text).then(
        () => (told.textContent = words.copied),
        () => (told.textContent = words.noCopy),
      );
    });
    row.append(copy);
    if (this.#feedback) row.append(...this.#thumbs(line.seq, rated, row));
    row.append(told);
    return row;
  }

  #thumbs(seq: number, rated: boolean | undefined, row: HTMLElement): HTMLElement[] {
    const words = this.#words();
    const thumb = (label: string, path: string, value: boolean) =>
      el(
        'button',
        { type: 'button', 'aria-label': label, title: label, 'aria-pressed': String(rated === value) },
        icon(14, path),
      );
    const up = thumb(words.helpful, UP_ICON, true);
    const down = thumb(words.unhelpful, DOWN_ICON, false);
    const press = (value: boolean) => () => {
      const pressed = (value ? up : down).getAttribute('aria-pressed') === 'true';
      up.setAttribute('aria-pressed', String(!pressed && value));
      down.setAttribute('aria-pressed', String(!pressed && !value));
      row.parentElement?.querySelector('.missing')?.remove();
      if (!pressed && !value) row.after(this.#missing(seq));
      void this.#rate(seq, pressed ? null : value, row);
    };
    up.addEventListener('click', press(true));
    down.addEventListener('click', press(false));
    return [up, down];
  }

  /** Asks what was missing, in a word. */
  #missing(seq: number): HTMLElement {
    const words = this.#words();
    const input = el('input', {
      maxlength: '1000',
      autocomplete: 'off',
      'aria-label': words.missing,
      placeholder: words.missing,
    });
    const form = el('form', { class: 'missing' }, input, el('button', { type: 'submit' }, words.send));
    form.addEventListener('submit', (event) => {
      event.preventDefault();
      const said = input.value.trim();
      if (said === '') return;
      void this.#rate(seq, false, form, said).then((done) => done && this.#thank(form));
    });
    return form;
  }

  /** Says thank you in place of a form; the focus in it stays where it was. */
  #thank(form: HTMLElement): void {
    const thanks = this.#thanks();
    const focused = form.contains(document.activeElement);
    form.replaceWith(thanks);
    if (focused) thanks.focus();
  }

  #thanks(): HTMLElement {
    return el('p', { class: 'told', role: 'status', tabindex: '-1' }, this.#words().thanks);
  }

  /** Asks at the end whether the conversation helped. */
  atEnd(rated: boolean | undefined): HTMLElement {
    const words = this.#words();
    const box = el('div', { class: 'atend', role: 'group', 'aria-label': words.didItHelp });
    if (!this.#feedback || rated !== undefined) return box;
    const answer = (label: string, value: boolean) => {
      const button = el('button', { type: 'button' }, label);
      button.addEventListener('click', () => {
        void this.#rate(0, value, box).then((done) => {
          if (!done) return;
          box.replaceChildren(value ? this.#thanks() : this.#missing(0));
          box.querySelector<HTMLElement>('input, .told')?.focus();
        });
      });
      return button;
    };
    box.append(el('p', {}, words.didItHelp), answer(words.yes, true), answer(words.no, false));
    return box;
  }

  /** Tells what somebody thinks; says so where it could not be told. */
  async #rate(seq: number, helpful: boolean | null, beside: HTMLElement, said?: string): Promise<boolean> {
    try {
      await this.#connection.rate(seq, helpful, said);
      return true;
    } catch (error) {
      const told = error instanceof ChatProblem ? error.message : this.#words().notSent;
      beside.append(el('span', { class: 'told plum', role: 'alert' }, told));
      return false;
    }
  }
}
