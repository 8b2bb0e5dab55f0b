import { z } from 'zod';
import { id, name, nodeBase, target, text } from '../../document/shapes.js';
import { sampleText } from '../../document/texts.js';
import { nearest } from '../../text/nearest.js';
import { matchFrom } from '../../understanding/listener.js';
import type { Hearing, Outcome } from '../compiled.js';
import { defineKind, wordUses, type Found, type Use } from '../kind.js';

const schema = z.strictObject({
  kind: z.literal('listen'),
  ...nodeBase,
  says: text.optional(),
  hears: z.array(id),
  /** Where the values of roles go. */
  into: z.record(name, target).optional(),
});

/** Waits for one of some intents: an exit for each, and `unmatched` for everything else. */
export const listen = defineKind<z.infer<typeof schema>>({
  kind: 'listen',
  band: 'visitor',
  about: 'wait for one of some intents',
  waits: true,
  schema,
  blank: () => ({ hears: [] }),
  exits: (node) => [
    ...node.hears.map((intent) => ({ name: intent, about: 'the intent was recognised' })),
    { name: 'unmatched', about: 'nothing of it was recognised', way: 'aside' },
  ],
  prose: (node, language) => ({
    text: node.says === undefined ? `Listen for ${node.hears.join(', ') || 'nothing yet'}` : sampleText(node.says, language),
  }),
  uses: (node): Use[] => [
    ...wordUses(node.says, '/says'),
    ...Object.entries(node.into ?? {}).map(([role, t]) => ({ field: `/into/${role}`, as: 'target', text: t }) as const),
  ],
  refers: (node) => node.hears.map((name, i) => ({ to: 'intent', name, field: `/hears/${i}` })),
  checks: (node, { document }) => {
    const known = Object.keys(document.intents ?? {});
    const unknown = node.hears.flatMap((intent, i): Found[] =>
      known.includes(intent)
        ? []
        : [
            {
              code: 'unknown-intent',
              severity: 'error',
              field: `/hears/${i}`,
              facts: { name: intent, suggestion: nearest(intent, known) ?? null },
            },
          ],
    );
    return node.hears.length > 0 ? unknown : [{ code: 'hears-nothing', severity: 'error', field: '/hears', facts: {} }];
  },
  prepare: (node, compiler) => {
    const says = compiler.text('/says', node.says);
    const from = matchFrom(compiler.document);
    return {
      run: (turn): Outcome => {
        if (node.says !== undefined) turn.say(turn.wording(says));
        return { wait: { tries: 0 } };
      },
      asks: (turn) => (node.says === undefined ? '' : turn.wording(says)),
      hear: (turn): Hearing => {
        const heard = turn.heard?.intents.find((h) => h.score >= from && node.hears.includes(h.intent));
        const missed = (): Outcome => ({ exit: 'unmatched' });
        for (const h of turn.heard?.intents ?? [])
          if (h.score >= from && h !== heard && !node.hears.includes(h.intent)) turn.passedOver(h.intent, 'not-heard');
        if (!heard) return { missed };
        const take = (): Outcome => {
          turn.took(heard.intent, 'listen');
          for (const [role, to] of Object.entries(node.into ?? {}))
            if (heard.roles[role] !== undefined) turn.write(to, heard.roles[role]);
          return { exit: heard.intent, note: `score ${heard.score}` };
        };
        return { reads: { sure: 1, as: `score ${heard.score}`, take }, missed };
      },
    };
  },
});
