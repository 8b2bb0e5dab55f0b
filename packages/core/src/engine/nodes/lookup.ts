import { z } from 'zod';
import { nodeBase, target, template } from '../../document/shapes.js';
import { nearest } from '../../text/nearest.js';
import type { Outcome } from '../compiled.js';
import type { LookupEffect } from '../effects/lookup.js';
import { defineKind, type Use } from '../kind.js';
import type { Walking } from '../types.js';
import { perform } from '../walk.js';

const schema = z.strictObject({
  kind: z.literal('lookup'),
  ...nodeBase,
  /** The knowledge base. */
  in: z.string(),
  asks: template,
  into: target,
  most: z.number().int().min(1).max(10).optional(),
});

const DEFAULT_MOST = 3;

/**
 * Asks a knowledge base: `found` with its passages in a variable, the best first and numbered from 1, or `not-covered`
 * when the documents do not answer it.
 */
export const lookup = defineKind<z.infer<typeof schema>>({
  kind: 'lookup',
  band: 'outside',
  about: 'look something up in documents',
  schema,
  blank: () => ({ in: '', asks: '{{ turn.text }}', into: 'flow.passages' }),
  exits: () => [
    { name: 'found', about: 'the documents answer it' },
    { name: 'not-covered', about: 'they do not', way: 'aside' },
  ],
  prose: (node) => ({ text: `Look up ${node.asks}` }),
  uses: (node): Use[] => [
    { field: '/asks', as: 'template', text: node.asks, prose: true },
    { field: '/into', as: 'target', text: node.into },
  ],
  refers: (node) => [{ to: 'knowledge', name: node.in, field: '/in' }],
  checks: (node, { document }) => {
    const bases = Object.keys(document.knowledge ?? {});
    if (bases.includes(node.in)) return [];
    const facts = { name: node.in, suggestion: nearest(node.in, bases) ?? null };
    return [{ code: 'unknown-knowledge', severity: 'error', field: '/in', facts }];
  },
  prepare: (node, compiler) => {
    const asks = compiler.template(node.asks);
    return {
      run: function* (turn): Walking<Outcome> {
        const question = turn.text('/asks', asks);
        const request: LookupEffect = {
          type: 'lookup',
          path: turn.effectPath(),
          base: node.in,
          question,
          most: node.most ?? DEFAULT_MOST,
        };
        const came = yield* perform(turn, request);
        turn.recordEffect({ request, result: came });
        turn.write(node.into, came.covered ? came.passages : []);
        if (came.covered) return { exit: 'found', note: `${came.passages.length} passages` };
        return { exit: 'not-covered', ...(came.missing.length > 0 ? { note: `nothing on ${came.missing.join(', ')}` } : {}) };
      },
    };
  },
});
