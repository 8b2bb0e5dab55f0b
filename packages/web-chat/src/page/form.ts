import type { ShownPage } from '@primrose/contract';
import { el } from '../render.js';
import type { Line, Values } from './line.js';
import { PageProblem } from './line.js';
import { filled, type PageWords } from './words.js';

export type ShownInput = Extract<ShownPage['parts'][number], { input: string }>;

/** One input: what it holds, and what is wrong in it. */
interface Field {
  readonly element: HTMLElement;
  readonly read: () => unknown;
  readonly write: (value: unknown) => void;
  readonly blame: (detail: string) => void;
  readonly focus: () => void;
}

/** The inputs of a page. */
export class Form {
  readonly #fields = new Map<string, Field>();
  readonly #words: PageWords;
  readonly #line: Line;
  readonly #changed: () => void;
  #sending = 0;

  constructor(line: Line, words: PageWords, changed: () => void) {
    this.#line = line;
    this.#words = words;
    this.#changed = changed;
  }

  /** The element of an input, made once. */
  add(part: ShownInput): HTMLElement {
    const field = this.#make(part);
    this.#fields.set(part.input, field);
    if (part.first !== null) field.write(part.first);
    return field.element;
  }

  get sending(): boolean {
    return this.#sending > 0;
  }

  values(): Values {
    const values: Values = {};
    for (const [name, field] of this.#fields) {
      const value = field.read();
      if (value !== undefined && value !== '' && !(Array.isArray(value) && value.length === 0)) values[name] = value;
    }
    return values;
  }

