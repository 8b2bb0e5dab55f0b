import type { Entity } from '../document/schema.js';
import { slipsAllowed } from '../text/nearest.js';
import { createSpelling, wordingsWithoutRoom, type Spelling } from './spelling.js';
import { MIN_TELLING_LETTERS, normalise, type OptionMatch, type Token } from './words.js';

/** A wording of a listed value, normalised. */
interface Wording {
  readonly id: string;
  readonly text: string;
  readonly words: number;
}

/** Where a listed value stands: so many tokens from one on. */
interface Stands {
  readonly id: string;
  readonly words: number;
  readonly by: 'listed words' | 'listed words, misspelt';
}

/** Shorter words are too near to others: "like" is no bike. */
const MIN_FOR_SLIPS = 6;
const slipsOf = (length: number): number => (length < MIN_FOR_SLIPS ? 0 : slipsAllowed(length));

/** The wordings of a list entity: finds them in texts, misspelt ones too, at a cost that does not grow with their number. */
export class Wordings {
  readonly #wordings: readonly Wording[];
  /** By their text; of two values with the same wording the first one has it. */
  readonly #exact = new Map<string, Wording>();
  readonly #mostWords: number;
  /** Which lengths wordings of so many words have: what is of no such length, give or take two, is no misspelling. */
  readonly #lengths: readonly ReadonlySet<number>[];
  #spelling: Spelling | undefined;
  /** Words that only one value has; null for those that several have. */
  #telling: Map<string, string | null> | undefined;

  constructor(values: Exclude<Entity['values'], undefined>, languages: readonly string[]) {
    this.#wordings = Object.entries(values).flatMap(([id, words]) => {
      const all = Array.isArray(words) ? words : languages.flatMap((l) => words[l] ?? []);
      return [...new Set([id, ...all].map(normalise))]
        .filter((text) => text !== '')
        .map((text) => ({ id, text, words: text.split(' ').length }));
    });
    const lengths: Set<number>[] = [];
    for (const w of this.#wordings) {
      if (!this.#exact.has(w.text)) this.#exact.set(w.text, w);
      (lengths[w.words] ??= new Set()).add(w.text.length);
    }
    this.#lengths = lengths;
    this.#mostWords = Math.max(0, lengths.length - 1);
  }

  /** How many wordings are recognised with fewer slips than others of their length, as there are so many. */
  get withoutRoom(): number {
    return wordingsWithoutRoom(
      this.#wordings.map((w) => w.text),
      slipsOf,
    );
  }

  get size(): number {
    return this.#wordings.length;
  }

  /** Every listed value in a text, from the left: the longest run of words that is one, then the longest that may be a misspelt one. */
  find(tokens: readonly Token[]): { readonly at: number; readonly stands: Stands }[] {
    const found: { at: number; stands: Stands }[] = [];
    const looked = new Map<string, Stands | undefined>();
    for (let at = 0; at < tokens.length; at++) {
      const stands = this.#exactAt(tokens, at) ?? this.#nearAt(tokens, at, looked);
      if (!stands) continue;
      found.push({ at, stands });
      at += stands.words - 1;
    }
    return found;
  }

  /** Which value an answer means, as `matchOption` says it: its wording, one that stands in it, words that only one has, a misspelling. */
  match(answer: string): OptionMatch | undefined {
    const said = normalise(answer);
    const exact = this.#exact.get(said);
    if (exact) return { id: exact.id, by: 'words' };
    const words = said.split(' ');
    const tokens = words.map((word) => ({ word, from: 0, to: 0 }));
    const inside = words.flatMap((_, at) => this.#exactAt(tokens, at)?.id ?? []);
    const part = onlyOne(inside) ?? (inside.length > 0 ? undefined : this.#told(words));
    if (part !== undefined) return { id: part, by: 'part' };
    if (inside.length > 0) return undefined;
    const looked = new Map<string, Stands | undefined>();
    const slip = onlyOne(words.flatMap((_, at) => this.#nearAt(tokens, at, looked)?.id ?? []));
    return slip === undefined ? undefined : { id: slip, by: 'slip' };
  }

  #exactAt(tokens: readonly Token[], at: number): Stands | undefined {
    for (let words = Math.min(this.#mostWords, tokens.length - at); words > 0; words--) {
      const found = this.#exact.get(textAt(tokens, at, words));
      if (found) return { id: found.id, words, by: 'listed words' };
    }
    return undefined;
  }

  #nearAt(tokens: readonly Token[], at: number, looked: Map<string, Stands | undefined>): Stands | undefined {
    for (let words = Math.min(this.#mostWords, tokens.length - at); words > 0; words--) {
      const text = textAt(tokens, at, words);
      if (!this.#mayBeNear(text, words)) continue;
      if (!looked.has(text)) looked.set(text, this.#near(text, words));
      const found = looked.get(text);
      if (found) return found;
    }
    return undefined;
  }

  #mayBeNear(text: string, words: number): boolean {
    const lengths = this.#lengths[words];
    return lengths !== undefined && [-2, -1, 0, 1, 2].some((by) => lengths.has(text.length + by));
  }

  #near(text: string, words: number): Stands | undefined {
    this.#spelling ??= createSpelling(
      this.#wordings.map((w) => w.text),
      slipsOf,
    );
    const near = this.#spelling(text, 2).filter((n) => this.#wordings[n.at]?.words === words);
    const [best] = near.sort((a, b) => a.slips - b.slips || a.at - b.at);
    const wording = best && this.#wordings[best.at];
    return wording && { id: wording.id, words, by: 'listed words, misspelt' };
  }

  /** The value of which an answer holds words that no other has, and that make up at least half of a wording. */
  #told(words: readonly string[]): string | undefined {
    const telling = (this.#telling ??= this.#tellingWords());
    const ids = new Set(words.flatMap((w) => telling.get(w) ?? []));
    const heard = new Set(words);
    const told = [...ids].filter((id) =>
      this.#wordings.some((w) => {
        if (w.id !== id) return false;
        const own = w.text.split(' ').filter((t) => heard.has(t) && telling.get(t) === id);
        return own.join('').length * 2 >= w.text.replaceAll(/[\d ]/g, '').length;
      }),
    );
    return onlyOne(told);
  }

  #tellingWords(): Map<string, string | null> {
    const telling = new Map<string, string | null>();
    for (const { id, text } of this.#wordings)
      for (const word of text.split(' ')) {
        if (word.length < MIN_TELLING_LETTERS || /^\d+$/.test(word)) continue;
        const known = telling.get(word);
        telling.set(word, known === undefined || known === id ? id : null);
      }
    return telling;
  }
}

function textAt(tokens: readonly Token[], at: number, words: number): string {
  let text = tokens[at]?.word ?? '';
  for (let i = 1; i < words; i++) text += ` ${tokens[at + i]?.word ?? ''}`;
  return text;
}

function onlyOne(ids: readonly string[]): string | undefined {
  const [first] = ids;
  return ids.every((id) => id === first) ? first : undefined;
}

const made = new WeakMap<Entity, { readonly languages: string; readonly wordings: Wordings }>();

/** The wordings of a list entity in a bot's languages; made once for all who use it. */
export function wordingsOf(entity: Entity, languages: readonly string[]): Wordings {
  const key = languages.join(' ');
  const known = made.get(entity);
  if (known?.languages === key) return known.wordings;
  const wordings = new Wordings(entity.values ?? {}, languages);
  made.set(entity, { languages: key, wordings });
  return wordings;
}
