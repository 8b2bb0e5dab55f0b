import type { PageOutput, PageOutputVersion, ShownPage } from '@primrose/contract';
import { block, el, FLOWER, icon } from '../render.js';
import { filled, type PageWords } from './words.js';

export type ShownOutput = Extract<ShownPage['parts'][number], { output: string }>;
const FORMS = ['txt', 'md', 'docx', 'xlsx', 'csv', 'pdf'] as const;

/** What can be done with an output; nothing of it for a result that is kept. */
export interface OutputActs {
  readonly make?: (output: string) => Promise<void>;
  readonly download: (query: string) => Promise<void>;
}

/** A version as it is drawn. */
export function shown({ shown: value }: PageOutputVersion, words: PageWords): Node[] {
  const left = (n: number) => (n > 0 ? [el('p', { class: 'help' }, filled(words.left, n))] : []);
  switch (value.as) {
    case 'text':
      return value.blocks.map(block);
    case 'table': {
      const head = value.columns.every((c) => c === '')
        ? []
        : [el('thead', {}, el('tr', {}, ...value.columns.map((c) => el('th', { scope: 'col' }, c))))];
      const rows = value.rows.map((r) => el('tr', {}, ...r.map((c) => el('td', { dir: 'auto' }, c))));
      const table = el('table', {}, ...head, el('tbody', {}, ...rows));
      return [
        el('div', { class: 'wide-table', tabindex: '0', role: 'region', 'aria-label': value.columns.join(', ') || '…' }, table),
        ...left(value.left),
      ];
    }
    case 'list':
      return [el('ul', {}, ...value.items.map((i) => el('li', { dir: 'auto' }, i))), ...left(value.left)];
    case 'fields':
      return [el('dl', {}, ...value.fields.flatMap((f) => [el('dt', {}, f.name), el('dd', { dir: 'auto' }, f.value)]))];
    case 'picture':
      return [el('img', { src: value.address, alt: value.alt, referrerpolicy: 'no-referrer' })];
    case 'file':
      return [el('p', {}, el('a', { href: value.address, rel: 'noopener', target: '_blank' }, value.name))];
  }
}

function sourcesOf({ sources }: PageOutputVersion, words: PageWords): HTMLElement[] {
  if (sources.length === 0) return [];
  const each = sources.map((s) => {
    const page = s.page === null ? '' : `, ${words.page} ${s.page}`;
    const title = `[${s.number}] ${s.title}${s.heading === '' ? '' : ` › ${s.heading}`}${page}`;
    const open =
      s.address === null ? [] : [el('a', { href: s.address, target: '_blank', rel: 'noopener noreferrer' }, words.open)];
    return el('details', {}, el('summary', {}, title), el('p', { dir: 'auto' }, s.quote), ...open);
  });
  return [el('div', { class: 'sources', role: 'group', 'aria-label': words.sources }, ...each)];
}

/** The words of a version, to be copied. */
function plainWords(version: PageOutputVersion): string {
  const { shown: value, value: whole } = version;
  if (value.as === 'table') return [value.columns, ...value.rows].map((r) => r.join('\t')).join('\n');
  if (value.as === 'list') return value.items.map((i) => `- ${i}`).join('\n');
  if (value.as === 'fields') return value.fields.map((f) => `${f.name}: ${f.value}`).join('\n');
  return typeof whole === 'string' ? whole : JSON.stringify(whole, null, 2);
}

/** One output of a page, drawn anew whenever something of it has changed. */
export class Output {
  readonly element = el('section', { class: 'output' });
  readonly #part: ShownOutput;
  readonly #words: PageWords;
  readonly #labels: ReadonlyMap<string, string>;
  readonly #acts: OutputActs;
  readonly #body = el('div', { class: 'body' });
  readonly #state = el('p', { class: 'state', role: 'status' });
  readonly #tools = el('div', { class: 'tools' });
  #now: PageOutput | undefined;
  #drawn = '';
  #at = 0;
  #beside = false;

