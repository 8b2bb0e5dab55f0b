import { z } from 'zod';
import { nodeKinds } from '../engine/nodes/registry.js';
import { nearest } from '../text/nearest.js';
import { botDocument, type BotDocument } from './schema.js';
import { misfitOf, type Issue } from './issues.js';
import { isZone } from '../understanding/calendar.js';
import { pointer, type Problem } from './problem.js';
import { upgrade } from './upgrade.js';

/** A document, or all that keeps it from being one. */
export type ReadResult =
  { readonly ok: true; readonly document: BotDocument } | { readonly ok: false; readonly problems: readonly Problem[] };

const MAX_NODES = 5000;

/**
 * Reads an unknown value as a bot document: old versions are brought up to date first, unknown keys are errors that
 * name the nearest known key. Says nothing of what merely does not make sense yet; that is `checkBot`.
 * Parts that are the very objects of `known`, a document read before, are taken over without another look.
 */
export function readDocument(source: unknown, known?: BotDocument): ReadResult {
  const upgraded = upgrade(source);
  if (!upgraded.ok) return { ok: false, problems: [upgraded.problem] };
  const { fresh, kept } = known ? withoutKnown(upgraded.value, known) : { fresh: upgraded.value, kept: NOTHING_KEPT };
  const parsed = botDocument.safeParse(fresh);
  if (!parsed.success) {
    // One mistake hides no other: nodes are looked at all the same.
    const shapes = parsed.error.issues.flatMap((i) => shapeProblems(i, fresh, botDocument, {}));
    return { ok: false, problems: [...shapes, ...nodeProblems(fresh)] };
  }
  const document = withKnown(parsed.data, upgraded.value, kept);
  const problems = [...nodeProblems(parsed.data), ...sizeProblems(document), ...zoneProblems(document)];
  return problems.length > 0 ? { ok: false, problems } : { ok: true, document };
}

interface Kept {
  readonly parts: Partial<Pick<BotDocument, (typeof SHARED_PARTS)[number]>>;
  readonly flows: BotDocument['flows'];
}
const NOTHING_KEPT: Kept = { parts: {}, flows: {} };
const SHARED_PARTS = [
  'entities',
  'intents',
  'contexts',
  'connections',
  'models',
  'knowledge',
  'tables',
  'memory',
  'staff',
  'starts',
  'pages',
  'samples',
  'rehearsals',
  'languages',
] as const;

function isObject(value: unknown): value is Readonly<Record<string, unknown>> {
  return value !== null && typeof value === 'object' && !Array.isArray(value);
}

/** A source without the flows that are those of a known document, and what is kept of it. */
function withoutKnown(source: unknown, known: BotDocument): { fresh: unknown; kept: Kept } {
  if (!isObject(source) || !isObject(source['flows'])) return { fresh: source, kept: NOTHING_KEPT };
  const entries = Object.entries(source['flows']);
  const kept = entries.filter(([id, flow]) => Object.hasOwn(known.flows, id) && known.flows[id] === flow);
  const flows = Object.fromEntries(entries.filter(([id, flow]) => !Object.hasOwn(known.flows, id) || known.flows[id] !== flow));
  const parts = Object.fromEntries(
    SHARED_PARTS.filter((p) => known[p] !== undefined && source[p] === known[p]).map((p) => [p, known[p]]),
  );
  return { fresh: { ...source, flows }, kept: { parts, flows: Object.fromEntries(kept) as BotDocument['flows'] } };
}

/** The parsed rest and what was kept, as one document with its flows in the order of the source. */
function withKnown(parsed: BotDocument, source: unknown, { parts, flows }: Kept): BotDocument {
  if (Object.keys(flows).length === 0) return { ...parsed, ...parts };
  const order = Object.keys((source as BotDocument).flows);
  const all: BotDocument['flows'] = { ...parsed.flows, ...flows };
  return { ...parsed, ...parts, flows: Object.fromEntries(order.flatMap((id) => (all[id] ? [[id, all[id]]] : []))) };
}

function sizeProblems({ flows }: BotDocument): Problem[] {
  const count = Object.values(flows).reduce((sum, f) => sum + Object.keys(f.nodes).length, 0);
  if (count <= MAX_NODES) return [];
  return [{ code: 'too-large', severity: 'error', facts: { nodes: count, most: MAX_NODES } }];
}

function zoneProblems({ zone }: BotDocument): Problem[] {
  return isZone(zone) ? [] : [{ code: 'unknown-zone', severity: 'error', field: '/zone', facts: { zone } }];
}

/** What is wrong in nodes, in a document or in what should be one: what has no such form is told by others. */
function nodeProblems(source: unknown): Problem[] {
  const flows = isObject(source) && isObject(source['flows']) ? source['flows'] : {};
  return Object.entries(flows).flatMap(([flowId, flow]) =>
    Object.entries(isObject(flow) && isObject(flow['nodes']) ? flow['nodes'] : {}).flatMap(([nodeId, node]) =>
      isObject(node) && typeof node['kind'] === 'string'
        ? oneNode(node as { readonly kind: string }, { flow: flowId, node: nodeId })
        : [],
    ),
  );
}

function oneNode(node: { readonly kind: string }, at: { flow: string; node: string }): Problem[] {
  const kind = nodeKinds.get(node.kind);
  if (!kind) {
    const suggestion = nearest(node.kind, nodeKinds.keys()) ?? null;
    return [{ code: 'unknown-kind', severity: 'error', ...at, field: '/kind', facts: { kind: node.kind, suggestion } }];
  }
  const parsed = kind.schema.safeParse(node);
  return parsed.success ? [] : parsed.error.issues.flatMap((i) => shapeProblems(i, node, kind.schema, at));
}

