import type { ModelProfile } from '../../document/schema.js';
import { durationMs } from '../../document/shapes.js';
import type { ModelEffect, ModelResult } from '../effects/model.js';
import type { Turn } from '../turn.js';
import type { Walking } from '../types.js';
import { perform } from '../walk.js';

/** A chain of profiles that stand in for each other is no longer. */
const MOST_PROFILES = 4;
/** Where these went wrong, another model would do no better. */
const FINAL: readonly string[] = ['stopped', 'no-sample'];

/** What a profile sets of a request. */
export function profileSettings(id: string, profile: ModelProfile) {
  const { connection, model, temperature, 'top-p': topP, stop, most } = profile;
  return {
    profile: id,
    connection,
    model,
    ...(temperature === undefined ? {} : { temperature }),
    ...(topP === undefined ? {} : { topP }),
    ...(stop === undefined || stop.length === 0 ? {} : { stop }),
    ...(most === undefined ? {} : { most }),
  };
}

const DEFAULT_TIMEOUT_MS = 30_000;

/** How long an answer may take: as the node says, else its profile, else half a minute. In ms. */
export function timeoutOf(node: { readonly timeout?: string | undefined }, profile: ModelProfile): number {
  const written = node.timeout ?? profile.timeout;
  return written === undefined ? DEFAULT_TIMEOUT_MS : durationMs(written);
}

/** How many tokens may be sent to a profile: its context without what it may write. Undefined where nobody has said. */
export function roomOf({ context, most = 0 }: ModelProfile): number | undefined {
  return context === undefined ? undefined : Math.max(1, context - most);
}

/** Why a prompt cannot be sent to a profile, though all that may be left out was. */
export function tooLong(id: string, tokens: number, { context = 0, most = 0 }: ModelProfile): string {
  const room = `the ${context} that "${id}" takes, ${most} of them for its answer`;
  return `the instructions alone are about ${tokens} tokens, more than fit into ${room}`;
}

/** A request, or why none can be made for a profile. */
export type Asked = { readonly effect: ModelEffect } | { readonly refused: string };

/** How an effect is waited for; another way where something else may come first. */
export type Await = (turn: Turn, effect: ModelEffect) => Walking<ModelResult | undefined>;

export interface Answered {
  readonly profile: string;
  readonly effect: ModelEffect | undefined;
  /** Undefined where the waiting was given up. */
  readonly result: ModelResult | undefined;
}

/**
 * Asks a profile and, where it gives no answer, the one that stands in for it, and so on. All that was asked stands in the
 * turn's record.
 */
export function* askModel(
  turn: Turn,
  uses: string,
  build: (id: string, profile: ModelProfile, instead: string | undefined) => Asked,
  waitFor: Await = perform,
): Walking<Answered> {
  const models = turn.bot.document.models ?? {};
  const asked = new Set<string>();
  let id: string | undefined = uses;
  let before: string | undefined;
  let last: Answered = { profile: uses, effect: undefined, result: noProfile(uses) };
  while (id !== undefined && !asked.has(id) && asked.size < MOST_PROFILES) {
    asked.add(id);
    const profile: ModelProfile | undefined = models[id];
    const made: Asked = profile ? build(id, profile, before) : { refused: `there is no model profile "${id}" in this bot` };
    if ('refused' in made) {
      last = { profile: id, effect: undefined, result: { outcome: 'failed', code: 'not-configured', reason: made.refused } };
    } else {
      const result = yield* waitFor(turn, made.effect);
      if (result) turn.recordEffect({ request: made.effect, result });
      last = { profile: id, effect: made.effect, result };
    }
    const { result } = last;
    if (result?.outcome !== 'failed' || FINAL.includes(result.code)) return last;
    before = id;
    id = profile?.fallback;
  }
  return last;
}

const noProfile = (uses: string): ModelResult => {
  return { outcome: 'failed', code: 'not-configured', reason: `there is no model profile "${uses}" in this bot` };
};
