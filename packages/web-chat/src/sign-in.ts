import type { ChatLook } from '@primrose/contract';
import { ChatProblem, type Connection } from './connection.js';
import type { Host } from './host.js';
import { el } from './render.js';
import type { Words } from './words.js';

interface SignInParts {
  readonly connection: Connection;
  readonly host: Host;
  readonly look: ChatLook | undefined;
  readonly words: () => Words;
  /** Somebody has signed in: the chat is to be opened anew as theirs. */
  readonly done: () => void;
}

/** The ways in which a visitor can show who they are, as far as this chat has any. */
export class SignInPanel {
  readonly #parts: SignInParts;
  #window: Window | null = null;

  constructor(parts: SignInParts) {
    this.#parts = parts;
    addEventListener('message', ({ origin, source, data }: MessageEvent<{ primrose?: string; grant?: string } | null>) => {
      if (origin !== location.origin || source !== this.#window || data?.primrose !== 'grant') return;
      if (typeof data.grant === 'string') void this.#run(() => parts.connection.finish(data.grant ?? ''));
    });
  }

  get hasWays(): boolean {
    const { look, host } = this.#parts;
    return look !== undefined && (look.signIn.mail || look.signIn.service !== null || (look.signIn.host && host.signsIn));
  }

  readonly #told = el('p', { class: 'told', role: 'status' });

  /** The panel. `codes` leaves out the mailbox where the talk itself asks for it. */
  draw(codes = true): HTMLElement {
    const { look, host, words } = this.#parts;
    const w = words();
    const box = el('div', { class: 'signin', role: 'group', 'aria-label': w.signIn });
    if (look?.signIn.host && host.signsIn) {
      const here = el('button', { type: 'button' }, w.signInHere);
      here.addEventListener('click', () => host.tell({ primrose: 'sign-in' }));
      box.append(here);
    }
    if (look?.signIn.service) {
      const there = el('button', { type: 'button' }, `${w.signInWith} ${look.signIn.service}`);
      there.addEventListener('click', () => this.#toService());
      box.append(there);
    }
    if (look?.signIn.mail && codes) box.append(this.#byMail());
    box.append(this.#told);
    this.#told.textContent = '';
    return box;
  }

  #byMail(): HTMLElement {
    const w = this.#parts.words();
    const input = el('input', {
      type: 'email',
      required: '',
      maxlength: '254',
      autocomplete: 'email',
      'aria-label': w.email,
      placeholder: w.email,
    });
    const form = el('form', {}, input, el('button', { type: 'submit' }, w.sendCode));
    form.addEventListener('submit', (event) => {
      event.preventDefault();
      const email = input.value.trim();
      void this.#run(() => this.#parts.connection.mailCode(email), false).then((sent) => {
        if (!sent) return;
        this.#told.textContent = `${w.codeSent} ${email}.`;
        form.replaceWith(this.#byCode());
      });
    });
    return form;
  }

  #byCode(): HTMLElement {
    const w = this.#parts.words();
    const input = el('input', {
      inputmode: 'numeric',
      required: '',
      maxlength: '12',
      autocomplete: 'one-time-code',
      'aria-label': w.code,
      placeholder: w.code,
    });
    const form = el('form', {}, input, el('button', { type: 'submit' }, w.checkCode));
    form.addEventListener('submit', (event) => {
      event.preventDefault();
      void this.#run(() => this.#parts.connection.tryCode(input.value.trim()));
    });
    setTimeout(() => input.focus());
    return form;
  }

  /** Opens the window of the identity service at once, as browsers want it, and leads it there when its address is known. */
  #toService(): void {
    this.#window = window.open('about:blank', 'primrose-sign-in', 'width=480,height=640');
    if (!this.#window) {
      this.#told.textContent = this.#parts.words().noWindow;
      return;
    }
    void this.#run(async () => {
      const address = await this.#parts.connection.serviceAddress();
      if (this.#window) this.#window.location.href = address;
    }, false).then((led) => {
      if (!led) this.#window?.close();
    });
  }

  /** Does a step of signing in, and says why where it does not come about; `last` where the visitor is signed in then. */
  async #run(step: () => Promise<void>, last = true): Promise<boolean> {
    this.#told.textContent = '';
    try {
      await step();
      if (last) this.#parts.done();
      return true;
    } catch (error) {
      this.#told.textContent = error instanceof ChatProblem ? error.message : this.#parts.words().unreachable;
      return false;
    }
  }
}