  write(values: Values): void {
    for (const [name, field] of this.#fields) field.write(values[name]);
  }

  /** Says what is wrong where it is, and goes to the first of it. */
  blame(problem: PageProblem): void {
    this.#fields.forEach((f) => f.blame(''));
    let first: Field | undefined;
    for (const { pointer, detail } of problem.errors) {
      const field = this.#fields.get(pointer.replace('/inputs/', ''));
      field?.blame(detail);
      first ??= field;
    }
    first?.focus();
  }

  #make(part: ShownInput): Field {
    const id = `in-${part.input}`;
    const help = part.help === null ? [] : [el('p', { class: 'help', id: `${id}-help` }, part.help)];
    const wrong = el('p', { class: 'wrong', id: `${id}-wrong`, role: 'alert' });
    const described = `${part.help === null ? '' : `${id}-help `}${id}-wrong`;
    const needed = part.needed ? el('small', {}, this.#words.needed) : '';
    const one = (control: HTMLElement, ...more: HTMLElement[]) =>
      el('div', { class: 'field' }, el('label', { for: id }, part.label, ' ', needed), ...help, control, ...more, wrong);
    const group = (...controls: HTMLElement[]) =>
      el(
        'fieldset',
        { class: 'field', 'aria-describedby': described },
        el('legend', {}, part.label, ' ', needed),
        ...help,
        ...controls,
        wrong,
      );
    const blame = (controls: readonly HTMLElement[]) => (detail: string) => {
      wrong.textContent = detail === '' ? '' : `${part.label} ${detail}.`;
      controls.forEach((c) => c.setAttribute('aria-invalid', String(detail !== '')));
    };
    const common = { id, 'aria-describedby': described, ...(part.needed ? { required: '' } : {}) };
    if (part.as === 'choices') return this.#choices(part, id, group, blame);
    if (part.as === 'yes-no') return this.#yesNo(id, group, blame);
    if (part.as === 'file' || part.as === 'picture') return this.#file(part, common, one, blame);
    const control =
      part.as === 'choice'
        ? el(
            'select',
            common,
            el('option', { value: '' }, this.#words.choose),
            ...part.of.map((o) => el('option', { value: o.value }, o.says)),
          )
        : part.as === 'long-text'
          ? el('textarea', { ...common, rows: '6', dir: 'auto' })
          : el('input', {
              ...common,
              type: part.as === 'date' ? 'date' : 'text',
              dir: 'auto',
              ...(part.as === 'number' ? { inputmode: 'decimal' } : {}),
            });
    control.addEventListener('input', this.#changed);
    return {
      element: one(control),
      read: () => control.value.trim(),
      write: (value) => void (control.value = typeof value === 'string' || typeof value === 'number' ? String(value) : ''),
      blame: blame([control]),
      focus: () => control.focus(),
    };
  }

  #choices(
    { of }: ShownInput,
    id: string,
    group: (...controls: HTMLElement[]) => HTMLElement,
    blame: (controls: readonly HTMLElement[]) => (detail: string) => void,
  ): Field {
    const boxes = of.map((o, i) => {
      const box = el('input', { type: 'checkbox', id: `${id}-${i}`, value: o.value });
      box.addEventListener('change', this.#changed);
      return { box, label: el('label', { for: `${id}-${i}` }, box, ' ', o.says) };
    });
    return {
      element: group(...boxes.map((b) => b.label)),
      read: () => boxes.filter((b) => b.box.checked).map((b) => b.box.value),
      write: (value) => boxes.forEach((b) => void (b.box.checked = Array.isArray(value) && value.includes(b.box.value))),
      blame: blame(boxes.map((b) => b.box)),
      focus: () => boxes[0]?.box.focus(),
    };
  }

  #yesNo(
    id: string,
    group: (...controls: HTMLElement[]) => HTMLElement,
    blame: (controls: readonly HTMLElement[]) => (detail: string) => void,
  ): Field {
    const both = ([true, false] as const).map((value) => {
      const radio = el('input', { type: 'radio', name: id, id: `${id}-${value}` });
      radio.addEventListener('change', this.#changed);
      return {
        value,
        radio,
        label: el('label', { for: `${id}-${value}` }, radio, ' ', value ? this.#words.yes : this.#words.no),
      };
    });
    return {
      element: group(...both.map((b) => b.label)),
      read: () => both.find((b) => b.radio.checked)?.value,
      write: (value) => both.forEach((b) => void (b.radio.checked = value === b.value)),
      blame: blame(both.map((b) => b.radio)),
      focus: () => both[0]?.radio.focus(),
    };
  }

  #file(
    part: ShownInput,
    common: Record<string, string>,
    one: (control: HTMLElement, ...more: HTMLElement[]) => HTMLElement,
    blame: (controls: readonly HTMLElement[]) => (detail: string) => void,
  ): Field {
    const accept = part.as === 'picture' ? 'image/*' : '.txt,.md,.log,.csv,.json,.pdf,.docx,.xlsx,.epub';
    const { required: _required, ...rest } = common;
    const control = el('input', { ...rest, type: 'file', accept });
    const told = el('p', { class: 'help', role: 'status' });
    let sent: Values | undefined;
    let turn = 0;
    const tell = blame([control]);
    control.addEventListener('change', () => {
      const [file] = control.files ?? [];
      const mine = ++turn;
      sent = undefined;
      tell('');
      told.textContent = file ? this.#words.sending : '';
      this.#changed();
      if (!file) return;
      this.#sending++;
      this.#line
        .send(file)
        .then(
          (value) => {
            if (mine !== turn) return;
            sent = value;
            told.textContent = `${file.name}: ${this.#words.sent}`;
          },
          (error: unknown) => {
            if (mine !== turn) return;
            told.textContent = '';
            wrongly(error instanceof PageProblem ? error.message : this.#words.unreachable);
          },
        )
        .finally(() => {
          this.#sending--;
          this.#changed();
        });
    });
    const element = one(control, told);
    const wrongly = (message: string): void => {
      const wrong = element.querySelector('.wrong');
      if (wrong) wrong.textContent = message;
      control.setAttribute('aria-invalid', 'true');
    };
    return {
      element,
      read: () => sent,
      write: (value) => {
        sent = value !== null && typeof value === 'object' ? (value as Values) : undefined;
        control.value = '';
        told.textContent = sent === undefined ? '' : filled('{}', String(sent['name']));
      },
      blame: tell,
      focus: () => control.focus(),
    };
  }
}
