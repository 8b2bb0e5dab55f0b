import { z } from 'zod';
import { expression, id, nodeBase, type FlowNode } from '../../document/shapes.js';
import { caseExits, defineKind } from '../kind.js';

const schema = z.strictObject({
  kind: z.literal('branch'),
  ...nodeBase,
  cases: z.array(z.strictObject({ exit: id, when: expression })),
});

/** Leaves by the first case whose condition holds, else by `otherwise`. */
export const branch = defineKind<z.infer<typeof schema>>({
  kind: 'branch',
  band: 'bot',
  about: 'go one way or another',
  schema,
  blank: () => ({ cases: [] }),
  exits: (node) => [...caseExits(node.cases), { name: 'otherwise', about: 'when no condition holds' }],
  prose: (node) => ({ text: node.cases.map((c) => `${c.exit}: {{ ${c.when} }}`).join(', ') }),
  uses: (node) => node.cases.map((c, i) => ({ field: `/cases/${i}/when`, as: 'expression', text: c.when })),
  checks: (node) => (node.cases.length > 0 ? [] : [{ code: 'no-cases', severity: 'warning', field: '/cases', facts: {} }]),
  prepare: (node, compiler) => {
    const cases = node.cases.map((c, i) => ({ exit: c.exit, field: `/cases/${i}/when`, when: compiler.expression(c.when) }));
    return {
      run: (turn) => ({ exit: cases.find((c) => turn.evaluate(c.field, c.when) === true)?.exit ?? 'otherwise' }),
    };
  },
});

/** A node that goes one way for each case, to the node that bears the exit's name, and else to `otherwise`. */
export function branchOf(cases: readonly { readonly exit: string; readonly when: string }[], otherwise: string): FlowNode {
  return { kind: branch.kind, cases, exits: { ...Object.fromEntries(cases.map((c) => [c.exit, c.exit])), otherwise } };
}
