import { createClient, everyPage, type BotSummary, type Client } from '@primrose/contract';
import { readCliConfig } from './config.js';
import type { Ending, Io } from './io.js';
import { CommandFailure, EXIT, type ExitCode } from './outcome.js';

/** What every command works with. `print` is for people, `json` for programs; a command calls one of them. */
export interface Context {
  readonly io: Io;
  readonly client: Client;
  readonly address: string;
  readonly asJson: boolean;
  readonly print: (text: string) => void;
  readonly json: (value: unknown) => void;
  /** Lets the client end with another code than success, although the command did what it should. */
  readonly endWith: (exit: ExitCode) => void;
}

export function createContext(io: Io, ending: Ending, asJson: boolean): Context {
  const { address, token } = readCliConfig(io.env);
  const write = (text: string) => void io.output.write(`${text}\n`);
  return {
    io,
    client: createClient({ address, ...(token === undefined ? {} : { token }) }),
    address,
    asJson,
    print: write,
    json: (value) => write(JSON.stringify(value)),
    endWith: (exit) => void (ending.exit = exit),
  };
}

/** All bots, page by page. */
export async function allBots(client: Client): Promise<BotSummary[]> {
  return everyPage((query) => client.call('listBots', { query: { limit: 200, ...query } }));
}

/** The bot that a word means: its id, the name in its document, or its title. */
export async function findBot(client: Client, word: string): Promise<BotSummary> {
  const bots = await allBots(client);
  const same = (text: string) => text.toLowerCase() === word.toLowerCase();
  const found = bots.filter((b) => b.id === word || b.bot === word || same(b.name));
  const [only] = found;
  if (only && found.length === 1) return only;
  if (found.length > 1) {
    throw new CommandFailure(
      EXIT.usage,
      `"${word}" means ${found.length} bots. Give the id of one:`,
      found.map((b) => `${b.id}  ${b.name}`),
    );
  }
  const list = bots.map((b) => b.bot).join(', ');
  throw new CommandFailure(
    EXIT.usage,
    `There is no bot "${word}". ${list === '' ? 'There are none yet.' : `There are: ${list}.`}`,
  );
}

/** Ends a command that would make a second bot of the same name: it is seldom meant. */
export async function assertNewName(client: Client, name: string | undefined): Promise<void> {
  const same = name === undefined ? [] : (await allBots(client)).filter((b) => b.bot === name);
  const [first] = same;
  if (!first) return;
  throw new CommandFailure(
    EXIT.usage,
    `There is a bot "${first.bot}" already (${first.name}). Put this into it with --bot ${first.bot}, or make another one with --force.`,
  );
}

/** So many of something: `1 bot`, `2 bots`. */
export function count(n: number, one: string, many = `${one}s`): string {
  return `${n} ${n === 1 ? one : many}`;
}

/** Asks whether something that cannot simply be undone is meant; a program has to say so with --yes. */
export async function assertMeant({ io }: Context, yes: boolean | undefined, question: string): Promise<void> {
  if (yes) return;
  if (!io.tty) throw new CommandFailure(EXIT.usage, `${question} Say so with --yes.`);
  const { createInterface } = await import('node:readline/promises');
  const lines = createInterface({ input: io.input, output: io.errors });
  try {
    const answer = await lines.question(`${question} (yes or no) `);
    if (!/^y(es)?$/i.test(answer.trim())) throw new CommandFailure(EXIT.usage, 'Nothing was done.');
  } finally {
    lines.close();
  }
}

/** A secret from standard input, without the end of its line; empty where nothing came. */
export async function readSecret({ input }: Io): Promise<string> {
  return (await input.toArray())
    .map(String)
    .join('')
    .replace(/\r?\n$/, '');
}

/** Columns of texts, as wide as they need to be. */
export function table(rows: readonly (readonly string[])[]): string {
  const widths = rows.reduce<number[]>((w, row) => row.map((cell, i) => Math.max(w[i] ?? 0, cell.length)), []);
  return rows
    .map((row) => row.map((cell, i) => (i === row.length - 1 ? cell : cell.padEnd((widths[i] ?? 0) + 2))).join(''))
    .join('\n');
}
