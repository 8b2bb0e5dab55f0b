import type { ChatLine, ChatLook, OpenedChat } from '@primrose/contract';
import { AnswerControls } from './answers.js';
import { Bubble } from './bubble.js';
import { Composer } from './composer.js';
import { ChatProblem, Connection, type Outgoing } from './connection.js';
import { Head } from './head.js';
import { drawHistory } from './history.js';
import type { Host } from './host.js';
import { mine, theirs } from './lines.js';
import { saidIn } from './look.js';
import { block, el } from './render.js';
import { SignInPanel } from './sign-in.js';
import { Speech } from './speech.js';
import type { KeyStore } from './store.js';
import { TypingSign } from './typing.js';
import { directionOf, wordsFor, type Words } from './words.js';

/** So often the service is told that somebody is writing. */
const TYPING_EVERY_MS = 4000;

interface ChatParts {
  readonly channel: string;
  readonly look: ChatLook | undefined;
  readonly host: Host;
  readonly keys: KeyStore;
  readonly language: string;
}

/** One conversation, its composer, and what happens when the line is cut. */
export class Chat {
  readonly #parts: ChatParts;
  readonly #connection: Connection;
  readonly #head: Head;
  readonly #composer: Composer;
  readonly #bubble: Bubble;
  readonly #signIn: SignInPanel;
  readonly #answers: AnswerControls;
  readonly #typing: TypingSign;
  readonly #speech = new Speech();
  readonly #log = el('div', { class: 'log', role: 'log', 'aria-live': 'polite' });
  readonly #aside = el('div', { class: 'aside', hidden: '' });
  readonly #provisional = el('div', { class: 'theirs provisional', dir: 'auto', 'aria-hidden': 'true' });
  readonly #shown = new Set<number>();
  readonly #pending = new Map<string, HTMLElement>();
  #words: Words;
  #opened: OpenedChat | undefined;
  /** As whom the page says that its user is. Nothing of it is kept: the next page says so anew. */
  #token: string | null = null;
  /** The token was believed: the key that came of it speaks from then on, as a token is good for minutes only. */
  #believed = false;
  /** The page's token was not believed, which is still to be said. */
  #unbelieved = false;
  /** Lines that were there when the chat was opened are no news. */
  #news = false;
  #staffed = false;
  #toldTyping = 0;

