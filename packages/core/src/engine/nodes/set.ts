import { z } from 'zod';
import { nodeBase, target, value } from '../../document/shapes.js';
import type { Value } from '../../document/shapes.js';
import type { ChangeOperation } from '../../document/variables.js';
import { defineKind, type Use } from '../kind.js';

const schema = z.strictObject({
  kind: z.literal('set'),
  ...nodeBase,
  sets: z.array(
    z.union([
      z.strictObject({ into: target, to: value }),
      z.strictObject({ into: target, add: value }),
      z.strictObject({ into: target, remove: value }),
    ]),
  ),
});
type Setting = z.infer<typeof schema>['sets'][number];

/** What one line of a `set` does, in one form for all three. */
function changeOf(setting: Setting): { op: ChangeOperation; key: 'to' | 'add' | 'remove'; value: Value } {
  if ('to' in setting) return { op: 'set', key: 'to', value: setting.to };
  return 'add' in setting
    ? { op: 'add', key: 'add', value: setting.add }
    : { op: 'remove', key: 'remove', value: setting.remove };
}

function proseOf(setting: Setting): string {
  const { op, value: to } = changeOf(setting);
  if (to === null) return `Empty {{ ${setting.into} }}`;
  const words = typeof to === 'string' ? to : JSON.stringify(to);
  if (op === 'set') return `{{ ${setting.into} }} becomes ${words}`;
  return op === 'add' ? `Add ${words} to {{ ${setting.into} }}` : `Remove ${words} from {{ ${setting.into} }}`;
}

/** Every string in a JSON value, as a template with its pointer. */
export function valueUses(source: Value, field: string, locals?: readonly string[]): Use[] {
  if (typeof source === 'string') return [{ field, as: 'template', text: source, ...(locals ? { locals } : {}) }];
  if (Array.isArray(source)) return source.flatMap((v: Value, i) => valueUses(v, `${field}/${i}`, locals));
  if (source === null || typeof source !== 'object') return [];
  return Object.entries(source).flatMap(([key, v]) => valueUses(v, `${field}/${key}`, locals));
}

/** Changes variables: gives them values (`null` empties one), adds to them or removes from them. */
export const set = defineKind<z.infer<typeof schema>>({
  kind: 'set',
  band: 'bot',
  about: 'give variables a value',
  schema,
  blank: () => ({ sets: [] }),
  exits: () => [{ name: 'done', about: 'after the values are set' }],
  prose: (node) => ({ text: node.sets.map(proseOf).join('. ') }),
  uses: (node) =>
    node.sets.flatMap((s, i): Use[] => [
      { field: `/sets/${i}/into`, as: 'target', text: s.into },
      ...valueUses(changeOf(s).value, `/sets/${i}/${changeOf(s).key}`),
    ]),
  checks: (node) => (node.sets.length > 0 ? [] : [{ code: 'nothing-set', severity: 'warning', field: '/sets', facts: {} }]),
  prepare: (node, compiler) => {
    const sets = node.sets.map((s, i) => {
      const { op, key, value: to } = changeOf(s);
      return { into: s.into, op, field: `/sets/${i}/${key}`, to: compiler.value(to) };
    });
    return {
      run: (turn) => {
        for (const { into, op, field, to } of sets) turn.change(into, op, turn.value(field, to));
        return { exit: 'done' };
      },
    };
  },
});
