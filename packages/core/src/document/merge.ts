import { applyPatch, comparePatch, type Patched, type PatchOperation } from './patch.js';
import type { Value } from './shapes.js';

/** One place that two people changed differently. A value that is left out means that there is nothing. */
export interface Clash {
  readonly path: string;
  readonly base?: Value;
  readonly mine?: Value;
  readonly theirs?: Value;
}

export type Rebased =
  | { readonly ok: true; readonly patch: readonly PatchOperation[]; readonly value: unknown }
  | { readonly ok: false; readonly reason: 'clash'; readonly clashes: readonly Clash[] }
  | { readonly ok: false; readonly reason: 'patch-failed'; readonly index: number; readonly why: Refusal };

type Refusal = Extract<Patched, { ok: false }>['reason'];

interface Found {
  readonly there: boolean;
  readonly value?: unknown;
}

function partsOf(path: string): string[] {
  return path
    .split('/')
    .slice(1)
    .map((p) => p.replaceAll('~1', '/').replaceAll('~0', '~'));
}

function pathOf(parts: readonly string[]): string {
  return parts.map((p) => '/' + p.replaceAll('~', '~0').replaceAll('/', '~1')).join('');
}

function look(source: unknown, parts: readonly string[]): Found {
  let at = source;
  for (const part of parts) {
    if (at === null || typeof at !== 'object' || !Object.hasOwn(at, part)) return { there: false };
    at = (at as Record<string, unknown>)[part];
  }
  return { there: true, value: at };
}

/** True when two JSON values are equal, whatever the order of their keys. */
export function sameValue(a: unknown, b: unknown): boolean {
  if (a === b) return true;
  if (a === null || b === null || typeof a !== 'object' || typeof b !== 'object' || Array.isArray(a) !== Array.isArray(b))
    return false;
  const [left, right] = [Object.entries(a), b as Record<string, unknown>];
  return (
    left.length === Object.keys(b).length && left.every(([key, value]) => Object.hasOwn(b, key) && sameValue(value, right[key]))
  );
}

const same = (a: Found, b: Found): boolean => a.there === b.there && sameValue(a.value, b.value);

/** Where the first list on the way to a place stands in the path: the index of the item's part; -1 where there is none. */
function listPart(source: unknown, parts: readonly string[]): number {
  return parts.findIndex((_, i) => Array.isArray(look(source, parts.slice(0, i)).value));
}

/** The item of a list that equals a value; the nearest to where it was, -1 where none does. */
function findItem(list: readonly unknown[], value: unknown, near: number): number {
  let best = -1;
  list.forEach((item, i) => {
    if (sameValue(item, value) && (best < 0 || Math.abs(i - near) < Math.abs(best - near))) best = i;
  });
  return best;
}

/** Where a place in a list of `base` is in the list of `now`: its item is found again by value. Undefined when it is gone. */
function relocate(base: unknown, now: unknown, step: PatchOperation): string[] | undefined {
  const parts = partsOf(step.path);
  const at = listPart(base, parts);
  if (at < 0) return parts;
  const before = look(base, parts.slice(0, at)).value as readonly unknown[];
  const after = look(now, parts.slice(0, at)).value;
  if (sameValue(before, after)) return parts;
  if (!Array.isArray(after)) return undefined;
  const list = after as readonly unknown[];
  const index = parts[at] === '-' ? before.length : Number(parts[at]);
  const moved = (to: number) => [...parts.slice(0, at), String(to), ...parts.slice(at + 1)];
  if (step.op !== 'add' || at < parts.length - 1) {
    const to = findItem(list, before[index], index);
    return to < 0 ? undefined : moved(to);
  }
  if (index >= before.length) return moved(list.length);
  const next = findItem(list, before[index], index);
  if (next >= 0) return moved(next);
  const previous = index === 0 ? -1 : findItem(list, before[index - 1], index - 1);
  return moved(previous >= 0 ? previous + 1 : Math.min(index, list.length));
}

/** A step as it has to be made now; where it meets another change, the clash and the step that would win it. */
interface Fitted {
  readonly step?: PatchOperation;
  readonly clash?: Clash;
  readonly forced?: PatchOperation;
}

