import '@fontsource-variable/instrument-sans';
import '@fontsource-variable/newsreader/opsz.css';
import type { PageResult, ShownPage } from '@primrose/contract';
import { block, el } from '../render.js';
import { Chat } from './chat.js';
import { Form } from './form.js';
import { keepFile, listGallery, openFrozen, PageProblem, TryLine, VisitorLine, type Line, type Values } from './line.js';
import { button, downloads, Output } from './outputs.js';
import './page.css';
import { filled, wordsIn, type PageWords } from './words.js';

const root = document.querySelector<HTMLElement>('#page') ?? document.body;
const [place = '', link, bot, tried] = location.pathname.split('/').filter(Boolean);

function paint({ colours, title, language }: Pick<ShownPage, 'colours' | 'title' | 'language'>): void {
  document.title = title;
  document.documentElement.lang = language;
  const set = (name: string, value: string | null) => value !== null && document.documentElement.style.setProperty(name, value);
  set('--accent', colours.accent);
  set('--on-accent', colours.onAccent);
  set('--paper', colours.ground);
  set('--ink', colours.ink);
  if (colours.ground !== null) document.documentElement.dataset['own'] = colours.ink === '#fffefa' ? 'dark' : 'light';
}

function head(page: ShownPage): HTMLElement {
  const logo = page.logo === null ? [] : [el('img', { class: 'logo', src: page.logo, alt: '' })];
  return el(
    'header',
    {},
    ...logo,
    el('div', {}, el('h1', {}, page.title), ...(page.about === null ? [] : [el('p', {}, page.about)])),
  );
}

function trouble(message: string, words: PageWords, again: () => void): HTMLElement {
  return el('div', { class: 'problem', role: 'alert' }, el('b', {}, message), ' ', button(words.again, words.again, again));
}

const placed = (element: HTMLElement, wide: number): HTMLElement => {
  element.style.setProperty('--wide', String(wide));
  element.classList.add('part');
  return element;
};

/** A shared page: its form, what comes of it, what was before. */
class SharedPage {
  readonly #line: Line;
  readonly #page: ShownPage;
  readonly #words: PageWords;
  readonly #outputs = new Map<string, Output>();
  readonly #note = el('p', { class: 'note', role: 'status' });
  readonly #earlier = el('nav', { class: 'earlier' });
  readonly #whole = el('div', { class: 'tools whole' });
  #chat: Chat | undefined;
  #form: Form | undefined;
  #result: PageResult | undefined;
  #filled = '';
  #follow = new AbortController();

  constructor(line: Line, page: ShownPage) {
    this.#line = line;
    this.#page = page;
    this.#words = wordsIn(page.language);
  }

  mount(): void {
    const form = new Form(this.#line, this.#words, () => this.#changed());
    this.#form = form;
    const labels = new Map(this.#page.parts.flatMap((p) => ('output' in p ? [[p.output, p.label] as const] : [])));
    const above: HTMLElement[] = [];
    const below: HTMLElement[] = [];
    let seen = false;
    for (const part of this.#page.parts) {
      if ('output' in part || 'chat' in part) seen = true;
      const into = 'input' in part || !seen ? above : below;
      into.push(placed(this.#element(part, form, labels), part.wide));
    }
    const go = el('button', { type: 'submit', class: 'go' }, this.#page.button);
    const examples = this.#page.examples.map((e) =>
      button(e.title, `${this.#words.examples}: ${e.title}`, () => this.#takeOver(e.inputs)),
    );
    const tried = examples.length === 0 ? [] : [el('span', { class: 'examples' }, `${this.#words.examples}: `, ...examples)];
    const filledIn = el(
      'form',
      { class: 'grid', novalidate: '' },
      ...above,
      placed(el('div', { class: 'send' }, go, ...tried), 12),
    );
    filledIn.addEventListener('submit', (event) => {
      event.preventDefault();
      void this.#send(go);
    });
    root.replaceChildren(
      head(this.#page),
      filledIn,
      this.#note,
      this.#whole,
      el('div', { class: 'grid' }, ...below),
      this.#earlier,
    );
    void this.#begin();
  }

  #element(part: ShownPage['parts'][number], form: Form, labels: ReadonlyMap<string, string>): HTMLElement {
    if ('input' in part) return form.add(part);
    if ('output' in part) {
      const output = new Output(part, this.#words, labels, {
        make: (name) => this.#make(name),
        download: (query) => this.#line.download(this.#result?.id ?? '', query),
      });
      this.#outputs.set(part.output, output);
      return output.element;
    }
    if ('chat' in part) {
      this.#chat = new Chat(part.label, part.help, this.#words, this.#line);
      return this.#chat.element;
    }
    if ('picture' in part) return el('div', {}, el('img', { src: part.picture, alt: part.alt }));
    return el('div', { class: 'words', dir: 'auto' }, ...part.blocks.map(block));
  }

  async #begin(): Promise<void> {
    const own = location.hash.slice(1);
    await this.#listEarlier();
    if (own === '') return;
    try {
      const result = await this.#line.result(own);
      this.#form?.write(result.inputs);
      this.#take(result);
    } catch {
      history.replaceState(null, '', location.pathname);
    }
  }

  #takeOver(inputs: Values): void {
    this.#form?.write(inputs);
    this.#changed();
  }

  /** Says so where what was filled in is another than that of the result. */
  #changed(): void {
    const now = JSON.stringify(this.#form?.values());
    this.#note.textContent = this.#result && now !== this.#filled ? this.#words.changed : this.#waits();
  }

  #waits(): string {
    const place = this.#result?.place ?? 0;
    return place > 0 ? filled(this.#words.place, place) : '';
  }

  async #send(go: HTMLButtonElement): Promise<void> {
    const form = this.#form;
    if (!form || go.disabled) return;
    if (form.sending) {
      this.#note.textContent = this.#words.sending;
      return;
    }
    const values = form.values();
    go.disabled = true;
    try {
      const result = await this.#line.fill(values, crypto.randomUUID());
      form.blame(new PageProblem(0, {}));
      this.#take(result);
      history.replaceState(null, '', `#${result.id}`);
      await this.#listEarlier();
    } catch (error) {
      if (error instanceof PageProblem && error.errors.length > 0) {
        form.blame(error);
        this.#note.textContent = '';
      } else {
        const message = error instanceof PageProblem ? error.message : this.#words.unreachable;
        this.#note.replaceChildren(trouble(message, this.#words, () => void this.#send(go)));
      }
    } finally {
      go.disabled = false;
    }
  }

  /** Takes a result up: shows it, and follows it while something of it is being made. */
  #take(result: PageResult): void {
    this.#follow.abort();
    this.#follow = new AbortController();
    this.#filled = JSON.stringify(this.#form?.values());
    this.#show(result);
    this.#chat?.about(result);
    const open = result.state === 'waiting' || result.state === 'running';
    if (open)
      void this.#line.follow(result.id, (r) => this.#show(r), this.#follow.signal).then(() => this.#chat?.about(this.#result));
  }

