import { readFileSync } from 'node:fs';
import { Command, CommanderError } from 'commander';
import { cmdBots, cmdConfigure, cmdNewToken, cmdRelease, cmdRevokeToken, cmdStatus, cmdTokens } from './commands/bots.js';
import { cmdDraw, type DrawOptions } from './commands/draw.js';
import { cmdCheck, cmdPull, cmdPush } from './commands/files.js';
import { cmdChannels, cmdConversation, cmdConversations, cmdLookup, cmdUnderstand } from './commands/listening.js';
import { cmdRehearse, type RehearseOptions } from './commands/rehearse.js';
import { cmdTalk, type TalkOptions } from './commands/talk/talk.js';
import { cmdCompare, cmdExport, cmdHistory, cmdImport, cmdLive, cmdReleases, cmdRestore, cmdStep } from './commands/versions.js';
import { createContext, type Context } from './context.js';
import type { Ending, Io } from './io.js';
import { EXIT, explain, type ExitCode } from './outcome.js';

const { version } = JSON.parse(readFileSync(new URL('../package.json', import.meta.url), 'utf8')) as { version: string };

const AFTER_HELP = `
Address and token come from PRIMROSE_ADDRESS and PRIMROSE_TOKEN, else from the file that "primrose configure" writes.
BOT is a bot's name, its id, or the name in its bot.yaml.

Exit codes: 0 done, 1 failed, 2 wrong usage, 3 the bot has errors, 4 somebody else's newer edits are in the way,
5 the service cannot be reached, 6 the token is missing or not valid.`;

interface Json {
  readonly json?: boolean;
}

