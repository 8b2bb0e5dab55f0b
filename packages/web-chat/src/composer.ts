import { el, icon } from './render.js';
import type { Words } from './words.js';

const SEND_ICON = 'M8 13.5V3M3.5 7.2 8 2.7l4.5 4.5';
const CLIP_ICON = 'M11.2 5.1 6.1 10.2a1.6 1.6 0 0 0 2.3 2.3l5.2-5.3a3.1 3.1 0 0 0-4.4-4.4L3.8 8.2a4.6 4.6 0 0 0 6.5 6.5l3.9-3.9';
const MOST_FILES = 8;
const MOST_BYTES = 4_000_000;
const ACCEPTED = 'image/*,.txt,.md,.csv,.json,.pdf,.docx,.xlsx,.epub';

export interface ComposerActs {
  readonly send: (text: string, files: readonly File[]) => void;
  readonly typing: () => void;
}

/** Where a visitor writes, and adds files to what they write. */
export class Composer {
  readonly element: HTMLFormElement;
  /** What goes along with the next words. */
  readonly attached = el('div', { class: 'attached', role: 'status' });
  readonly #input = el('input', { id: 'say', autocomplete: 'off', maxlength: '4000', enterkeyhint: 'send' });
  readonly #label = el('label', { for: 'say', class: 'hidden' });
  readonly #send = el('button', { type: 'submit', class: 'go' }, icon(16, SEND_ICON));
  readonly #attach = el('button', { type: 'button', class: 'attach' }, icon(16, CLIP_ICON));
  readonly #picker = el('input', { type: 'file', hidden: '', multiple: '', accept: ACCEPTED });
  #files: readonly File[] = [];
  #words: Words | undefined;

  constructor(acts: ComposerActs, takesFiles: boolean) {
    const attach = takesFiles ? [this.#attach, this.#picker] : [];
    this.element = el('form', { class: 'composer' }, this.#label, ...attach, this.#input, this.#send);
    this.element.addEventListener('submit', (event) => {
      event.preventDefault();
      const text = this.#input.value.trim();
      if (text === '' && this.#files.length === 0) return;
      this.#input.value = '';
      const files = this.#files;
      this.#show([]);
      acts.send(text, files);
    });
    this.#input.addEventListener('input', () => acts.typing());
    this.#attach.addEventListener('click', () => this.#picker.click());
    this.#picker.addEventListener('change', () => {
      this.#add([...(this.#picker.files ?? [])]);
      this.#picker.value = '';
      this.focus();
    });
  }

  draw(words: Words, placeholder: string): void {
    this.#words = words;
    this.#label.textContent = placeholder;
    this.#input.placeholder = placeholder;
    this.#send.setAttribute('aria-label', words.send);
    this.#attach.setAttribute('aria-label', words.attach);
    this.#attach.title = words.attach;
  }

  focus(): void {
    this.#input.focus();
  }

  /** Adds files; one that nobody would take is left out at once, and why is said. */
  #add(files: readonly File[]): void {
    const fit = files.filter((f) => f.size <= MOST_BYTES);
    const places = MOST_FILES - this.#files.length;
    const left = [
      ...files.filter((f) => f.size > MOST_BYTES).map((f) => `${f.name} ${this.#words?.tooLarge ?? ''}`),
      ...fit.slice(places).map((f) => `${f.name} ${this.#words?.tooMany ?? ''}`),
    ];
    this.#show([...this.#files, ...fit.slice(0, places)]);
    for (const why of left.slice(0, MOST_FILES)) this.attached.append(el('span', { class: 'plum', role: 'alert' }, why));
  }

  /** Shows what goes along with the next words, each to be left out again. */
  #show(files: readonly File[]): void {
    this.#files = files;
    const each = files.map((file) => {
      const away = el('button', { type: 'button', 'aria-label': `${this.#words?.detach ?? ''} ${file.name}` }, '×');
      away.addEventListener('click', () => this.#show(this.#files.filter((f) => f !== file)));
      return el('span', {}, file.name, away);
    });
    this.attached.replaceChildren(...each);
  }
}
