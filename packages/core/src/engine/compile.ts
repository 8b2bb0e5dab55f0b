import type { BotDocument } from '../document/schema.js';
import { typeName, type FlowNode, type TypeDeclaration, type Value } from '../document/shapes.js';
import { listensForIntents } from '../understanding/teaching.js';
import type { CompiledFlow, CompiledNode } from './compiled.js';
import { Compiler } from './compiler.js';
import { waitsAt, type AnyKind, type NodeKinds } from './kind.js';
import { preparedFacts } from './facts.js';
import { ENGINE_LIMITS, type EngineLimits } from './limits.js';
import { nodeKinds } from './nodes/registry.js';
import { SIGN_IN, SIGN_IN_FIRST } from './nodes/sign-in-name.js';
import { flowTalk } from './talk/slots.js';
import type { CompiledBot, Turn } from './turn.js';

/** What the nodes of a flow are compiled from besides the flow itself. */
const SHARED_PARTS = [
  'connections',
  'entities',
  'languages',
  'intents',
  'contexts',
  'models',
  'knowledge',
  'tables',
  'memory',
  'staff',
] as const;

/** What a document is compiled with: the kinds that its nodes may be of, and what its turns may come to. */
export interface CompileOptions {
  readonly kinds?: NodeKinds;
  readonly limits?: EngineLimits;
}

/**
 * Compiles a document that `readDocument` accepted. Broken expressions do not stop it: they fail when they are reached.
 * With the bot of an earlier document, flows that are the very same objects are taken over from it.
 */
export function compile(document: BotDocument, before?: CompiledBot, options: CompileOptions = {}): CompiledBot {
  const { kinds = nodeKinds, limits = ENGINE_LIMITS } = options;
  const compiler = new Compiler(document, before?.compiler);
  const shared = before && SHARED_PARTS.every((part) => before.document[part] === document[part]) ? before : undefined;
  const flows = new Map(
    Object.entries(document.flows).map(([id, flow]): [string, CompiledFlow<Turn>] => {
      const known = shared?.document.flows[id] === flow ? shared.flows.get(id) : undefined;
      return [id, known ?? compileFlow(id, document, compiler, kinds)];
    }),
  );
  const { session, visitor, settings } = document.variables ?? {};
  const declared = (table: typeof session): Record<string, Value> =>
    Object.fromEntries(
      Object.entries(table ?? {}).map(([key, type]) => [key, typeof type === 'string' ? null : (type.value ?? null)]),
    );
  return {
    compiler,
    document,
    flows,
    settings: declared(settings),
    emptySession: declared(session),
    emptyVisitor: declared(visitor),
    emptyContexts: Object.fromEntries(Object.keys(document.contexts ?? {}).map((key) => [key, null])),
    facts: preparedFacts({ document, text: (field, text) => compiler.text(field, text) }),
    listens: listensForIntents(document),
    listed: {
      ...listedOf(document, Object.entries(session ?? {}), 'session.'),
      ...listedOf(document, Object.entries(visitor ?? {}), 'visitor.'),
    },
    holdsWords: Object.values(document.flows).some((f) =>
      Object.values(f.nodes).some((n) => kinds.get(n.kind)?.holdsWords === true),
    ),
    recalls:
      document.memory?.by !== undefined ||
      Object.values(document.flows).some((f) =>
        Object.values(f.nodes).some((n) => kinds.get(n.kind)?.recalls?.(n) === 'visitor'),
      ),
    limits,
  };
}

function compileFlow(id: string, document: BotDocument, compiler: Compiler, kinds: NodeKinds): CompiledFlow<Turn> {
  const flow = document.flows[id];
  const nodes = new Map<string, CompiledNode<Turn>>();
  const empty: Record<string, Value> = Object.fromEntries(Object.keys(flow?.takes ?? {}).map((key) => [key, null]));
  for (const [nodeId, node] of Object.entries(flow?.nodes ?? {})) {
    const kind = kinds.get(node.kind);
    const compiled = kind && compileNode(id, nodeId, node, kind, compiler);
    if (!compiled) continue;
    nodes.set(nodeId, compiled);
    for (const use of kind?.uses(node) ?? []) nameOf(use.text, use.as, compiler).forEach((n) => (empty[n] ??= null));
  }
  const declared = Object.entries({ ...flow?.gives, ...flow?.takes }).map(([key, type]) => [key, type] as const);
  const written = Object.entries(flow?.nodes ?? {}).flatMap(([, node]) =>
    Object.entries(kinds.get(node.kind)?.types?.(node) ?? {}).flatMap(([to, type]) =>
      to.startsWith('flow.') ? [[to.slice('flow.'.length), type] as const] : [],
    ),
  );
  const begin =
    flow?.needs === SIGN_IN && flow.begin !== undefined ? asksFirst(id, flow.begin, nodes, compiler, kinds) : flow?.begin;
  return {
    id,
    begin,
    nodes,
    empty,
    listed: listedOf(document, [...written, ...declared], ''),
    talk: flowTalk(id, compiler, kinds),
  };
}

/** Puts a node before a flow that has its visitor sign in; the flow begins there. */
function asksFirst(
  flow: string,
  begin: string,
  nodes: Map<string, CompiledNode<Turn>>,
  compiler: Compiler,
  kinds: NodeKinds,
): string {
  const kind = kinds.get(SIGN_IN);
  if (!kind) return begin;
  const node: FlowNode = { kind: SIGN_IN, exits: { 'signed-in': begin } };
  nodes.set(SIGN_IN_FIRST, compileNode(flow, SIGN_IN_FIRST, node, kind, compiler));
  return SIGN_IN_FIRST;
}

/** Of declared variables those that hold values of a list entity, or lists of such values. */
function listedOf(
  { entities = {} }: BotDocument,
  declared: readonly (readonly [string, TypeDeclaration])[],
  scope: string,
): Record<string, string> {
  return Object.fromEntries(
    declared.flatMap(([name, type]) => {
      const own = typeName(type).replace(/\?$/, '');
      const entity = own === 'list' && typeof type === 'object' ? (type.of ?? '').replace(/\?$/, '') : own;
      return Object.hasOwn(entities, entity) && entities[entity]?.values !== undefined ? [[`${scope}${name}`, entity]] : [];
    }),
  );
}

/** The `flow.` names that a text writes or reads. */
function nameOf(text: string, as: string, compiler: Compiler): string[] {
  if (as === 'target') return text.startsWith('flow.') ? [text.slice(5)] : [];
  const { reads } = as === 'expression' ? compiler.expression(text) : compiler.template(text);
  return reads.flatMap((r) => (r.root === 'flow' && r.field !== undefined ? [r.field] : []));
}

function compileNode(flow: string, id: string, node: FlowNode, kind: AnyKind, compiler: Compiler): CompiledNode<Turn> {
  const [first] = kind.exits(node);
  const prepared = kind.prepare(node, compiler);
  return {
    ...prepared,
    flow,
    id,
    kind: node.kind,
    waits: waitsAt(kind, node),
    ...(node.talk || prepared.talk ? { talk: { ...prepared.talk, ...node.talk } } : {}),
    exits: node.exits ?? {},
    ...(node.off ? { passesBy: first?.name ?? '' } : {}),
  };
}
