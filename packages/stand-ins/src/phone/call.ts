import { children, readVoiceXml, textIn, type Element } from './voicexml.js';

/** What is done with a call: words are said, a key is pressed, nothing is said, or it is ended. */
export type Done =
  | {
      readonly as: 'says';
      readonly words: string;
      /** How many prompts were heard before somebody spoke; all where it is left out. */ readonly after?: number;
    }
  | { readonly as: 'presses'; readonly key: string }
  | { readonly as: 'silence' }
  | { readonly as: 'mumbles' }
  | { readonly as: 'hangs-up' };

/** How a call stands. */
export interface CallState {
  readonly heard: readonly string[];
  readonly over: boolean;
  /** Where it was handed on to. */
  readonly transferred: string | null;
  /** How long silence is listened to, in seconds. */
  readonly silence: number;
}

type Vars = Record<string, string>;

/** Times that one document leads on to the next by itself. */
const MOST_STEPS = 60;

/** A small interpreter of VoiceXML 2.1: it runs what a bot's documents tell a voice platform, in letters instead of sounds. */
export class Call {
  readonly #heard: string[] = [];
  readonly #fetch: typeof fetch;
  #document: Element | undefined;
  #base: string;
  #vars: Vars = {};
  #prompts: { readonly text: string; readonly mark: string }[] = [];
  #over = false;
  #transferred: string | null = null;
  #silence = 5;

  constructor(address: string, fetcher: typeof fetch = fetch) {
    this.#base = address;
    this.#fetch = fetcher;
  }

  get state(): CallState {
    return { heard: this.#heard, over: this.#over, transferred: this.#transferred, silence: this.#silence };
  }

  async begin(): Promise<void> {
    await this.#load(await this.#fetch(this.#base));
  }

  async does(done: Done): Promise<void> {
    if (this.#over) throw new Error('the call is over');
    if (done.as === 'hangs-up') {
      const caught = this.#root.flatMap((r) => children(r, 'catch')).find((c) => c.attrs['event'] === 'connection.disconnect');
      this.#over = true;
      if (caught) await this.#run(caught, {});
      this.#over = true;
      return;
    }
    const field = this.#field;
    if (!field) throw new Error('nothing is listened to just now');
    if (done.as === 'silence') return this.#runIn(field, 'noinput', {});
    if (done.as === 'mumbles') return this.#runIn(field, 'nomatch', {});
    const last = done.as === 'says' ? this.#prompts[(done.after ?? this.#prompts.length) - 1] : this.#prompts.at(-1);
    const mode = done.as === 'says' ? 'voice' : 'dtmf';
    const said = done.as === 'says' ? done.words : this.#keyed(field, done.key);
    if (said === undefined) return this.#runIn(field, 'nomatch', {});
    await this.#runIn(field, 'filled', {
      said,
      'application.lastresult$.markname': last?.mark ?? '',
      'application.lastresult$.inputmode': mode,
    });
  }

  get #root(): Element[] {
    return this.#document ? [this.#document] : [];
  }

  get #form(): Element | undefined {
    return this.#root.flatMap((r) => children(r, 'form'))[0];
  }

  get #field(): Element | undefined {
    return this.#form && children(this.#form, 'field')[0];
  }

  /** A key that a grammar of the field takes. */
  #keyed(field: Element, key: string): string | undefined {
    const grammar = children(field, 'grammar').find((g) => g.attrs['mode'] === 'dtmf');
    const items = grammar
      ? children(grammar, 'rule')
          .flatMap((r) => children(r, 'one-of'))
          .flatMap((o) => children(o, 'item'))
      : [];
    return items.some((i) => textIn(i).trim() === key) ? key : undefined;
  }

  async #load(response: Response): Promise<void> {
    const source = await response.text();
    if (!response.ok) throw new Error(`the service answered with status ${response.status}: ${source.slice(0, 300)}`);
    this.#document = readVoiceXml(source);
    this.#base = response.url;
    this.#vars = Object.fromEntries(
      this.#root.flatMap((r) => children(r, 'var')).map((v) => [v.attrs['name'] ?? '', valueOf(v.attrs['expr'] ?? '', {})]),
    );
    this.#prompts = [];
    for (let step = 0; step < MOST_STEPS; step++) {
      const block = this.#form && children(this.#form, 'block')[0];
      const transfer = this.#form && children(this.#form, 'transfer')[0];
      if (block) this.#play(block);
      if (transfer) {
        this.#transferred = transfer.attrs['dest'] ?? '';
        this.#over = true;
        return;
      }
      if (block) return this.#run(block, {});
      if (!this.#field) throw new Error('the document neither listens nor goes on');
      const timeout = children(this.#field, 'property').find((p) => p.attrs['name'] === 'timeout');
      this.#silence = Number.parseFloat(timeout?.attrs['value'] ?? '5');
      this.#play(this.#field);
      return;
    }
  }

  #play(of: Element): void {
    for (const prompt of children(of, 'prompt')) {
      const text = textIn(prompt).trim();
      this.#prompts.push({ text, mark: children(prompt, 'mark').at(-1)?.attrs['name'] ?? '' });
      this.#heard.push(text);
    }
  }

  async #runIn(field: Element, name: string, values: Vars): Promise<void> {
    const found = children(field, name)[0];
    if (!found) throw new Error(`the field has no <${name}>`);
    await this.#run(found, values);
  }

  /** Runs what can be done: variables, submitting, hanging up. */
  async #run(content: Element, values: Vars): Promise<void> {
    const vars = { ...this.#vars, ...values };
    for (const element of children(content)) {
      if (element.name === 'var') vars[element.attrs['name'] ?? ''] = valueOf(element.attrs['expr'] ?? '', vars);
      if (element.name === 'disconnect' || element.name === 'exit') {
        this.#over = true;
        return;
      }
      if (element.name !== 'submit') continue;
      const body = new URLSearchParams(
        (element.attrs['namelist'] ?? '').split(' ').map((name): [string, string] => [name, vars[name] ?? '']),
      );
      const next = new URL(element.attrs['next'] ?? '', this.#base);
      const over = this.#over;
      await this.#load(await this.#fetch(next, { method: 'POST', body }));
      this.#over ||= over;
      return;
    }
  }
}

/** What an expression of a document comes to: a string, a variable, or one of two by whether something was heard. */
function valueOf(source: string, vars: Vars): string {
  const [, first] = /^application\.lastresult\$ != undefined \? (\S+) : ''$/.exec(source) ?? [];
  if (first !== undefined) return vars[first] ?? '';
  const [, text] = /^'((?:[^'\\]|\\.)*)'$/.exec(source) ?? [];
  if (text !== undefined) return text.replace(/\\(.)/g, '$1');
  return vars[source] ?? '';
}
