import type { Value } from '../document/shapes.js';
import type { Phrase } from './phrases.js';
import type { FoundValue } from './recognise.js';
import { tokensOf, type Token } from './words.js';

/** How often a role stood in which neighbourhood, learned from the marks of an intent's phrases. */
export interface RoleModel {
  readonly entity: string;
  readonly role: string;
  readonly count: number;
  readonly seen: ReadonlyMap<string, number>;
}

const SMOOTHING = 0.3;
/** Different neighbourhoods that are thought to be possible; only the ratio to SMOOTHING matters. */
const POSSIBLE = 20;

/** What stands around some words: the words before and after them. */
function neighbourhood(tokens: readonly Token[], from: number, to: number): string[] {
  const before = tokens.filter((t) => t.to <= from).slice(-2);
  const after = tokens.find((t) => t.from >= to);
  const last = before.at(-1)?.word ?? '^';
  return [`-1 ${last}`, `-2 ${before.length > 1 ? before[0]?.word : '^'} ${last}`, `+1 ${after?.word ?? '$'}`];
}

/** Learns the roles of an intent. `takes` are the inputs of the flow that it starts: roles even without a marked phrase. */
export function learnRoles(phrases: readonly Phrase[], takes: Readonly<Record<string, string>>): RoleModel[] {
  const models = new Map<string, { entity: string; role: string; count: number; seen: Map<string, number> }>();
  const model = (entity: string, role: string) => {
    const key = `${entity} ${role}`;
    const made = models.get(key) ?? { entity, role, count: 0, seen: new Map<string, number>() };
    models.set(key, made);
    return made;
  };
  for (const [role, entity] of Object.entries(takes)) model(entity, role);
  for (const { text, marks } of phrases) {
    const tokens = tokensOf(text);
    for (const { from, to, entity, role = entity } of marks) {
      const of = model(entity, role);
      of.count++;
      for (const n of neighbourhood(tokens, from, to)) of.seen.set(n, (of.seen.get(n) ?? 0) + 1);
    }
  }
  return [...models.values()];
}

/**
 * Finds which found value has which role in an intent: of all pairs the likeliest first (naive Bayes over the words around), one
 * value per role. A value without a role left is not among the result.
 */
export function valuesByRole(
  text: string,
  found: readonly FoundValue[],
  models: readonly RoleModel[],
): ReadonlyMap<string, FoundValue> {
  const tokens = tokensOf(text);
  const pairs = found.flatMap((value) => {
    const around = neighbourhood(tokens, value.from, value.to);
    return models.filter((m) => m.entity === value.entity).map((m) => ({ value, role: m.role, likely: likelihood(m, around) }));
  });
  pairs.sort((a, b) => b.likely - a.likely || a.value.from - b.value.from);
  const roles = new Map<string, FoundValue>();
  const used = new Set<FoundValue>();
  for (const { value, role } of pairs) {
    if (used.has(value) || roles.has(role)) continue;
    roles.set(role, value);
    used.add(value);
  }
  return roles;
}

/** The values that the roles of an intent get. */
export function assignRoles(text: string, found: readonly FoundValue[], models: readonly RoleModel[]): Record<string, Value> {
  return Object.fromEntries([...valuesByRole(text, found, models)].map(([role, { value }]) => [role, value]));
}

/** The roles that a value of a text may have, the likeliest first, with how likely each is (natural logarithm). */
export function rankRoles(
  text: string,
  value: FoundValue,
  models: readonly RoleModel[],
): readonly { readonly role: string; readonly count: number; readonly likely: number }[] {
  const around = neighbourhood(tokensOf(text), value.from, value.to);
  return models
    .filter((m) => m.entity === value.entity)
    .map((m) => ({ role: m.role, count: m.count, likely: likelihood(m, around) }))
    .sort((a, b) => b.likely - a.likely);
}

function likelihood({ count, seen }: RoleModel, around: readonly string[]): number {
  const each = around.map((n) => Math.log(((seen.get(n) ?? 0) + SMOOTHING) / (count + SMOOTHING * POSSIBLE)));
  return each.reduce((sum, l) => sum + l, Math.log(count + SMOOTHING));
}
