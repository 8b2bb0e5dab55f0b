import { el, icon } from './render.js';
import type { Speech } from './speech.js';
import type { Words } from './words.js';

const SEND_ICON = 'M8 13.5V3M3.5 7.2 8 2.7l4.5 4.5';
const CLIP_ICON = 'M11.2 5.1 6.1 10.2a1.6 1.6 0 0 0 2.3 2.3l5.2-5.3a3.1 3.1 0 0 0-4.4-4.4L3.8 8.2a4.6 4.6 0 0 0 6.5 6.5l3.9-3.9';
const SPEAK_ICON = 'M8 2.2a2 2 0 0 0-2 2v3.6a2 2 0 0 0 4 0V4.2a2 2 0 0 0-2-2zM3.8 7.6a4.2 4.2 0 0 0 8.4 0M8 11.8v2.4';
const MOST_FILES = 8;
const MOST_BYTES = 4_000_000;
const ACCEPTED = 'image/*,.txt,.md,.csv,.json,.pdf,.docx,.xlsx,.epub';

export interface ComposerActs {
  readonly send: (text: string, files: readonly File[]) => void;
  readonly typing: () => void;
  /** In which language is spoken. */
  readonly language: () => string;
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
  readonly #speak = el('button', { type: 'button', class: 'attach speak', 'aria-pressed': 'false' }, icon(16, SPEAK_ICON));
  readonly #speech: Speech;
  readonly #acts: ComposerActs;
  #files: readonly File[] = [];
  #words: Words | undefined;

  constructor(acts: ComposerActs, takesFiles: boolean, speech: Speech) {
    this.#speech = speech;
    this.#acts = acts;
    const attach = takesFiles ? [this.#attach, this.#picker] : [];
    const speak = speech.canListen ? [this.#speak] : [];
    this.element = el('form', { class: 'composer' }, this.#label, ...attach, this.#input, ...speak, this.#send);
    this.#speak.addEventListener('click', () => this.#listen());
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
    this.#speak.setAttribute('aria-label', words.speak);
    this.#speak.title = words.speak;
  }

  /** Hears what is said; it is sent when somebody has ended, and may be changed before where they have not. */
  #listen(): void {
    if (this.#speech.listening) return this.#speech.stop();
    const { placeholder } = this.#input;
    this.#speak.setAttribute('aria-pressed', 'true');
    this.#input.placeholder = this.#words?.listening ?? '';
    this.#speech.listen(this.#acts.language(), {
      heard: (text, done) => {
        this.#input.value = text;
        if (done && text !== '') this.element.requestSubmit();
      },
      ended: (refused) => {
        this.#speak.setAttribute('aria-pressed', 'false');
        this.#input.placeholder = placeholder;
        if (refused) this.attached.replaceChildren(el('span', { class: 'plum', role: 'alert' }, this.#words?.noListening ?? ''));
      },
    });
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
