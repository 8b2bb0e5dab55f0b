import type { BotDocument } from '../document/schema.js';
import { isTable, typeName, type Value } from '../document/shapes.js';
import type { Start } from '../document/starts.js';
import { fitsType } from '../document/variables.js';
import { clockFacts } from '../engine/turn-variables.js';
import type { View } from '../expressions/expression.js';
import { compileExpression } from '../expressions/expression.js';
import { textOf } from '../expressions/functions.js';
import { Steps } from '../expressions/steps.js';
import { compileTemplate } from '../expressions/template.js';

/** What came in, as the mapping of a start names it. */
export type Came = Readonly<Record<string, Value>>;

/** An input that could not be filled in: which one, and why (the end of a sentence that begins with it). */
export interface InputProblem {
  readonly input: string;
  readonly reason: string;
}

export interface Given {
  /** What the flow gets: inputs that are there and fit. */
  readonly values: Readonly<Record<string, Value>>;
  readonly problems: readonly InputProblem[];
}

/** The names that the mapping of a start can use, besides clock and settings. */
export const CAME_NAMES: Readonly<Record<Start['by'], readonly string[]>> = {
  hook: ['body', 'headers', 'query'],
  schedule: ['due'],
  row: ['row', 'before', 'event'],
  call: [],
};

const TURN_STEPS = 200_000;
const EXPRESSION_STEPS = 100_000;

/** What every mapping can name besides what came in. */
function viewOf(document: BotDocument, came: Came, at: string, zone: string): View {
  const settings = Object.fromEntries(
    Object.entries(document.variables?.settings ?? {}).map(([name, declared]) => [
      name,
      typeof declared === 'object' ? (declared.value ?? null) : null,
    ]),
  );
  return { ...came, settings, clock: clockFacts(at, zone) };
}

/**
 * What a flow gets of what came in, by the templates of a start, and what it does not get and why. A start that says nothing
 * of inputs gives what came in by its own names. Pure: for a hook, a sample and a preview alike.
 */
export function givenOf(document: BotDocument, start: Start, came: Came, at: string): Given {
  const takes = document.flows[start.flow]?.takes ?? {};
  const zone = ('zone' in start ? start.zone : undefined) ?? document.zone;
  const view = viewOf(document, came, at, zone);
  const steps = new Steps(TURN_STEPS, EXPRESSION_STEPS);
  const gaps = new Map<string, string>();
  const templates = 'given' in start && start.given ? start.given : undefined;
  const filled = templates
    ? Object.entries(templates).map(([input, source]) => [input, resolve(input, source, { view, steps, gaps })] as const)
    : Object.entries(plainInputs(start, came));
  return fitted(document, takes, filled, gaps);
}

/** What comes without a mapping: the fields of a body that is an object. */
function plainInputs(start: Start, came: Came): Readonly<Record<string, Value>> {
  if (start.by === 'row') return isTable(came['row']) ? came['row'] : {};
  const body = start.by === 'call' ? came['inputs'] : came['body'];
  return isTable(body) ? body : {};
}

function fitted(
  document: BotDocument,
  takes: NonNullable<BotDocument['flows'][string]['takes']>,
  filled: readonly (readonly [string, Value])[],
  gaps: ReadonlyMap<string, string>,
): Given {
  const values: Record<string, Value> = {};
  const problems: InputProblem[] = [];
  for (const [input, value] of filled) {
    const type = Object.hasOwn(takes, input) ? takes[input] : undefined;
    if (type === undefined || value === null) continue;
    const kept = formed(typeName(type).replace(/\?$/, ''), value);
    if (fitsType(document, type, kept)) values[input] = kept;
    else problems.push({ input, reason: `should be ${typeName(type).replace(/\?$/, '')}, and is ${shown(value)}` });
  }
  for (const [input, type] of Object.entries(takes)) {
    const optional = typeName(type).endsWith('?') || (typeof type === 'object' && type.value !== undefined);
    if (optional || input in values || problems.some((p) => p.input === input)) continue;
    const why = gaps.get(input);
    problems.push({ input, reason: why === undefined ? 'is not there' : `is not there: ${why}` });
  }
  return { values, problems };
}

/** A number in a text is a number where one is wanted, and what is no text is written as one where that is wanted. */
function formed(type: string, value: Value): Value {
  if (type === 'text' && (typeof value === 'number' || typeof value === 'boolean')) return textOf(value);
  if (type === 'number' && typeof value === 'string' && /^-?\d+(\.\d+)?$/.test(value.trim())) return Number(value);
  if (type === 'yes_no' && (value === 'true' || value === 'false')) return value === 'true';
  return value;
}

const shown = (value: Value): string => {
  const text = typeof value === 'string' ? `“${value}”` : JSON.stringify(value);
  return text.length > 60 ? `${text.slice(0, 59)}…` : text;
};

interface Resolving {
  readonly view: View;
  readonly steps: Steps;
  readonly gaps: Map<string, string>;
}

function resolve(input: string, source: Value, at: Resolving): Value {
  if (Array.isArray(source)) return (source as readonly Value[]).map((s) => resolve(input, s, at));
  if (isTable(source)) return Object.fromEntries(Object.entries(source).map(([k, v]) => [k, resolve(input, v, at)]));
  if (typeof source !== 'string') return source;
  const compiled = compileTemplate(source);
  if (!compiled.ok) {
    at.gaps.set(input, compiled.problem.message);
    return null;
  }
  return compiled.value.value(
    at.view,
    (gap) => at.gaps.set(input, gap.missing ? `nothing stands at ${gap.expression}` : `${gap.expression}: ${gap.reason}`),
    { steps: at.steps },
  );
}

/** The fields of a form (application/x-www-form-urlencoded); one that comes several times is a list. */
export function readForm(text: string): Readonly<Record<string, Value>> {
  const form = new URLSearchParams(text);
  const names = [...new Set(form.keys())].filter((name) => name !== '__proto__');
  return Object.fromEntries(
    names.map((name): [string, Value] => {
      const all = form.getAll(name);
      return [name, all.length === 1 ? (all[0] ?? '') : all];
    }),
  );
}

/** What makes two deliveries of a hook the same, by its expression; undefined where it has none, or that comes to nothing. */
export function repeatKey(source: string | undefined, came: Came): string | undefined {
  if (source === undefined) return undefined;
  const compiled = compileExpression(source);
  const found = compiled.ok ? compiled.value.evaluate(came, new Steps(TURN_STEPS, EXPRESSION_STEPS)) : undefined;
  return found?.ok && found.value !== null ? textOf(found.value) : undefined;
}
