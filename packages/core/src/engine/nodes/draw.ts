import { z } from 'zod';
import { duration, nodeBase, target, template } from '../../document/shapes.js';
import { escapeMarkdown } from '../../text/markdown.js';
import { nearest } from '../../text/nearest.js';
import type { Outcome } from '../compiled.js';
import type { DrawEffect } from '../effects/draw.js';
import type { FailureCode } from '../effects/effect.js';
import { failureSays } from '../failure-words.js';
import { defineKind, type Found, type Use } from '../kind.js';
import { timeoutOf } from '../prompt/ask-model.js';
import type { Turn } from '../turn.js';
import type { Walking } from '../types.js';
import { perform } from '../walk.js';

const schema = z.strictObject({
  kind: z.literal('draw'),
  ...nodeBase,
  /** The model profile. */
  uses: z.string(),
  /** What is to be drawn. */
  says: template,
  /** Width and height in points, as `512x512`. */
  size: z
    .string()
    .regex(/^\d{2,4}x\d{2,4}$/)
    .optional(),
  /** What is seen by those who do not see it; what is to be drawn where it is left out. */
  alt: template.optional(),
  /** False: it is not shown to the visitor, only kept. */
  shows: z.boolean().optional(),
  /** Where the address of the picture is kept. */
  into: target.optional(),
  timeout: duration.optional(),
});
type DrawNode = z.infer<typeof schema>;

const LONGEST_PROMPT = 4000;
const LONGEST_ALT = 300;

function failed(turn: Turn, node: DrawNode, reason: string, code: FailureCode): Outcome {
  turn.view.turn['failure'] = { model: node.uses, reason, says: failureSays(code, turn.language) };
  turn.problem('model-failed', { model: node.uses, reason });
  return { exit: 'failed', note: reason };
}

/** Has a model draw a picture, and shows it. */
export const draw = defineKind<DrawNode>({
  kind: 'draw',
  band: 'outside',
  about: 'have a model draw a picture',
  schema,
  blank: () => ({ uses: '', says: '' }),
  exits: () => [
    { name: 'done', about: 'it is drawn' },
    { name: 'failed', about: 'no picture came', way: 'aside' },
  ],
  prose: (node) => ({ text: `Draw: ${node.says}` }),
  uses: (node): Use[] => [
    { field: '/says', as: 'template', text: node.says, prose: true },
    ...(node.alt === undefined ? [] : [{ field: '/alt', as: 'template', text: node.alt } as const]),
    ...(node.into === undefined ? [] : [{ field: '/into', as: 'target', text: node.into } as const]),
  ],
  refers: (node) => [{ to: 'model', name: node.uses, field: '/uses' }],
  types: (node): Record<string, string> => (node.into === undefined ? {} : { [node.into]: 'text' }),
  checks: (node, { document }): Found[] => {
    const profiles = Object.keys(document.models ?? {});
    const found: Found[] = [];
    const unknown = { name: node.uses, suggestion: nearest(node.uses, profiles) ?? null };
    if (!profiles.includes(node.uses)) found.push({ code: 'unknown-model', severity: 'error', field: '/uses', facts: unknown });
    if (node.says.trim() === '') found.push({ code: 'empty-prompt', severity: 'error', field: '/says', facts: {} });
    if (node.shows === false && node.into === undefined)
      found.push({ code: 'answer-nowhere', severity: 'error', field: '/into', facts: {} });
    return found;
  },
  prepare: (node, compiler) => {
    const says = compiler.template(node.says);
    const alt = node.alt === undefined ? undefined : compiler.template(node.alt);
    return {
      run: function* (turn): Walking<Outcome> {
        const prompt = turn.text('/says', says).trim().slice(0, LONGEST_PROMPT);
        const profile = turn.bot.document.models?.[node.uses];
        if (!profile) return failed(turn, node, `there is no model profile "${node.uses}" in this bot`, 'not-configured');
        if (prompt === '') return failed(turn, node, 'there is nothing to draw', 'does-not-fit');
        const request: DrawEffect = {
          type: 'draw',
          path: turn.effectPath(),
          profile: node.uses,
          connection: profile.connection,
          model: profile.model,
          prompt,
          ...(node.size === undefined ? {} : { size: node.size }),
          timeoutMs: timeoutOf(node, profile),
        };
        const result = yield* perform(turn, request);
        turn.recordEffect({ request, result });
        if (result.outcome === 'failed') return failed(turn, node, result.reason, result.code);
        if (node.into !== undefined) turn.write(node.into, result.address);
        const seen = (alt ? turn.text('/alt', alt) : prompt).replace(/\s+/g, ' ').slice(0, LONGEST_ALT);
        if (node.shows !== false) turn.say(`![${escapeMarkdown(seen)}](${result.address})`);
        return { exit: 'done' };
      },
    };
  },
});
