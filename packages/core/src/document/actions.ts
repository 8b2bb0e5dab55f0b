import type { Action, BotDocument } from './schema.js';

export const METHODS = ['get', 'post', 'put', 'patch', 'delete'] as const;
export type Method = (typeof METHODS)[number];

/** A field that an object has of its own, not one that every object has. */
function own<T>(table: Readonly<Record<string, T>>, key: string): T | undefined {
  return Object.hasOwn(table, key) ? table[key] : undefined;
}

/** The connection and action that `runs` (`connection.action`) names; undefined when there is none. */
export function findAction(document: BotDocument, runs: string): { connection: string; id: string; action: Action } | undefined {
  const [connection = '', id = ''] = runs.split('.');
  const actions = own(document.connections ?? {}, connection)?.actions;
  const action = own(actions ?? {}, id);
  return action && { connection, id, action };
}

/** The method of an action and its path template; undefined unless exactly one method is written. */
export function actionTarget(action: Action): { method: Method; path: string } | undefined {
  const [method, ...more] = METHODS.filter((m) => action[m] !== undefined);
  return method !== undefined && more.length === 0 ? { method, path: action[method] ?? '' } : undefined;
}

/** True where an action may change something at the service. */
export function actionChanges(action: Action): boolean {
  const method = actionTarget(action)?.method;
  return action.reads !== true && method !== undefined && method !== 'get';
}

/** The names that the actions of a connection keep for a conversation. */
export function keptNames(document: BotDocument, connection: string): string[] {
  const actions = Object.values(own(document.connections ?? {}, connection)?.actions ?? {});
  return [...new Set(actions.flatMap((a) => Object.keys(a.keeps ?? {})))];
}

/** All actions of a bot as `runs` names them. */
export function actionNames(document: BotDocument): string[] {
  return Object.entries(document.connections ?? {}).flatMap(([c, { actions }]) => Object.keys(actions).map((a) => `${c}.${a}`));
}
