import { existsSync, readFileSync } from 'node:fs';
import { Command, CommanderError } from 'commander';
import type { DocumentsOptions, EvaluateOptions } from './commands/knowing.js';
import type { LookupOptions } from './commands/listening.js';
import type { DrawOptions } from './commands/draw.js';
import type { ChannelOptions, ConnectOptions } from './commands/channels.js';
import type { AnswerOptions, StaffOptions, WebChatOptions } from './commands/inbox.js';
import type { ConnectionOptions, VisitorOptions } from './commands/keeping.js';
import type { PagesOptions, RunPageOptions } from './commands/pages.js';
import type { RehearseOptions } from './commands/rehearse.js';
import type { MissedOptions, QualityOptions } from './commands/understanding.js';
import type { TalkOptions } from './commands/talk/talk.js';
import type { Context } from './context.js';
import type { Ending, Io } from './io.js';
import { EXIT, type ExitCode } from './exits.js';

/** The version of the client, wherever it runs from: its sources, their build, or the bundle of it. */
function versionOfClient(): string {
  for (const place of ['../package.json', '../../package.json']) {
    const file = new URL(place, import.meta.url);
    if (!existsSync(file)) continue;
    const { name, version } = JSON.parse(readFileSync(file, 'utf8')) as { name?: string; version?: string };
    if (name === '@primrose/cli' && version !== undefined) return version;
  }
  return 'unknown';
}

const AFTER_HELP = `
Address and token come from PRIMROSE_ADDRESS and PRIMROSE_TOKEN, else from the file that "primrose configure" writes.
BOT is a bot's name, its id, or the name in its bot.yaml.

With --json a list is {"items": […]}, and an error is {"error": {…}} on standard error. -o - is standard output.

Exit codes: 0 done, 1 failed, 2 wrong usage, 3 the bot or its files have errors, 4 somebody else's newer edits are in the way,
5 the service cannot be reached or is not ready, 6 the token is missing or not valid, 7 there is no such thing, 8 too much at once.`;

/** The commands, each module loaded when one of its commands runs: what a command does not need takes none of its time. */
const bots = () => import('./commands/bots.js');
const files = () => import('./commands/files.js');
const listening = () => import('./commands/listening.js');
const understanding = () => import('./commands/understanding.js');
const versions = () => import('./commands/versions.js');
const keeping = () => import('./commands/keeping.js');
const inbox = () => import('./commands/inbox.js');
const channels = () => import('./commands/channels.js');
const tables = () => import('./commands/tables.js');
const starts = () => import('./commands/starts.js');

interface Json {
  readonly json?: boolean;
}

