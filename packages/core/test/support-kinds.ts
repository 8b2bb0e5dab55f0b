import { z } from 'zod';
import {
  compile,
  defineKind,
  messagesOf,
  nodeKinds,
  onTranscript,
  perform,
  type BotDocument,
  type CompiledBot,
  type ModelEffect,
  type ModelMessage,
  type NodeKinds,
  type Turn,
  type Value,
  type Walking,
} from '@primrose/core';

/** How often `looping` asks its model. */
export const LOOPS = 10;

interface Memo {
  readonly [key: string]: Value;
  readonly round: number;
  readonly transcript: readonly Value[];
}

const NOTHING_YET: Memo = { round: 0, transcript: [] };

function asked(turn: Turn, { round, transcript }: Memo): ModelEffect {
  const before = transcript as readonly ModelMessage[];
  const said = before.at(-1);
  const reply: ModelMessage =
    said?.role === 'assistant'
      ? { role: 'tool', call: `call-${round}`, content: `result ${round}` }
      : { role: 'user', content: 'Go on.' };
  const request: ModelEffect = {
    type: 'model',
    path: turn.effectPath(),
    profile: 'quick',
    connection: 'models',
    model: 'quick-1',
    messages: [reply],
    timeoutMs: 1000,
    estimate: 1,
    aloud: false,
  };
  return onTranscript(request, before);
}

/** One round: asks the model with all that was said before, and says which round it was. */
function* round(turn: Turn): Walking<boolean> {
  const memo = (turn.memo as Memo | undefined) ?? NOTHING_YET;
  const request = asked(turn, memo);
  const result = yield* perform(turn, request);
  turn.recordEffect({ request, result });
  const calls = [{ id: `call-${memo.round + 1}`, name: 'look', given: '{}' }];
  const answer: ModelMessage = { role: 'assistant', content: result.outcome === 'written' ? result.text : '', calls };
  const transcript = [...messagesOf(request), answer];
  turn.keep({ round: memo.round + 1, transcript: transcript as unknown as readonly Value[] });
  turn.say(`round ${memo.round + 1} of ${transcript.length}`);
  return memo.round + 1 < LOOPS;
}

/** A kind of the tests: asks a model ten times, on one transcript, and rests after each time. */
const looping = defineKind({
  kind: 'looping',
  band: 'outside',
  about: 'ask a model again and again',
  schema: z.looseObject({ kind: z.literal('looping') }),
  blank: () => ({}),
  exits: () => [{ name: 'done', about: 'all rounds are over' }],
  prose: () => ({ text: 'loop' }),
  uses: () => [],
  prepare: () => ({
    run: function* (turn) {
      return (yield* round(turn)) ? { rests: true } : { exit: 'done' };
    },
  }),
});

/** A kind of the tests that asks the outside while it hears: what is said goes to an action, and its answer is said. */
const asking = defineKind({
  kind: 'asking',
  band: 'visitor',
  about: 'ask an office what a message means',
  schema: z.looseObject({ kind: z.literal('asking') }),
  waits: true,
  blank: () => ({}),
  exits: () => [{ name: 'done', about: 'it is known' }],
  prose: () => ({ text: 'ask' }),
  uses: () => [],
  prepare: () => ({
    run: (turn) => {
      turn.say('Say it.');
      return { wait: { tries: 0 } };
    },
    hear: function* (turn, event) {
      const text = event.type === 'message' ? (event.text ?? '') : '';
      const request = {
        type: 'action',
        path: turn.effectPath(),
        connection: 'office',
        action: 'mean',
        method: 'GET',
        target: '/mean',
        query: { text },
        headers: {},
        body: null,
        timeoutMs: 1000,
        changes: false,
        repeatable: false,
      } as const;
      const result = yield* perform(turn, request);
      turn.recordEffect({ request, result });
      turn.say(result.outcome === 'answered' ? `It means ${JSON.stringify(result.body)}.` : 'Nobody knows.');
      return { exit: 'done' };
    },
  }),
});

export const TEST_KINDS: NodeKinds = new Map([...nodeKinds, [looping.kind, looping], [asking.kind, asking]]);

/** Compiles a bot in which one flow has nodes of these kinds as well: what the service accepts knows nothing of them. */
export function compileWithTestKinds(
  document: BotDocument,
  nodes: Readonly<Record<string, { kind: string; exits?: Record<string, string> }>>,
  kinds: NodeKinds = TEST_KINDS,
): CompiledBot {
  const { main } = document.flows;
  const [begin = ''] = Object.keys(nodes);
  const flow = { ...main, begin, nodes: { ...main?.nodes, ...nodes } };
  return compile({ ...document, flows: { ...document.flows, main: flow } }, undefined, { kinds });
}
