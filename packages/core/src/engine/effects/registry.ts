import type { z } from 'zod';
import { action } from './action.js';
import { draw } from './draw.js';
import type { EffectType } from './effect.js';
import { lookup } from './lookup.js';
import { mcp } from './mcp.js';
import { model } from './model.js';
import { notice } from './notice.js';
import { recall } from './recall.js';
import { signIn } from './sign-in.js';
import { spent } from './spent.js';
import { step } from './step.js';
import { table } from './table.js';
import { timer } from './timer.js';
import { understand } from './understand.js';

/** All types of effect. Journal, samples, recorded results, the turn sheet and the API read them here. */
export const effectTypes = {
  action,
  model,
  draw,
  lookup,
  table,
  notice,
  'sign-in': signIn,
  mcp,
  understand,
  recall,
  spent,
  timer,
  step,
} as const;

export type EffectName = keyof typeof effectTypes;
export type EffectOf<T extends EffectName> = z.infer<(typeof effectTypes)[T]['request']>;
export type ResultOf<T extends EffectName> = z.infer<(typeof effectTypes)[T]['result']>;
export type Effect = { [T in EffectName]: EffectOf<T> }[EffectName];
export type Result = { [T in EffectName]: ResultOf<T> }[EffectName];

/** The types whose effects stand in a turn sheet: those that say so of themselves. */
export const SHOWN = [
  'action',
  'model',
  'draw',
  'lookup',
  'table',
  'notice',
  'sign-in',
  'mcp',
] as const satisfies readonly EffectName[];
type ShownName = (typeof SHOWN)[number];

/** An effect with what came of it, as the turn sheet holds it; both are of the same type. */
export type PerformedOf<T extends EffectName> = { readonly request: EffectOf<T>; readonly result: ResultOf<T> };
export type Performed = { [T in ShownName]: PerformedOf<T> }[ShownName];
export type ActionCall = PerformedOf<'action'>;
export type ModelCall = PerformedOf<'model'>;
export type LookupCall = PerformedOf<'lookup'>;
export type TableCall = PerformedOf<'table'>;
export type NoticeCall = PerformedOf<'notice'>;
export type McpCall = PerformedOf<'mcp'>;

/** The result of an effect, with the effect's path. */
export interface Completed {
  readonly path: string;
  readonly result: Result;
}

/**
 * The type of an effect, for the effect as it is. The one cast here is right as a registry entry takes just the requests
 * that bear its name.
 */
export function typeOf(effect: Effect): EffectType<string, Effect, Result> {
  return effectTypes[effect.type] as unknown as EffectType<string, Effect, Result>;
}

/** True for an effect of one type, with what came of it. */
export function isCall<T extends EffectName>(type: T, performed: { readonly request: Effect }): performed is PerformedOf<T> {
  return performed.request.type === type;
}

/** Those of some effects that are of one type. */
export function callsOf<T extends EffectName>(type: T, all: readonly Performed[]): PerformedOf<T>[] {
  return all.filter((performed) => isCall(type, performed)) as readonly unknown[] as PerformedOf<T>[];
}

/** A request as it is stored. */
export function storedRequest<E extends Effect>(effect: E): E {
  return typeOf(effect).stored(effect) as E;
}
