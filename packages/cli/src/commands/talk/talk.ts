import { createInterface, type Interface } from 'node:readline';
import { findBot, type Context } from '../../context.js';
import { CommandFailure, EXIT } from '../../outcome.js';
import { COMMANDS } from './commands.js';
import { Conversation } from './conversation.js';

export interface TalkOptions {
  readonly sheet?: boolean;
  readonly language?: string;
  readonly as?: string;
  readonly clock?: string;
  readonly simulation?: string;
}

/** Talks to the draft in the terminal. Reads lines from a pipe just as well; with --json it prints one turn a line. */
export async function cmdTalk(context: Context, word: string, options: TalkOptions): Promise<void> {
  const bot = await findBot(context.client, word);
  const talk = new Conversation(context, bot.id, options.sheet === true);
  if (!context.asJson) context.print(`Talking to the draft of ${bot.name}. /help lists what else can be done.\n`);
  if (options.simulation === undefined) {
    const speaker = options.language === undefined ? {} : { language: options.language };
    await talk.create({ speaker });
    if (options.as !== undefined) await talk.speakAs(options.as);
    if (options.clock !== undefined) await talk.setClock(options.clock);
    await talk.run({ type: 'open' });
  } else await talk.open(options.simulation);
  const tty = context.io.tty;
  const lines = createInterface({
    input: context.io.input,
    terminal: tty,
    output: context.io.output,
    prompt: 'you  ',
    historySize: 200,
  });
  const prompt = () => void (tty && lines.prompt());
  prompt();
  for await (const line of lines) {
    const text = line.trim();
    if (text === '/quit') break;
    await oneLine(talk, lines, text, context, tty);
    prompt();
  }
  lines.close();
}

/** What was typed: a command, or words for the bot. A mistake is told, and the talk goes on. */
async function oneLine(talk: Conversation, lines: Interface, text: string, context: Context, tty: boolean): Promise<void> {
  if (text === '') return;
  try {
    if (!context.asJson && !tty) context.print(text.startsWith('/') ? `     ${text}` : `you  ${text}`);
    if (!text.startsWith('/')) {
      return await talk.run({ type: 'message', text });
    }
    const [name = '', ...rest] = text.slice(1).split(/\s+/);
    const command = COMMANDS[name];
    if (!command) throw new CommandFailure(EXIT.usage, `There is no /${name}. /help lists what there is.`);
    await command.run(talk, rest.join(' '));
  } catch (error) {
    // At the keyboard one goes on; in a pipe what follows would make no sense.
    if (!tty) throw error;
    lines.write('');
    context.print(`     ${error instanceof Error ? error.message : String(error)}`);
  }
}
