import type { ChatLine, PageResult } from '@primrose/contract';
import { block, el } from '../render.js';
import { PageProblem, type Line } from './line.js';
import type { PageWords } from './words.js';

/** A chat about a result: it is there once something has come of the page. */
export class Chat {
  readonly element: HTMLElement;
  readonly #words: PageWords;
  readonly #line: Line;
  readonly #log = el('div', { class: 'log', role: 'log', 'aria-live': 'polite' });
  readonly #input = el('input', { id: 'ask', autocomplete: 'off', maxlength: '4000', dir: 'auto' });
  readonly #state = el('p', { class: 'state', role: 'status' });
  #id = '';
  #busy = false;

  constructor(label: string, help: string | null, words: PageWords, line: Line) {
    this.#words = words;
    this.#line = line;
    const form = el(
      'form',
      {},
      el('label', { for: 'ask' }, words.asks),
      this.#input,
      el('button', { type: 'submit' }, words.ask),
    );
    form.addEventListener('submit', (event) => {
      event.preventDefault();
      void this.#ask();
    });
    const helps = help === null ? [] : [el('p', { class: 'help' }, help)];
    this.element = el(
      'section',
      { class: 'chat', 'aria-label': label || words.ask },
      el('h2', {}, label || words.ask),
      ...helps,
      this.#log,
      this.#state,
      form,
    );
    this.element.hidden = true;
  }

  /** What it is about; hidden while nothing has come of that. */
  about(result: PageResult | undefined): void {
    const there = result?.outputs.some((o) => o.versions.length > 0) === true && result.state !== 'running';
    this.element.hidden = !there;
    if (!there || result.id === this.#id) return;
    this.#id = result.id;
    this.#log.replaceChildren();
    this.#line.said(result.id).then(
      ({ lines }) => this.#show(lines),
      () => undefined,
    );
  }

  async #ask(): Promise<void> {
    const text = this.#input.value.trim();
    if (text === '' || this.#busy) return;
    this.#busy = true;
    this.#state.textContent = this.#words.answering;
    try {
      const { lines } = await this.#line.say(this.#id, text);
      this.#input.value = '';
      this.#show(lines);
      this.#state.textContent = '';
    } catch (error) {
      this.#state.textContent = error instanceof PageProblem ? error.message : this.#words.unreachable;
    } finally {
      this.#busy = false;
      this.#input.focus();
    }
  }

  #show(lines: readonly ChatLine[]): void {
    const w = this.#words;
    const who = { visitor: w.you, bot: w.bot, notice: w.bot, staff: w.person } as const;
    const drawn = lines.map((line) =>
      el(
        'div',
        { class: `said ${line.who}`, dir: 'auto' },
        el('small', {}, line.by ?? who[line.who]),
        ...line.message.blocks.map(block),
        ...citesOf(line),
      ),
    );
    this.#log.replaceChildren(...drawn);
    this.#log.scrollTop = this.#log.scrollHeight;
  }
}

function citesOf({ message: { cites = [] } }: ChatLine): HTMLElement[] {
  return cites.map((c) =>
    el(
      'details',
      {},
      el('summary', {}, `[${c.number}] ${c.title}${c.heading === '' ? '' : ` › ${c.heading}`}`),
      el('p', {}, c.quote),
    ),
  );
}
