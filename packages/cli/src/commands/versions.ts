import { writeFileSync, readFileSync } from 'node:fs';
import { ApiError, editWords, type Drafted } from '@primrose/contract';
import type { Clash } from '@primrose/core';
import { assertNewName, findBot, table, type Context } from '../context.js';
import { CommandFailure, EXIT } from '../outcome.js';

const MAX_CHANGES = 4;

const moment = (at: string): string => at.slice(0, 16).replace('T', ' ');

/** The releases of a bot, the newest first, and which one is live. */
export async function cmdReleases({ client, asJson, json, print }: Context, word: string): Promise<void> {
  const bot = await findBot(client, word);
  const { items } = await client.call('listReleases', { params: { bot: bot.id }, query: { limit: 200 } });
  if (asJson) return json({ items });
  if (items.length === 0) return print(`${bot.name} has not been released yet: primrose release ${bot.bot}`);
  const rows = items.map((r) => [String(r.number), r.live ? 'live' : '', moment(r.at), r.by, String(r.open), r.note]);
  print(table([['RELEASE', '', 'WHEN', 'WHO', 'OPEN', 'NOTE'], ...rows]));
}

/** What differs between two versions, one line each. */
export async function cmdCompare(
  { client, asJson, json, print }: Context,
  word: string,
  from: string,
  to: string,
): Promise<void> {
  const bot = await findBot(client, word);
  const found = await client.call('compareVersions', { params: { bot: bot.id }, query: { from, to } });
  if (asJson) return json(found);
  if (found.items.length === 0) return print(`${found.from} and ${found.to} are the same.`);
  print(`From ${found.from} to ${found.to}:\n${found.items.map((i) => `  ${i.sentence}`).join('\n')}`);
}

interface LiveOptions {
  readonly move?: boolean;
}

/** Makes a release live, or without a number the one that was live before. */
export async function cmdLive(context: Context, word: string, number: string | undefined, options: LiveOptions): Promise<void> {
  const { client, asJson, json, print } = context;
  const bot = await findBot(client, word);
  const body = { move: options.move ?? false };
  if (number !== undefined && !/^[1-9]\d*$/.test(number))
    throw new CommandFailure(EXIT.usage, `"${number}" is no release number. "primrose releases ${word}" lists them.`);
  const done =
    number === undefined
      ? await client.call('rollBack', { params: { bot: bot.id }, body })
      : await client.call('makeLive', { params: { bot: bot.id, release: Number(number) }, body });
  if (asJson) return json(done);
  const moved = done.moved === 1 ? '1 open conversation moved' : `${done.moved} open conversations moved`;
  print(`${bot.name}: Release ${done.release.number} is live${options.move ? `; ${moved} to it` : ''}.`);
}

/** Who changed what in the draft, the newest first. */
export async function cmdHistory({ client, asJson, json, print }: Context, word: string, limit: number): Promise<void> {
  const bot = await findBot(client, word);
  const { items } = await client.call('listHistory', { params: { bot: bot.id }, query: { limit } });
  if (asJson) return json({ items });
  if (items.length === 0) return print('The draft is as it was made; nothing was edited yet.');
  for (const e of items) {
    const what = editWords(e);
    print(`${String(e.revision).padStart(5)}  ${moment(e.at)}  ${e.by}${what === '' ? '' : `, ${what}`}`);
    e.changes.slice(0, MAX_CHANGES).forEach((c) => print(`         ${c}`));
    if (e.changes.length > MAX_CHANGES) print(`         and ${e.changes.length - MAX_CHANGES} more`);
  }
}

/** Runs a change of the draft; a clash is told with both values. */
async function changing(context: Context, name: string, change: Promise<Drafted>): Promise<void> {
  try {
    const done = await change;
    if (context.asJson) context.json({ bot: done.bot.id, revision: done.revision });
    else context.print(`${name} is at revision ${done.revision}.`);
  } catch (error) {
    if (!(error instanceof ApiError) || error.details.code !== 'clash') throw error;
    const clashes = error.details['clashes'] as Clash[];
    const lines = clashes.map(
      (c) => `  ${c.path}: yours ${JSON.stringify(c.mine) ?? 'nothing'}, theirs ${JSON.stringify(c.theirs) ?? 'nothing'}`,
    );
    throw new CommandFailure(EXIT.conflict, 'Somebody changed the same place since. Nothing was changed.', lines);
  }
}

