import type { ASTNode } from '@marcbachmann/cel-js';
import type { Value } from '../document/shapes.js';
import { nearest } from '../text/nearest.js';
import { sizeOf } from '../document/size.js';
import { CEL_FUNCTIONS, createEnvironment, FUNCTIONS, toValue } from './functions.js';
import { createMeter, markOperands } from './meter.js';
import { EXPRESSION_STEPS, OutOfSteps, Steps } from './steps.js';

/** What names mean while an expression is evaluated: scope name to its value. */
export type View = Readonly<Record<string, unknown>>;

/** A path that an expression reads, such as `flow.day`; `start` and `end` are offsets in the expression. */
export interface Reading {
  readonly root: string;
  readonly field?: string;
  readonly start: number;
  readonly end: number;
}

/** Why a text is no usable expression. Offsets are counted in the text that was given. */
export interface ExpressionProblem {
  readonly code: 'expression-syntax' | 'expression-function' | 'expression-limit' | 'template-open';
  readonly message: string;
  readonly start: number;
  readonly end: number;
  readonly suggestion?: string;
}

export type Evaluated =
  { readonly ok: true; readonly value: Value } | { readonly ok: false; readonly missing: boolean; readonly reason: string };

export interface Expression {
  readonly source: string;
  readonly reads: readonly Reading[];
  /**
   * Never throws. `missing` tells a value that is not there from a mistake such as adding a text to a number. It spends some of
   * the turn's steps; where none are given, it has those of one expression.
   */
  readonly evaluate: (view: View, steps?: Steps) => Evaluated;
}

export type Compiled<T> = { readonly ok: true; readonly value: T } | { readonly ok: false; readonly problem: ExpressionProblem };

const MAX_LENGTH = 2000;
const MAX_MACRO_DEPTH = 2;
const MACROS = new Set(['all', 'exists', 'exists_one', 'filter', 'map']);
const KNOWN_FUNCTIONS = new Set([...CEL_FUNCTIONS, ...Object.keys(FUNCTIONS)]);
/** What one expression may come to, in characters as JSON. */
const MAX_RESULT = 1_000_000;
/** The day of the evaluation that is under way, by the clock in its view; evaluations never overlap. */
let today: string | undefined;
const environment = createEnvironment(() => today);
const metered = createMeter(environment);

/** Compiles one CEL expression. Errors come back as a value with their place. */
export function compileExpression(source: string): Compiled<Expression> {
  const fail = (code: ExpressionProblem['code'], message: string, start: number, end: number, suggestion?: string) =>
    ({ ok: false, problem: { code, message, start, end, ...(suggestion ? { suggestion } : {}) } }) as const;
  if (source.trim() === '') return fail('expression-syntax', 'there is nothing here', 0, source.length);
  if (source.length > MAX_LENGTH)
    return fail('expression-limit', `it is longer than ${MAX_LENGTH} characters`, MAX_LENGTH, source.length);
  let parsed: ReturnType<typeof environment.parse>;
  try {
    parsed = environment.parse(source);
  } catch (error) {
    const found = error as { summary?: string; message: string; range?: { start: number; end: number } };
    const { start: at = 0, end: upTo = source.length } = found.range ?? {};
    // What stops too early is wrong at its last character.
    const start = Math.min(at, source.length - 1);
    const end = Math.min(source.length, Math.max(upTo, start + 1));
    const summary = found.summary ?? found.message;
    const limit = limitWords(summary);
    if (limit !== undefined) return fail('expression-limit', limit, start, end);
    return fail('expression-syntax', syntaxWords(summary), start, end, syntaxHint(source, at));
  }
  const reads: Reading[] = [];
  const bad = survey(parsed.ast, new Set(), 0, reads);
  if (bad) return { ok: false, problem: bad };
  return { ok: true, value: { source, reads, evaluate: (view, steps) => evaluate(parsed, view, steps) } };
}

function evaluate(parsed: (view: View) => unknown, view: View, steps = new Steps(EXPRESSION_STEPS, EXPRESSION_STEPS)): Evaluated {
  today = todayIn(view);
  try {
    const raw = metered(
      steps.next,
      () => parsed(view),
      (spent) => steps.spend(spent),
    );
    if (sizeOf(raw) > MAX_RESULT) return { ok: false, missing: false, reason: 'what it comes to is far too large' };
    return { ok: true, value: toValue(raw) };
  } catch (error) {
    if (error instanceof OutOfSteps) return { ok: false, missing: false, reason: steps.reason };
    const { code, summary, message } = error as { code?: string; summary?: string; message: string };
    const missing = code === 'no_such_key' || code === 'unknown_variable' || code === 'index_out_of_bounds';
    return { ok: false, missing, reason: (summary ?? message).split('\n')[0] ?? '' };
  }
}

