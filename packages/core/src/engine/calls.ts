import type { BotDocument } from '../document/schema.js';
import { typeName, type TypeDeclaration, type Value } from '../document/shapes.js';
import { fitsType } from '../document/variables.js';
import { nearest } from '../text/nearest.js';
import type { Left } from './compiled.js';
import type { Found, Use } from './kind.js';
import type { PreparedValue } from './prepared.js';
import type { Turn } from './turn.js';
import type { Values } from './types.js';

/** How a node calls a flow: what it gives to the flow's `takes`, and where the flow's `gives` go. */
export interface Call {
  readonly calls: string;
  readonly given?: Readonly<Record<string, Value>> | undefined;
  readonly into?: Readonly<Record<string, string>> | undefined;
}

/** What is wrong in a call; `field` is the call's place in its node. */
export function callProblems(document: BotDocument, call: Call, field: string): Found[] {
  const flow = document.flows[call.calls];
  if (!flow) {
    const suggestion = nearest(call.calls, Object.keys(document.flows)) ?? null;
    return [{ code: 'unknown-flow', severity: 'error', field: `${field}/calls`, facts: { name: call.calls, suggestion } }];
  }
  const { takes = {}, gives = {} } = flow;
  const needed = Object.entries(takes).filter(([key, type]) => !(key in (call.given ?? {})) && !mayBeLeftOut(type));
  const unknown = (names: Readonly<Record<string, unknown>>, known: Readonly<Record<string, unknown>>) =>
    Object.keys(names).filter((key) => !(key in known));
  const facts = (name: string, known: Readonly<Record<string, unknown>>) => {
    return { name, action: call.calls, suggestion: nearest(name, Object.keys(known)) ?? null };
  };
  return [
    ...needed.map(([name]): Found => {
      return { code: 'not-given', severity: 'error', field: `${field}/given`, facts: { name, action: call.calls } };
    }),
    ...unknown(call.given ?? {}, takes).map((name): Found => {
      return { code: 'unknown-input', severity: 'error', field: `${field}/given/${name}`, facts: facts(name, takes) };
    }),
    ...unknown(call.into ?? {}, gives).map((name): Found => {
      return { code: 'unknown-output', severity: 'error', field: `${field}/into/${name}`, facts: facts(name, gives) };
    }),
  ];
}

/** An input may be left out when its type ends in `?` or it has a value of its own. */
function mayBeLeftOut(type: Parameters<typeof typeName>[0]): boolean {
  return typeName(type).endsWith('?') || (typeof type === 'object' && type.value !== undefined);
}

/** The variables that a call writes. */
export function callTargets(call: Call, field: string): Use[] {
  return Object.entries(call.into ?? {}).map(([key, text]) => ({ field: `${field}/into/${key}`, as: 'target', text }));
}

/** Where the caller's turn and the called flow's values meet: resolves inputs. What does not fit its type is not handed over. */
export function inputsOf(
  turn: Turn,
  flowId: string,
  given: readonly (readonly [string, PreparedValue])[],
  field: string,
): Values {
  const takes = turn.bot.document.flows[flowId]?.takes ?? {};
  const resolved = given.map(([key, source]): [string, Value] => {
    const type = takes[key];
    return [key, turn.value(`${field}/given/${key}`, source, undefined, type !== undefined && mayBeLeftOut(type))];
  });
  return fittingValues(turn, flowId, resolved);
}

/** What a flow begins with: of some values those that are there and fit their types, and where none does what is declared. */
export function fittingValues(turn: Turn, flowId: string, given: readonly (readonly [string, Value])[]): Values {
  const takes = turn.bot.document.flows[flowId]?.takes ?? {};
  const values: Record<string, Value> = {};
  for (const [name, type] of Object.entries(takes))
    if (typeof type === 'object' && type.value !== undefined) values[name] = type.value;
  for (const [name, value] of given) if (value !== null && fits(turn, flowId, name, takes[name], value)) values[name] = value;
  return values;
}

/** False, with an entry in the sheet, for a value that is not of the type that a flow declares for it. */
function fits(turn: Turn, flow: string, name: string, type: TypeDeclaration | undefined, value: Value): boolean {
  if (type === undefined || fitsType(turn.bot.document, type, value)) return true;
  turn.problem('wrong-type', { name, flow, type: typeName(type).replace(/\?$/, ''), value });
  return false;
}

/** Writes what a flow gives to where its caller wants it; what does not fit its type is left out. */
export function takeOutputs(turn: Turn, flowId: string, into: Readonly<Record<string, string>> | undefined, left: Left): void {
  const gives = turn.bot.document.flows[flowId]?.gives ?? {};
  for (const [key, target] of Object.entries(into ?? {})) {
    const value = left.values[key] ?? null;
    if (fits(turn, flowId, key, gives[key], value)) turn.write(target, value);
  }
}
