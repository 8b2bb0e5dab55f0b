import { z } from 'zod';
import { duration, durationMs, nodeBase } from '../../document/shapes.js';
import { defineKind } from '../kind.js';

const schema = z.strictObject({ kind: z.literal('pause'), ...nodeBase, for: duration });

const MAX_PAUSE_MS = 60_000;

/** Lets a moment pass before the bot says what comes next; channels show that it is writing. */
export const pause = defineKind<z.infer<typeof schema>>({
  kind: 'pause',
  band: 'bot',
  about: 'let a moment pass before the next words',
  schema,
  blank: () => ({ for: '2s' }),
  exits: () => [{ name: 'done', about: 'after the moment' }],
  prose: (node) => ({ text: `Wait ${node.for}` }),
  uses: () => [],
  checks: (node) =>
    durationMs(node.for) <= MAX_PAUSE_MS
      ? []
      : [{ code: 'pause-too-long', severity: 'error', field: '/for', facts: { for: node.for, most: '1m' } }],
  prepare: (node) => {
    const ms = Math.min(durationMs(node.for), MAX_PAUSE_MS);
    return {
      run: (turn) => {
        turn.record.pause(ms);
        return { exit: 'done' };
      },
    };
  },
});
