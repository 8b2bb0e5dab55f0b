import { z } from 'zod';
import { FAILURES, isMcpSample, type Sample } from '../../document/rehearsals.js';
import { sameValue } from '../../document/merge.js';
import { value as jsonValue, type Immutable, type Value } from '../../document/shapes.js';
import { defineEffect, failure, failureOf, place, playedFailure } from './effect.js';

const request = z.strictObject({
  type: z.literal('mcp'),
  ...place,
  connection: z.string(),
  tool: z.string(),
  given: z.record(z.string(), jsonValue),
  timeoutMs: z.number(),
  changes: z.boolean().describe('false for reading only'),
});
const result = z.union([
  z.strictObject({
    outcome: z.literal('gave'),
    content: jsonValue.describe('its structured content, else its text'),
    wrong: z.boolean().describe('the tool itself says that it failed'),
  }),
  failure,
]);

/** One call of a tool of an MCP server, over streamable HTTP. */
export type McpEffect = Immutable<z.infer<typeof request>>;
export type McpResult = Immutable<z.infer<typeof result>>;

const nameOf = ({ connection, tool }: McpEffect): string => `${connection}.${tool}`;

function fit(sample: Sample, effect: McpEffect): number {
  if (!isMcpSample(sample) || sample.tool !== nameOf(effect)) return -1;
  if (sample.asked === undefined) return 0;
  return Object.entries(sample.asked).every(([key, v]) => sameValue(effect.given[key] ?? null, v)) ? 1 : -1;
}

function play(sample: Sample, id: string): McpResult | undefined {
  if (!isMcpSample(sample)) return undefined;
  return sample.fails ? playedFailure(id, sample.fails) : { outcome: 'gave', content: sample.gave ?? null, wrong: false };
}

function keep(effect: McpEffect, came: McpResult, narrow: boolean): Sample | undefined {
  const base = { tool: nameOf(effect), ...(narrow ? { asked: effect.given as Record<string, Value> } : {}) };
  if (came.outcome === 'gave') return came.wrong ? undefined : { ...base, gave: came.content };
  const fails = FAILURES.find((c) => c === came.code);
  return fails && { ...base, fails };
}

export const mcp = defineEffect<'mcp', McpEffect, McpResult>({
  type: 'mcp',
  request,
  result,
  journaled: ({ changes }) => (changes ? 'around' : 'after'),
  repeatable: ({ changes }) => !changes,
  failed: failureOf,
  shown: true,
  connection: ({ connection }) => connection,
  name: nameOf,
  spoken: ({ connection, tool }) => `the tool ${tool} of ${connection}`,
  line: ({ tool }) => tool,
  whole: ({ tool, given }) => `${tool} ${JSON.stringify(given)}`,
  came: ({ content }) => JSON.stringify(content),
  likeness: ({ connection, tool, given }) => ({ connection, tool, given }),
  sampling: { fit, play, keep },
});
