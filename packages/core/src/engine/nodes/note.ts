import { z } from 'zod';
import { nodeBase, text } from '../../document/shapes.js';
import { sampleText } from '../../document/texts.js';
import { defineKind, wordUses } from '../kind.js';

const schema = z.strictObject({ kind: z.literal('note'), ...nodeBase, says: text });

/** A remark for whoever edits the flow. No visitor ever sees it; a walk that comes to it goes on at once. */
export const note = defineKind<z.infer<typeof schema>>({
  kind: 'note',
  band: 'bot',
  about: 'a remark for colleagues, never said',
  schema,
  blank: () => ({ says: '' }),
  exits: () => [{ name: 'next', about: 'goes on at once' }],
  prose: (node, language) => ({ text: sampleText(node.says, language) }),
  uses: () => [],
  still: true,
  remarks: (node) => wordUses(node.says, '/says'),
  prepare: () => ({ run: () => ({ exit: 'next' }) }),
});