  #show(result: PageResult): void {
    this.#result = result;
    for (const now of result.outputs) this.#outputs.get(now.output)?.show(now);
    this.#changed();
    this.#whole.replaceChildren(...(result.outputs.some((o) => o.versions.length > 0) ? this.#wholeTools(result.id) : []));
  }

  async #make(output: string): Promise<void> {
    if (this.#result) this.#take(await this.#line.make(this.#result.id, output));
  }

  #wholeTools(id: string): Node[] {
    if (this.#whole.childElementCount > 0 && this.#whole.dataset['of'] === id) return [...this.#whole.childNodes];
    this.#whole.dataset['of'] = id;
    const w = this.#words;
    const inputs = el('input', { type: 'checkbox', id: 'with-inputs' });
    const keep = button(w.keep, w.keep, async () => {
      const { link: kept } = await this.#line.freeze(id, inputs.checked);
      told.replaceChildren(w.kept, ' ', el('a', { href: kept }, kept));
    });
    const told = el('span', { class: 'kept', role: 'status' });
    return [
      downloads(w.all, w.all, (as) => this.#line.download(id, `as=${as}`)),
      keep,
      el('label', { for: 'with-inputs' }, inputs, ' ', w.withInputs),
      told,
    ];
  }

  async #listEarlier(): Promise<void> {
    const results = await this.#line.results().catch(() => []);
    if (results.length === 0) return;
    const links = results.map((r) => {
      const at = new Date(r.at).toLocaleString(this.#page.language, { dateStyle: 'medium', timeStyle: 'short' });
      const anchor = el('a', { href: `#${r.id}` }, at);
      anchor.addEventListener('click', () => {
        this.#form?.write(r.inputs);
        this.#take(r);
      });
      return el('li', {}, anchor);
    });
    this.#earlier.setAttribute('aria-label', this.#words.earlier);
    this.#earlier.replaceChildren(el('h2', {}, this.#words.earlier), el('ul', {}, ...links));
  }
}

/** The door of a page: opens at once, asks for a password, or says who may come in. */
async function enter(line: VisitorLine): Promise<void> {
  const words = wordsIn(navigator.language);
  try {
    const { title, needs, language } = await line.open();
    document.title = title;
    document.documentElement.lang = language;
    const opened = await line.enter().catch((error: unknown) => {
      if (error instanceof PageProblem && error.status === 401 && needs === 'password') return undefined;
      if (error instanceof PageProblem && error.status === 401) throw new PageProblem(401, { detail: wordsIn(language).signIn });
      throw error;
    });
    const page = opened ?? (await askPassword(line, title, wordsIn(language)));
    paint(page);
    new SharedPage(line, page).mount();
  } catch (error) {
    const message = error instanceof PageProblem ? error.message : words.unreachable;
    root.replaceChildren(trouble(message, words, () => void enter(line)));
  }
}

