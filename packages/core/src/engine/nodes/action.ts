import { z } from 'zod';
import { actionChanges, actionNames, findAction } from '../../document/actions.js';
import {
  duration,
  durationMs,
  expression,
  id,
  name,
  nodeBase,
  target,
  typeName,
  value,
  type Value,
} from '../../document/shapes.js';
import { nearest } from '../../text/nearest.js';
import { ACTION_TIMEOUT_MS, actionEffect, actionGave } from '../action-call.js';
import type { Outcome } from '../compiled.js';
import type { ActionResult } from '../effects/action.js';
import { failureSays, type VisibleFailure } from '../failure-words.js';
import { caseExits, defineKind, type Found, type Place, type Use } from '../kind.js';
import type { Turn } from '../turn.js';
import type { Walking } from '../types.js';
import { perform } from '../walk.js';
import { valueUses } from './set.js';

const schema = z.strictObject({
  kind: z.literal('action'),
  ...nodeBase,
  runs: z.string().regex(/^([a-z][a-z0-9-]*\.[a-z][a-z0-9-]*)?$/),
  given: z.record(name, value).optional(),
  into: target.optional(),
  cases: z.array(z.strictObject({ exit: id, when: expression })).optional(),
  timeout: duration.optional(),
});
type ActionNode = z.infer<typeof schema>;

const ANSWER_LOCALS = ['answer', 'status'];

function checks(node: ActionNode, { document }: Place): Found[] {
  const found = findAction(document, node.runs);
  if (!found) {
    const suggestion = nearest(node.runs, actionNames(document)) ?? null;
    return [{ code: 'unknown-action', severity: 'error', field: '/runs', facts: { name: node.runs, suggestion } }];
  }
  const takes = found.action.takes ?? {};
  const given = node.given ?? {};
  const needed = Object.entries(takes).filter(([key, type]) => !(key in given) && !typeName(type).endsWith('?'));
  const unknown = Object.keys(given).filter((key) => !(key in takes));
  return [
    ...needed.map(([key]): Found => ({
      code: 'not-given',
      severity: 'error',
      field: '/given',
      facts: { name: key, action: node.runs },
    })),
    ...unknown.map((key): Found => {
      const suggestion = nearest(key, Object.keys(takes)) ?? null;
      return {
        code: 'unknown-input',
        severity: 'error',
        field: `/given/${key}`,
        facts: { name: key, action: node.runs, suggestion },
      };
    }),
  ];
}

interface Failing {
  readonly status: number | null;
  readonly code: VisibleFailure;
  readonly reason: string;
}

function failed(turn: Turn, runs: string, { status, code, reason }: Failing): Outcome {
  turn.view.turn['failure'] = { action: runs, status, reason, says: failureSays(code, turn.language) };
  turn.problem('action-failed', { action: runs, status, reason });
  return { exit: 'failed', note: reason };
}

/** Runs one operation of a connection. A case that holds decides the exit, for answers of any status. */
export const action = defineKind<ActionNode>({
  kind: 'action',
  band: 'outside',
  about: 'call an outside service',
  schema,
  blank: () => ({ runs: '' }),
  exits: (node) => [
    ...caseExits(node.cases),
    { name: 'done', about: 'it worked', way: 'usual' },
    { name: 'failed', about: 'an error, or too slow', way: 'aside' },
  ],
  prose: (node) => ({ text: node.runs || 'an action', code: true }),
  uses: (node): Use[] => [
    ...Object.entries(node.given ?? {}).flatMap(([key, v]) => valueUses(v, `/given/${key}`)),
    ...(node.into === undefined ? [] : [{ field: '/into', as: 'target', text: node.into } as const]),
    ...(node.cases ?? []).map(
      (c, i) => ({ field: `/cases/${i}/when`, as: 'expression', text: c.when, locals: ANSWER_LOCALS }) as const,
    ),
  ],
  refers: (node) => [{ to: 'action', name: node.runs, field: '/runs' }],
  changes: (node, document) => {
    const found = findAction(document, node.runs);
    return found !== undefined && actionChanges(found.action);
  },
  checks,
  prepare: (node, compiler) => {
    const prepared = compiler.action(node.runs);
    const given = compiler.fields(node.given);
    const cases = (node.cases ?? []).map((c, i) => ({
      exit: c.exit,
      field: `/cases/${i}/when`,
      when: compiler.expression(c.when),
    }));
    const timeoutMs = node.timeout === undefined ? ACTION_TIMEOUT_MS : durationMs(node.timeout);
    const settle = (turn: Turn, result: ActionResult): Outcome => {
      if (!prepared) return { exit: 'failed' };
      if (result.outcome === 'failed') return failed(turn, node.runs, { ...result, status: null });
      const good = result.status >= 200 && result.status < 300;
      if (!good) turn.kept.answered(prepared, result.status);
      const given = good ? actionGave(turn, prepared, result.body) : undefined;
      if (given?.ok && node.into !== undefined) turn.write(node.into, given.value);
      const locals = { answer: result.body, status: result.status };
      const met = cases.find((c) => turn.evaluate(c.field, c.when, locals) === true);
      if (met) return { exit: met.exit };
      const { status } = result;
      if (given && !given.ok) return failed(turn, node.runs, { status, code: 'bad-answer', reason: given.reason });
      if (good) return { exit: 'done' };
      return failed(turn, node.runs, { status, code: 'answered', reason: `${node.runs} answered with status ${status}` });
    };
    return {
      run: function* (turn): Walking<Outcome> {
        const mistake = (reason: string) => failed(turn, node.runs, { status: null, code: 'not-configured', reason });
        if (!prepared) return mistake(`there is no action "${node.runs}" in this bot`);
        const inputs = given.map(([key, v]): [string, Value] => {
          return [key, turn.value(`/given/${key}`, v, undefined, prepared.optional.has(key))];
        });
        const asked = actionEffect(turn, prepared, Object.fromEntries(inputs), timeoutMs);
        if (!asked.ok) return mistake(asked.reason);
        const { effect } = asked;
        const came = yield* perform(turn, effect);
        turn.recordEffect({ request: effect, result: came });
        return settle(turn, came);
      },
    };
  },
});
