import { z } from 'zod';
import { expression, nodeBase, text, type FlowNode, type Value } from '../../document/shapes.js';
import { sampleText } from '../../document/texts.js';
import { defineKind, wordUses } from '../kind.js';
import { plainText, readMarkdown } from '../../text/markdown.js';
import type { Citation } from '../message.js';

const schema = z.strictObject({
  kind: z.literal('say'),
  ...nodeBase,
  says: text,
  /** Shorter words for channels that speak. */
  speech: text.optional(),
  /** Passages that a lookup found: the channel shows where it stands. */
  cites: expression.optional(),
});

const asText = (value: Value | undefined): string => (typeof value === 'string' ? value : '');

/** The passages of a value, each once. Where the text says numbers such as [2], only those that it names. */
function citations(value: Value, said: string): Citation[] {
  const all = (Array.isArray(value) ? (value as readonly Value[]) : []).flatMap((v, i): Citation[] => {
    if (v === null || typeof v !== 'object' || Array.isArray(v)) return [];
    const p = v as Readonly<Record<string, Value>>;
    const number = typeof p['number'] === 'number' ? p['number'] : i + 1;
    const { page, address } = p;
    return [
      {
        number,
        title: asText(p['title']),
        heading: asText(p['heading']),
        quote: asText(p['quote']),
        ...(typeof page === 'number' ? { page } : {}),
        ...(typeof address === 'string' ? { address } : {}),
      },
    ];
  });
  const named = new Set([...said.matchAll(/\[(\d{1,2})\\?\]/g)].map((m) => Number(m[1])));
  const used = all.filter((c) => named.has(c.number));
  return used.length > 0 ? used : all;
}

/** The bot says something: several wordings are taken in turn; CommonMark, pictures by link. */
export const say = defineKind<z.infer<typeof schema>>({
  kind: 'say',
  band: 'bot',
  about: 'the bot says something',
  schema,
  blank: () => ({ says: '' }),
  exits: () => [{ name: 'said', about: 'after it was said' }],
  prose: (node, language) => ({ text: sampleText(node.says, language) }),
  uses: (node) => [
    ...wordUses(node.says, '/says'),
    ...(node.speech === undefined ? [] : wordUses(node.speech, '/speech')),
    ...(node.cites === undefined ? [] : [{ field: '/cites', as: 'expression', text: node.cites } as const]),
  ],
  prepare: (node, compiler) => {
    const says = compiler.text('/says', node.says);
    const speech = node.speech === undefined ? undefined : compiler.text('/speech', node.speech);
    const cites = node.cites === undefined ? undefined : compiler.expression(node.cites);
    return {
      run: (turn) => {
        const said = turn.wording(says);
        const spoken = speech && plainText(readMarkdown(turn.wording(speech)));
        turn.say(said, undefined, cites && citations(turn.evaluate('/cites', cites), said), spoken);
        return { exit: 'said' };
      },
    };
  },
});

/** A node that says something and leads nowhere yet. */
export function saying(says: string): FlowNode {
  return { kind: say.kind, says };
}
