import type { Value } from '../../document/shapes.js';
import type { ModelMessage, ToolCall } from '../effects/model.js';
import { NOTHING_SPENT, type Spending } from '../effects/spent.js';
import type { Turn } from '../turn.js';
import { plus } from './limits.js';

/*
 * What an agent keeps between two parts of its work: plain JSON in the frame of its flow, so that it goes on after a rest, a
 * restart, an hour of waiting for a yes, or a flow that it called.
 */

/** A call that is not settled yet. */
export interface OpenCall {
  readonly id: string;
  readonly tool: string;
  readonly given: Readonly<Record<string, Value>>;
  /** It has to be confirmed, and nobody has said yes. */
  readonly confirm: boolean;
}

/** What a visitor said to an agent: more words, or an answer to the question whether it may. */
export interface HeardWords {
  readonly text: string;
  readonly as: 'words' | 'yes' | 'no' | 'corrected' | 'otherwise';
  /** The parameters as they were corrected. */
  readonly given?: Readonly<Record<string, Value>>;
}

export interface Memo {
  /** What was said and done, without the instructions. */
  readonly transcript: readonly ModelMessage[];
  /** So many messages of it belong to turns before. */
  readonly recalled: number;
  /** So many messages stand in earlier requests of this turn. */
  readonly sent: number;
  /** Calls that are not settled, the one under way first. */
  readonly open: readonly OpenCall[];
  /** What the first open call waits for: a yes, or a flow to come back. */
  readonly waits: 'nothing' | 'confirmation' | 'flow' | 'visitor';
  /** What the visitor has said to that, where it is not seen to yet. */
  readonly heard?: HeardWords;
  readonly used: Spending;
  /** How often each tool was called in this turn. */
  readonly calls: Readonly<Record<string, number>>;
  /** Calls that were made in this turn, as tool and parameters, with how often. */
  readonly seen: Readonly<Record<string, number>>;
  /** Tools whose parameters were refused, since they were last right. */
  readonly refused: readonly string[];
  /** Versions of the rows that it was shown. */
  readonly rows: Readonly<Record<string, number>>;
  /** Its words were sent back to it once already. */
  readonly corrected: boolean;
  /** It was told once to hand in what it is to give. */
  readonly nudged: boolean;
  /** After so many calls of the model it has rested. */
  readonly rested: number;
  /** What it was told that is known of the visitor, and under what is kept what is said. Left out in states of older versions. */
  readonly known?: string;
  readonly key?: string | null;
  /** The model was called so often in all: ids of calls are made from it. */
  readonly asked: number;
}

export function newMemo(): Memo {
  return {
    transcript: [],
    recalled: 0,
    sent: 0,
    open: [],
    waits: 'nothing',
    used: NOTHING_SPENT,
    calls: {},
    seen: {},
    refused: [],
    rows: {},
    corrected: false,
    nudged: false,
    rested: 0,
    asked: 0,
  };
}

/** The memo of the agent that runs; a new one at first. Only `Work` writes it, so what is there is one. */
export function memoOf(turn: Turn): Memo {
  return (turn.memo as unknown as Memo | undefined) ?? newMemo();
}

/** A memo as the frame keeps it. */
export function memoValue(memo: Memo): Value {
  return memo as unknown as Value;
}

/**
 * Counts what a specialist spent with the agents that called it, one below the other: their limits hold for all that is done for
 * them. Calls of models are each one's own; how deep they may go together is bounded apart.
 */
export function chargeCallers(turn: Turn, { tokens, money }: Spending): void {
  const cost: Spending = { steps: 0, tokens, money };
  for (let at = turn.frames.length - 1; at > 0; at--) {
    const caller = turn.frames[at - 1];
    if (!caller || turn.frames[at]?.interrupts) return;
    if (turn.bot.flows.get(caller.flow)?.nodes.get(caller.node)?.kind !== 'agent') continue;
    const memo = (caller.memo as unknown as Memo | undefined) ?? newMemo();
    caller.memo = memoValue({ ...memo, used: plus(memo.used, cost) });
    turn.work.spends(`${caller.flow}/${caller.node}`, cost);
  }
}

/** So many messages of turns before are kept, whatever the designer says, and so many characters. */
const MOST_KEPT = 200;
const MOST_CHARACTERS = 120_000;

/** A memo for a new message of the visitor: what was spent in the turn before counts no more, and what is too old goes. */
export function nextTurn(memo: Memo, recallTurns: number): Memo {
  const transcript = recalled(memo.transcript, recallTurns);
  return {
    ...memo,
    transcript,
    recalled: transcript.length,
    sent: 0,
    used: NOTHING_SPENT,
    calls: {},
    seen: {},
    refused: [],
    corrected: false,
    nudged: false,
  };
}

/** The last exchanges of a transcript: each begins with a message of the visitor. */
function recalled(transcript: readonly ModelMessage[], turns: number): readonly ModelMessage[] {
  const begins = transcript.flatMap((m, i) => (m.role === 'user' ? [i] : []));
  if (turns === 0) return [];
  let from = begins.at(-Math.min(turns, begins.length)) ?? 0;
  const size = (at: number) => transcript.slice(at).reduce((sum, m) => sum + sizeOfMessage(m), 0);
  for (const at of begins.filter((b) => b > from)) {
    if (transcript.length - from <= MOST_KEPT && size(from) <= MOST_CHARACTERS) break;
    from = at;
  }
  return transcript.slice(from);
}

/** About how many characters a message is. */
export function sizeOfMessage(message: ModelMessage): number {
  const calls = message.role === 'assistant' ? (message.calls ?? []) : [];
  return message.content.length + calls.reduce((sum: number, c: ToolCall) => sum + c.given.length + c.name.length + 20, 20);
}
