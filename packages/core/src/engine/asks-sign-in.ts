import { SIGN_IN } from './nodes/sign-in-name.js';
import type { CompiledBot } from './turn.js';
import type { Session } from './types.js';

/** True where a conversation waits for its visitor to sign in. */
export function asksSignIn(bot: CompiledBot, { frames, waiting, over }: Session): boolean {
  const top = frames.at(-1);
  return !over && waiting !== null && top !== undefined && bot.flows.get(top.flow)?.nodes.get(top.node)?.kind === SIGN_IN;
}