/** Takes back one's own last edit, or makes it again. */
export async function cmdStep(context: Context, word: string, which: 'undoEdit' | 'redoEdit'): Promise<void> {
  const bot = await findBot(context.client, word);
  await changing(context, bot.name, context.client.call(which, { params: { bot: bot.id }, body: { revision: bot.revision } }));
}

/** Brings the draft back to a revision. */
export async function cmdRestore(context: Context, word: string, revision: string): Promise<void> {
  const bot = await findBot(context.client, word);
  if (!/^[1-9]\d*$/.test(revision))
    throw new CommandFailure(EXIT.usage, `"${revision}" is no revision. "primrose history ${word}" lists them.`);
  const body = { revision: bot.revision, to: Number(revision) };
  await changing(context, bot.name, context.client.call('restoreDraft', { params: { bot: bot.id }, body }));
}

interface ExportOptions {
  readonly release?: string;
  readonly output?: string;
  readonly zip?: boolean;
}

/** Writes the draft or a release into one file: JSON, or a zip of the folder. */
export async function cmdExport(context: Context, word: string, options: ExportOptions): Promise<void> {
  const { client, asJson, json, print } = context;
  const bot = await findBot(client, word);
  const form = options.zip || options.output?.endsWith('.zip') ? 'folder' : 'file';
  const release = options.release === undefined ? {} : { release: Number(options.release) };
  const { bytes } = await client.download('exportBot', { params: { bot: bot.id }, query: { form, ...release } });
  if (options.output === '-') return void context.io.output.write(bytes);
  const file = options.output ?? `${bot.bot}.${form === 'folder' ? 'zip' : 'json'}`;
  writeFileSync(file, bytes);
  if (asJson) json({ bot: bot.id, file, bytes: bytes.length });
  else print(`${bot.name}${options.release === undefined ? '' : `, Release ${options.release},`} is in ${file}.`);
}

/** Makes a new bot of an exported file, or puts it into the draft of one that is there. */
export async function cmdImport(
  context: Context,
  file: string,
  options: { readonly bot?: string; readonly force?: boolean },
): Promise<void> {
  const { client, asJson, json, print } = context;
  const bytes = new Uint8Array(await readExported(context, file));
  const type = bytes[0] === 0x50 && bytes[1] === 0x4b ? 'application/zip' : 'application/json';
  if (options.bot === undefined) {
    if (!options.force) await assertNewName(client, nameIn(bytes));
    const made = await client.upload('importNewBot', {}, { bytes, type });
    return asJson ? json({ bot: made.bot.id, revision: made.revision }) : print(`${made.bot.name} is a new bot, ${made.bot.id}.`);
  }
  const bot = await findBot(client, options.bot);
  const input = { params: { bot: bot.id }, query: { revision: bot.revision } };
  await changing(context, bot.name, client.upload('importBot', input, { bytes, type }));
}

/** The name that a bot has in an exported JSON document; undefined where it is a zip, or nothing that can be read. */
function nameIn(bytes: Uint8Array): string | undefined {
  try {
    const { bot } = JSON.parse(Buffer.from(bytes).toString('utf8')) as { bot?: unknown };
    return typeof bot === 'string' ? bot : undefined;
  } catch {
    return undefined;
  }
}

async function readExported({ io }: Context, file: string): Promise<Buffer> {
  if (file === '-') return Buffer.concat((await io.input.toArray()).map((c) => Buffer.from(c as Uint8Array)));
  try {
    return readFileSync(file);
  } catch {
    throw new CommandFailure(EXIT.usage, `${file} cannot be read. Give a file that "primrose export" wrote.`);
  }
}
