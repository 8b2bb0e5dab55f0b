import { z } from 'zod';
import { nodeBase, target, template, duration, type Value } from '../../document/shapes.js';
import { nearest } from '../../text/nearest.js';
import type { Outcome } from '../compiled.js';
import type { LookupEffect, LookupResult } from '../effects/lookup.js';
import { defineKind, type Found, type Use } from '../kind.js';
import { composedAnswer, quotedAnswer } from '../knowing.js';
import type { Walking } from '../types.js';
import { perform } from '../walk.js';

const MOST_BASES = 5;

const schema = z.strictObject({
  kind: z.literal('lookup'),
  ...nodeBase,
  /** The knowledge base, or several that are looked at together; none where only files are looked in. */
  in: z.union([z.string(), z.array(z.string()).max(MOST_BASES)]),
  asks: template,
  into: target,
  most: z.number().int().min(1).max(10).optional(),
  /** Only documents with one of these labels. */
  labels: z.array(z.string().min(1).max(60)).max(20).optional(),
  /** Also what the visitor has sent in this conversation: files that are text, or a PDF. */
  files: z.literal(true).optional(),
  /** All passages of the files that were sent, in their order, and not those alone that answer best. */
  all: z.literal(true).optional(),
  /** False: a question is looked up as it stands, also where it may only be understood with the one before. */
  before: z.literal(false).optional(),
  /** Where an answer is kept as text: the best sentences as they stand, or what `uses` makes of them. */
  answer: target.optional(),
  /** The model profile that composes the answer. */
  uses: z.string().optional(),
  timeout: duration.optional(),
});
type LookupNode = z.infer<typeof schema>;

const DEFAULT_MOST = 3;
const basesOf = (node: Pick<LookupNode, 'in'>): readonly string[] => (typeof node.in === 'string' ? [node.in] : node.in);

function checks(node: LookupNode, bases: readonly string[], profiles: readonly string[]): Found[] {
  const none = basesOf(node).length === 0 && node.files !== true;
  if (none)
    return [{ code: 'unknown-knowledge', severity: 'error', field: '/in', facts: { name: '', suggestion: bases[0] ?? null } }];
  const found = basesOf(node)
    .filter((name) => !bases.includes(name))
    .map((name): Found => ({
      code: 'unknown-knowledge',
      severity: 'error',
      field: '/in',
      facts: { name, suggestion: nearest(name, bases) ?? null },
    }));
  if (node.uses === undefined) return found;
  if (!profiles.includes(node.uses)) {
    const facts = { name: node.uses, suggestion: nearest(node.uses, profiles) ?? null };
    found.push({ code: 'unknown-model', severity: 'error', field: '/uses', facts });
  }
  if (node.answer === undefined) found.push({ code: 'answer-nowhere', severity: 'error', field: '/answer', facts: {} });
  return found;
}

/** What flows keep of a passage: all that is said or cited of it, and not why it ranked. */
function keptOf({ why: _why, also: _also, ...passage }: LookupResult['passages'][number]): Value {
  return { ...passage };
}

/**
 * Asks knowledge bases: `found` with passages in a variable, the best first and numbered from 1, and an answer from them where
 * one is wanted; or `not-covered` when the documents do not answer it.
 */
export const lookup = defineKind<LookupNode>({
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
    ...(node.answer === undefined ? [] : [{ field: '/answer', as: 'target', text: node.answer } as const]),
  ],
  refers: (node) => [
    ...basesOf(node).map(
      (name, i) => ({ to: 'knowledge', name, field: typeof node.in === 'string' ? '/in' : `/in/${i}` }) as const,
    ),
    ...(node.uses === undefined ? [] : [{ to: 'model', name: node.uses, field: '/uses' } as const]),
  ],
  checks: (node, { document }) => checks(node, Object.keys(document.knowledge ?? {}), Object.keys(document.models ?? {})),
  prepare: (node, compiler) => {
    const asks = compiler.template(node.asks);
    const [base = '', ...also] = basesOf(node);
    return {
      run: function* (turn): Walking<Outcome> {
        const question = turn.text('/asks', asks);
        const before = node.before === false ? undefined : turn.talk.lookedUp;
        const request: LookupEffect = {
          type: 'lookup',
          path: turn.effectPath(),
          base,
          ...(also.length > 0 ? { also } : {}),
          question,
          ...(before === undefined ? {} : { before }),
          ...(node.files && turn.talk.files.length > 0 ? { files: turn.talk.files } : {}),
          most: node.most ?? DEFAULT_MOST,
          ...(node.all ? { all: true } : {}),
          ...(node.labels === undefined ? {} : { labels: node.labels }),
          language: turn.language,
        };
        const came = yield* perform(turn, request);
        turn.recordEffect({ request, result: came });
        turn.write(node.into, came.covered ? came.passages.map(keptOf) : []);
        turn.talk.looked(came.asked ?? question);
        if (!came.covered)
          return { exit: 'not-covered', ...(came.missing.length > 0 ? { note: `nothing on ${came.missing.join(', ')}` } : {}) };
        const found = `${came.passages.length} passages`;
        if (node.answer === undefined) return { exit: 'found', note: found };
        const { text, note } =
          node.uses === undefined
            ? quotedAnswer(came.passages, turn.language)
            : yield* composedAnswer(turn, node.uses, came.asked ?? question, came.passages, node);
        turn.write(node.answer, text);
        return { exit: 'found', note: `${found}, ${note}` };
      },
    };
  },
});
