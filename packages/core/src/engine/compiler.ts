import { actionTarget, findAction } from '../document/actions.js';
import type { BotDocument } from '../document/schema.js';
import { typeName, type FlowNode, type Text, type Value } from '../document/shapes.js';
import { compileExpression, type Expression } from '../expressions/expression.js';
import { compileTemplate, type Template } from '../expressions/template.js';
import { listensForIntents } from '../understanding/listener.js';
import type { Option } from '../understanding/words.js';
import type { Prepared } from './kind.js';
import { nodeKinds } from './nodes/registry.js';

/** A text ready to be said: templates by language, several when they take turns. */
export interface PreparedText {
  readonly field: string;
  readonly byLanguage: ReadonlyMap<string, readonly Template[]>;
}

/** A JSON value whose strings were templates. */
export type PreparedValue =
  | { readonly template: Template }
  | { readonly list: readonly PreparedValue[] }
  | { readonly fields: readonly (readonly [string, PreparedValue])[] }
  | { readonly constant: Value };

export interface PreparedAction {
  readonly connection: string;
  readonly id: string;
  readonly method: string;
  readonly target: Template;
  readonly takes: readonly string[];
  readonly optional: ReadonlySet<string>;
  readonly repeatable: boolean;
  readonly query: readonly (readonly [string, PreparedValue])[];
  readonly headers: readonly (readonly [string, Template])[];
  readonly body: PreparedValue;
  readonly gives: readonly (readonly [string, PreparedValue])[];
}

export interface CompiledNode extends Prepared {
  readonly flow: string;
  readonly id: string;
  readonly kind: string;
  readonly exits: Readonly<Record<string, string>>;
  /** Set on a node that is switched off: the exit through which the walk passes it. */
  readonly passesBy?: string;
}

export interface CompiledFlow {
  readonly id: string;
  readonly begin: string | undefined;
  readonly nodes: ReadonlyMap<string, CompiledNode>;
  /** Every name that the flow knows, empty: what an expression finds before a value was set. */
  readonly empty: Readonly<Record<string, Value>>;
}

/** A bot checked, indexed and parsed once; `advance` parses nothing. */
export interface CompiledBot {
  readonly compiler: Compiler;
  readonly document: BotDocument;
  readonly flows: ReadonlyMap<string, CompiledFlow>;
  readonly settings: Readonly<Record<string, Value>>;
  readonly emptySession: Readonly<Record<string, Value>>;
  readonly emptyVisitor: Readonly<Record<string, Value>>;
  /** Every declared context, closed. */
  readonly emptyContexts: Readonly<Record<string, Value>>;
  readonly listens: boolean;
}

/** A template that could not be compiled reads as missing, so that a draft with a mistake can still be tried. */
function broken(source: string, reason: string): Template {
  const gap = { expression: source, missing: false, reason };
  return {
    source,
    reads: [],
    text: (_view, onGap) => (onGap(gap), ''),
    value: (_view, onGap) => (onGap(gap), null),
  };
}

/** Methods that are the same done twice as done once (RFC 9110, 9.2.2). */
const SAFE_METHODS = new Set(['get', 'put', 'delete']);

/** What the nodes of a flow are compiled from besides the flow itself. */
const SHARED_PARTS = ['connections', 'entities', 'languages', 'intents', 'contexts', 'models', 'knowledge'] as const;
const MAX_TEXTS = 50_000;

function remembered<T>(map: Map<string, T>, key: string, make: () => T): T {
  const known = map.get(key);
  if (known !== undefined) return known;
  const made = make();
  map.set(key, made);
  return made;
}

/** Compiles the texts of nodes; handed to every kind's `prepare`. */
export class Compiler {
  readonly document: BotDocument;
  readonly #templates: Map<string, Template>;
  readonly #expressions: Map<string, Expression>;

  /** `before` lends what it has compiled, unless it has gathered far more than one bot needs. */
  constructor(document: BotDocument, before?: Compiler) {
    this.document = document;
    const lends = before !== undefined && before.#templates.size + before.#expressions.size < MAX_TEXTS;
    this.#templates = lends ? before.#templates : new Map<string, Template>();
    this.#expressions = lends ? before.#expressions : new Map<string, Expression>();
  }