function createProgram(io: Io, ending: Ending): Command {
  const program = new Command('primrose')
    .description('The command-line client of Primrose.')
    .version(version)
    .exitOverride()
    .configureOutput({ writeOut: (text) => io.output.write(text), writeErr: (text) => io.errors.write(text) })
    .showHelpAfterError('(see primrose --help)');
  program.addHelpText('after', AFTER_HELP);
  const command = (spec: string, about: string) =>
    program.command(spec).description(about).option('--json', 'print JSON for programs').exitOverride();
  const context = (options: { json?: boolean }): Context => createContext(io, ending, options.json ?? false);

  command('configure', 'keep the address and an API token for later')
    .option('--address <url>', 'where Primrose answers')
    .option('--token <secret>', 'an API token')
    .action((o: Json & { address?: string; token?: string }) => cmdConfigure(context(o), o));
  command('status', 'is the service there, and who am I').action((o: { json?: boolean }) => cmdStatus(context(o)));
  command('bots', 'list the bots').action((o: { json?: boolean }) => cmdBots(context(o)));
  command('pull <bot> [folder]', 'write the draft of a bot into a folder')
    .option('--force', 'overwrite local changes')
    .option('--file <name>', 'write one JSON file instead')
    .action((bot: string, folder: string | undefined, o: { json?: boolean; force?: boolean; file?: string }) =>
      cmdPull(context(o), bot, folder, o),
    );
  command('push [folder]', 'put a folder in place of the draft')
    .option('--bot <bot>', 'push into this bot')
    .option('--new', 'make a new bot of it')
    .option('--force', 'overwrite newer edits')
    .action((folder: string | undefined, o: { json?: boolean; bot?: string; new?: boolean; force?: boolean }) =>
      cmdPush(context(o), folder ?? '.', o),
    );
  command('check [folder]', 'check a folder, or the draft of a bot')
    .option('--bot <bot>', 'check the draft of this bot')
    .action((folder: string | undefined, o: { json?: boolean; bot?: string }) => cmdCheck(context(o), folder, o.bot));
  command('draw <flow> [folder]', 'write a flow of a folder, or of the draft of a bot, as an SVG picture')
    .option('--bot <bot>', 'draw from the draft of this bot')
    .option('-o, --output <file>', 'the file, FLOW.svg otherwise; - for the output')
    .option('--theme <theme>', 'light or dark', 'light')
    .option('--language <tag>', 'show the words of this language')
    .action((flow: string, folder: string | undefined, o: Json & DrawOptions) => cmdDraw(context(o), flow, folder, o));
  command('talk <bot>', 'talk to the draft in the terminal')
    .option('--sheet', 'show the turn sheet after every turn')
    .option('--language <tag>', 'speak as a visitor of this language')
    .option('--as <name>', 'speak as a made-up visitor')
    .option('--clock <moment>', 'let the clock stand at a moment, such as 2026-05-14T09:00Z')
    .option('--simulation <name>', 'take up a kept conversation, by name or id')
    .addHelpText('after', '\nWithin the talk, /help lists its commands: going back, branches, sheets, the clock and more.')
    .action((bot: string, o: Json & TalkOptions) => cmdTalk(context(o), bot, o));
  command('rehearse [bot]', 'run the rehearsals of a draft, or of a folder; exit code 1 when one fails')
    .option('--folder <folder>', 'the rehearsals of this folder, as it is on disk')
    .option('--only <names>', 'only these, with commas between')
    .option('--junit <file>', 'write the outcome as JUnit XML too')
    .option('--coverage', 'list the exits that no rehearsal took')
    .action((bot: string | undefined, o: Json & RehearseOptions) => cmdRehearse(context(o), bot, o));
  command('understand <bot> <text>', 'what the draft understands a text as: intents, scores, values')
    .option('--language <tag>', 'as a visitor of this language says it')
    .action((bot: string, text: string, o: Json & { language?: string }) => cmdUnderstand(context(o), bot, text, o));
  command('lookup <bot> <question>', 'what the bot’s documents say on a question, with where it stands')
    .option('--in <knowledge>', 'the knowledge base, where there are several')
    .action((bot: string, question: string, o: Json & { in?: string }) => cmdLookup(context(o), bot, question, o));
  command('channels <bot>', 'list the channels and what each serves').action((bot: string, o: Json) =>
    cmdChannels(context(o), bot),
  );
  command('conversations <bot>', 'list the conversations with visitors')
    .option('--handed', 'only those that wait for a person')
    .option('-n, --limit <count>', 'how many', '20')
    .action((bot: string, o: Json & { handed?: boolean; limit: string }) => cmdConversations(context(o), bot, o));
  command('conversation <bot> <id>', 'read one conversation; with --json its turn sheets as well').action(
    (bot: string, id: string, o: Json) => cmdConversation(context(o), bot, id),
  );
  command('release <bot>', 'release the draft as it is')
    .option('-m, --note <text>', 'what is new in it', '')
    .option('--move', 'move open conversations to it')
    .option('--not-live', 'keep serving the release that is live now')
    .option('--despite <reason>', 'release although rehearsals fail, and why')
    .action((bot: string, o: { json?: boolean; note: string; move?: boolean; notLive?: boolean; despite?: string }) =>
      cmdRelease(context(o), bot, o),
    );
  command('releases <bot>', 'list the releases and which one is live').action((bot: string, o: Json) =>
    cmdReleases(context(o), bot),
  );
  command('compare <bot> <from> [to]', 'what differs between two versions: release numbers, revisions (r12), or draft').action(
    (bot: string, from: string, to: string | undefined, o: Json) => cmdCompare(context(o), bot, from, to ?? 'draft'),
  );
  command('live <bot> <release>', 'make a release the live one')
    .option('--move', 'move open conversations to it')
    .action((bot: string, release: string, o: Json & { move?: boolean }) => cmdLive(context(o), bot, release, o));
  command('roll-back <bot>', 'make the release live that was live before')
    .option('--move', 'move open conversations to it')
    .action((bot: string, o: Json & { move?: boolean }) => cmdLive(context(o), bot, undefined, o));
  command('history <bot>', 'who changed what in the draft')
    .option('-n, --limit <count>', 'how many edits', '20')
    .action((bot: string, o: Json & { limit: string }) => cmdHistory(context(o), bot, Number(o.limit)));
  command('undo <bot>', 'take back your last edit of the draft').action((bot: string, o: Json) =>
    cmdStep(context(o), bot, 'undoEdit'),
  );
  command('redo <bot>', 'make again what you have undone last').action((bot: string, o: Json) =>
    cmdStep(context(o), bot, 'redoEdit'),
  );
  command('restore <bot> <revision>', 'bring the draft back to a revision').action((bot: string, revision: string, o: Json) =>
    cmdRestore(context(o), bot, revision),
  );
  command('export <bot>', 'write the draft or a release into one file')
    .option('-o, --output <file>', 'the file; NAME.zip makes a zip')
    .option('--zip', 'a zip of the folder instead of one JSON document')
    .option('--release <number>', 'a release instead of the draft')
    .action((bot: string, o: Json & { output?: string; zip?: boolean; release?: string }) => cmdExport(context(o), bot, o));
  command('import <file>', 'make a new bot of an exported file')
    .option('--bot <bot>', 'put it into the draft of this bot, as one edit')
    .action((file: string, o: Json & { bot?: string }) => cmdImport(context(o), file, o));

  const token = program.command('token').description('API tokens: list, new, revoke').exitOverride();
  token
    .command('list')
    .description('the tokens there are')
    .option('--json', 'print JSON')
    .exitOverride()
    .action((o: { json?: boolean }) => cmdTokens(context(o)));
  token
    .command('new <name>')
    .description('make a token; it is shown once')
    .option('--json', 'print JSON')
    .exitOverride()
    .action((name: string, o: { json?: boolean }) => cmdNewToken(context(o), name));
  token
    .command('revoke <token>')
    .description('make a token invalid, by name or id')
    .option('--json', 'print JSON')
    .exitOverride()
    .action((word: string, o: { json?: boolean }) => cmdRevokeToken(context(o), word));
  return program;
}

/** Runs the client with some arguments; returns the code with which it ends. Throws nothing. */
export async function runClient(args: readonly string[], io: Io): Promise<ExitCode> {
  const ending: Ending = { exit: EXIT.ok };
  try {
    await createProgram(io, ending).parseAsync([...args], { from: 'user' });
    return ending.exit;
  } catch (error) {
    if (error instanceof CommanderError) return error.exitCode === 0 ? EXIT.ok : EXIT.usage;
    const { message, lines, exit } = explain(error);
    io.errors.write(`${[message, ...lines].join('\n')}\n`);
    return exit;
  }
}
