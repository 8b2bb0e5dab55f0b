import type { BotDocument } from '../document/schema.js';
import type { FlowNode } from '../document/shapes.js';
import type { Reference, Use } from '../engine/kind.js';
import { findAction } from '../document/actions.js';
import { referencesOf, usesOf } from '../engine/refers.js';
import { compileExpression } from '../expressions/expression.js';
import { compileTemplate } from '../expressions/template.js';

/** One place where a text names a variable, `scope.name`, counted in characters. */
export interface Naming {
  readonly name: string;
  readonly start: number;
  readonly end: number;
}

/** The variables that a text names, those it writes included. A text that cannot be read names none. */
export function namingsIn(use: Use): Naming[] {
  if (use.as === 'target') return [{ name: use.text, start: 0, end: use.text.length }];
  const compiled = use.as === 'expression' ? compileExpression(use.text) : compileTemplate(use.text);
  if (!compiled.ok) return [];
  return compiled.value.reads.flatMap(({ root, field, start, end }) =>
    field === undefined || use.locals?.includes(root) ? [] : [{ name: `${root}.${field}`, start, end }],
  );
}

/** Which variables a node writes, and which it reads. */
export function variablesOf(node: FlowNode): { readonly writes: ReadonlySet<string>; readonly reads: ReadonlySet<string> } {
  const writes = new Set<string>();
  const reads = new Set<string>();
  for (const use of usesOf(node))
    for (const { name } of namingsIn(use)) {
      (use.as === 'target' ? writes : reads).add(name);
      if (use.reads) reads.add(name);
    }
  return { writes, reads };
}

/** The value at a JSON Pointer; undefined where there is none. */
export function valueAt(source: unknown, at: string): unknown {
  return partsOf(at).reduce<unknown>(
    (value, part) => (value === null || typeof value !== 'object' ? undefined : (value as Record<string, unknown>)[part]),
    source,
  );
}

/** A copy with another value at a JSON Pointer that is there; parts beside it are shared. */
export function withValueAt<T>(source: T, at: string, value: unknown): T {
  return replaced(source, partsOf(at), value) as T;
}

function partsOf(at: string): string[] {
  return at
    .split('/')
    .slice(1)
    .map((p) => p.replaceAll('~1', '/').replaceAll('~0', '~'));
}

function replaced(source: unknown, [part, ...rest]: readonly string[], value: unknown): unknown {
  if (part === undefined) return value;
  if (Array.isArray(source)) return source.map((item: unknown, i) => (String(i) === part ? replaced(item, rest, value) : item));
  if (source === null || typeof source !== 'object' || !Object.hasOwn(source, part)) return source;
  return { ...source, [part]: replaced((source as Record<string, unknown>)[part], rest, value) };
}

/** Another text for each text of a node: `change` gives the new one, or the same to leave it. */
export function changeTexts(node: FlowNode, change: (use: Use) => string): FlowNode {
  return usesOf(node).reduce((made, use) => {
    const text = change(use);
    return text === use.text ? made : withValueAt(made, use.field, text);
  }, node);
}

/** A node in which variables have other names, where it writes them and where it reads them. */
export function renameVariables(node: FlowNode, names: ReadonlyMap<string, string>): FlowNode {
  return changeTexts(node, (use) => {
    const found = namingsIn(use).filter((n) => names.has(n.name));
    return found
      .sort((a, b) => b.start - a.start)
      .reduce((text, { name, start, end }) => text.slice(0, start) + (names.get(name) ?? name) + text.slice(end), use.text);
  });
}

/** A node that calls another flow where it called `from`. */
export function renameCalls(node: FlowNode, from: string, to: string): FlowNode {
  const calls = referencesOf(node).filter((r) => r.to === 'flow' && r.name === from);
  return calls.reduce((made, { field }) => (field === undefined ? made : withValueAt(made, field, to)), node);
}

/** What a reference leads to; null where there is no such thing. */
function referred(document: BotDocument, { to, name }: Reference): unknown {
  const own = <T>(table: Readonly<Record<string, T>> | undefined): T | null =>
    table && Object.hasOwn(table, name) ? (table[name] ?? null) : null;
  switch (to) {
    case 'flow':
      return own(document.flows);
    case 'action':
      return findAction(document, name)?.action ?? null;
    case 'model':
      return own(document.models);
    case 'knowledge':
      return own(document.knowledge);
    case 'table':
      return own(document.tables);
    case 'intent':
      return own(document.intents);
    case 'entity':
      return own(document.entities);
    case 'context':
      return own(document.contexts);
    default:
      return to satisfies never;
  }
}

/**
 * All that a node refers to in the rest of the bot, as one text: when it changes, what the node does may have changed
 * although the node did not. Actions, flows with their inputs and outputs, models, knowledge, intents, entities, contexts.
 */
export function referredTo(document: BotDocument, node: FlowNode): string {
  const parts = referencesOf(node).map((r) => referred(document, r));
  return parts.length === 0 ? '' : JSON.stringify(parts);
}
