import type { TypeDeclaration, Value } from '../document/shapes.js';
import type { Template } from '../expressions/template.js';

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
  readonly changes: boolean;
  readonly query: readonly (readonly [string, PreparedValue])[];
  readonly headers: readonly (readonly [string, Template])[];
  readonly body: PreparedValue;
  readonly gives: readonly (readonly [string, PreparedValue])[];
  /** The declared types of what it gives. */
  readonly types: Readonly<Record<string, TypeDeclaration>>;
  /** What of the answer is kept for the conversation; and every name that the connection keeps. */
  readonly keeps: readonly (readonly [string, PreparedValue])[];
  readonly kept: readonly string[];
}

/** The texts of a kind of fact, ready to be said. */
export interface PreparedFact {
  readonly says: PreparedText | undefined;
  readonly used: PreparedText | undefined;
}
