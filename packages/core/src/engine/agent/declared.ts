import { z } from 'zod';
import {
  duration,
  id,
  LANGUAGE_PATTERN,
  name,
  nodeBase,
  target,
  template,
  text,
  typeDeclaration,
  value,
} from '../../document/shapes.js';
import { TABLE_DOES } from '../effects/table.js';
import { promptPart } from '../prompt/parts.js';
import { recallDeclaration } from '../prompt/recall.js';

/*
 * How an agent is written down: its prompt in parts, the tools that its model may choose among, and how far it may go.
 */

/** What every tool may say of itself. */
const common = {
  /** What the model calls it; made from what it runs where it is left out. */
  name: id.optional(),
  /** What it is for and when to use it, as the model is told. */
  about: z.string().max(1000).optional(),
  /** Parameters that are fixed, or filled in by a template: the model is not shown them. */
  given: z.record(z.string().max(80), value).optional(),
  /** What the parameters are that the model fills in. */
  deduced: z.record(z.string().max(80), z.string().max(500)).optional(),
  /** Whether the visitor is asked first, or the question; by default for everything that changes something outside. */
  confirm: z.union([z.boolean(), text]).optional(),
  /** So often in one turn. */
  most: z.number().int().min(1).max(100).optional(),
  /** A line that the visitor sees while it is under way. */
  while: text.optional(),
  /** Words by which a reply claims that it was done, by language. */
  claims: z.record(z.string().regex(LANGUAGE_PATTERN), z.array(z.string().min(2).max(60)).max(30)).optional(),
  off: z.boolean().optional(),
};

export const OWN_TOOLS = ['sums', 'dates', 'memory'] as const;
export type OwnTool = (typeof OWN_TOOLS)[number];

export const agentTool = z.union([
  z.strictObject({ runs: z.string().max(161), ...common }),
  z.strictObject({ lookup: z.string().max(80), ...common }),
  z.strictObject({ table: z.string().max(80), does: z.enum(TABLE_DOES), ...common }),
  /** The channel by its name; '' for the only one that can send. */
  z.strictObject({ notice: z.string().max(80), ...common }),
  z.strictObject({ flow: z.string().max(80), ...common }),
  z.strictObject({ mcp: z.string().max(80), only: z.array(z.string().max(100)).max(100).optional(), ...common }),
  z.strictObject({ own: z.enum(OWN_TOOLS), ...common }),
]);
export type AgentTool = z.infer<typeof agentTool>;

/** What a tool is called, without the marks that tell two of one name apart. Those of an MCP server have names of their own there. */
export function toolName(tool: AgentTool): string {
  if (tool.name !== undefined) return tool.name;
  if ('runs' in tool) return tool.runs.split('.').at(-1) ?? tool.runs;
  if ('lookup' in tool) return `look-up-${tool.lookup}`;
  if ('table' in tool) return `${tool.does}-${tool.table}`;
  if ('notice' in tool) return 'send-notice';
  if ('flow' in tool) return tool.flow;
  if ('mcp' in tool) return tool.mcp;
  return tool.own === 'memory' ? 'remember' : tool.own;
}

/** How much may be spent; what is left out has no limit of its own. Money counts as the profiles price it. */
const spending = {
  steps: z.number().int().min(1).max(100_000).optional(),
  tokens: z.number().int().min(1).max(1_000_000_000).optional(),
  money: z.number().gt(0).max(1_000_000).optional(),
};
export const MOST_STEPS = 40;

export const agentLimits = z.strictObject({
  ...spending,
  /** Calls of models in one turn. */
  steps: z.number().int().min(1).max(MOST_STEPS).optional(),
  time: duration.optional(),
  conversation: z.strictObject(spending).optional(),
  visitor: z.strictObject(spending).optional(),
  day: z.strictObject(spending).optional(),
});
export type AgentLimits = z.infer<typeof agentLimits>;

export const MOST_TOOLS = 40;

export const agentSchema = z.strictObject({
  kind: z.literal('agent'),
  ...nodeBase,
  /** The model profile. */
  uses: z.string(),
  parts: z.array(promptPart).max(40),
  /** False: the model is not told date, weekday, time and zone. */
  clock: z.boolean().optional(),
  /** Pictures that it is shown: a template that gives a list of addresses. */
  pictures: template.optional(),
  /** How much of the talk before it is shown. */
  recall: recallDeclaration.optional(),
  tools: z.array(agentTool).max(MOST_TOOLS).optional(),
  /** What it hands on; without it, it answers in words. */
  gives: z.record(name, typeDeclaration).optional(),
  /** Its words are text without marks: what a model marks up all the same is taken out. */
  plain: z.boolean().optional(),
  /** Where what it hands on, or its answer, is kept. */
  into: target.optional(),
  /** It goes on with the visitor until its task is done, or they want something else. */
  stays: z.boolean().optional(),
  /** The visitor sees what it is doing, in the words of its tools. */
  shows: z.boolean().optional(),
  limits: agentLimits.optional(),
  timeout: duration.optional(),
});
export type AgentNode = z.infer<typeof agentSchema>;
