import { z } from 'zod';
import { nodeBase, target, value } from '../../document/shapes.js';
import type { Value } from '../../document/shapes.js';
import { defineKind, type Use } from '../kind.js';

const schema = z.strictObject({
  kind: z.literal('set'),
  ...nodeBase,
  sets: z.array(z.strictObject({ into: target, to: value })),
});

/** Every string in a JSON value, as a template with its pointer. */
export function valueUses(source: Value, field: string, locals?: readonly string[]): Use[] {
  if (typeof source === 'string') return [{ field, as: 'template', text: source, ...(locals ? { locals } : {}) }];
  if (Array.isArray(source)) return source.flatMap((v: Value, i) => valueUses(v, `${field}/${i}`, locals));
  if (source === null || typeof source !== 'object') return [];
  return Object.entries(source).flatMap(([key, v]) => valueUses(v, `${field}/${key}`, locals));
}

/** Gives variables values; `null` empties one. */
export const set = defineKind<z.infer<typeof schema>>({
  kind: 'set',
  band: 'bot',
  about: 'give variables a value',
  schema,
  blank: () => ({ sets: [] }),
  exits: () => [{ name: 'done', about: 'after the values are set' }],
  prose: (node) => ({
    text: node.sets
      .map((s) =>
        s.to === null
          ? `Empty {{ ${s.into} }}`
          : `{{ ${s.into} }} becomes ${typeof s.to === 'string' ? s.to : JSON.stringify(s.to)}`,
      )
      .join('. '),
  }),
  uses: (node) =>
    node.sets.flatMap((s, i): Use[] => [
      { field: `/sets/${i}/into`, as: 'target', text: s.into },
      ...valueUses(s.to, `/sets/${i}/to`),
    ]),
  checks: (node) => (node.sets.length > 0 ? [] : [{ code: 'nothing-set', severity: 'warning', field: '/sets', facts: {} }]),
  prepare: (node, compiler) => {
    const sets = node.sets.map((s, i) => ({ into: s.into, field: `/sets/${i}/to`, to: compiler.value(s.to) }));
    return {
      run: (turn) => {
        for (const { into, field, to } of sets) turn.write(into, turn.value(field, to));
        return { exit: 'done' };
      },
    };
  },
});
