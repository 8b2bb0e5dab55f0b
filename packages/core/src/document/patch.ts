import fastJsonPatch, { type Operation } from 'fast-json-patch';
import { z } from 'zod';
import { value } from './shapes.js';

const { applyPatch: apply, compare } = fastJsonPatch;
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

/** Applies a patch to a copy of a JSON value. Nothing is applied unless every step can be. */
export function applyPatch(source: unknown, patch: readonly PatchOperation[]): Patched {
  const bad = patch.findIndex((p) => FORBIDDEN.test(p.path) || ('from' in p && FORBIDDEN.test(p.from)));
  if (bad >= 0) return { ok: false, index: bad, reason: 'forbidden' };
  try {
    const { newDocument } = apply(structuredCopy(source), patch.map((p) => ({ ...p })) as Operation[], true, true, true);
    return { ok: true, value: newDocument };
  } catch (error) {
    const { index = 0, name } = error as { index?: number; name?: string };
    return { ok: false, index, reason: name === 'TEST_OPERATION_FAILED' ? 'test-failed' : 'no-such-place' };
  }
}

/** The patch that leads from one JSON value to another. */
export function comparePatch(before: object, after: object): PatchOperation[] {
  return compare(before, after) as PatchOperation[];
}

function structuredCopy(source: unknown): unknown {
  return JSON.parse(JSON.stringify(source));
}