function createProgram(io: Io, ending: Ending): Command {
  const program = new Command('primrose')
    .description('The command-line client of Primrose.')
    .version(versionOfClient())
    .exitOverride()
    .configureOutput({ writeOut: (text) => io.output.write(text), writeErr: (text) => io.errors.write(text) })
    .showHelpAfterError('(see primrose --help)');
  program.addHelpText('after', AFTER_HELP);
  const command = (spec: string, about: string) =>
    program.command(spec).description(about).option('--json', 'print JSON for programs').exitOverride();
  const context = async (options: { json?: boolean }): Promise<Context> =>
    (await import('./context.js')).createContext(io, ending, options.json ?? false);

  command('configure', 'keep the address and an API token for later')
    .option('--address <url>', 'where Primrose answers')
    .option('--token <secret>', 'an API token')
    .action(async (o: Json & { address?: string; token?: string }) => (await bots()).cmdConfigure(await context(o), o));
  command('status', 'is the service there, and who am I').action(async (o: { json?: boolean }) =>
    (await bots()).cmdStatus(await context(o)),
  );
  command('bots', 'list the bots').action(async (o: { json?: boolean }) => (await bots()).cmdBots(await context(o)));
  command('pull <bot> [folder]', 'write the draft of a bot into a folder')
    .option('--force', 'overwrite local changes')
    .option('--file <name>', 'write one JSON file instead')
    .action(async (bot: string, folder: string | undefined, o: { json?: boolean; force?: boolean; file?: string }) =>
      (await files()).cmdPull(await context(o), bot, folder, o),
    );
  command('push [folder]', 'put a folder in place of the draft')
    .option('--bot <bot>', 'push into this bot')
    .option('--new', 'make a new bot of it')
    .option('--force', 'overwrite newer edits; with --new make another bot of the same name')
    .action(async (folder: string | undefined, o: { json?: boolean; bot?: string; new?: boolean; force?: boolean }) =>
      (await files()).cmdPush(await context(o), folder ?? '.', o),
    );
  command('check [folder]', 'check a folder, or the draft of a bot')
    .option('--bot <bot>', 'check the draft of this bot')
    .action(async (folder: string | undefined, o: { json?: boolean; bot?: string }) =>
      (await files()).cmdCheck(await context(o), folder, o.bot),
    );
  command('draw <flow> [folder]', 'write a flow of a folder, or of the draft of a bot, as an SVG picture')
    .option('--bot <bot>', 'draw from the draft of this bot')
    .option('-o, --output <file>', 'the file, FLOW.svg otherwise; - for the output')
    .option('--theme <theme>', 'light or dark', 'light')
    .option('--language <tag>', 'show the words of this language')
    .action(async (flow: string, folder: string | undefined, o: Json & DrawOptions) =>
      (await import('./commands/draw.js')).cmdDraw(await context(o), flow, folder, o),
    );
  command('talk <bot>', 'talk to the draft in the terminal')
    .option('--sheet', 'show the turn sheet after every turn')
    .option('--language <tag>', 'speak as a visitor of this language')
    .option('--as <name>', 'speak as a made-up visitor')
    .option('--clock <moment>', 'let the clock stand at a moment, such as 2026-05-14T09:00Z')
    .option('--simulation <name>', 'take up a kept conversation, by name or id')
    .addHelpText('after', '\nWithin the talk, /help lists its commands: going back, branches, sheets, the clock and more.')
    .action(async (bot: string, o: Json & TalkOptions) =>
      (await import('./commands/talk/talk.js')).cmdTalk(await context(o), bot, o),
    );
  command('rehearse [bot]', 'run the rehearsals of a draft, or of a folder; exit code 1 when one fails')
    .option('--folder <folder>', 'the rehearsals of this folder, as it is on disk')
    .option('--only <names>', 'only these, with commas between')
    .option('--junit <file>', 'write the outcome as JUnit XML too')
    .option('--coverage', 'list the exits that no rehearsal took')
    .action(async (bot: string | undefined, o: Json & RehearseOptions) =>
      (await import('./commands/rehearse.js')).cmdRehearse(await context(o), bot, o),
    );
  command('understand <bot> <text>', 'what the draft understands a text as: intents, scores, values')
    .option('--language <tag>', 'as a visitor of this language says it')
    .action(async (bot: string, text: string, o: Json & { language?: string }) =>
      (await listening()).cmdUnderstand(await context(o), bot, text, o),
    );
  command('quality <bot>', 'how well the draft understands its own phrases, or a labelled file, and which phrases are at fault')
    .option('--file <file>', 'a labelled file: CSV with a first line text,intent, or JSON Lines')
    .option('--language <tag>', 'the language of its texts, where the file does not say')
    .option('--threshold <score>', 'count a message as an intent from this score on')
    .action(async (bot: string, o: Json & QualityOptions) => (await understanding()).cmdQuality(await context(o), bot, o));
  command('missed <bot>', 'what visitors said that was not understood, the most frequent first; teach it or put it aside')
    .option('--group <number>', 'the group that is meant, as listed; the first when left out')
    .option('--teach <intent>', 'teach the group as phrases of this intent, which is made if it is not there')
    .option('--outside', 'the bot is not for the group: put it out of scope')
    .option('--leave', 'leave the group as it is; it is not shown again')
    .action(async (bot: string, o: Json & MissedOptions) => (await understanding()).cmdMissed(await context(o), bot, o));
  command('lookup <bot> <question>', 'what the bot’s documents say on a question, where it stands and why it was found')
    .option('--in <knowledge>', 'only this knowledge base; all of them together when left out')
    .option('--before <question>', 'what was asked before, where the question leans on it')
    .option('--language <tag>', 'the language of who asks; that of the bot when left out')
    .option('--most <count>', 'how many passages, up to 10')
    .action(async (bot: string, question: string, o: Json & LookupOptions) =>
      (await listening()).cmdLookup(await context(o), bot, question, o),
    );
  command('documents <bot>', 'the documents of a knowledge base and how far each is; add, replace, remove, try again')
    .option('--in <knowledge>', 'the knowledge base, where there are several')
    .option('--add <files...>', 'add files, or replace those of the same name')
    .option('--remove <document>', 'take a document out')
    .option('--again <document>', 'read a document once more that could not be read')
    .option('--fetch <address>', 'fetch documents from an address, now and again; once more where the base has it already')
    .option('--depth <links>', 'with --fetch: how many links are followed on the same site, up to 5; none when left out')
    .option('--pages <count>', 'with --fetch: how many pages and files at most, up to 500', '50')
    .option('--every <time>', 'with --fetch: read again every hour, day or week; only by hand when left out')
    .action(async (bot: string, o: Json & DocumentsOptions) =>
      (await import('./commands/knowing.js')).cmdDocuments(await context(o), bot, o),
    );
  command(
    'evaluate <bot>',
    'how good lookups are over the evaluation set of a knowledge base, also as it would be split otherwise',
  )
    .option('--in <knowledge>', 'the knowledge base, where there are several')
    .option('--add <file>', 'add questions from CSV: question, document (empty for none), heading')
    .option('--propose', 'add questions made of the headings of the documents')
    .option('--asked', 'only print what visitors have asked, as CSV for --add, with what answered it')
    .option('--split <ways...>', 'compare: headings, size, pages, rows or questions, with :SIZE or :SIZE:OVERLAP')
    .option('--least-first <share>', 'exit with 1 where fewer answers come first, for continuous integration')
    .action(async (bot: string, o: Json & EvaluateOptions) =>
      (await import('./commands/knowing.js')).cmdEvaluate(await context(o), bot, o),
    );
  command('channels <bot>', 'list the channels and what each serves').action(async (bot: string, o: Json) =>
    (await listening()).cmdChannels(await context(o), bot),
  );
  command('conversations <bot>', 'list the conversations with visitors')
    .option('--handed', 'only those that wait for a person')
    .option('-n, --limit <count>', 'how many', '20')
    .action(async (bot: string, o: Json & { handed?: boolean; limit: string }) =>
      (await listening()).cmdConversations(await context(o), bot, o),
    );
  command('conversation <bot> <id>', 'read one conversation; with --json its turn sheets as well').action(
    async (bot: string, id: string, o: Json) => (await listening()).cmdConversation(await context(o), bot, id),
  );
  command('release <bot>', 'release the draft as it is')
    .option('-m, --note <text>', 'what is new in it', '')
    .option('--move', 'move open conversations to it')
    .option('--not-live', 'keep serving the release that is live now')
    .option('--despite <reason>', 'release although rehearsals fail, and why')
    .action(async (bot: string, o: { json?: boolean; note: string; move?: boolean; notLive?: boolean; despite?: string }) =>
      (await bots()).cmdRelease(await context(o), bot, o),
    );
  command('releases <bot>', 'list the releases and which one is live').action(async (bot: string, o: Json) =>
    (await versions()).cmdReleases(await context(o), bot),
  );
  command('compare <bot> <from> [to]', 'what differs between two versions: release numbers, revisions (r12), or draft').action(
    async (bot: string, from: string, to: string | undefined, o: Json) =>
      (await versions()).cmdCompare(await context(o), bot, from, to ?? 'draft'),
  );
  command('live <bot> <release>', 'make a release the live one')
    .option('--move', 'move open conversations to it')
    .action(async (bot: string, release: string, o: Json & { move?: boolean }) =>
      (await versions()).cmdLive(await context(o), bot, release, o),
    );
  command('roll-back <bot>', 'make the release live that was live before')
    .option('--move', 'move open conversations to it')
    .action(async (bot: string, o: Json & { move?: boolean }) => (await versions()).cmdLive(await context(o), bot, undefined, o));
  command('history <bot>', 'who changed what in the draft')
    .option('-n, --limit <count>', 'how many edits', '20')
    .action(async (bot: string, o: Json & { limit: string }) =>
      (await versions()).cmdHistory(await context(o), bot, Number(o.limit)),
    );
  command('undo <bot>', 'take back your last edit of the draft').action(async (bot: string, o: Json) =>
    (await versions()).cmdStep(await context(o), bot, 'undoEdit'),
  );
  command('redo <bot>', 'make again what you have undone last').action(async (bot: string, o: Json) =>
    (await versions()).cmdStep(await context(o), bot, 'redoEdit'),
  );
  command('restore <bot> <revision>', 'bring the draft back to a revision').action(
    async (bot: string, revision: string, o: Json) => (await versions()).cmdRestore(await context(o), bot, revision),
  );
  command('export <bot>', 'write the draft or a release into one file')
    .option('-o, --output <file>', 'the file; NAME.zip makes a zip; - for standard output')
    .option('--zip', 'a zip of the folder instead of one JSON document')
    .option('--release <number>', 'a release instead of the draft')
    .action(async (bot: string, o: Json & { output?: string; zip?: boolean; release?: string }) =>
      (await versions()).cmdExport(await context(o), bot, o),
    );
  command('import <file>', 'make a new bot of an exported file; - for standard input')
    .option('--bot <bot>', 'put it into the draft of this bot, as one edit')
    .option('--force', 'make another bot of the same name')
    .action(async (file: string, o: Json & { bot?: string; force?: boolean }) =>
      (await versions()).cmdImport(await context(o), file, o),
    );

  const several = (value: string, before: readonly string[] = []): string[] => [...before, value];
  command('tables <bot>', 'list the tables and how many rows they have').action(async (bot: string, o: Json) =>
    (await tables()).cmdTables(await context(o), bot),
  );
  command('table <bot> <table>', 'find rows of a table; or add, change, remove one')
    .option('--where <condition>', 'such as boat=sandpiper or "what contains window"; several are all meant', several)
    .option('--order <column>', 'in the order of a column; "COLUMN down" for the largest first')
    .option('-n, --limit <count>', 'how many', '20')
    .option('--add <json>', 'add a row: columns and values as JSON')
    .option('--change <row>', 'change a row, by its id, to --values')
    .option('--values <json>', 'what a changed row is to hold')
    .option('--remove <row>', 'remove a row, by its id')
    .action(async (bot: string, name: string, o: Json & { limit: string }) =>
      (await tables()).cmdTable(await context(o), bot, name, o),
    );
  command('table-import <bot> <table> <file>', 'rows from a CSV or XLSX file')
    .option('--try', 'only tell what would come of it')
    .option('--skip', 'leave lines out that do not fit')
    .option('--key', 'change rows of the same key')
    .option('--columns <json>', 'headings and the columns that they are read into')
    .action(
      async (
        bot: string,
        name: string,
        file: string,
        o: Json & { try?: boolean; skip?: boolean; key?: boolean; columns?: string },
      ) => (await tables()).cmdTableImport(await context(o), bot, name, file, o),
    );
  command('table-export <bot> <table>', 'write all rows into a CSV or XLSX file')
    .option('-o, --output <file>', 'the file; NAME.xlsx makes a workbook; - for standard output')
    .action(async (bot: string, name: string, o: Json & { output?: string }) =>
      (await tables()).cmdTableExport(await context(o), bot, name, o),
    );
  command('table-changes <bot>', 'what a release of the draft would do to the rows that there are').action(
    async (bot: string, o: Json) => (await tables()).cmdTableChanges(await context(o), bot),
  );
  command('starts <bot>', 'list what begins flows besides conversations').action(async (bot: string, o: Json) =>
    (await starts()).cmdStarts(await context(o), bot),
  );
  command('start <bot> <start>', 'what came to a start; or switch it, give it a token, describe it for others')
    .option('--draft', 'the start of the draft, not the live one')
    .option('--on', 'switch it on')
    .option('--off', 'switch it off')
    .option('--token', 'make a new token; it is shown once')
    .option('--signing', 'keep the secret of its signatures, read from standard input; an empty line forgets it')
    .option('--sheet', 'how somebody outside uses it')
    .option('--openapi', 'the same as an OpenAPI document')
    .action(async (bot: string, name: string, o: Json & { draft?: boolean; token?: boolean }) =>
      (await starts()).cmdStart(await context(o), bot, name, o),
    );
  command('runs <bot>', 'list the flows that began without a conversation')
    .option('--start <start>', 'only those of a start')
    .option('--flow <flow>', 'only those of a flow')
    .option('--outcome <outcome>', 'running, done, failed or aside')
    .option('--since <moment>', 'only those since then')
    .option('-n, --limit <count>', 'how many', '20')
    .action(async (bot: string, o: Json & { limit: string }) => (await starts()).cmdRuns(await context(o), bot, o));
  command('run <bot> <page-or-run>', 'fill a page in and wait for what comes of it; or, by its id, one run with its turn sheets')
    .option('--input <inputs...>', 'of a page: name=value, name=FILE for a file, name:=JSON for anything else')
    .option('--out <file>', 'write what comes of the page to a file: .txt .md .docx .xlsx .csv .pdf')
    .option('--live', 'the page of what is live, not of the draft')
    .option('--again <version>', 'begin a run once more with the same input, on draft or live')
    .action(async (bot: string, id: string, o: Json & { again?: string } & RunPageOptions) =>
      (await starts()).cmdRun(await context(o), bot, id, o),
    );
  command('pages <bot>', 'the pages of a bot and the links under which they are shared')
    .option('--share <page>', 'share a page under a new link')
    .option('--results <page>', 'what came of a page, the newest first')
    .option('--csv <page>', 'all inputs and outputs of a page as CSV')
    .option('--propose <description>', 'put a page into the draft that is described in a few sentences')
    .option('--profile <model>', 'with --propose: the model profile that plans it; by rules when left out')
    .action(async (bot: string, o: Json & PagesOptions) =>
      (await import('./commands/pages.js')).cmdPages(await context(o), bot, o),
    );
  command('begin <bot> <flow> [inputs...]', 'begin a flow by hand: name=value for a text, name:=JSON for anything else')
    .option('--live', 'what is live, not the draft')
    .option('--file <json>', 'a file with the inputs as JSON')
    .action(async (bot: string, flow: string, inputs: string[], o: Json & { live?: boolean; file?: string }) =>
      (await starts()).cmdBegin(await context(o), bot, flow, inputs, o),
    );
  command('notices <bot>', 'list messages that answer nobody')
    .option('--failed', 'only those that failed for good')
    .option('--again <notice>', 'send one of these again')
    .option('-n, --limit <count>', 'how many', '20')
    .action(async (bot: string, o: Json & { limit: string }) => (await starts()).cmdNotices(await context(o), bot, o));

  command('delete <bot>', 'put a bot away; it can be restored for some weeks')
    .option('--yes', 'do not ask')
    .action(async (bot: string, o: Json & { yes?: boolean }) => (await bots()).cmdDelete(await context(o), bot, o));
  command('rename <bot> <name>', 'give a bot another name').action(async (bot: string, name: string, o: Json) =>
    (await bots()).cmdRename(await context(o), bot, name),
  );
  command('connections <bot> [connection]', 'list the connections, or set where one leads and the secret that it shows')
    .option('--address <url>', 'where it leads on this installation; - for the written address')
    .option('--stand-in <url>', 'what simulations call in its place; - for none')
    .option('--secret', 'keep a secret, read from standard input; an empty line forgets it')
    .option('--test', 'try a model service: is it reached, does it let us in, which models it offers')
    .option('--tools', 'list the tools that its MCP server offers')
    .action(async (bot: string, name: string | undefined, o: Json & ConnectionOptions) =>
      (await keeping()).cmdConnections(await context(o), bot, name, o),
    );
  command('retention <bot>', 'how long records are kept; --set conversations=90,sheets=usual changes it')
    .option('--set <times>', 'kinds with days, commas between')
    .action(async (bot: string, o: Json & { set?: string }) => (await keeping()).cmdRetention(await context(o), bot, o.set));
  command('visitors <bot>', 'list the visitors of whom something is kept')
    .option('--name <beginning>', 'only those whose name begins so')
    .option('-n, --limit <count>', 'how many', '20')
    .action(async (bot: string, o: Json & { name?: string; limit: string }) =>
      (await keeping()).cmdVisitors(await context(o), bot, o),
    );
  command(
    'visitor <bot> <id>',
    'show everything that is kept of a visitor; forget facts, join, part, take it all out, or erase it',
  )
    .option('--forget <fact>', 'forget a fact, by its kind; all of them: --forget all')
    .option('--same <id>', 'say that another visitor is the same person, on another channel')
    .option('--part', 'say that the visitor is nobody else')
    .option('--out <file>', 'write everything to a file as JSON, with all that was said')
    .option('--erase', 'erase it all; it cannot be undone')
    .option('--yes', 'do not ask')
    .action(async (bot: string, id: string, o: Json & VisitorOptions) =>
      (await keeping()).cmdVisitor(await context(o), bot, id, o),
    );
  command('inbox <bot>', 'the conversations that wait for staff')
    .option('--view <view>', 'waiting, mine or all', 'waiting')
    .action(async (bot: string, o: Json & { view?: string }) => (await inbox()).cmdInbox(await context(o), bot, o));
  command('answer <bot> <conversation> [text]', 'read a conversation of the inbox, or answer it as staff')
    .option('--take', 'take it first; nothing is done where somebody else has it')
    .option('--from <person>', 'with --take: who has it now')
    .option('--note <text>', 'note something for the staff')
    .option('--hand-back', 'give it back to the bot')
    .option('--close', 'end it, with the text as a last word')
    .action(async (bot: string, conversation: string, text: string | undefined, o: Json & AnswerOptions) =>
      (await inbox()).cmdAnswer(await context(o), bot, conversation, text, o),
    );
  command('staff <bot>', 'who answers in the inbox of a bot')
    .option('--add <name>', 'let somebody answer; prints a link with which they sign in')
    .option('--link <name>', 'another link with which somebody signs in')
    .option('--remove <name>', 'somebody answers here no more')
    .action(async (bot: string, o: Json & StaffOptions) => (await inbox()).cmdStaff(await context(o), bot, o));
  command('feedback <bot>', 'what visitors thought of answers: by release, and the answers that helped least').action(
    async (bot: string, o: Json) => (await inbox()).cmdFeedback(await context(o), bot),
  );
  command('web-chat <bot>', 'a web chat: the tags that put it into a page, who may show it, how visitors sign in')
    .option('--channel <name>', 'which one, by its name or id; the first when left out')
    .option('--new <name>', 'make another one')
    .option('--set <file>', 'change settings by a JSON file that holds some of them')
    .option('--key <id>', 'add a key of a host page; prints its secret once')
    .option('--public-key <file>', 'with --key: the public key of the page (RS256, PEM) in place of a secret')
    .option('--withdraw <id>', 'withdraw a key; who signed in by it is signed out')
    .action(async (bot: string, o: Json & WebChatOptions) => (await inbox()).cmdWebChat(await context(o), bot, o));
  command(
    'connect <bot> [kind]',
    'connect a channel: messenger, mail, xmpp, irc, matrix, telephone, bot-api; without a kind, list them',
  )
    .option('--name <name>', 'how it is called')
    .option('--mapping <mapping>', 'of a messenger: a ready one by its name, or a file')
    .option('--address <url>', 'with a ready mapping: where the messenger’s API is')
    .option('--settings <file>', 'of the other kinds: a file with their settings')
    .option('--secret', 'keep its token or password, read from standard input')
    .action(async (bot: string, kind: string | undefined, o: Json & ConnectOptions) =>
      (await channels()).cmdConnect(await context(o), bot, kind, o),
    );
  command('channel <bot> <channel>', 'show a channel; change it, try it, copy it or delete it')
    .option('--on', 'switch it on')
    .option('--off', 'switch it off')
    .option('--rename <name>', 'give it another name')
    .option('--settings <file>', 'its settings, or its mapping, from a file')
    .option('--secret <name>', 'keep a secret, read from standard input; an empty line forgets it')
    .option('--test <to>', 'send a message to somebody now')
    .option('--copy <name>', 'another one with the same settings, switched off')
    .option('--delete', 'take it away; its conversations are kept')
    .option('--yes', 'do not ask')
    .option('--caller <name>', 'of a bot API: make a key for a program; it is shown once')
    .option('--withdraw <name>', 'withdraw the key of a program')
    .option('--events', 'what came in, went out or failed last')
    .action(async (bot: string, channel: string, o: Json & ChannelOptions) =>
      (await channels()).cmdChannel(await context(o), bot, channel, o),
    );
  command('aside <bot> [event]', 'list events that were put aside, or have one answered after all').action(
    async (bot: string, event: string | undefined, o: Json) => (await keeping()).cmdAside(await context(o), bot, event),
  );

  const token = program.command('token').description('API tokens: list, new, revoke').exitOverride();
  token
    .command('list')
    .description('the tokens there are')
    .option('--json', 'print JSON')
    .exitOverride()
    .action(async (o: { json?: boolean }) => (await bots()).cmdTokens(await context(o)));
  token
    .command('new <name>')
    .description('make a token; it is shown once')
    .option('--json', 'print JSON')
    .exitOverride()
    .action(async (name: string, o: { json?: boolean }) => (await bots()).cmdNewToken(await context(o), name));
  token
    .command('revoke <token>')
    .description('make a token invalid, by name or id')
    .option('--json', 'print JSON')
    .exitOverride()
    .action(async (word: string, o: { json?: boolean }) => (await bots()).cmdRevokeToken(await context(o), word));
  return program;
}

/** Whoever read what we write has read enough, as `head` does. */
function isClosedPipe(error: unknown): boolean {
  return (error as { code?: string } | null)?.code === 'EPIPE';
}

/** Runs the client with some arguments; returns the code with which it ends. Throws nothing. */
export async function runClient(args: readonly string[], io: Io): Promise<ExitCode> {
  const ending: Ending = { exit: EXIT.ok };
  try {
    await createProgram(io, ending).parseAsync([...args], { from: 'user' });
    return ending.exit;
  } catch (error) {
    if (error instanceof CommanderError) return error.exitCode === 0 ? EXIT.ok : EXIT.usage;
    if (isClosedPipe(error)) return EXIT.ok;
    const { message, lines, exit } = (await import('./outcome.js')).explain(error);
    const told = args.includes('--json')
      ? JSON.stringify({ error: { message, ...(lines.length > 0 ? { lines } : {}), exit } })
      : [message, ...lines].join('\n');
    io.errors.write(`${told}\n`);
    return exit;
  }
}
