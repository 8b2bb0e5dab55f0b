import { z } from 'zod';
import { nodeBase, template, text } from '../../document/shapes.js';
import type { Outcome } from '../compiled.js';
import type { NoticeEffect } from '../effects/notice.js';
import { failureSays, type VisibleFailure } from '../failure-words.js';
import { defineKind, wordUses, type Use } from '../kind.js';
import type { Turn } from '../turn.js';
import type { Walking } from '../types.js';
import { perform } from '../walk.js';

const schema = z.strictObject({
  kind: z.literal('notice'),
  ...nodeBase,
  /** The channel, by its name; the only one that can send where it is left out. */
  on: z.string().max(80).optional(),
  /** A person or a room, as the channel knows them. */
  to: template,
  says: text,
  /** Buttons that open a link. */
  links: z
    .array(z.strictObject({ says: template, opens: template }))
    .max(5)
    .optional(),
});
type NoticeNode = z.infer<typeof schema>;

const MOST_TEXT = 10_000;

function failed(turn: Turn, to: string, code: VisibleFailure, reason: string): Outcome {
  turn.view.turn['failure'] = { notice: to, reason, says: failureSays(code, turn.language) };
  turn.problem('notice-failed', { to, reason });
  return { exit: 'failed', note: reason };
}

/** Only an address of the web is opened by a button. */
function isLink(address: string): boolean {
  return /^https?:\/\/[^\s]+$/i.test(address);
}

/** Sends a message that answers nobody: to a person or a room. It leaves when it is stored; the channel sends it. */
export const notice = defineKind<NoticeNode>({
  kind: 'notice',
  band: 'outside',
  about: 'tell a person or a room something',
  schema,
  blank: () => ({ to: '', says: '' }),
  exits: () => [
    { name: 'done', about: 'it is on its way' },
    { name: 'failed', about: 'there is no such channel, or nothing to say', way: 'aside' },
  ],
  prose: (node, language) => {
    const words = wordUses(node.says, '/says');
    const own = words.find((u) => u.language === undefined || u.language === language) ?? words[0];
    return { text: `Tell ${node.to || 'somebody'}: ${own?.text ?? ''}` };
  },
  uses: (node): Use[] => [
    { field: '/to', as: 'template', text: node.to },
    ...wordUses(node.says, '/says'),
    ...(node.links ?? []).flatMap((l, i): Use[] => [
      { field: `/links/${i}/says`, as: 'template', text: l.says },
      { field: `/links/${i}/opens`, as: 'template', text: l.opens },
    ]),
  ],
  changes: () => true,
  checks: (node) => [
    ...(node.to.trim() === '' ? [{ code: 'notice-to-nobody', severity: 'error', field: '/to', facts: {} } as const] : []),
  ],
  prepare: (node, compiler) => {
    const to = compiler.template(node.to);
    const says = compiler.text('/says', node.says);
    const links = (node.links ?? []).map((l, i) => ({
      says: [`/links/${i}/says`, compiler.template(l.says)] as const,
      opens: [`/links/${i}/opens`, compiler.template(l.opens)] as const,
    }));
    return {
      run: function* (turn): Walking<Outcome> {
        const whom = turn.text('/to', to).trim().slice(0, 200);
        const words = turn.wording(says).trim().slice(0, MOST_TEXT);
        if (whom === '') return failed(turn, '', 'does-not-fit', 'nobody is named to whom it should go');
        if (words === '') return failed(turn, whom, 'does-not-fit', 'it says nothing');
        const buttons = links.map((l) => ({ says: turn.text(...l.says), opens: turn.text(...l.opens).trim() }));
        const wrong = buttons.find((b) => !isLink(b.opens));
        if (wrong)
          return failed(turn, whom, 'does-not-fit', `the button "${wrong.says}" opens "${wrong.opens}", which is no address`);
        const request: NoticeEffect = {
          type: 'notice',
          path: turn.effectPath(),
          on: node.on ?? '',
          to: whom,
          text: words,
          links: buttons,
        };
        const came = yield* perform(turn, request);
        turn.recordEffect({ request, result: came });
        if (came.outcome === 'failed') return failed(turn, whom, came.code, came.reason);
        return { exit: 'done' };
      },
    };
  },
});
