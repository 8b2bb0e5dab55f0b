import { z } from 'zod';
import { duration, durationMs, id, name, nodeBase, target, value } from '../../document/shapes.js';
import { callProblems, callTargets, inputsOf, takeOutputs } from '../calls.js';
import type { Left, Outcome } from '../compiled.js';
import type { Completed, Effect } from '../effects/registry.js';
import { defineKind, type Found, type Place, type Use } from '../kind.js';
import type { PreparedValue } from '../prepared.js';
import type { Turn } from '../turn.js';
import type { Walking } from '../types.js';
import { enter } from '../enter.js';
import { walk } from '../walk.js';
import { valueUses } from './set.js';

const branch = z.strictObject({
  id,
  calls: id,
  given: z.record(name, value).optional(),
  into: z.record(name, target).optional(),
  within: duration.optional(),
});
const schema = z.strictObject({ kind: z.literal('parallel'), ...nodeBase, branches: z.array(branch).max(8) });
type Branch = z.infer<typeof branch>;

const DEFAULT_WITHIN_MS = 20_000;
/** `parallel` inside a branch of `parallel` may go so deep. */
const MAX_BRANCHING = 2;

function checks(branches: readonly Branch[], { document, asksVisitor }: Place): Found[] {
  const found = branches.flatMap((b, i): Found[] => {
    const field = `/branches/${i}`;
    const own: Found[] = callProblems(document, b, field);
    const waits = asksVisitor(b.calls);
    if (waits !== undefined)
      own.push({ code: 'branch-asks', severity: 'error', field: `${field}/calls`, facts: { flow: b.calls, ...waits } });
    return own;
  });
  if (branches.length > 1) return found;
  return [...found, { code: 'too-few-branches', severity: 'warning', field: '/branches', facts: {} }];
}

/** One branch while it runs, on a turn of its own. */
interface Running {
  readonly id: string;
  readonly calls: string;
  readonly into: Branch['into'];
  readonly turn: Turn;
  readonly steps: Walking<void>;
  /** What the places inside it begin with, and with them the paths of its effects. */
  readonly prefix: string;
  readonly timer: string;
  readonly withinMs: number;
  state: 'runs' | 'ended' | 'late';
}

interface PreparedBranch {
  readonly branch: Branch;
  readonly given: readonly (readonly [string, PreparedValue])[];
  readonly withinMs: number;
}

function begin(turn: Turn, { branch: b, given, withinMs }: PreparedBranch, index: number, of: number): Running {
  const child = turn.fork(index, of);
  enter(child, b.calls, inputsOf(turn, b.calls, given, `/branches/${index}`));
  const steps = walk(child);
  const prefix = turn.record.branchPrefix(index);
  const timer = `${prefix.slice(0, -1)}/timer`;
  return { id: b.id, calls: b.calls, into: b.into, turn: child, steps, prefix, timer, withinMs, state: 'runs' };
}

/** Lets a branch go on with results; returns the effects that it asks for now. */
function goOn(b: Running, results: readonly Completed[]): readonly Effect[] {
  const next = b.steps.next(results);
  if (!next.done) return next.value.effects;
  b.state = 'ended';
  return [];
}

/** Runs all branches at once; each goes on as soon as its own results are there, so the time is that of the slowest. */
function* runBranches(turn: Turn, branches: readonly Running[]): Walking<void> {
  let effects: Effect[] = branches.flatMap((b) => [...goOn(b, [])]);
  for (const b of branches) if (b.state === 'runs') effects.push({ type: 'timer', path: b.timer, ms: b.withinMs });
  while (branches.some((b) => b.state === 'runs')) {
    const came = yield { effects, said: turn.record.takeSaid() };
    effects = came.flatMap((c) => {
      const b = branches.find((r) => c.path === r.timer || c.path.startsWith(r.prefix));
      if (b?.state !== 'runs') return [];
      if (c.path !== b.timer) return [...goOn(b, [c])];
      b.state = 'late';
      return [];
    });
  }
}

/** Takes a branch's record over and says whether it did what it was called for. */
function join(turn: Turn, b: Running): boolean {
  const { turn: child } = b;
  const left: Left = child.left ?? { values: {}, failed: true };
  const ended = b.state === 'ended' && child.waiting === null;
  turn.merge(child, b.id, ended);
  if (b.state === 'late') turn.problem('branch-late', { branch: b.id, ms: b.withinMs });
  else if (child.waiting !== null) turn.problem('branch-waits', { branch: b.id, flow: b.calls });
  else if (left.failed) turn.problem('branch-failed', { branch: b.id, flow: b.calls });
  if (!ended || left.failed) return false;
  takeOutputs(turn, b.calls, b.into, left);
  return true;
}

/**
 * Runs flows that need no visitor at once and goes on when all have come back: by `done`, or by the exit that bears the
 * name of the first branch that failed or took too long. Branches do not see each other's changes.
 */
export const parallel = defineKind<z.infer<typeof schema>>({
  kind: 'parallel',
  band: 'bot',
  about: 'run several flows at once',
  schema,
  blank: () => ({ branches: [] }),
  exits: (node) => [
    { name: 'done', about: 'all have come back' },
    ...node.branches.map((b) => ({ name: b.id, about: `${b.id} failed or was too slow`, way: 'aside' as const })),
  ],
  prose: (node) => ({ text: node.branches.map((b) => b.calls).join(', ') || 'no branches yet', code: true }),
  uses: (node): Use[] =>
    node.branches.flatMap((b, i) => [
      ...Object.entries(b.given ?? {}).flatMap(([key, v]) => valueUses(v, `/branches/${i}/given/${key}`)),
      ...callTargets(b, `/branches/${i}`),
    ]),
  refers: (node) => node.branches.map((b, i) => ({ to: 'flow', name: b.calls, field: `/branches/${i}/calls` })),
  checks: (node, place) => checks(node.branches, place),
  prepare: (node, compiler) => {
    const prepared = node.branches.map((b): PreparedBranch => {
      const withinMs = b.within === undefined ? DEFAULT_WITHIN_MS : durationMs(b.within);
      return { branch: b, given: compiler.fields(b.given), withinMs };
    });
    return {
      run: function* (turn): Walking<Outcome> {
        if (turn.branching >= MAX_BRANCHING) {
          turn.problem('too-deep', { flow: 'parallel', most: MAX_BRANCHING });
          return { exit: prepared[0]?.branch.id ?? 'done' };
        }
        const branches = prepared.flatMap((b, i) =>
          turn.makes(Object.values(b.branch.into ?? {})) ? [begin(turn, b, i, prepared.length)] : [],
        );
        yield* runBranches(turn, branches);
        const failed = branches.filter((b) => !join(turn, b));
        if (turn.over) return { ends: 'conversation' };
        return failed[0] ? { exit: failed[0].id } : { exit: 'done' };
      },
    };
  },
});
