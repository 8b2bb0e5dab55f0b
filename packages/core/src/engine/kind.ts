import type { z } from 'zod';
import type { Problem } from '../document/problem.js';
import type { BotDocument, Flow } from '../document/schema.js';
import type { FlowNode, Text } from '../document/shapes.js';
import type { Prepared as PreparedNode } from './compiled.js';
import type { Compiler } from './compiler.js';
import type { Turn } from './turn.js';

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
  /** Words for one language only. */
  readonly language?: string;
  /** A template that people read: a prompt, a reason. */
  readonly prose?: true;
  /** A target that the node reads as well: it is passed over when the value is known. */
  readonly reads?: true;
}

/** Where a node stands, for its own checks. */
export interface Place {
  readonly document: BotDocument;
  readonly flow: Flow;
  /** The variables that the flow has: what it takes, and what its nodes write. */
  readonly variables: ReadonlySet<string>;
  /** Variables of the flow that its nodes read. */
  readonly reads: ReadonlySet<string>;
  /** The first node that waits for somebody in a flow or in one that it calls; undefined where none does. */
  readonly asksVisitor: (flowId: string) => { readonly asks: string; readonly node: string } | undefined;
}

/** A node ready to run on a turn. */
export type Prepared = PreparedNode<Turn>;

/** Something else of the bot that a node refers to by name, and the field in which the name stands. */
export interface Reference {
  readonly to: 'flow' | 'action' | 'model' | 'knowledge' | 'table' | 'intent' | 'entity' | 'context';
  readonly name: string;
  /** A JSON Pointer into the node; undefined where the name is a key. */
  readonly field?: string;
  /** A context that the node opens. */
  readonly opens?: true;
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
  /** What hangs on the node as a list: the tools of an agent. */
  readonly hangs?: (node: N) => readonly string[];
  readonly uses: (node: N) => readonly Use[];
  readonly refers?: (node: N) => readonly Reference[];
  /** It waits for somebody: no branch may come to it, and a loop through it ends. */
  readonly waits?: true | ((node: N) => boolean);
  /** Whose past it is shown: that of the visitor who speaks, or of a key. */
  readonly recalls?: (node: N) => 'visitor' | 'key' | undefined;
  /** Its words are held against what was done in the conversation. */
  readonly holdsWords?: true;
  /** What its model writes is kept as it is, so that it may be shown while it is being written. */
  readonly keepsWords?: true;
  /** It is only there to be read: no walk comes to it, and it needs no links. */
  readonly still?: true;
  /** It ends the flow in which it stands, so it stays there when nodes around it become a flow of their own. */
  readonly ends?: true;
  /** It changes something outside, which nothing takes back, and asks nobody itself. */
  readonly changes?: (node: N, document: BotDocument) => boolean;
  /** It gives the conversation to a person. */
  readonly toPerson?: true;
  /** Words that are for people only: neither said nor resolved. */
  readonly remarks?: (node: N) => readonly Use[];
  /** The types of variables that it writes, by target, as far as the kind knows them. */
  readonly types?: (node: N) => Readonly<Record<string, string>>;
  readonly checks?: (node: N, place: Place) => readonly Found[];
  readonly prepare: (node: N, compiler: Compiler) => Prepared;
}

/** A kind as the registry holds it: for nodes whose shape `schema` has accepted. */
export type AnyKind = NodeKind<FlowNode>;
export type NodeKinds = ReadonlyMap<string, AnyKind>;

/** True for a node of a kind that waits for somebody. */
export function waitsAt(kind: AnyKind | undefined, node: FlowNode): boolean {
  return typeof kind?.waits === 'function' ? kind.waits(node) : kind?.waits === true;
}

/**
 * Files a kind under the general type. A node reaches these functions only after its own schema accepted it
 * (`readDocument`), which is what makes the one cast here right.
 */
export function defineKind<N>(kind: NodeKind<N>): AnyKind {
  return kind as unknown as AnyKind;
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
  return wordingsOf(text, field).map((w) => ({ ...w, as: 'words' }));
}

/** Exits of ordered cases, each with its condition as explanation. */
export function caseExits(cases: readonly { exit: string; when: string }[] | undefined): Exit[] {
  return (cases ?? []).map((c) => ({ name: c.exit, about: c.when }));
}

/** The wordings of a text as [language, words]; words for all languages come under ''. */
export function wordsInOneLanguage(text: Text): [string, string][] {
  return wordingsOf(text, '').map((w) => [w.language ?? '', w.text]);
}
