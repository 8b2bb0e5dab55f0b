import { z } from 'zod';
import { nodeBase, template, text } from '../../document/shapes.js';
import { sampleText } from '../../document/texts.js';
import type { Outcome } from '../compiled.js';
import { defineKind, wordUses } from '../kind.js';

const schema = z.strictObject({
  kind: z.literal('hand-over'),
  ...nodeBase,
  /** Why, for staff. */
  reason: template,
  /** What the visitor is told now, and when the bot is back. */
  says: text,
  back: text.optional(),
  /** What they are told now outside office hours; what the bot says of its staff where it is left out. */
  away: text.optional(),
});

/** Gives the conversation to staff: the bot is silent until they hand it back. The visitor is told both times. */
export const handOver = defineKind<z.infer<typeof schema>>({
  kind: 'hand-over',
  band: 'outside',
  about: 'give the conversation to staff',
  waits: true,
  toPerson: true,
  schema,
  blank: () => ({ reason: '', says: '' }),
  exits: () => [{ name: 'handed-back', about: 'staff gave it back' }],
  prose: (node, language) => ({ text: sampleText(node.says, language) }),
  uses: (node) => [
    ...wordUses(node.says, '/says'),
    ...wordUses(node.back, '/back'),
    ...wordUses(node.away, '/away'),
    { field: '/reason', as: 'template', text: node.reason, prose: true },
  ],
  checks: (node) => (node.reason.trim() === '' ? [{ code: 'no-reason', severity: 'warning', field: '/reason', facts: {} }] : []),
  prepare: (node, compiler) => {
    const says = compiler.text('/says', node.says);
    const back = compiler.text('/back', node.back);
    const reason = compiler.template(node.reason);
    const away = node.away ?? compiler.document.staff?.away;
    const gone = away === undefined ? says : compiler.text('/away', away);
    return {
      run: (turn): Outcome => {
        turn.say(turn.wording(turn.view.clock['staffed'] === false ? gone : says));
        turn.handOver(turn.text('/reason', reason));
        return { wait: { tries: 0 } };
      },
      hear: (turn): Outcome => {
        if (node.back !== undefined) turn.say(turn.wording(back));
        return { exit: 'handed-back' };
      },
    };
  },
});
