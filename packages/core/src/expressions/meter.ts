import type { ASTNode, Environment } from '@marcbachmann/cel-js';
import { sizeOf } from '../document/size.js';
import { OutOfSteps } from './steps.js';

/** What goes through the values that it is given, to their ends; all else looks at their beginning or at one of them. */
const DEEP = new Set(['==', '!=', 'in', 'join']);
const LINEAR = new Set(['+', 'sum', 'contains', 'replace', 'split', 'map', 'filter', 'all', 'exists', 'exists_one']);
const CHARACTERS_A_STEP = 32;
const ITEMS_A_STEP = 8;

/** What an operand is an operand of. */
const operands = new WeakMap<ASTNode, string>();

/** Notes what goes through the values of these parts of an expression. */
export function markOperands(of: string, parts: readonly ASTNode[]): void {
  for (const part of parts) operands.set(part, of);
}

function costOf(part: ASTNode, value: unknown): number {
  if (typeof value === 'string') return value.length / CHARACTERS_A_STEP;
  if (value === null || typeof value !== 'object') return 0;
  const of = operands.get(part);
  if (of === undefined) return 0;
  if (DEEP.has(of)) return sizeOf(value) / CHARACTERS_A_STEP;
  return LINEAR.has(of) && Array.isArray(value) ? value.length / ITEMS_A_STEP : 0;
}

/** The part of the library's evaluator that is needed here. Everything that an expression does goes through `run`. */
interface Evaluator {
  run: (part: ASTNode, context: unknown) => unknown;
  tryEval: (part: ASTNode, context: unknown) => unknown;
}

/**
 * Counts what expressions of an environment cost. The library has no bound for loops inside loops, but all that it works out
 * goes through one function of its evaluator; a function of ours is told that evaluator as `this`. Returns how to work
 * something out with a number of steps: it throws OutOfSteps, whatever an expression makes of errors, and says what was spent.
 */
export function createMeter(environment: Environment): <T>(most: number, work: () => T, spent: (steps: number) => void) => T {
  const found: Evaluator[] = [];
  environment.registerFunction('primrose_evaluator(): bool', function (this: Evaluator) {
    return found.push(this) > 0;
  });
  environment.evaluate('primrose_evaluator()');
  const [evaluator] = found;
  if (evaluator === undefined) throw new Error('the expression library hands its evaluator to functions no more');
  let left = 0;
  const spend = (steps: number): void => {
    left -= steps;
    if (left < 0) throw new OutOfSteps();
  };
  const run = evaluator.run.bind(evaluator);
  evaluator.run = (part, context) => {
    spend(1);
    const value = run(part, context);
    spend(costOf(part, value));
    return value;
  };
  evaluator.tryEval = (part, context) => {
    try {
      return evaluator.run(part, context);
    } catch (error) {
      if (error instanceof OutOfSteps) throw error;
      return error;
    }
  };
  return (most, work, spent) => {
    left = most;
    try {
      return work();
    } finally {
      spent(most - left);
    }
  };
}
