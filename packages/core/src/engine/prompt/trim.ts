import { estimateTokens } from '../../text/tokens.js';
import { wellFormed } from '../../text/well-formed.js';
import type { ModelMessage, ModelTool, Trimmed } from '../effects/model.js';

/*
 * What is left out of a prompt that is larger than a model takes, always in this order: the oldest of what was said before, one
 * exchange after the other; then the longest results of tools and the longest inputs are cut at their ends. Never instructions.
 */

/** A message with pictures or calls costs more than its words. */
const PICTURE_TOKENS = 800;
/** What a cut text keeps at least, in characters. */
const LEAST_KEPT = 200;
const CUT_MARK = ' … (cut)';

const known = new WeakMap<ModelMessage, number>();

/** About how many tokens a message is. */
export function messageTokens(message: ModelMessage): number {
  const before = known.get(message);
  if (before !== undefined) return before;
  const calls = message.role === 'assistant' ? (message.calls ?? []) : [];
  const pictures = 'pictures' in message ? (message.pictures?.length ?? 0) : 0;
  const tokens =
    estimateTokens(message.content) +
    calls.reduce((sum, c) => sum + estimateTokens(c.name) + estimateTokens(c.given), 0) +
    pictures * PICTURE_TOKENS;
  known.set(message, tokens);
  return tokens;
}

/** About how many tokens the tools are that a model is offered. */
export function toolTokens(tools: readonly ModelTool[]): number {
  return tools.reduce((sum, t) => sum + estimateTokens(JSON.stringify(t)), 0);
}

export interface Room {
  /** So many tokens may be sent; undefined where nobody has said. */
  readonly most: number | undefined;
  /** What is sent besides messages. */
  readonly besides: number;
  /** So many messages behind the first are of turns before. */
  readonly recalled: number;
}

export interface Fitted {
  readonly messages: readonly ModelMessage[];
  readonly trimmed: readonly Trimmed[];
  /** About how many tokens are sent. */
  readonly tokens: number;
  /** How many messages are still of turns before. */
  readonly recalled: number;
  /** False where what may not be left out is too much by itself. */
  readonly fits: boolean;
}

/** Messages, the instructions first, so trimmed that they fit. */
export function fitMessages(messages: readonly ModelMessage[], { most, besides, recalled }: Room): Fitted {
  let tokens = besides + messages.reduce((sum, m) => sum + messageTokens(m), 0);
  if (most === undefined || tokens <= most) return { messages, trimmed: [], tokens, recalled, fits: true };
  const kept = [...messages];
  const trimmed: Trimmed[] = [];
  let old = recalled;
  while (tokens > most && old > 0) {
    const gone = kept.splice(1, exchangeLength(kept.slice(1, 1 + old)));
    old -= gone.length;
    const size = gone.reduce((sum, m) => sum + messageTokens(m), 0);
    tokens -= size;
    trimmed.push({ what: `what was said before: ${gone.length} messages`, tokens: size });
  }
  for (const role of ['tool', 'user'] as const) tokens = cutLongest(kept, role, { tokens, most }, trimmed);
  return { messages: kept, trimmed, tokens, recalled: old, fits: tokens <= most };
}

/** How many messages the oldest exchange has: a visitor's message and all that followed until the next one. */
function exchangeLength(recalled: readonly ModelMessage[]): number {
  const next = recalled.findIndex((m, i) => i > 0 && m.role === 'user');
  return next < 0 ? recalled.length : next;
}

/** Cuts the longest messages of a role until all fits, or nothing more can be cut; returns how many tokens are left. */
function cutLongest(
  messages: ModelMessage[],
  role: 'tool' | 'user',
  { tokens, most }: { readonly tokens: number; readonly most: number },
  trimmed: Trimmed[],
): number {
  let left = tokens;
  while (left > most) {
    const at = longest(messages, role);
    const message = messages[at];
    if (!message || message.content.length <= LEAST_KEPT + CUT_MARK.length) return left;
    const before = messageTokens(message);
    const share = Math.max(0, before - (left - most)) / before;
    // A little more than the estimate says, so that a few rounds are enough.
    const length = Math.max(LEAST_KEPT, Math.floor(message.content.length * share * 0.9));
    const cut = { ...message, content: `${wellFormed(message.content.slice(0, length))}${CUT_MARK}` };
    messages[at] = cut;
    left -= before - messageTokens(cut);
    trimmed.push({
      what: role === 'tool' ? 'the end of what a tool gave' : 'the end of an input',
      tokens: before - messageTokens(cut),
    });
  }
  return left;
}

function longest(messages: readonly ModelMessage[], role: 'tool' | 'user'): number {
  let found = -1;
  messages.forEach((m, i) => {
    if (m.role === role && m.content.length > (messages[found]?.content.length ?? 0)) found = i;
  });
  return found;
}
