/*
 * Sums for an agent, because models guess at them: + - * / % ^ and brackets, with figures as people write them. Read by
 * precedence climbing (Richards and Whitby-Strevens, 1979), in time linear in the length of what is written.
 */

const LONGEST = 500;
const DEEPEST = 50;

export type Sum = { readonly ok: true; readonly value: number } | { readonly ok: false; readonly reason: string };

const BINDS: Readonly<Record<string, number>> = { '+': 1, '-': 1, '*': 2, '/': 2, '%': 2, '^': 3 };

/** Works a sum out; the reason of a failure is for whoever wrote it. */
export function workOut(written: string): Sum {
  if (written.length > LONGEST) return { ok: false, reason: `a sum has at most ${LONGEST} characters` };
  const pieces =
    written
      .replaceAll('×', '*')
      .replaceAll('÷', '/')
      .replaceAll('−', '-')
      .match(/\d+(?:[.]\d+)?|[-+*/%^()]|[^\s\d]/g) ?? [];
  const reader = new Reader(pieces);
  try {
    const value = reader.all();
    return Number.isFinite(value)
      ? { ok: true, value: Math.round(value * 1e10) / 1e10 }
      : { ok: false, reason: 'it has no value: something is divided by zero, or too large' };
  } catch (error) {
    if (error instanceof Misread) return { ok: false, reason: error.message };
    throw error;
  }
}

class Misread extends Error {}

class Reader {
  readonly #pieces: readonly string[];
  #at = 0;
  #depth = 0;

  constructor(pieces: readonly string[]) {
    this.#pieces = pieces;
  }

  all(): number {
    const value = this.#sum(1);
    const rest = this.#pieces[this.#at];
    if (rest !== undefined) throw new Misread(`"${rest}" cannot stand there; write figures, + - * / % ^ and brackets only`);
    return value;
  }

  #sum(binds: number): number {
    let value = this.#one();
    for (;;) {
      const sign = this.#pieces[this.#at] ?? '';
      const own = BINDS[sign];
      if (own === undefined || own < binds) return value;
      this.#at++;
      value = applied(sign, value, this.#sum(sign === '^' ? own : own + 1));
    }
  }

  #one(): number {
    if (++this.#depth > DEEPEST) throw new Misread('its brackets stand too deep in each other');
    const piece = this.#pieces[this.#at++];
    let value: number;
    if (piece === '-') value = -this.#one();
    else if (piece === '+') value = this.#one();
    else if (piece === '(') {
      value = this.#sum(1);
      if (this.#pieces[this.#at++] !== ')') throw new Misread('a bracket is not closed');
    } else if (piece !== undefined && /^\d/.test(piece)) value = Number(piece);
    else throw new Misread(piece === undefined ? 'it ends too early' : `"${piece}" cannot stand there`);
    this.#depth--;
    return value;
  }
}

function applied(sign: string, a: number, b: number): number {
  if (sign === '+') return a + b;
  if (sign === '-') return a - b;
  if (sign === '*') return a * b;
  if (sign === '/') return b === 0 ? NaN : a / b;
  return sign === '%' ? (b === 0 ? NaN : a % b) : a ** b;
}