  constructor(parts: ChatParts) {
    const { channel, look, host, language } = parts;
    this.#parts = parts;
    this.#words = wordsFor(language);
    this.#connection = new Connection(channel, undefined);
    const words = () => this.#words;
    this.#typing = new TypingSign({
      append: (sign) => this.#append(sign),
      stop: () => void this.#connection.stop().catch(() => undefined),
    });
    this.#answers = new AnswerControls(this.#connection, words, look?.feedback ?? true);
    this.#signIn = new SignInPanel({ connection: this.#connection, host, look, words, done: () => this.#connection.close() });
    this.#composer = new Composer(
      {
        send: (text, files) => this.#compose(text, files),
        typing: () => this.#tellTyping(),
        language: () => document.documentElement.lang,
      },
      look?.files ?? true,
      this.#speech,
    );
    this.#bubble = new Bubble(host, look, () => this.show(true));
    this.#head = new Head(look, host, {
      startOver: () => void this.#startOver(),
      history: () => void this.#showHistory(),
      signIn: () => this.#showAside(this.#signIn.draw()),
      signOut: () => void this.#signOut(),
      readAloud: () => this.#readAloud(),
      close: () => this.show(false),
    });
  }

  mount(root: HTMLElement): void {
    root.append(this.#head.element, this.#log, this.#aside, this.#composer.attached, this.#composer.element);
    if (this.#parts.host.place === 'bubble') {
      root.before(this.#bubble.button);
      root.addEventListener('keydown', (event) => event.key === 'Escape' && this.show(false));
      this.#bubble.show(false);
    }
    this.#translate(this.#parts.language);
  }

  /** Opens or closes the bubble. */
  show(open: boolean): void {
    if (this.#parts.host.place !== 'bubble' || open === this.#bubble.open) return;
    this.#bubble.show(open);
    if (open) {
      this.#composer.focus();
      this.#begins?.();
    } else this.#bubble.button.focus();
  }

  #begins: (() => void) | undefined;

  /** As whom the page says that its user is, from now on; null for nobody. */
  identify(token: string | null): void {
    if (token === this.#token) return;
    this.#token = token;
    this.#believed = false;
    // Whoever was here is not to be taken for whoever comes.
    this.#leave(this.#parts.keys.key);
    this.#begins?.();
  }

  /** Whoever comes sees nothing of whoever was here, however long the service takes. `key` is theirs, where they have one. */
  #leave(key?: string): void {
    this.#connection.forget(key);
    this.#connection.close();
    this.#opened = undefined;
    this.#pending.clear();
    this.#log.replaceChildren();
    this.#shown.clear();
    this.#showAside(undefined);
    this.#bubble.unread(0);
    this.#translate(this.#parts.language);
  }

  #translate(language: string): void {
    const { look } = this.#parts;
    this.#words = wordsFor(language);
    const said = saidIn(look, language, this.#words);
    document.documentElement.lang = language;
    document.documentElement.dir = directionOf(language);
    this.#head.draw(this.#words, said, {
      history: look?.history ?? true,
      signIn: this.#signIn.hasWays,
      who: this.#opened?.who ?? null,
      aloud: this.#speech.canSpeak ? this.#speech.aloud : undefined,
    });
    this.#composer.draw(this.#words, said.say);
    this.#typing.draw(this.#words);
    this.#bubble.draw(said.open, this.#words.unread);
    if (said.name !== '') document.title = said.name;
  }

  /** Opens the conversation and follows it; begins anew when it was ended elsewhere. */
  async run(token: string | null): Promise<void> {
    this.#token = token;
    this.#connection.forget(this.#parts.keys.key);
    this.#translate(this.#parts.language);
    for (;;) {
      this.#begins = undefined;
      try {
        await this.#open();
        await this.#connection.follow({
          line: (line) => this.#show(line),
          typing: () => this.#setTyping(true),
          words: (text) => this.#setWords(text),
          doing: (text) => this.#setTyping(true, text),
          staff: (name) => {
            this.#staffed = true;
            this.#setTyping(true, `${name} ${this.#words.writing}`, false);
          },
          state: (connected) => this.#head.connected(connected),
        });
      } catch (error) {
        await this.#explain(error);
      }
    }
  }

  async #open(): Promise<void> {
    const { keys } = this.#parts;
    const opened = await this.#openNow();
    this.#opened = opened;
    // Who is known by the page's word is known for this page only.
    if (this.#token === null) keys.keep(opened.key, opened.who !== null);
    this.#translate(opened.language);
    this.#log.replaceChildren();
    this.#aside.hidden = true;
    this.#shown.clear();
    this.#news = false;
    this.#staffed = opened.lines.some((l) => l.who === 'staff');
    opened.lines.forEach((line) => this.#show(line));
    this.#news = true;
    if (opened.lines.length === 0) this.#setTyping(true);
    else this.#offerStarters();
    if (opened.signedOut) this.#note(this.#words.signedOut);
    if (this.#unbelieved) this.#note(this.#words.notSignedIn);
    this.#unbelieved = false;
    if (!keys.works && opened.who === null) this.#note(this.#words.noStorage);
  }

  /**
   * Opens as whom the page says that its user is: whoever it names meanwhile counts, and where its token is not believed, nobody. Behind a
   * closed bubble nothing is begun for somebody who has no conversation here, and for a stranger nothing is asked; that waits until it is opened.
   */
  async #openNow(): Promise<OpenedChat> {
    const { host, keys, language } = this.#parts;
    for (;;) {
      const token = this.#token;
      const waits = host.place === 'bubble' && !this.#bubble.open;
      if (waits && token === null && !this.#connection.known) {
        await this.#looked();
        continue;
      }
      const as = { token: this.#believed ? null : token, waits };
      const opened = await this.#connection.open(language, as).catch((error: unknown) => {
        if (token === this.#token) this.#disbelieved(error, as.token);
      });
      this.#believed = opened !== undefined && token !== null && token === this.#token;
      if (opened?.begun && token === this.#token) return opened;
      if (token !== this.#token) this.#connection.forget(keys.key);
      else if (opened) await this.#looked();
    }
  }

  /** Resolves when the bubble is open, or somebody else is there. */
  #looked(): Promise<void> {
    return this.#bubble.open ? Promise.resolve() : new Promise((resolve) => (this.#begins = resolve));
  }

  /** Goes on without a token that was not believed, and says so; throws any other error. */
  #disbelieved(error: unknown, token: string | null): void {
    if (!(error instanceof ChatProblem) || error.code !== 'sign-in-failed' || token === null) throw error;
    console.warn(`Primrose web chat: ${error.message}`);
    this.#token = null;
    this.#unbelieved = true;
  }

  /** Says why the chat cannot be opened and waits until the visitor tries again. */
  #explain(error: unknown): Promise<void> {
    const detail = error instanceof ChatProblem ? error.message : this.#words.unreachable;
    const again = el('button', { type: 'button' }, this.#words.again);
    this.#log.replaceChildren(el('div', { class: 'problem', role: 'alert' }, el('b', {}, detail), el('div', {}, again)));
    return new Promise((resolve) => {
      this.#begins = resolve;
      again.addEventListener('click', () => resolve());
    });
  }

  #note(words: string): void {
    this.#append(el('p', { class: 'note', role: 'status' }, words));
  }

  /** Answers are read aloud from now on, or no more. */
  #readAloud(): void {
    this.#speech.aloud = !this.#speech.aloud;
    if (!this.#speech.aloud) this.#speech.hush();
    this.#translate(document.documentElement.lang);
  }

  #compose(text: string, files: readonly File[]): void {
    // Whoever speaks into what is read out has heard enough.
    this.#speech.hush();
    this.#showAside(undefined);
    void this.#send({ id: crypto.randomUUID(), ...(text === '' ? {} : { text }) }, text, files);
  }

  async #send(message: Outgoing, words: string, files: readonly File[] = []): Promise<void> {
    this.#clearOffers();
    const shown = [words, ...files.map((f) => f.name)].filter(Boolean).join(' · ');
    const bubble = el('div', { class: 'mine unsent', dir: 'auto' }, shown);
    this.#pending.set(message.id, bubble);
    this.#append(bubble);
    this.#setTyping(true);
    await this.#deliver(message, bubble, files);
  }

  /** `sent` are the addresses of the files that have come so far: of what is tried again they are not sent twice. */
  async #deliver(message: Outgoing, bubble: HTMLElement, files: readonly File[], sent: string[] = []): Promise<void> {
    try {
      for (const file of files.slice(sent.length)) sent.push(await this.#connection.send(file));
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
        void this.#deliver(message, bubble, files, sent);
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
    this.#clearOffers();
    const said = theirs(line, this.#words);
    const aloud = line.message.speech ?? said.textContent ?? '';
    if (line.who !== 'notice') said.append(this.#answers.under(line, this.#opened?.rated[String(line.seq)]));
    if (this.#news) this.#speech.say(aloud, document.documentElement.lang);
    this.#append(said);
    this.#staffed ||= line.who === 'staff';
    if (this.#news && !this.#bubble.open) this.#bubble.unread(1);
    const { choices = [], signIn, ends } = line.message;
    if (signIn && this.#signIn.hasWays) this.#append(this.#signIn.draw(false));
    if (choices.length > 0) this.#offer(choices);
    if (ends) this.#append(this.#answers.atEnd(this.#opened?.rated['0']));
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
    const sent = this.#pending.get(line.id ?? '');
    this.#clearOffers();
    if (!sent) return this.#append(mine(line));
    this.#pending.delete(line.id ?? '');
    sent.classList.remove('unsent');
    sent.replaceChildren(...line.message.blocks.map(block));
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

  /** Questions to begin with, as long as nobody has said anything. */
  #offerStarters(): void {
    if (this.#log.querySelector('.mine')) return;
    const { starters } = saidIn(this.#parts.look, this.#opened?.language ?? 'en', this.#words);
    if (starters.length === 0) return;
    const buttons = starters.map((says) => {
      const button = el('button', { type: 'button', dir: 'auto' }, says);
      button.addEventListener('click', () => this.#compose(says, []));
      return button;
    });
    this.#append(el('div', { class: 'choices starters', role: 'group', 'aria-label': this.#words.questions }, ...buttons));
  }

  #clearOffers(): void {
    this.#log.querySelectorAll('.choices, .signin, .atend').forEach((c) => c.remove());
  }

  #append(element: HTMLElement): void {
    this.#log.append(element);
    this.#typing.keepLast(this.#log);
    this.#log.scrollTop = this.#log.scrollHeight;
  }

  /** Shows that somebody is about to say something, or in `doing` what the bot does meanwhile. */
  #setTyping(on: boolean, doing?: string, stoppable = true): void {
    if (on) this.#typing.show(doing ?? `${this.#head.name} ${this.#words.writing}`, stoppable);
    else this.#typing.hide();
  }

  #tellTyping(): void {
    const now = performance.now();
    if (!this.#staffed || now - this.#toldTyping < TYPING_EVERY_MS) return;
    this.#toldTyping = now;
    void this.#connection.typing();
  }

  #showAside(element: HTMLElement | undefined): void {
    this.#aside.hidden = element === undefined;
    this.#aside.replaceChildren(...(element ? [element] : []));
    if (element) this.#aside.querySelector<HTMLElement>('button, input')?.focus();
  }

  async #showHistory(): Promise<void> {
    const close = () => {
      this.#showAside(undefined);
      this.#composer.focus();
    };
    this.#showAside(await drawHistory(this.#connection, this.#words, document.documentElement.lang, close));
  }

  async #signOut(): Promise<void> {
    await this.#connection.signOut().catch(() => undefined);
    this.#token = null;
    this.#parts.keys.forget();
    this.#leave();
  }

  async #startOver(): Promise<void> {
    this.#head.busy = true;
    try {
      await this.#connection.startOver();
    } catch (error) {
      const told = error instanceof ChatProblem ? error.message : this.#words.unreachable;
      this.#append(el('div', { class: 'problem', role: 'alert' }, told));
    } finally {
      this.#head.busy = false;
      this.#composer.focus();
    }
  }
}
