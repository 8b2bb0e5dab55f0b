import type { Value } from '../document/shapes.js';
import { compileExpression, type Compiled, type Expression, type Reading, type View } from './expression.js';
import { textOf } from './functions.js';
import type { Steps } from './steps.js';

/** A place in a template whose value was not there, or could not be worked out. */
export interface Gap {
  readonly expression: string;
  readonly missing: boolean;
  readonly reason: string;
}

/** How a template is filled in: `escape` treats each inserted value, and `steps` are those of the turn. */
export interface Filling {
  /** What a value is said as, by what its expression reads; for those who read ids where others read words. */
  readonly says?: (value: Value, reads: readonly Reading[]) => Value;
  readonly escape?: (text: string) => string;
  readonly steps?: Steps;
}

/** A text with `{{ expressions }}`, compiled. */
export interface Template {
  readonly source: string;
  readonly reads: readonly Reading[];
  /** The expressions in it, each with where it begins. */
  readonly expressions: readonly { readonly source: string; readonly start: number }[];
  /** The text; a missing value is an empty text and is told to `onGap`. */
  readonly text: (view: View, onGap: (gap: Gap) => void, filling?: Filling) => string;
  /** Like `text`, but a template that is one single expression keeps the type of its value. */
  readonly value: (view: View, onGap: (gap: Gap) => void, filling?: Filling) => Value;
}

interface Segment {
  readonly text: string;
  readonly expression?: Expression;
}

/** Compiles a template. Offsets of problems and readings are counted in the whole text. */
export function compileTemplate(source: string): Compiled<Template> {
  const segments: Segment[] = [];
  const reads: Reading[] = [];
  const expressions: { source: string; start: number }[] = [];
  let at = 0;
  for (;;) {
    const open = source.indexOf('{{', at);
    if (open < 0) break;
    const close = closing(source, open + 2);
    if (close < 0) {
      const problem = {
        code: 'template-open',
        message: '"{{" is never closed',
        start: open,
        end: source.length,
        suggestion: '}}',
      } as const;
      return { ok: false, problem };
    }
    const inside = source.slice(open + 2, close);
    const compiled = compileExpression(inside);
    const shift = open + 2;
    if (!compiled.ok) {
      const { problem } = compiled;
      return { ok: false, problem: { ...problem, start: problem.start + shift, end: problem.end + shift } };
    }
    if (open > at) segments.push({ text: source.slice(at, open) });
    segments.push({ text: inside.trim(), expression: compiled.value });
    expressions.push({ source: inside, start: shift });
    reads.push(...compiled.value.reads.map((r) => ({ ...r, start: r.start + shift, end: r.end + shift })));
    at = close + 2;
  }
  if (at < source.length) segments.push({ text: source.slice(at) });
  return { ok: true, value: { ...assemble(source, segments), reads, expressions } };
}

/** Where the `}}` of an expression stands; braces inside quotes do not count. -1 when it is never closed. */
function closing(source: string, from: number): number {
  let quote = '';
  for (let i = from; i < source.length; i++) {
    const c = source[i];
    if (c === undefined) return -1;
    if (quote) {
      if (c === '\\') i++;
      else if (c === quote) quote = '';
    } else if (c === '"' || c === "'") quote = c;
    else if (c === '}' && source[i + 1] === '}') return i;
  }
  return -1;
}

function assemble(source: string, segments: readonly Segment[]): Pick<Template, 'source' | 'text' | 'value'> {
  const [only] = segments;
  const single = segments.length === 1 ? only?.expression : undefined;
  const text: Template['text'] = (view, onGap, { escape = (s: string) => s, says = (v: Value) => v, steps }: Filling = {}) => {
    let out = '';
    for (const segment of segments) {
      const { expression } = segment;
      if (expression) out += escape(textOf(says(resolve(expression, view, onGap, steps), expression.reads)));
      else out += segment.text;
    }
    return out;
  };
  const value: Template['value'] = (view, onGap, filling) =>
    single ? resolve(single, view, onGap, filling?.steps) : text(view, onGap, filling);
  return { source, text, value };
}

function resolve(expression: Expression, view: View, onGap: (gap: Gap) => void, steps: Steps | undefined): Value {
  const found = expression.evaluate(view, steps);
  if (!found.ok) {
    onGap({ expression: expression.source.trim(), missing: found.missing, reason: found.reason });
    return null;
  }
  if (found.value === null) onGap({ expression: expression.source.trim(), missing: true, reason: 'it has no value yet' });
  return found.value;
}
