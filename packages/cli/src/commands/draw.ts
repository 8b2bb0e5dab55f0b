import { writeFileSync } from 'node:fs';
import { drawFlow, layoutFlow, nearest, type BotDocument } from '@primrose/core';
import { findBot, type Context } from '../context.js';
import { readBotFolder } from '../folder.js';
import { CommandFailure, EXIT } from '../outcome.js';

export interface DrawOptions {
  readonly bot?: string;
  readonly output?: string;
  readonly theme: string;
  readonly language?: string;
}

/** Writes a flow as an SVG picture: of a folder (without the service) or of the draft of a bot. `-` writes it to the output. */
export async function cmdDraw(context: Context, flowId: string, path: string | undefined, options: DrawOptions): Promise<void> {
  const { output = `${flowId}.svg`, theme, bot } = options;
  if (theme !== 'light' && theme !== 'dark')
    throw new CommandFailure(EXIT.usage, `There is no theme "${theme}". Choose light or dark.`);
  const document = bot === undefined ? readBotFolder(path ?? '.').document : await draftOf(context, bot);
  const flow = document.flows[flowId];
  if (!flow) throw new CommandFailure(EXIT.usage, unknownFlow(document, flowId));
  const svg = drawFlow(flow, {
    theme,
    language: options.language ?? document.languages[0] ?? 'en',
    title: `${document.name}: ${flow.title ?? flowId}`,
  });
  if (output === '-') return void context.io.output.write(svg);
  writeFileSync(output, svg);
  const { nodes, beats } = layoutFlow(flow);
  if (context.asJson) return context.json({ flow: flowId, file: output, nodes: nodes.length, beats });
  context.print(`${flow.title ?? flowId}, ${nodes.length} nodes in ${beats} beats, is in ${output}.`);
}

async function draftOf({ client }: Context, word: string): Promise<BotDocument> {
  const bot = await findBot(client, word);
  return (await client.call('getDraft', { params: { bot: bot.id } })).document;
}

function unknownFlow({ name, flows }: BotDocument, wanted: string): string {
  const known = Object.keys(flows);
  const meant = nearest(wanted, known);
  return `${name} has no flow "${wanted}". ${meant === undefined ? `There are: ${known.join(', ')}.` : `Did you mean ${meant}?`}`;
}
