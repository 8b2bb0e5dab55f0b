import { z } from 'zod';

/** Ids of flows, nodes, intents and actions: kebab-case. `constructor` is left out: every JavaScript object has one. */
export const ID_PATTERN = /^(?!constructor$)[a-z][a-z0-9]*(-[a-z0-9]+)*$/;
/** What expressions name (variables, fields): snake_case. */
export const NAME_PATTERN = /^(?!constructor$)[a-z][a-z0-9]*(_[a-z0-9]+)*$/;

export const LANGUAGE_PATTERN = /^[a-z]{2,3}(-[A-Za-z0-9]+)*$/;

export const id = z.string().max(80).regex(ID_PATTERN);
export const name = z.string().max(80).regex(NAME_PATTERN);

/** A value as it lives in variables, templates and results. */
export type Value = null | boolean | number | string | readonly Value[] | { readonly [key: string]: Value };

/** True for a value that holds others by name. */
export function isTable(value: Value | undefined): value is Readonly<Record<string, Value>> {
  return value !== null && typeof value === 'object' && !Array.isArray(value);
}

export const value: z.ZodType<Value> = z.lazy(() =>
  z.union([z.null(), z.boolean(), z.number(), z.string(), z.array(value), z.record(z.string(), value)]),
);

const wordings = z.union([z.string(), z.array(z.string())]);

/** Words the bot says: one string, a list of wordings taken in turn, or either of these per language. */
export const text = z.union([wordings, z.record(z.string().regex(/^[a-zA-Z]{2,3}(-[a-zA-Z0-9]+)*$/), wordings)]);
export type Text = z.infer<typeof text>;

/** A bare CEL expression. */
export const expression = z.string();
/** A string that may hold `{{ expressions }}`. */
export const template = z.string();
/** A variable that can be written: `flow.x`, `session.x` or `visitor.x`. */
export const TARGET_PATTERN = /^(flow|session|visitor)\.(?!constructor$)[a-z][a-z0-9]*(_[a-z0-9]+)*$/;
export const target = z.string().regex(TARGET_PATTERN);
/** `500ms`, `4s`, `2m`, `12h` or `3d`. */
export const DURATION_PATTERN = /^\d+(\.\d+)?(ms|s|m|h|d)$/;
export const duration = z.string().regex(DURATION_PATTERN);

const UNITS_MS: Readonly<Record<string, number>> = { ms: 1, s: 1000, m: 60_000, h: 3_600_000, d: 86_400_000 };

/** Milliseconds of a duration such as `4s`; the text must have passed the `duration` shape. */
export function durationMs(text: string): number {
  return Number.parseFloat(text) * (UNITS_MS[text.replace(/^[\d.]+/, '')] ?? 0);
}

/** What a bot does of itself in a conversation; each can be switched off for a bot, a flow or a node. */
export const TALK_HABITS = ['corrections', 'wishes', 'between', 'follow-ups', 'ways-out', 'misses', 'tone', 'memory'] as const;
export type TalkHabit = (typeof TALK_HABITS)[number];
export const talkHabits = z.partialRecord(z.enum(TALK_HABITS), z.boolean());
export type TalkHabits = z.infer<typeof talkHabits>;

/** How a message can be taken. */
export const TAKEN_AS = [
  'button',
  'answer',
  'answers',
  'correction',
  'wish',
  'two-wishes',
  'question-between',
  'follow-up',
  'way-out',
  'offer',
  'distress',
  'denial',
  'memory',
  'miss',
] as const;
export type TakenAs = (typeof TAKEN_AS)[number];

const typeWord = z.string().regex(/^[a-z][a-z0-9_]*\??$/);

/** A declared type with more than its name. */
export interface TypeObject {
  type: string;
  /** Of a list: what kind of value its items are. */
  of?: string | undefined;
  /** Of an object, or of a list of objects: what they hold. */
  fields?: Record<string, TypeDeclaration> | undefined;
  /** The only texts that it may be. */
  one_of?: string[] | undefined;
  name?: string | undefined;
  about?: string | undefined;
  /** A value such as it may hold, for whoever fills it in. */
  example?: Value | undefined;
  value?: Value | undefined;
}
export type TypeDeclaration = string | TypeObject;

/** What kind of value a variable holds; `?` behind the name means that it may stay empty. */
export const typeDeclaration: z.ZodType<TypeDeclaration> = z.lazy(() =>
  z.union([
    typeWord,
    z.strictObject({
      type: typeWord,
      of: typeWord.optional(),
      fields: z.record(name, typeDeclaration).optional(),
      one_of: z.array(z.string().min(1).max(200)).min(1).max(60).optional(),
      name: z.string().optional(),
      about: z.string().optional(),
      example: value.optional(),
      value: value.optional(),
    }),
  ]),
);

/** The name of a declared type, with its `?` when the value may stay empty; '' where nothing is declared. */
export function typeName(declaration: TypeDeclaration | undefined): string {
  return typeof declaration === 'string' ? declaration : (declaration?.type ?? '');
}

/** Fields that every node has, whatever its kind. */
export const nodeBase = {
  title: z.string().max(120).optional(),
  off: z.boolean().optional(),
  exits: z.record(id, id).optional(),
  /** Habits of conversation that are otherwise here than in the flow. */
  talk: talkHabits.optional(),
  /** The variables on which it depends, where these are others than those that it reads. */
  'depends-on': z.array(target).max(50).optional(),
};

/** A node before its kind is known; `schema.ts` checks the rest by kind. */
export interface FlowNode {
  readonly kind: string;
  readonly title?: string;
  readonly off?: boolean;
  readonly exits?: Readonly<Record<string, string>>;
  readonly talk?: TalkHabits;
  readonly 'depends-on'?: readonly string[];
  readonly [field: string]: unknown;
}

/** A type as a schema infers it, with nothing in it to be changed. What holds any JSON value stays as it is. */
export type Immutable<T> = [Value] extends [T]
  ? T
  : T extends readonly (infer Item)[]
    ? readonly Immutable<Item>[]
    : T extends object
      ? { readonly [Key in keyof T]: Immutable<T[Key]> }
      : T;
