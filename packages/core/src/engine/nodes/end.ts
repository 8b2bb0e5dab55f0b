import { z } from 'zod';
import { nodeBase, text, type FlowNode } from '../../document/shapes.js';
import { sampleText } from '../../document/texts.js';
import { defineKind, wordUses } from '../kind.js';

const schema = z.strictObject({
  kind: z.literal('end'),
  ...nodeBase,
  says: text.optional(),
  ends: z.enum(['flow', 'failed', 'conversation']).optional(),
});

const ABOUT = { flow: 'The flow is over', failed: 'The flow has failed', conversation: 'The conversation is over' } as const;

/** Ends the flow, as done or as failed to whoever called it, or the whole conversation; may say something last. */
export const end = defineKind<z.infer<typeof schema>>({
  kind: 'end',
  band: 'bot',
  about: 'the flow or the conversation is over',
  ends: true,
  schema,
  blank: () => ({}),
  exits: () => [],
  prose: (node, language) => ({ text: sampleText(node.says, language) || ABOUT[node.ends ?? 'flow'] }),
  uses: (node) => wordUses(node.says, '/says'),
  prepare: (node, compiler) => {
    const says = compiler.text('/says', node.says);
    const ends = node.ends ?? 'flow';
    return {
      run: (turn) => {
        if (node.says !== undefined) turn.say(turn.wording(says));
        return { ends };
      },
    };
  },
});

/** An end of a flow that says nothing. */
export function plainEnd(): FlowNode {
  return { kind: end.kind };
}