function askPassword(line: VisitorLine, title: string, words: PageWords): Promise<ShownPage> {
  return new Promise((resolve) => {
    const input = el('input', { type: 'password', id: 'password', autocomplete: 'current-password', required: '' });
    const wrong = el('p', { class: 'wrong', role: 'alert' });
    const form = el(
      'form',
      { class: 'door' },
      el('h1', {}, title),
      el('label', { for: 'password' }, words.password),
      input,
      wrong,
      el('button', { class: 'go', type: 'submit' }, words.enter),
    );
    form.addEventListener('submit', (event) => {
      event.preventDefault();
      line.enter(input.value).then(resolve, (error: unknown) => {
        wrong.textContent = error instanceof PageProblem ? error.message : words.unreachable;
        input.select();
      });
    });
    root.replaceChildren(form);
    input.focus();
  });
}

async function showFrozen(kept: string): Promise<void> {
  const words = wordsIn(navigator.language);
  try {
    const { page, at, outputs, inputs } = await openFrozen(kept);
    paint(page);
    const own = wordsIn(page.language);
    const labels = new Map(page.parts.flatMap((p) => ('output' in p ? [[p.output, p.label] as const] : [])));
    const download = (query: string) =>
      keepFile(`/api/results/${encodeURIComponent(kept)}/file?${query.replace(/&run=[^&]*/, '')}`);
    const filledIn = inputs === null ? [] : [told(page, inputs, own)];
    const parts = page.parts.flatMap((part): HTMLElement[] => {
      if ('output' in part) {
        const output = new Output(part, own, labels, { download });
        output.show(outputs.find((o) => o.output === part.output));
        return [placed(output.element, part.wide)];
      }
      if ('blocks' in part) return [placed(el('div', { class: 'words' }, ...part.blocks.map(block)), part.wide)];
      return 'picture' in part ? [placed(el('div', {}, el('img', { src: part.picture, alt: part.alt })), part.wide)] : [];
    });
    const when = new Date(at).toLocaleString(page.language, { dateStyle: 'long', timeStyle: 'short' });
    const tools = el(
      'div',
      { class: 'tools whole' },
      downloads(own.all, own.all, (as) => download(`as=${as}`)),
    );
    root.replaceChildren(
      head(page),
      el('p', { class: 'note' }, filled(own.frozen, when)),
      ...filledIn,
      tools,
      el('div', { class: 'grid' }, ...parts),
    );
  } catch (error) {
    const message = error instanceof PageProblem ? error.message : words.unreachable;
    root.replaceChildren(trouble(message, words, () => void showFrozen(kept)));
  }
}

function told(page: ShownPage, inputs: Values, words: PageWords): HTMLElement {
  const rows = page.parts.flatMap((p) => {
    if (!('input' in p) || inputs[p.input] === undefined) return [];
    const value = inputs[p.input];
    const one = (v: unknown): string => {
      if (v !== null && typeof v === 'object' && 'name' in v) return String((v as { name: string }).name);
      return p.of.find((o) => o.value === v)?.says ?? (v === true ? words.yes : v === false ? words.no : String(v));
    };
    return [el('dt', {}, p.label), el('dd', { dir: 'auto' }, Array.isArray(value) ? value.map(one).join(', ') : one(value))];
  });
  return el('section', { class: 'told', 'aria-label': words.filledIn }, el('dl', {}, ...rows));
}

async function showGallery(): Promise<void> {
  const words = wordsIn(navigator.language);
  document.title = words.gallery;
  try {
    // A link such as /pages?category=Boats is one page of several bots.
    const only = new URLSearchParams(location.search).get('category');
    const items = (await listGallery()).filter((i) => only === null || (i.category ?? '') === only);
    const categories = [...new Set(items.map((i) => i.category ?? words.other))];
    const sections = categories.map((category) =>
      el(
        'section',
        {},
        el('h2', {}, category),
        el(
          'ul',
          { class: 'gallery' },
          ...items
            .filter((i) => (i.category ?? words.other) === category)
            .map((i) => el('li', {}, el('a', { href: i.address }, i.title), ...(i.about === null ? [] : [el('p', {}, i.about)]))),
        ),
      ),
    );
    const empty = items.length === 0 ? [el('p', {}, words.galleryEmpty)] : [];
    root.replaceChildren(
      el('header', {}, el('div', {}, el('h1', {}, words.gallery), el('p', {}, words.galleryAbout))),
      ...empty,
      ...sections,
    );
  } catch (error) {
    const message = error instanceof PageProblem ? error.message : words.unreachable;
    root.replaceChildren(trouble(message, words, () => void showGallery()));
  }
}

/** A page of a draft, for whoever makes it. */
async function tryOut(line: TryLine): Promise<void> {
  const words = wordsIn(navigator.language);
  try {
    const page = await line.enter();
    paint(page);
    new SharedPage(line, page).mount();
  } catch (error) {
    root.replaceChildren(
      trouble(error instanceof PageProblem ? error.message : words.unreachable, words, () => void tryOut(line)),
    );
  }
}

if (place === 'results' && link !== undefined) void showFrozen(link);
else if (link === undefined) void showGallery();
else if (link === 'try' && bot !== undefined && tried !== undefined) void tryOut(new TryLine(bot, tried));
else void enter(new VisitorLine(link));