function shapeProblems(issue: Issue, source: unknown, schema: z.ZodType, at: { flow?: string; node?: string }): Problem[] {
  const field = pointer(issue.path);
  if (issue.code === 'unrecognized_keys') {
    const known = keysAt(schema, issue.path);
    return issue.keys.map((key) => ({
      code: 'unknown-key',
      severity: 'error',
      ...at,
      field: `${field}${pointer([key])}`,
      facts: { key, suggestion: nearest(key, known) ?? null, known },
    }));
  }
  if (issue.code === 'invalid_key') {
    return [{ code: 'invalid-id', severity: 'error', ...at, field, facts: { id: String(issue.path.at(-1) ?? '') } }];
  }
  if (issue.code === 'invalid_union') return unionProblems(issue, source, schema, at);
  const found = valueAt(source, issue.path);
  const { key, value, write } = misfitOf(issue, found, schemaAt(schema, issue.path));
  if (issue.code === 'invalid_type' && found === undefined)
    return [{ code: 'missing-key', severity: 'error', ...at, field, facts: { key, expected: write } }];
  return [{ code: 'invalid-value', severity: 'error', ...at, field, facts: { key, value, expected: write } }];
}

/** Of a choice of shapes, the one that came furthest is the one that was meant. */
function unionProblems(
  issue: Issue & { code: 'invalid_union' },
  source: unknown,
  schema: z.ZodType,
  at: { flow?: string; node?: string },
): Problem[] {
  const depth = (issues: readonly Issue[]) =>
    Math.max(...issues.map((i) => i.path.length + (i.code === 'unrecognized_keys' ? 1 : 0)));
  const [best] = [...issue.errors].sort((a, b) => depth(b) - depth(a));
  const nested = best?.filter((i) => i.path.length > 0 || i.code === 'unrecognized_keys') ?? [];
  if (nested.length > 0) {
    return nested.flatMap((i) => shapeProblems({ ...i, path: [...issue.path, ...i.path] }, source, schema, at));
  }
  const { key, value } = misfitOf(issue, valueAt(source, issue.path));
  const facts = { key, value, expected: unionWords(issue, valueAt(source, issue.path)) };
  return [{ code: 'invalid-value', severity: 'error', ...at, field: pointer(issue.path), facts }];
}

/** What the forms of a choice have in common, where each of them wants another type: "a text, a list or keys and values". */
function unionWords(issue: Issue & { code: 'invalid_union' }, found: unknown): string {
  const wanted = [...new Set(issue.errors.flatMap((e) => e.slice(0, 1).map((i) => misfitOf(i, found).write)))];
  if (wanted.length === 0 || wanted.length > 4) return 'it in another form; see docs/bot-format.md';
  return wanted.length === 1 ? (wanted[0] ?? '') : `${wanted.slice(0, -1).join(', ')} or ${wanted.at(-1)}`;
}

function valueAt(source: unknown, path: readonly PropertyKey[]): unknown {
  return path.reduce<unknown>(
    (at, key) => (at !== null && typeof at === 'object' ? (at as Record<PropertyKey, unknown>)[key] : undefined),
    source,
  );
}

/** The schema of what stands at a path; undefined where it has several forms. */
function schemaAt(schema: z.core.$ZodType, path: readonly PropertyKey[]): z.core.$ZodType | undefined {
  const [head, ...rest] = path;
  const def = schema._zod.def as unknown as { type: string } & Record<string, unknown>;
  if (def.type === 'optional' || def.type === 'nullable') return schemaAt(def['innerType'] as z.core.$ZodType, path);
  if (head === undefined) return schema;
  if (def.type === 'object') {
    const inner = (def['shape'] as Record<string, z.core.$ZodType>)[String(head)];
    return inner && schemaAt(inner, rest);
  }
  if (def.type === 'record') return schemaAt(def['valueType'] as z.core.$ZodType, rest);
  return def.type === 'array' ? schemaAt(def['element'] as z.core.$ZodType, rest) : undefined;
}

/** The keys that a schema knows at a path; those of all its forms where it has several. */
function keysAt(schema: z.core.$ZodType, path: readonly PropertyKey[]): string[] {
  const def = schema._zod.def as unknown as { type: string } & Record<string, unknown>;
  switch (def.type) {
    case 'optional':
    case 'nullable':
      return keysAt(def['innerType'] as z.core.$ZodType, path);
    case 'union':
      return [...new Set((def['options'] as z.core.$ZodType[]).flatMap((o) => keysAt(o, path)))];
    case 'object': {
      const shape = def['shape'] as Record<string, z.core.$ZodType>;
      const [head, ...rest] = path;
      const inner = head === undefined ? undefined : shape[String(head)];
      if (head === undefined) return Object.keys(shape);
      return inner ? keysAt(inner, rest) : [];
    }
    case 'record':
      return path.length > 0 ? keysAt(def['valueType'] as z.core.$ZodType, path.slice(1)) : [];
    case 'array':
      return path.length > 0 ? keysAt(def['element'] as z.core.$ZodType, path.slice(1)) : [];
    default:
      return [];
  }
}

/** JSON Schema (2020-12) of the bot document, with one definition per node kind under `$defs`. */
export function documentJsonSchema(): Record<string, unknown> {
  const options = { unrepresentable: 'any', io: 'input' } as const;
  const kinds = Object.fromEntries([...nodeKinds].map(([kind, k]) => [`node-${kind}`, z.toJSONSchema(k.schema, options)]));
  const schema = z.toJSONSchema(botDocument, options) as { $defs?: Record<string, unknown> };
  return { ...schema, title: 'Primrose bot document, version 1', $defs: { ...schema.$defs, ...kinds } };
}
