import type { Value } from '../document/shapes.js';
import { sampleText } from '../document/texts.js';
import type { Reading } from '../expressions/expression.js';
import type { CompiledBot } from './compiled.js';
import { dayInWords } from './talk/words.js';

/** What a turn knows where a value is worded. */
interface Sight {
  readonly language: () => string;
  /** The flow on top. */
  readonly flow: () => string | undefined;
  /** What a variable holds. */
  readonly held: (root: string, field: string) => Value;
}

/** Values as visitors read them: those of a list entity in their own words; and which wording of a text comes next. */
export class TurnWords {
  readonly wordings: Record<string, number>;
  readonly #bot: Pick<CompiledBot<never>, 'document' | 'flows' | 'listed'>;
  readonly #sight: Sight;

  constructor(bot: Pick<CompiledBot<never>, 'document' | 'flows' | 'listed'>, wordings: Record<string, number>, sight: Sight) {
    this.#bot = bot;
    this.#sight = sight;
    this.wordings = wordings;
  }

  /** Which of so many wordings comes next; they are taken in turn. */
  next(key: string, many: number): number {
    const count = (this.wordings[key] ?? 0) % many;
    this.wordings[key] = (count + 1) % many;
    return count;
  }

  /** A value of a variable of the flow on top, or of one that outlives flows, as visitors read it. */
  value(target: string, value: Value): Value {
    const [root = '', field = ''] = target.split('.');
    const entity = this.#listedAs(root, field);
    return entity !== undefined && typeof value === 'string' ? this.#wordOf(entity, value) : value;
  }

  /** What visitors call a flow; undefined where nobody has said. */
  calledOf(flow: string): string | undefined {
    const called = this.#bot.document.flows[flow]?.called;
    return called === undefined ? undefined : sampleText(called, this.#sight.language());
  }

  /** A value of a variable of any flow, as visitors read it. */
  inFlow(flow: string, name: string, value: Value): string {
    const entity = this.#bot.flows.get(flow)?.listed[name];
    const word = entity !== undefined && typeof value === 'string' ? this.#wordOf(entity, value) : value;
    if (typeof word === 'string' && /^\d{4}-\d{2}-\d{2}$/.test(word)) return dayInWords(word, this.#sight.language());
    return typeof word === 'string' ? word : JSON.stringify(word);
  }

  /**
   * A value as visitors read it: one of a list entity in their own words, where the expression reads a variable that holds just
   * this value. Everywhere else it stays the id that it is, for comparing and for services.
   */
  ofReadings(value: Value, reads: readonly Reading[]): Value {
    if (Array.isArray(value)) return (value as readonly Value[]).map((v) => this.ofReadings(v, reads));
    if (typeof value !== 'string') return value;
    for (const { root, field } of reads) {
      const entity = field === undefined ? undefined : this.#listedAs(root, field);
      const held = entity === undefined || field === undefined ? null : this.#sight.held(root, field);
      const holds = Array.isArray(held) ? (held as readonly Value[]).includes(value) : held === value;
      if (entity !== undefined && holds) return this.#wordOf(entity, value);
    }
    return value;
  }

  #listedAs(root: string, field: string): string | undefined {
    if (root === 'flow') return this.#bot.flows.get(this.#sight.flow() ?? '')?.listed[field];
    return this.#bot.listed[`${root}.${field}`];
  }

  /** A value of a list entity in its own words. */
  listed(entity: string, id: string): string {
    return this.#wordOf(entity, id);
  }

  #wordOf(entity: string, id: string): string {
    const { entities = {}, languages } = this.#bot.document;
    const words = entities[entity]?.values?.[id];
    if (words === undefined) return id;
    if (Array.isArray(words)) return words[0] ?? id;
    const all = [this.#sight.language(), ...languages].flatMap((l) => words[l] ?? []);
    return all[0] ?? Object.values(words).flat()[0] ?? id;
  }
}
