import { actionTarget, keptNames } from '../document/actions.js';
import { pointer, type Problem } from '../document/problem.js';
import type { Action, BotDocument } from '../document/schema.js';
import type { Value } from '../document/shapes.js';
import { valueUses } from '../engine/nodes/set.js';
import type { Use } from '../engine/kind.js';

/** A text of an action, and whether it is sent, or read from the answer. */
export interface ActionText {
  readonly path: readonly string[];
  readonly use: Use;
}

/** The templates of an action with the names that only they know: what it takes, and for what it gives the answer. */
export function actionTexts(document: BotDocument, connection: string, id: string, action: Action): ActionText[] {
  const kept = keptNames(document, connection).length > 0 ? ['kept'] : [];
  const takes = [...Object.keys(action.takes ?? {}), ...kept];
  const target = actionTarget(action);
  const { sends, gives, keeps } = action;
  const of = (source: Value | undefined, field: string, locals: readonly string[]): Use[] =>
    valueUses(source ?? null, field, locals);
  const uses = [
    ...(target ? of(target.path, `/${target.method}`, takes) : []),
    ...of(sends?.query, '/sends/query', takes),
    ...of(sends?.headers, '/sends/headers', takes),
    ...of(sends?.body, '/sends/body', takes),
    ...of(gives, '/gives', ['answer']),
    ...of(keeps, '/keeps', ['answer']),
  ];
  return uses.map((use) => ({ path: ['connections', connection, 'actions', id], use }));
}

/** Fields whose type is declared and that the action does not give. */
export function actionTypeProblems(connection: string, id: string, { gives = {}, types = {} }: Action): Problem[] {
  return Object.keys(types)
    .filter((name) => !(name in gives))
    .map((name) => ({
      code: 'unknown-output',
      severity: 'error',
      field: pointer(['connections', connection, 'actions', id, 'types', name]),
      facts: { name, action: `${connection}.${id}`, suggestion: null },
    }));
}

/** Connections that want a secret of which none is kept: what simulations do with a stand-in fails with visitors. */
export function secretProblems(document: BotDocument, kept: readonly string[]): Problem[] {
  return Object.entries(document.connections ?? {})
    .filter(([name, c]) => c.auth !== undefined && !kept.includes(name))
    .map(([name]) => ({
      code: 'no-secret',
      severity: 'warning',
      field: pointer(['connections', name, 'auth']),
      facts: { name },
    }));
}
