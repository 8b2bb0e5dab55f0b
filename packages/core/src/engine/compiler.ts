import { actionChanges, actionTarget, findAction, keptNames } from '../document/actions.js';
import type { BotDocument } from '../document/schema.js';
import { typeName, type Text, type Value } from '../document/shapes.js';
import { compileExpression, type Expression } from '../expressions/expression.js';
import { compileTemplate, type Template } from '../expressions/template.js';
import type { Option } from '../understanding/words.js';
import type { PreparedAction, PreparedText, PreparedValue } from './prepared.js';

/** A template that could not be compiled reads as missing, so that a draft with a mistake can still be tried. */
function broken(source: string, reason: string): Template {
  const gap = { expression: source, missing: false, reason };
  return {
    source,
    reads: [],
    expressions: [],
    text: (_view, onGap) => (onGap(gap), ''),
    value: (_view, onGap) => (onGap(gap), null),
  };
}

/** Methods that are the same done twice as done once (RFC 9110, 9.2.2). */
const SAFE_METHODS = new Set(['get', 'put', 'delete']);

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
      repeatable: found.action.repeatable ?? (found.action.reads === true || SAFE_METHODS.has(target.method)),
      changes: actionChanges(found.action),
      query: this.fields(sends?.query),
      headers: Object.entries(sends?.headers ?? {}).map(([key, v]) => [key, this.template(v)]),
      body: this.value(sends?.body ?? null),
      gives: this.fields(found.action.gives),
      types: found.action.types ?? {},
      keeps: this.fields(found.action.keeps),
      kept: keptNames(this.document, found.connection),
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
