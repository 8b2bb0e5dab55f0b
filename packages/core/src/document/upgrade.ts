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
  return { ok: true, value };
}

function refuse(code: string, facts: Problem['facts']): Upgraded {
  return { ok: false, problem: { code, severity: 'error', field: '/primrose', facts } };
}
