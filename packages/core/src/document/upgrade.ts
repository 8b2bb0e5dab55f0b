import type { PatchOperation } from './patch.js';
import type { Problem } from './problem.js';

/** The version of the document format that this code writes. */
export const FORMAT_VERSION = 1;

type Upgraded = { readonly ok: true; readonly value: unknown } | { readonly ok: false; readonly problem: Problem };

/** Steps from version n to n + 1, by n. Empty while there is one version; each step is kept for good. */
const STEPS: Readonly<Record<number, (source: Record<string, unknown>) => Record<string, unknown>>> = {};

/** Brings a document of any earlier version to the present one. Refuses what is no document or comes from the future. */
export function upgrade(source: unknown): Upgraded {
  if (source === null || typeof source !== 'object' || Array.isArray(source)) return refuse('not-a-document', {});
  const version = (source as Record<string, unknown>)['primrose'];
  if (version === undefined) return refuse('no-version', {});
  if (typeof version !== 'number' || !Number.isInteger(version) || version < 1) return refuse('no-version', {});
  if (version > FORMAT_VERSION) return refuse('newer-version', { version, known: FORMAT_VERSION });
  let value = source as Record<string, unknown>;
  for (let v = version; v < FORMAT_VERSION; v++) value = STEPS[v]?.(value) ?? value;
  return { ok: true, value: withPresentNames(value) };
}

const isPlain = (value: unknown): value is Readonly<Record<string, unknown>> =>
  value !== null && typeof value === 'object' && !Array.isArray(value);

/** A connection said `shows` before it said `auth`; both are read, and one of them is written. */
function withPresentNames(source: Record<string, unknown>): Record<string, unknown> {
  const { connections } = source;
  if (!isPlain(connections) || !Object.values(connections).some((c) => isPlain(c) && 'shows' in c)) return source;
  const renamed = Object.entries(connections).map(([id, c]) => [id, isPlain(c) && !('auth' in c) ? renamedAuth(c) : c]);
  return { ...source, connections: Object.fromEntries(renamed) as unknown };
}

function renamedAuth(connection: Readonly<Record<string, unknown>>): Record<string, unknown> {
  return Object.fromEntries(Object.entries(connection).map(([key, v]) => [key === 'shows' ? 'auth' : key, v]));
}

/** A patch that was stored under earlier names, so that it fits a document that was read since. */
export function withPresentPaths(patch: readonly PatchOperation[]): readonly PatchOperation[] {
  const present = (at: string) => at.replace(/^(\/connections\/[^/]+)\/shows(?=\/|$)/, '$1/auth');
  return patch.map((step) => {
    const path = present(step.path);
    const moved = 'from' in step && typeof step.from === 'string' ? { from: present(step.from) } : {};
    return path === step.path && Object.keys(moved).length === 0 ? step : { ...step, path, ...moved };
  });
}

function refuse(code: string, facts: Problem['facts']): Upgraded {
  return { ok: false, problem: { code, severity: 'error', field: '/primrose', facts } };
}
