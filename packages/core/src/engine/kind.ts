import type { z } from 'zod';
import type { Problem } from '../document/problem.js';
import type { BotDocument, Flow } from '../document/schema.js';
import type { FlowNode, Text } from '../document/shapes.js';
import type { Compiler } from './compiler.js';
import type { Turn } from './turn.js';
import type { Completed, EffectBatch, IncomingEvent, Values, Waiting } from './types.js';

/** Who acts: the band of the Map in which a node stands. */
export type Band = 'visitor' | 'bot' | 'outside';

export interface Exit {
  readonly name: string;
  readonly about: string;
  /** The exit by which a story usually goes on, or one that it takes when something went otherwise. Orders the Map. */
  readonly way?: 'usual' | 'aside';
}

/** One line that says what a node does; `{{ values }}` in it are drawn as values. */
export interface Prose {
  readonly text: string;
  readonly code?: boolean;
}

/** A text of a node that holds or writes values. `locals` are names that only this field knows. */
export interface Use {
  readonly field: string;
  readonly as: 'template' | 'expression' | 'target' | 'words';
  readonly text: string;
  readonly locals?: readonly string[];
}

/** Where a node stands, for its own checks. */
export interface Place {
  readonly document: BotDocument;
  readonly flow: Flow;
}

/** What a node came to: leave by an exit, wait for the visitor, call a flow, or end. */
export type Outcome =
  | { readonly exit: string; readonly note?: string }
  | { readonly wait: Waiting }
  | { readonly calls: string; readonly values: Values }
  | { readonly ends: 'flow' | 'failed' | 'conversation' };

/** A node that asks for effects while it runs. */
export type Walking<T> = Generator<EffectBatch, T, readonly Completed[]>;
export type Running = Outcome | Walking<Outcome>;

/**
 * What a waiting node made of a message: an outcome, or that it is not for the node. Then intents that may interrupt are
 * tried, and only if none of them counts, at `from` at least, the node comes to `missed`.
 */
export type Hearing = Outcome | { readonly missed: () => Outcome; readonly from?: number };

/** How a flow was left: the values of its variables then, and whether it did what it was called for. */
export interface Left {
  readonly values: Values;
  readonly failed: boolean;
}

/** A node ready to run. `hear` answers a message that came while the node waited; `back` goes on after a flow it called. */
export interface Prepared {
  readonly run: (turn: Turn) => Running;
  readonly hear?: (turn: Turn, event: IncomingEvent, waiting: Waiting) => Hearing;
  readonly back?: (turn: Turn, left: Left) => Outcome;
}

/** A problem that a kind found in one node; where the node stands is added by `checkBot`. */
export type Found = Omit<Problem, 'flow' | 'node'>;

/** Everything Primrose knows of one kind of node; adding a kind means adding one of these. */
export interface NodeKind<N> {
  readonly kind: string;
  readonly band: Band;
  readonly about: string;
  readonly schema: z.ZodType<N>;
  /** The fields of a node that was just added. */
  readonly blank: () => Readonly<Record<string, unknown>>;
  readonly exits: (node: N) => readonly Exit[];
  readonly prose: (node: N, language: string) => Prose;
  readonly uses: (node: N) => readonly Use[];
  readonly checks?: (node: N, place: Place) => readonly Found[];
  readonly prepare: (node: N, compiler: Compiler) => Prepared;
}

/** A kind as the registry holds it: for nodes whose shape `schema` has accepted. */
export type AnyKind = NodeKind<FlowNode>;

/**
 * Files a kind under the general type. A node reaches these functions only after its own schema accepted it
 * (`readDocument`), which is what makes the one cast here right.
 */
export function defineKind<N>(kind: NodeKind<N>): AnyKind {
  return kind as unknown as AnyKind;
}

/** The first wording in a language, else in any: for the Map and for lists. */
export function sampleText(text: Text | undefined, language: string): string {
  if (text === undefined) return '';
  if (typeof text === 'string') return text;
  if (Array.isArray(text)) return text[0] ?? '';
  const own = text[language] ?? Object.values(text)[0];
  return own === undefined ? '' : sampleText(own, language);
}

/** Every single wording of a text with its JSON Pointer and language. */
export function wordingsOf(text: Text | undefined, field: string): { field: string; text: string; language?: string }[] {
  if (text === undefined) return [];
  if (typeof text === 'string') return [{ field, text }];
  if (Array.isArray(text)) return text.map((t, i) => ({ field: `${field}/${i}`, text: t }));
  return Object.entries(text).flatMap(([language, inner]) =>
    wordingsOf(inner, `${field}/${language}`).map((w) => ({ ...w, language })),
  );
}

/** The uses of a text that the visitor will read. */
export function wordUses(text: Text | undefined, field: string): Use[] {
  return wordingsOf(text, field).map((w) => ({ field: w.field, as: 'words', text: w.text }));
}

/** Exits of ordered cases, each with its condition as explanation. */
export function caseExits(cases: readonly { exit: string; when: string }[] | undefined): Exit[] {
  return (cases ?? []).map((c) => ({ name: c.exit, about: c.when }));
}

/** The wordings of a text as [language, words]; words for all languages come under ''. */
export function wordsInOneLanguage(text: Text): [string, string][] {
  return wordingsOf(text, '').map((w) => [w.language ?? '', w.text]);
}