function todayIn({ clock }: View): string | undefined {
  const day: unknown = typeof clock === 'object' && clock !== null && 'today' in clock ? clock.today : undefined;
  return typeof day === 'string' ? day : undefined;
}

/** The words for a limit of the library that an expression goes beyond; undefined for what is wrong otherwise. */
function limitWords(summary: string): string | undefined {
  const [, limit = '', most = ''] = /max(Depth|ListElements|MapEntries|CallArguments|AstNodes)\b\D*(\d+)/.exec(summary) ?? [];
  const words: Readonly<Record<string, string>> = {
    Depth: `its parts stand more than ${most} deep in each other`,
    ListElements: `a list in it has more than ${most} items`,
    MapEntries: `an object in it has more than ${most} entries`,
    CallArguments: `a function in it is given more than ${most} values`,
    AstNodes: `it has more than ${most} parts`,
  };
  return words[limit];
}

function syntaxWords(summary: string): string {
  if (summary.includes('EOF')) return 'it stops too early';
  return summary.charAt(0).toLowerCase() + summary.slice(1);
}

function syntaxHint(source: string, at: number): string | undefined {
  if (/[^=!<>]=(?!=)/.test(source.slice(Math.max(0, at - 1), at + 2))) return '==';
  const word = /^(and|or|not)\b/i.exec(source.slice(at).trimStart())?.[1]?.toLowerCase();
  return word === undefined ? undefined : { and: '&&', or: '||', not: '!' }[word];
}

function functionProblem(fn: string, node: ASTNode): ExpressionProblem | undefined {
  if (fn === 'matches') {
    return {
      code: 'expression-function',
      message: '"matches" is not available; use contains, startsWith or endsWith',
      start: node.start,
      end: node.end,
    };
  }
  if (KNOWN_FUNCTIONS.has(fn)) return undefined;
  const suggestion = nearest(fn, KNOWN_FUNCTIONS);
  return {
    code: 'expression-function',
    message: `there is no function "${fn}"`,
    start: node.start,
    end: node.end,
    ...(suggestion ? { suggestion } : {}),
  };
}

/** Walks the tree once: collects what is read, refuses unknown functions and deep nests of loops. */
function survey(node: ASTNode, bound: ReadonlySet<string>, macros: number, reads: Reading[]): ExpressionProblem | undefined {
  switch (node.op) {
    case 'value':
      return undefined;
    case 'id':
      if (!bound.has(node.args)) reads.push({ root: node.args, start: node.start, end: node.end });
      return undefined;
    case '.':
    case '.?': {
      const [of, field] = node.args;
      if (of.op !== 'id') return survey(of, bound, macros, reads);
      if (!bound.has(of.args))
        reads.push({ root: of.args, field, start: of.start, end: Math.max(node.end, of.end + 1 + field.length) });
      return undefined;
    }
    case 'call':
      markOperands(node.args[0], node.args[1]);
      return functionProblem(node.args[0], node) ?? surveyAll(node.args[1], bound, macros, reads);
    case 'rcall':
      return surveyMethod(node, bound, macros, reads);
    case 'map':
      return surveyAll(node.args.flat(), bound, macros, reads);
    default: {
      const parts = Array.isArray(node.args) ? node.args : [node.args];
      markOperands(node.op, parts);
      return surveyAll(parts, bound, macros, reads);
    }
  }
}

function surveyAll(
  nodes: readonly ASTNode[],
  bound: ReadonlySet<string>,
  macros: number,
  reads: Reading[],
): ExpressionProblem | undefined {
  for (const node of nodes) {
    const bad = survey(node, bound, macros, reads);
    if (bad) return bad;
  }
  return undefined;
}

function surveyMethod(
  node: ASTNode & { op: 'rcall' },
  bound: ReadonlySet<string>,
  macros: number,
  reads: Reading[],
): ExpressionProblem | undefined {
  const [method, on, args] = node.args;
  markOperands(method, [on, ...args]);
  const bad = functionProblem(method, node) ?? survey(on, bound, macros, reads);
  if (bad || !MACROS.has(method)) return bad ?? surveyAll(args, bound, macros, reads);
  if (macros >= MAX_MACRO_DEPTH) {
    return {
      code: 'expression-limit',
      message: `loops stand more than ${MAX_MACRO_DEPTH} deep in each other`,
      start: node.start,
      end: node.end,
    };
  }
  const [item, ...bodies] = args;
  const inner = item?.op === 'id' ? new Set([...bound, item.args]) : bound;
  return surveyAll(bodies, inner, macros + 1, reads);
}
