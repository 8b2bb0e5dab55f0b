import { z } from 'zod';
import { name, nodeBase, target, value, type FlowNode, type Value } from '../../document/shapes.js';
import { callProblems, callTargets, inputsOf, takeOutputs } from '../calls.js';
import { defineKind } from '../kind.js';
import { valueUses } from './set.js';

/** A flow's id, or '' while none is chosen. */
const flowId = z.string().regex(/^([a-z][a-z0-9]*(-[a-z0-9]+)*)?$/);

const schema = z.strictObject({
  kind: z.literal('flow'),
  ...nodeBase,
  calls: flowId,
  given: z.record(name, value).optional(),
  into: z.record(name, target).optional(),
});

/** Runs another flow and comes back: hands over what it takes, and keeps what it gives. */
export const flow = defineKind<z.infer<typeof schema>>({
  kind: 'flow',
  band: 'bot',
  about: 'run another flow and come back',
  schema,
  blank: () => ({ calls: '' }),
  exits: () => [
    { name: 'done', about: 'the flow came to its end' },
    { name: 'failed', about: 'the flow failed', way: 'aside' },
  ],
  prose: (node) => ({ text: node.calls || 'a flow', code: true }),
  uses: (node) => [
    ...Object.entries(node.given ?? {}).flatMap(([key, v]) => valueUses(v, `/given/${key}`)),
    ...callTargets(node, ''),
  ],
  refers: (node) => [{ to: 'flow', name: node.calls, field: '/calls' }],
  checks: (node, { document }) => callProblems(document, node, ''),
  prepare: (node, compiler) => {
    const given = compiler.fields(node.given);
    return {
      run: (turn) => ({ calls: node.calls, values: inputsOf(turn, node.calls, given, '') }),
      back: (turn, left) => {
        if (left.failed) return { exit: 'failed' };
        takeOutputs(turn, node.calls, node.into, left);
        return { exit: 'done' };
      },
    };
  },
});

/** A node that calls a flow: what it is given, where its outputs go, and where the story goes on when it came to its end. */
export function callOf(
  calls: string,
  given: Readonly<Record<string, Value>>,
  into: Readonly<Record<string, string>>,
  done: string | undefined,
): FlowNode {
  return {
    kind: flow.kind,
    calls,
    ...(Object.keys(given).length === 0 ? {} : { given }),
    ...(Object.keys(into).length === 0 ? {} : { into }),
    exits: done === undefined ? {} : { done },
  };
}
