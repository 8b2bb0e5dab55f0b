import '@fontsource-variable/instrument-sans';
import '@fontsource-variable/newsreader/opsz.css';
import type { ChatLine } from '@primrose/contract';
import { ChatProblem, Connection, type Outgoing } from './connection.js';
import { block, el, FLOWER, icon } from './render.js';
import './style.css';
import { wordsFor, type Words } from './words.js';

const channel = location.pathname.split('/').filter(Boolean).at(-1) ?? '';
const STORE = `primrose-visitor-${channel}`;
const SEND_ICON = 'M8 13.5V3M3.5 7.2 8 2.7l4.5 4.5';
const CLIP_ICON = 'M11.2 5.1 6.1 10.2a1.6 1.6 0 0 0 2.3 2.3l5.2-5.3a3.1 3.1 0 0 0-4.4-4.4L3.8 8.2a4.6 4.6 0 0 0 6.5 6.5l3.9-3.9';
const MOST_FILES = 8;
/** A reply that takes longer than this can be stopped. */
const STOP_MS = 2000;
/** A reply that takes longer than this is no longer announced as being written. */
const TYPING_MS = 65_000;

function remembered(): string | undefined {
  try {
    return localStorage.getItem(STORE) ?? undefined;
  } catch {
    return undefined;
  }
}

function remember(key: string): void {
  try {
    localStorage.setItem(STORE, key);
  } catch {
    // Without storage the chat works until the page is left.
  }
}