  constructor(part: ShownOutput, words: PageWords, labels: ReadonlyMap<string, string>, acts: OutputActs) {
    this.#part = part;
    this.#words = words;
    this.#labels = labels;
    this.#acts = acts;
    const id = `out-${part.output}`;
    this.element.setAttribute('aria-labelledby', id);
    const help = part.help === null ? [] : [el('p', { class: 'help' }, part.help)];
    this.element.append(el('h2', { id }, part.label), ...help, this.#state, this.#body, this.#tools);
    this.element.hidden = true;
  }

  /** Shows an output as it is; undefined where nothing was filled in yet. */
  show(now: PageOutput | undefined): void {
    const text = JSON.stringify(now ?? null);
    if (text === this.#drawn) return;
    const count = (of: PageOutput | undefined) => of?.versions.length ?? 0;
    if (count(now) !== count(this.#now)) this.#at = Math.max(0, count(now) - 1);
    this.#drawn = text;
    this.#now = now;
    this.#draw();
  }

  #draw(): void {
    const now = this.#now;
    const { hides, output } = this.#part;
    const empty = (now?.versions.length ?? 0) === 0;
    this.element.hidden = now === undefined || (hides && empty && now.state !== 'failed');
    this.element.dataset['state'] = now?.state ?? 'empty';
    this.#state.replaceChildren(...this.#stateWords(now));
    const versions = now?.versions ?? [];
    const version = versions[this.#at];
    if (now?.writing && now.state === 'making')
      this.#body.replaceChildren(el('p', { class: 'provisional', dir: 'auto' }, now.writing));
    else if (this.#beside && versions.length > 1) {
      const two = versions.slice(Math.max(0, this.#at - 1), Math.max(2, this.#at + 1));
      const first = versions.indexOf(two[0] as PageOutputVersion);
      const column = (v: PageOutputVersion, i: number) =>
        el(
          'div',
          { class: 'one', dir: 'auto' },
          el('h3', {}, filled(this.#words.version, first + i + 1, versions.length)),
          ...shown(v, this.#words),
          ...sourcesOf(v, this.#words),
        );
      this.#body.replaceChildren(el('div', { class: 'two' }, ...two.map(column)));
    } else if (version)
      this.#body.replaceChildren(el('div', { dir: 'auto' }, ...shown(version, this.#words)), ...sourcesOf(version, this.#words));
    else this.#body.replaceChildren();
    this.#tools.replaceChildren(...this.#toolsOf(now, version, output));
  }

  #stateWords(now: PageOutput | undefined): (Node | string)[] {
    const w = this.#words;
    switch (now?.state) {
      case 'waiting':
        return [w.waiting];
      case 'making':
        return [el('span', { class: 'working' }, ...[0, 1, 2].map(() => icon(11, FLOWER, 25)), w.making)];
      case 'stale':
        return [filled(w.stale, now.staleBy.map((o) => this.#labels.get(o) ?? o).join(', '))];
      case 'failed':
        return [el('b', {}, `${w.failed}: `), now.reason ?? ''];
      case 'none':
        return [w.nothing];
      default:
        return [];
    }
  }

  #toolsOf(now: PageOutput | undefined, version: PageOutputVersion | undefined, output: string): Node[] {
    const w = this.#words;
    const tools: Node[] = [];
    const { make } = this.#acts;
    if (make && now && ['ready', 'stale', 'failed', 'none'].includes(now.state))
      tools.push(button(w.anew, `${w.anew}: ${this.#part.label}`, () => make(output)));
    if (!version || !now) return tools;
    if (version.shown.as !== 'picture' && version.shown.as !== 'file')
      tools.push(
        button(w.copy, `${w.copy}: ${this.#part.label}`, async (self) => {
          await navigator.clipboard.writeText(plainWords(version));
          self.textContent = w.copied;
        }),
      );
    tools.push(
      downloads(w.download, `${w.download}: ${this.#part.label}`, (as) =>
        this.#acts.download(`as=${as}&output=${output}${version.run === '' ? '' : `&run=${version.run}`}`),
      ),
    );
    if (now.versions.length > 1) tools.push(...this.#between(now.versions.length));
    return tools;
  }

  #between(count: number): Node[] {
    const w = this.#words;
    const go = (by: number) => () => {
      this.#at = Math.max(0, Math.min(count - 1, this.#at + by));
      this.#draw();
    };
    const back = button('‹', `${w.before}: ${this.#part.label}`, go(-1));
    const on = button('›', `${w.after}: ${this.#part.label}`, go(1));
    back.disabled = this.#at === 0;
    on.disabled = this.#at === count - 1;
    const beside = button(this.#beside ? w.alone : w.beside, `${this.#beside ? w.alone : w.beside}: ${this.#part.label}`, () => {
      this.#beside = !this.#beside;
      this.#draw();
    });
    return [el('span', { class: 'versions' }, back, filled(w.version, this.#at + 1, count), on), beside];
  }
}

export function button(text: string, label: string, press: (self: HTMLButtonElement) => void | Promise<void>): HTMLButtonElement {
  const made = el('button', { type: 'button', 'aria-label': label }, text);
  made.addEventListener('click', () => void Promise.resolve(press(made)).catch((error: unknown) => tellTrouble(made, error)));
  return made;
}

function tellTrouble(beside: HTMLElement, error: unknown): void {
  beside.parentElement?.querySelectorAll('.trouble').forEach((t) => t.remove());
  beside.after(el('span', { class: 'trouble', role: 'alert' }, error instanceof Error ? error.message : String(error)));
}

/** A choice of forms; choosing one fetches it. */
export function downloads(text: string, label: string, fetchAs: (as: string) => Promise<void>): HTMLElement {
  const select = el(
    'select',
    { 'aria-label': label },
    el('option', { value: '' }, text),
    ...FORMS.map((f) => el('option', { value: f }, f.toUpperCase())),
  );
  select.addEventListener('change', () => {
    const as = select.value;
    select.value = '';
    if (as !== '') fetchAs(as).catch((error: unknown) => tellTrouble(select, error));
  });
  return select;
}
