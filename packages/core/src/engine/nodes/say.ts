import { z } from 'zod';
import { nodeBase, text } from '../../document/shapes.js';
import { defineKind, sampleText, wordUses } from '../kind.js';

const schema = z.strictObject({ kind: z.literal('say'), ...nodeBase, says: text });

/** The bot says something: several wordings are taken in turn; CommonMark, pictures by link. */
export const say = defineKind<z.infer<typeof schema>>({
  kind: 'say',
  band: 'bot',
  about: 'the bot says something',
  schema,
  blank: () => ({ says: '' }),
  exits: () => [{ name: 'said', about: 'after it was said' }],
  prose: (node, language) => ({ text: sampleText(node.says, language) }),
  uses: (node) => wordUses(node.says, '/says'),
  prepare: (node, compiler) => {
    const says = compiler.text('/says', node.says);
    return {
      run: (turn) => {
        turn.say(turn.wording(says));
        return { exit: 'said' };
      },
    };
  },
});
