import fastJsonPatch, { type Operation } from 'fast-json-patch';
import { z } from 'zod';
import { value } from './shapes.js';

const { applyOperation, compare, JsonPatchError } = fastJsonPatch;
const at = z.string().regex(/^(\/([^~/]|~[01])*)*$/, 'a JSON Pointer such as /flows/welcome/title');

/** One step of a JSON Patch (RFC 6902). */
export const patchOperation = z.discriminatedUnion('op', [
  z.strictObject({ op: z.literal('add'), path: at, value }),
  z.strictObject({ op: z.literal('replace'), path: at, value }),
  z.strictObject({ op: z.literal('test'), path: at, value }),
  z.strictObject({ op: z.literal('remove'), path: at }),
  z.strictObject({ op: z.literal('move'), path: at, from: at }),
  z.strictObject({ op: z.literal('copy'), path: at, from: at }),
]);
export type PatchOperation = z.infer<typeof patchOperation>;

export type Patched =
  | { readonly ok: true; readonly value: unknown }
  | { readonly ok: false; readonly index: number; readonly reason: 'test-failed' | 'no-such-place' | 'forbidden' };

const FORBIDDEN = /(^|\/)(__proto__|prototype|constructor)(\/|$)/;

/**
 * Applies a patch to a JSON value and returns the new one; the old one stays as it was. Parts that the patch does not
 * touch are shared by both. Nothing is applied unless every step can be.
 */
export function applyPatch(source: unknown, patch: readonly PatchOperation[]): Patched {
  const bad = patch.findIndex((p) => FORBIDDEN.test(p.path) || ('from' in p && FORBIDDEN.test(p.from)));
  if (bad >= 0) return { ok: false, index: bad, reason: 'forbidden' };
  let value = source;
  for (const [index, step] of patch.entries()) {
    try {
      value = applyStep(value, step);
    } catch (error) {
      if (!(error instanceof JsonPatchError) && !(error instanceof TypeError)) throw error;
      return { ok: false, index, reason: error.name === 'TEST_OPERATION_FAILED' ? 'test-failed' : 'no-such-place' };
    }
  }
  return { ok: true, value };
}

function applyStep(source: unknown, step: PatchOperation): unknown {
  const changing = step.op === 'test' ? [] : [step.path, ...(step.op === 'move' ? [step.from] : [])];
  const own = changing.reduce(ownPath, source);
  const op = ('value' in step ? { ...step, value: copied(step.value) } : { ...step }) as Operation;
  return applyOperation(own, op, true, true, true).newDocument;
}

/** The same JSON value with every container on the way to a place copied, so that the place can be written. */
function ownPath(source: unknown, path: string): unknown {
  const own = shallow(source);
  let at = own;
  for (const part of path.split('/').slice(1, -1)) {
    const key = part.replaceAll('~1', '/').replaceAll('~0', '~');
    if (!isContainer(at) || !Object.hasOwn(at, key)) break;
    const table = at as Record<string, unknown>;
    at = table[key] = shallow(table[key]);
  }
  return own;
}

function isContainer(value: unknown): value is object {
  return value !== null && typeof value === 'object';
}

function shallow(value: unknown): unknown {
  if (Array.isArray(value)) return [...(value as unknown[])];
  return isContainer(value) ? { ...value } : value;
}

function copied<T>(value: T): T {
  return isContainer(value) ? (JSON.parse(JSON.stringify(value)) as T) : value;
}

/**
 * The patch that leads from one JSON value to another. With `guarded`, a `test` of the old value stands before every
 * step that replaces or removes one.
 */
export function comparePatch(before: object, after: object, guarded = false): PatchOperation[] {
  return compare(before, after, guarded) as PatchOperation[];
}
