import { z } from 'zod';
import { name, nodeBase, target, value } from '../../document/shapes.js';
import type { FlowNode, Value } from '../../document/shapes.js';
import type { ChangeOperation } from '../../document/variables.js';
import type { BotDocument } from '../../document/schema.js';
import { nearest } from '../../text/nearest.js';
import { defineKind, type Found, type Use } from '../kind.js';

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
  /** Contexts to open, each with what it carries, and contexts to close. */
  opens: z.record(name, z.record(name, value)).optional(),
  closes: z.array(name).optional(),
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

/** Contexts that are not declared, and values that they do not carry. */
function contextProblems(node: z.infer<typeof schema>, document: BotDocument): Found[] {
  const known = document.contexts ?? {};
  const unknown = (context: string, field: string): Found[] =>
    context in known
      ? []
      : [
          {
            code: 'unknown-context',
            severity: 'error',
            field,
            facts: { name: context, suggestion: nearest(context, Object.keys(known)) ?? null },
          },
        ];
  return [
    ...Object.entries(node.opens ?? {}).flatMap(([c, values]) => [
      ...unknown(c, `/opens/${c}`),
      ...Object.keys(values)
        .filter((k) => c in known && !(k in (known[c]?.carries ?? {})))
        .map((k): Found => {
          const facts = { name: k, context: c, suggestion: nearest(k, Object.keys(known[c]?.carries ?? {})) ?? null };
          return { code: 'not-carried', severity: 'error', field: `/opens/${c}/${k}`, facts };
        }),
    ]),
    ...(node.closes ?? []).flatMap((c, i) => unknown(c, `/closes/${i}`)),
  ];
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
  prose: (node) => ({
    text: [
      ...node.sets.map(proseOf),
      ...Object.keys(node.opens ?? {}).map((c) => `Open the context ${c}`),
      ...(node.closes ?? []).map((c) => `Close the context ${c}`),
    ].join('. '),
  }),
  uses: (node) => [
    ...node.sets.flatMap((s, i): Use[] => [
      { field: `/sets/${i}/into`, as: 'target', text: s.into },
      ...valueUses(changeOf(s).value, `/sets/${i}/${changeOf(s).key}`),
    ]),
    ...valueUses(node.opens ?? null, '/opens'),
  ],
  refers: (node) => Object.keys(node.opens ?? {}).map((context) => ({ to: 'context', name: context, opens: true })),
  checks: (node, { document }) => [
    ...(node.sets.length + Object.keys(node.opens ?? {}).length + (node.closes ?? []).length > 0
      ? []
      : [{ code: 'nothing-set', severity: 'warning', field: '/sets', facts: {} } as const]),
    ...contextProblems(node, document),
  ],
  prepare: (node, compiler) => {
    const sets = node.sets.map((s, i) => {
      const { op, key, value: to } = changeOf(s);
      return { into: s.into, op, field: `/sets/${i}/${key}`, to: compiler.value(to) };
    });
    const opens = Object.entries(node.opens ?? {}).map(([c, values]) => [c, compiler.fields(values)] as const);
    return {
      run: (turn) => {
        for (const { into, op, field, to } of sets) turn.change(into, op, turn.value(field, to));
        for (const [c, values] of opens)
          turn.openContext(
            c,
            Object.fromEntries(values.map(([k, v]) => [k, turn.value(`/opens/${c}/${k}`, v, undefined, true)])),
          );
        for (const c of node.closes ?? []) turn.closeContext(c);
        return { exit: 'done' };
      },
    };
  },
});

/** A node that gives one variable a value and goes on. */
export function settingOf(title: string, into: string, to: Value, done: string): FlowNode {
  return { kind: set.kind, title, sets: [{ into, to }], exits: { done } };
}
