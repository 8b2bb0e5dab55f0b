import { isTable, typeName, type TypeDeclaration, type Value } from '../document/shapes.js';
import { fitsType } from '../document/variables.js';
import { textOf } from '../expressions/functions.js';
import type { ActionEffect } from './effects/action.js';
import type { PreparedAction } from './prepared.js';
import type { Turn } from './turn.js';
import type { Values } from './types.js';

/*
 * One call of an action, whoever wants it: a node, or an agent.
 */

/** How long a call may take where nobody says otherwise. */
export const ACTION_TIMEOUT_MS = 10_000;

/** The text that a value becomes in an address or a header. */
function filled(fields: readonly (readonly [string, Value])[]): Record<string, string> {
  return Object.fromEntries(fields.filter(([, v]) => v !== null && v !== '').map(([key, v]) => [key, textOf(v)]));
}

interface Asked {
  /** Path and what else stands in the address, filled in. */
  readonly target: string;
  readonly inputs: Readonly<Record<string, Value>>;
  readonly timeoutMs: number;
}

/** The request of an action with its inputs, or why there can be none. What it takes and is not given is empty. */
export function actionEffect(
  turn: Turn,
  action: PreparedAction,
  given: Readonly<Record<string, Value>>,
  timeoutMs: number,
): { readonly ok: true; readonly effect: ActionEffect } | { readonly ok: false; readonly reason: string } {
  const kept = turn.kept.of(action);
  const inputs = { ...Object.fromEntries(action.takes.map((key) => [key, null])), ...given, ...(kept ? { kept } : {}) };
  const filledIn = turn.path(action.target, inputs);
  if (!filledIn.ok) return { ok: false, reason: filledIn.reason };
  return { ok: true, effect: buildEffect(turn, action, { target: filledIn.path, inputs, timeoutMs }) };
}

function buildEffect(turn: Turn, action: PreparedAction, { target, inputs, timeoutMs }: Asked): ActionEffect {
  const resolved = (source: PreparedAction['query'], at: string) =>
    source.map(([key, v]) => [key, turn.value(`${at}/${key}`, v, inputs)] as const);
  return {
    type: 'action',
    path: turn.effectPath(),
    connection: action.connection,
    action: action.id,
    method: action.method,
    target,
    query: filled(
      resolved(
        action.query.filter(([, v]) => !emptyInput(v, inputs)),
        'query',
      ),
    ),
    headers: Object.fromEntries(action.headers.map(([key, t]) => [key, turn.text(`headers/${key}`, t, inputs)])),
    body: turn.value('body', action.body, inputs),
    timeoutMs,
    changes: action.changes,
    repeatable: action.repeatable,
  };
}

/** An optional input that was left empty is no missing value: what only repeats it is left out of the query. */
function emptyInput(source: PreparedAction['query'][number][1], inputs: Readonly<Record<string, Value>>): boolean {
  if (!('template' in source)) return false;
  const [read, ...more] = source.template.reads;
  if (more.length > 0 || read === undefined) return false;
  if (read.root === 'kept' && isTable(inputs['kept'] ?? null)) return (inputs['kept'] as Values)[read.field ?? ''] === null;
  return read.field === undefined && read.root in inputs && inputs[read.root] === null;
}

type Given = { readonly ok: true; readonly value: Value } | { readonly ok: false; readonly reason: string };

/**
 * The action's own result: the only field it gives, several as an object, or the whole answer when it names none. An answer in
 * which a field is missing, or is of another type than the action declares, is none.
 */
export function actionGave(turn: Turn, action: PreparedAction, body: Value): Given {
  turn.kept.keep(action, (field, source) => turn.value(field, source, { answer: body }, true));
  const fields = action.gives.map(([key, v]) => {
    const mayMiss = typeName(action.types[key]).endsWith('?');
    return [key, turn.value(`gives/${key}`, v, { answer: body }, mayMiss)] as const;
  });
  for (const [key, v] of fields) {
    const reason = misfit(turn, key, action.types[key], v);
    if (reason !== undefined) return { ok: false, reason };
  }
  const [only] = fields;
  if (only === undefined) return { ok: true, value: body };
  return { ok: true, value: fields.length === 1 ? only[1] : Object.fromEntries(fields) };
}

function misfit(turn: Turn, key: string, type: TypeDeclaration | undefined, v: Value): string | undefined {
  if (type === undefined) return undefined;
  const wanted = typeName(type).replace(/\?$/, '');
  if (v === null) return typeName(type).endsWith('?') ? undefined : `its answer has no "${key}" (${wanted})`;
  if (fitsType(turn.bot.document, type, v)) return undefined;
  return `"${key}" in its answer should be ${wanted}, but is ${JSON.stringify(v).slice(0, 60)}`;
}
