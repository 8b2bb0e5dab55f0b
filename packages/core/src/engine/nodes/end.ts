import { z } from 'zod';
import { nodeBase, text } from '../../document/shapes.js';
import { defineKind, sampleText, wordUses } from '../kind.js';

const schema = z.strictObject({
  kind: z.literal('end'),
  ...nodeBase,
  says: text.optional(),
  ends: z.enum(['flow', 'conversation']).optional(),
});

/** Ends the flow, or the whole conversation; may say something last. */
export const end = defineKind<z.infer<typeof schema>>({
  kind: 'end',
  band: 'bot',
  about: 'the flow or the conversation is over',
  schema,
  blank: () => ({}),
  exits: () => [],
  prose: (node, language) => ({
    text: sampleText(node.says, language) || (node.ends === 'conversation' ? 'The conversation is over' : 'The flow is over'),
  }),
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