/** The chat page: one conversation, its composer, and what happens when the line is cut. */
class Chat {
  readonly #connection = new Connection(channel, remembered());
  #words: Words = wordsFor(navigator.language);
  readonly #log = el('div', { class: 'log', role: 'log', 'aria-live': 'polite' });
  readonly #title = el('h1', {}, '');
  readonly #about = el('p', {}, '');
  readonly #input = el('input', { id: 'say', autocomplete: 'off', maxlength: '4000', enterkeyhint: 'send' });
  readonly #picker = el('input', {
    type: 'file',
    hidden: '',
    multiple: '',
    accept: 'image/*,.txt,.md,.csv,.json,.pdf,.docx,.xlsx,.epub',
  });
  readonly #attach = el('button', { type: 'button', class: 'attach' }, icon(16, CLIP_ICON));
  readonly #attached = el('div', { class: 'attached', role: 'status' });
  #files: File[] = [];
  readonly #over = el('button', { type: 'button', class: 'link' });
  readonly #typing = el('div', { class: 'typing', role: 'status' });
  readonly #provisional = el('div', { class: 'theirs provisional', dir: 'auto', 'aria-hidden': 'true' });
  readonly #shown = new Set<number>();
  readonly #pending = new Map<string, HTMLElement>();
  #typingUntil: ReturnType<typeof setTimeout> | undefined;
  readonly #stop = el('button', { type: 'button', class: 'link stop' });
  #stopFrom: ReturnType<typeof setTimeout> | undefined;

  mount(root: HTMLElement): void {
    const label = el('label', { for: 'say', class: 'hidden' }, this.#words.say);
    const send = el('button', { type: 'submit', class: 'go', 'aria-label': this.#words.send }, icon(16, SEND_ICON));
    const form = el('form', { class: 'composer' }, label, this.#attach, this.#picker, this.#input, send);
    const flower = icon(28, FLOWER, 25);
    flower.classList.add('flower');
    root.append(
      el('header', {}, flower, el('div', {}, this.#title, this.#about), el('span', { class: 'spring' }), this.#over),
      this.#log,
      this.#attached,
      form,
    );
    this.#typing.append(...[0, 1, 2].map(() => icon(11, FLOWER, 25)), el('span'));
    this.#translate();
    form.addEventListener('submit', (event) => {
      event.preventDefault();
      const text = this.#input.value.trim();
      if (text === '' && this.#files.length === 0) return;
      this.#input.value = '';
      const files = this.#files;
      this.#attaches([]);
      void this.#send({ id: crypto.randomUUID(), ...(text === '' ? {} : { text }) }, text, files);
    });
    this.#attach.addEventListener('click', () => this.#picker.click());
    this.#picker.addEventListener('change', () => {
      this.#attaches([...this.#files, ...(this.#picker.files ?? [])].slice(0, MOST_FILES));
      this.#picker.value = '';
      this.#input.focus();
    });
    this.#over.addEventListener('click', () => void this.#startOver());
    this.#stop.addEventListener('click', () => void this.#connection.stop().catch(() => undefined));
  }

  #translate(): void {
    this.#about.textContent = this.#words.about;
    this.#over.textContent = this.#words.startOver;
    this.#stop.textContent = this.#words.stop;
    this.#input.placeholder = this.#words.say;
    this.#attach.setAttribute('aria-label', this.#words.attach);
    this.#attach.title = this.#words.attach;
  }

  /** Shows what goes along with the next words, each to be left out again. */
  #attaches(files: File[]): void {
    this.#files = files;
    const each = files.map((file) => {
      const away = el('button', { type: 'button', 'aria-label': `${this.#words.detach} ${file.name}` }, '×');
      away.addEventListener('click', () => this.#attaches(this.#files.filter((f) => f !== file)));
      return el('span', {}, file.name, away);
    });
    this.#attached.replaceChildren(...each);
  }

  /** Opens the conversation and follows it; begins anew when it was ended elsewhere. */
  async run(): Promise<void> {
    for (;;) {
      try {
        const opened = await this.#connection.open(navigator.language);
        remember(opened.key);
        this.#words = wordsFor(opened.language);
        this.#translate();
        document.documentElement.lang = opened.language;
        document.title = opened.name;
        this.#title.textContent = opened.name;
        this.#log.replaceChildren();
        this.#shown.clear();
        opened.lines.forEach((line) => this.#show(line));
        if (opened.lines.length === 0) this.#setTyping(true);
        const end = await this.#connection.follow({
          line: (line) => this.#show(line),
          typing: () => this.#setTyping(true),
          words: (text) => this.#setWords(text),
          doing: (text) => this.#setTyping(true, text),
          state: (connected) => this.#setConnected(connected),
        });
        if (end === 'closed') return;
      } catch (error) {
        await this.#explain(error);
      }
    }
  }

  /** Says why the chat cannot be opened and waits until the visitor tries again. */
  #explain(error: unknown): Promise<void> {
    const detail = error instanceof ChatProblem ? error.message : this.#words.unreachable;
    const again = el('button', { type: 'button' }, this.#words.again);
    this.#log.replaceChildren(el('div', { class: 'problem', role: 'alert' }, el('b', {}, detail), el('div', {}, again)));
    return new Promise((resolve) => again.addEventListener('click', () => resolve()));
  }

  async #send(message: Outgoing, words: string, files: readonly File[] = []): Promise<void> {
    this.#clearChoices();
    const bubble = el(
      'div',
      { class: 'mine unsent', dir: 'auto' },
      [words, ...files.map((f) => f.name)].filter(Boolean).join(' · '),
    );
    this.#pending.set(message.id, bubble);
    this.#append(bubble);
    this.#setTyping(true);
    await this.#deliver(message, bubble, files);
  }

  async #deliver(message: Outgoing, bubble: HTMLElement, files: readonly File[]): Promise<void> {
    try {
      const sent: string[] = [];
      for (const file of files) sent.push(await this.#connection.send(file));
      await this.#connection.say({ ...message, ...(sent.length > 0 ? { files: sent } : {}) });
      bubble.classList.remove('unsent');
    } catch (error) {
      this.#setTyping(false);
      const again = el('button', { type: 'button' }, this.#words.again);
      const reason = error instanceof ChatProblem && error.status !== 503 ? error.message : this.#words.kept;
      const note = el(
        'div',
        { class: 'problem', role: 'alert' },
        el('b', {}, this.#words.notSent),
        ` ${reason}`,
        el('div', {}, again),
      );
      bubble.after(note);
      again.addEventListener('click', () => {
        note.remove();
        this.#setTyping(true);
        void this.#deliver(message, bubble, files);
      });
    }
  }

  #show(line: ChatLine): void {
    if (this.#shown.has(line.seq)) return;
    this.#shown.add(line.seq);
    if (line.who === 'visitor') {
      this.#showOwn(line);
      this.#setTyping(true);
      return;
    }
    this.#setTyping(false);
    this.#provisional.remove();
    this.#clearChoices();
    const by = line.who === 'staff' ? [el('small', {}, line.by ?? this.#words.person)] : [];
    const said = line.message.blocks.map(block);
    this.#append(el('div', { class: `theirs ${line.who}`, dir: 'auto' }, ...by, ...said, ...this.#sources(line)));
    if (line.message.choices?.length) this.#offer(line.message.choices);
  }

  /** Where it stands: the passages that an answer cites, each to be opened. */
  #sources({ message: { cites = [] } }: ChatLine): HTMLElement[] {
    if (cites.length === 0) return [];
    const each = cites.map((c) => {
      const page = c.page === undefined ? '' : `, p. ${c.page}`;
      const title = `[${c.number}] ${c.title}${c.heading === '' ? '' : ` › ${c.heading}`}${page}`;
      const open =
        c.address === undefined ? [] : [el('a', { href: c.address, target: '_blank', rel: 'noopener' }, this.#words.open)];
      return el('details', {}, el('summary', {}, title), el('p', {}, c.quote), ...open);
    });
    return [el('div', { class: 'sources', role: 'group', 'aria-label': this.#words.sources }, ...each)];
  }

  /** Words that are still being written. They are only a foretaste, so they are not read out. */
  #setWords(text: string): void {
    if (text === '') {
      this.#provisional.remove();
      this.#setTyping(true);
      return;
    }
    this.#setTyping(false);
    this.#provisional.textContent = text;
    this.#append(this.#provisional);
  }

  /** Our own words, as the service has them: in place of those still shown as under way, if they came from this window. */
  #showOwn(line: ChatLine): void {
    const words = line.message.blocks.map(block);
    const sent = this.#pending.get(line.id ?? '');
    if (!sent) return this.#append(el('div', { class: 'mine', dir: 'auto' }, ...words));
    this.#pending.delete(line.id ?? '');
    sent.classList.remove('unsent');
    sent.replaceChildren(...words);
  }

  #offer(choices: NonNullable<ChatLine['message']['choices']>): void {
    const buttons = choices.map((choice) => {
      const button = el('button', { type: 'button' }, choice.says);
      button.addEventListener(
        'click',
        () => void this.#send({ id: crypto.randomUUID(), choice: choice.id, text: choice.says }, choice.says),
      );
      return button;
    });
    this.#append(el('div', { class: 'choices', role: 'group', 'aria-label': this.#words.choices }, ...buttons));
  }

  #clearChoices(): void {
    this.#log.querySelectorAll('.choices').forEach((c) => c.remove());
  }

  #append(element: HTMLElement): void {
    this.#log.append(element);
    if (this.#typing.isConnected) this.#log.append(this.#typing);
    this.#log.scrollTop = this.#log.scrollHeight;
  }

  /** Shows that the bot is about to say something, or in `doing` what it does meanwhile; what takes long can be stopped. */
  #setTyping(on: boolean, doing?: string): void {
    clearTimeout(this.#typingUntil);
    if (!on) {
      clearTimeout(this.#stopFrom);
      this.#stopFrom = undefined;
      this.#stop.remove();
      this.#typing.remove();
      return;
    }
    this.#stopFrom ??= setTimeout(() => this.#typing.isConnected && this.#typing.append(this.#stop), STOP_MS);
    const label = this.#typing.querySelector('span');
    if (label) label.textContent = doing ?? `${this.#title.textContent ?? ''} ${this.#words.writing}`;
    this.#append(this.#typing);
    this.#typingUntil = setTimeout(() => this.#typing.remove(), TYPING_MS);
  }

  #setConnected(connected: boolean): void {
    document.body.classList.toggle('cut', !connected);
    this.#about.textContent = connected ? this.#words.about : this.#words.reconnecting;
  }

  async #startOver(): Promise<void> {
    this.#over.disabled = true;
    try {
      await this.#connection.startOver();
    } catch (error) {
      this.#append(
        el('div', { class: 'problem', role: 'alert' }, error instanceof ChatProblem ? error.message : this.#words.unreachable),
      );
    } finally {
      this.#over.disabled = false;
      this.#input.focus();
    }
  }
}

const chat = new Chat();
const root = document.getElementById('chat');
if (root) chat.mount(root);
void chat.run();