function fit(base: unknown, now: unknown, step: PatchOperation): Fitted {
  const parts = relocate(base, now, step);
  const before = look(base, partsOf(step.path));
  if (!parts) {
    const there = look(now, partsOf(step.path));
    return { clash: clashOf(step, before, there), ...(there.there && step.op === 'replace' ? { forced: step } : {}) };
  }
  const moved = { ...step, path: pathOf(parts) };
  const after = look(now, parts);
  if (step.op === 'test') return same(before, after) ? {} : { clash: clashOf(step, before, after) };
  if ('from' in step && !same(look(base, partsOf(step.from)), look(now, partsOf(step.from))))
    return { clash: clashOf(step, before, after) };
  if (parts.length > 0 && !look(now, parts.slice(0, -1)).there) return { clash: clashOf(step, before, { there: false }) };
  const inserts = step.op === 'add' && Array.isArray(look(now, parts.slice(0, -1)).value);
  const wanted = 'value' in step ? { there: true, value: step.value } : { there: false };
  if (inserts || same(before, after)) return { step: moved };
  if (same(after, wanted)) return {};
  const clash = clashOf(step, before, after);
  if ('from' in step) return { clash };
  if (step.op === 'remove') return { clash, ...(after.there ? { forced: moved } : {}) };
  return {
    clash,
    forced: after.there ? { op: 'replace', path: moved.path, value: step.value } : ({ ...moved, op: 'add' } as PatchOperation),
  };
}

/** A test wants nothing of its own: its clash has no `mine` but the value that it expects, as the base. */
function clashOf(step: PatchOperation, before: Found, after: Found): Clash {
  return {
    path: step.path,
    ...(before.there ? { base: before.value as Value } : {}),
    ...('value' in step && step.op !== 'test' ? { mine: step.value } : {}),
    ...(after.there ? { theirs: after.value as Value } : {}),
  };
}

/**
 * A patch that was made against `base`, as it has to be against `now`. What others changed elsewhere stays; items of
 * lists are found again by value. Where both changed the same place differently it is a clash, unless `prefer` says
 * whose value to take there. Both documents are left as they were.
 */
export function rebasePatch(base: unknown, now: unknown, patch: readonly PatchOperation[], prefer?: 'mine' | 'theirs'): Rebased {
  const clashes: Clash[] = [];
  const tested: Clash[] = [];
  const rebased: PatchOperation[] = [];
  let [mine, theirs] = [base, now];
  for (const [index, step] of patch.entries()) {
    const done = applyPatch(mine, [step]);
    if (!done.ok) return { ok: false, reason: 'patch-failed', index, why: done.reason };
    const { step: fits, clash, forced } = fit(mine, theirs, step);
    mine = done.value;
    if (clash && prefer === undefined) (step.op === 'test' ? tested : clashes).push(clash);
    const put = clash ? prefer === 'mine' && forced : fits;
    const next = put ? applyPatch(theirs, [put]) : undefined;
    if (!put || !next?.ok) continue;
    theirs = next.value;
    rebased.push(put);
  }
  // A test that guards a step which clashes itself says nothing more.
  const guards = (t: Clash) => clashes.some((c) => c.path === t.path || c.path.startsWith(`${t.path}/`));
  const all = [...tested.filter((t) => !guards(t)), ...clashes];
  if (all.length > 0) return { ok: false, reason: 'clash', clashes: all };
  return { ok: true, patch: rebased, value: theirs };
}

/**
 * The patch that leads from one draft to another, as drafts are edited: before anything is changed in an item of a
 * list, a `test` says what the item was.
 */
export function draftPatch(before: object, after: object): PatchOperation[] {
  const tested = new Set<string>();
  return comparePatch(before, after).flatMap((step) => {
    const parts = partsOf(step.path);
    const at = listPart(before, parts);
    const item = at < 0 ? undefined : parts.slice(0, at + 1);
    const found = item && look(before, item);
    const path = item ? pathOf(item) : '';
    if (!found?.there || tested.has(path)) return [step];
    tested.add(path);
    return [{ op: 'test', path, value: found.value as Value }, step];
  });
}