  template(source: string): Template {
    return remembered(this.#templates, source, () => {
      const compiled = compileTemplate(source);
      return compiled.ok ? compiled.value : broken(source, compiled.problem.message);
    });
  }

  expression(source: string): Expression {
    return remembered(this.#expressions, source, () => {
      const compiled = compileExpression(source);
      if (compiled.ok) return compiled.value;
      const { message } = compiled.problem;
      return { source, reads: [], evaluate: () => ({ ok: false, missing: false, reason: message }) };
    });
  }

  text(field: string, text: Text | undefined): PreparedText {
    const list = (inner: string | string[]) => (Array.isArray(inner) ? inner : [inner]).map((t) => this.template(t));
    if (text === undefined) return { field, byLanguage: new Map() };
    if (typeof text === 'string' || Array.isArray(text)) return { field, byLanguage: new Map([['', list(text)]]) };
    return { field, byLanguage: new Map(Object.entries(text).map(([language, inner]) => [language, list(inner)])) };
  }

  value(source: Value): PreparedValue {
    if (typeof source === 'string') return { template: this.template(source) };
    if (Array.isArray(source)) return { list: source.map((v: Value) => this.value(v)) };
    if (source !== null && typeof source === 'object') return { fields: this.fields(source as Record<string, Value>) };
    return { constant: source };
  }

  fields(source: Readonly<Record<string, Value>> | undefined): [string, PreparedValue][] {
    return Object.entries(source ?? {}).map(([key, v]) => [key, this.value(v)]);
  }

  action(runs: string): PreparedAction | undefined {
    const found = findAction(this.document, runs);
    const target = found && actionTarget(found.action);
    if (!found || !target) return undefined;
    const { sends, takes = {} } = found.action;
    const mayMiss = (key: string) => typeName(takes[key]).endsWith('?');
    return {
      connection: found.connection,
      id: found.id,
      method: target.method.toUpperCase(),
      target: this.template(target.path),
      takes: Object.keys(takes),
      optional: new Set(Object.keys(takes).filter(mayMiss)),
      repeatable: found.action.repeatable ?? SAFE_METHODS.has(target.method),
      query: this.fields(sends?.query),
      headers: Object.entries(sends?.headers ?? {}).map(([key, v]) => [key, this.template(v)]),
      body: this.value(sends?.body ?? null),
      gives: this.fields(found.action.gives),
    };
  }

  /** The words of a list entity in a language, those of the first language as well. */
  options(entity: string, language: string): Option[] | undefined {
    const found = this.document.entities?.[entity];
    if (!found) return undefined;
    const fallback = this.document.languages[0] ?? 'en';
    return Object.entries(found.values ?? {}).map(([id, words]) => ({
      id,
      words: [id, ...(Array.isArray(words) ? words : [...new Set([...(words[language] ?? []), ...(words[fallback] ?? [])])])],
    }));
  }
}

/**
 * Compiles a document that `readDocument` accepted. Broken expressions do not stop it: they fail when they are reached.
 * With the bot of an earlier document, flows that are the very same objects are taken over from it.
 */
export function compile(document: BotDocument, before?: CompiledBot): CompiledBot {
  const compiler = new Compiler(document, before?.compiler);
  const shared = before && SHARED_PARTS.every((part) => before.document[part] === document[part]) ? before : undefined;
  const flows = new Map(
    Object.entries(document.flows).map(([id, flow]): [string, CompiledFlow] => {
      const known = shared?.document.flows[id] === flow ? shared.flows.get(id) : undefined;
      return [id, known ?? compileFlow(id, document, compiler)];
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
    listens: listensForIntents(document),
  };
}

function compileFlow(id: string, document: BotDocument, compiler: Compiler): CompiledFlow {
  const flow = document.flows[id];
  const nodes = new Map<string, CompiledNode>();
  const empty: Record<string, Value> = Object.fromEntries(Object.keys(flow?.takes ?? {}).map((key) => [key, null]));
  for (const [nodeId, node] of Object.entries(flow?.nodes ?? {})) {
    const compiled = compileNode(id, nodeId, node, compiler);
    if (!compiled) continue;
    nodes.set(nodeId, compiled);
    for (const use of nodeKinds.get(node.kind)?.uses(node) ?? [])
      nameOf(use.text, use.as, compiler).forEach((n) => (empty[n] ??= null));
  }
  return { id, begin: flow?.begin, nodes, empty };
}

/** The `flow.` names that a text writes or reads. */
function nameOf(text: string, as: string, compiler: Compiler): string[] {
  if (as === 'target') return text.startsWith('flow.') ? [text.slice(5)] : [];
  const { reads } = as === 'expression' ? compiler.expression(text) : compiler.template(text);
  return reads.flatMap((r) => (r.root === 'flow' && r.field !== undefined ? [r.field] : []));
}

function compileNode(flow: string, id: string, node: FlowNode, compiler: Compiler): CompiledNode | undefined {
  const kind = nodeKinds.get(node.kind);
  if (!kind) return undefined;
  const [first] = kind.exits(node);
  return {
    ...kind.prepare(node, compiler),
    flow,
    id,
    kind: node.kind,
    exits: node.exits ?? {},
    ...(node.off ? { passesBy: first?.name ?? '' } : {}),
  };
}
