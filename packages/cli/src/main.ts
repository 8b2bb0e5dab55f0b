import { readFileSync } from 'node:fs';
import { Command, CommanderError } from 'commander';
import { cmdBots, cmdConfigure, cmdNewToken, cmdRelease, cmdRevokeToken, cmdStatus, cmdTokens } from './commands/bots.js';
import { cmdCheck, cmdPull, cmdPush } from './commands/files.js';
import { cmdTalk } from './commands/talk.js';
import { createContext, type Context } from './context.js';
import { EXIT, explain } from './outcome.js';

const { version } = JSON.parse(readFileSync(new URL('../package.json', import.meta.url), 'utf8')) as { version: string };

const AFTER_HELP = `
Address and token come from PRIMROSE_ADDRESS and PRIMROSE_TOKEN, else from the file that "primrose configure" writes.
BOT is a bot's name, its id, or the name in its bot.yaml.

Exit codes: 0 done, 1 failed, 2 wrong usage, 3 the bot has errors, 4 somebody else's newer edits are in the way,
5 the service cannot be reached, 6 the token is missing or not valid.`;

function createProgram(): Command {
  const program = new Command('primrose')
    .description('The command-line client of Primrose.')
    .version(version)
    .exitOverride()
    .showHelpAfterError('(see primrose --help)');
  program.addHelpText('after', AFTER_HELP);
  const command = (spec: string, about: string) =>
    program.command(spec).description(about).option('--json', 'print JSON for programs').exitOverride();
  const context = (options: { json?: boolean }): Context => createContext(options.json ?? false);

  command('configure', 'keep the address and an API token for later')
    .option('--address <url>', 'where Primrose answers')
    .option('--token <secret>', 'an API token')
    .action(cmdConfigure);
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
  command('talk <bot>', 'talk to the draft in the terminal')
    .option('--sheet', 'show the turn sheet after every turn')
    .option('--language <tag>', 'speak as a visitor of this language')
    .action((bot: string, o: { json?: boolean; sheet?: boolean; language?: string }) => cmdTalk(context(o), bot, o));
  command('release <bot>', 'release the draft as it is')
    .option('-m, --note <text>', 'what is new in it', '')
    .action((bot: string, o: { json?: boolean; note: string }) => cmdRelease(context(o), bot, o.note));

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

async function main(): Promise<void> {
  try {
    await createProgram().parseAsync();
  } catch (error) {
    if (error instanceof CommanderError) {
      process.exitCode = error.exitCode === 0 ? EXIT.ok : EXIT.usage;
      return;
    }
    const { message, lines, exit } = explain(error);
    process.stderr.write(`${[message, ...lines].join('\n')}\n`);
    process.exitCode = exit;
  }
}

await main();
