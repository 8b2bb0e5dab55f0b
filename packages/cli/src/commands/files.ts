import { ApiError, type Draft, type Edit } from '@primrose/contract';
import { checkBot, problemSentence, type BotDocument, type Problem } from '@primrose/core';
import { mkdirSync, writeFileSync } from 'node:fs';
import { assertNewName, count, findBot, type Context } from '../context.js';
import { bringContents, contentGetter, sendContents, type LocalContents } from '../contents.js';
import { fingerprint, readBotFolder, readFiles, readOrigin, readStray, settled, writeBotFolder, writeOrigin } from '../folder.js';
import { CommandFailure, EXIT } from '../outcome.js';

interface PullOptions {
  readonly force?: boolean;
  readonly file?: string;
}

/** Writes the draft into a folder (or one file). Refuses to overwrite changes that were not pushed. */
export async function cmdPull(context: Context, word: string, path: string | undefined, options: PullOptions): Promise<void> {
  const { client, address, asJson, json, print } = context;
  const bot = await findBot(client, word);
  const draft = await client.call('getDraft', { params: { bot: bot.id } });
  if (options.file !== undefined) {
    // As it is exported: with the texts of its documents in it.
    const { bytes } = await client.download('exportBot', { params: { bot: bot.id }, query: { form: 'file' } });
    if (options.file === '-') return void context.io.output.write(Buffer.from(bytes));
    writeFileSync(options.file, bytes);
    return asJson
      ? json({ bot: bot.id, revision: draft.revision, file: options.file })
      : print(`${bot.name}, revision ${draft.revision}, is in ${options.file}.`);
  }
  const folder = path ?? bot.bot;
  if (!options.force) assertNothingUnpushed(folder, draft);
  mkdirSync(folder, { recursive: true });
  const changed = await writeBotFolder(folder, draft.document, contentGetter(client, bot.id));
  writeOrigin(folder, { address, bot: bot.id, revision: draft.revision, same: fingerprint(draft.document) });
  if (asJson) return json({ bot: bot.id, revision: draft.revision, folder, changed });
  print(`${bot.name}, revision ${draft.revision}, is in ${folder}.`);
  print(changed.length === 0 ? 'Nothing changed.' : changed.map((f) => `  ${f}`).join('\n'));
}

function assertNothingUnpushed(folder: string, draft: Draft): void {
  if (Object.keys(readFiles(folder)).length === 0) return;
  const kept = readOrigin(folder);
  const { document } = readBotFolder(folder);
  const local = fingerprint(settled(folder, document).document);
  if (local === fingerprint(draft.document) || local === kept?.same) return;
  throw new CommandFailure(
    EXIT.conflict,
    `${folder} holds changes that were not pushed. Push them first, or overwrite them with --force.`,
  );
}

interface PushOptions {
  readonly bot?: string;
  readonly new?: boolean;
  readonly force?: boolean;
}

/** Puts a folder in place of the draft it was pulled from. What others changed elsewhere since stays; a clash stops it. */
export async function cmdPush(context: Context, path: string, options: PushOptions): Promise<void> {
  const { client, address, asJson, json, print } = context;
  tellStray(context, path);
  const { document, contents } = settled(path, readBotFolder(path).document);
  const kept = readOrigin(path);
  if (options.new && !options.force) await assertNewName(client, document.bot);
  const draft = options.new
    ? await begin(context, document, contents)
    : await replace(context, { document, contents }, kept, options);
  const same = fingerprint(draft.document) === fingerprint(document);
  // What others changed meanwhile was merged into the draft; the folder gets it too, or the next push would take it away. And what
  // stands under a former name is written anew under today's.
  const written = await writeBotFolder(path, draft.document, contentGetter(client, draft.bot.id));
  const merged = same ? [] : written;
  writeOrigin(path, { address, bot: draft.bot.id, revision: draft.revision, same: fingerprint(draft.document) });
  const problems = checkBot(draft.document);
  const errors = problems.filter((p) => p.severity === 'error').length;
  if (asJson) return json({ bot: draft.bot.id, revision: draft.revision, merged, errors, warnings: problems.length - errors });
  print(`${draft.bot.name} is at revision ${draft.revision}.`);
  if (same && written.length > 0)
    print(`These files have today's places and names now:\n${written.map((f) => `  ${f}`).join('\n')}`);
  if (merged.length > 0)
    print(`Others had changed other places; these files have that now:\n${merged.map((f) => `  ${f}`).join('\n')}`);
  if (problems.length > 0)
    print(`The checks find ${count(errors, 'error')} and ${count(problems.length - errors, 'warning')}: primrose check ${path}`);
}

/** A new bot: contents are brought before a document refers to them. */
async function begin({ client }: Context, document: BotDocument, contents: LocalContents): Promise<Draft> {
  await bringContents(client, contents);
  return client.call('createBot', { body: { from: 'document', document: document as never } });
}

async function replace(
  { client, address }: Context,
  { document, contents }: { readonly document: BotDocument; readonly contents: LocalContents },
  kept: ReturnType<typeof readOrigin>,
  options: PushOptions,
): Promise<Draft> {
  const own = kept?.address === address ? kept : undefined;
  if (options.bot === undefined && !own) {
    throw new CommandFailure(
      EXIT.usage,
      'This folder was not pulled from here. Push it into a bot with --bot NAME --force, or make a new one with --new.',
    );
  }
  const bot = options.bot === undefined ? (own?.bot ?? '') : (await findBot(client, options.bot)).id;
  const current = await client.call('getDraft', { params: { bot } });
  const revision = options.force ? current.revision : own?.bot === bot ? own.revision : -1;
  if (revision === -1)
    throw new CommandFailure(
      EXIT.conflict,
      `This folder was not pulled from ${current.bot.name}. Overwrite its draft with --force.`,
    );
  await sendContents(client, bot, contents);
  try {
    await client.call('replaceDraft', { params: { bot }, body: { revision, document: document as never } });
    return await client.call('getDraft', { params: { bot } });
  } catch (error) {
    if (!(error instanceof ApiError) || error.details.code !== 'clash') throw error;
    const { items } = await client.call('listEdits', { params: { bot }, query: { since: revision, limit: 50 } });
    throw new CommandFailure(
      EXIT.conflict,
      `The same place was changed here and in the draft (${clashPlaces(error)}). Nothing was pushed. Edits since revision ${revision}:`,
      [...items.map(editLine), 'Pull into another folder and bring them together, or overwrite them with --force.'],
    );
  }
}

function clashPlaces(error: ApiError): string {
  const clashes = (error.details['clashes'] ?? []) as { path: string }[];
  const more = clashes.length > 3 ? ` and ${clashes.length - 3} more` : '';
  return (
    clashes
      .slice(0, 3)
      .map((c) => c.path)
      .join(', ') + more
  );
}

function editLine(edit: Edit): string {
  const places = [...new Set(edit.patch.map((p) => `${p.op} ${p.path}`))];
  const more = places.length > 3 ? ` and ${places.length - 3} more` : '';
  return `  ${edit.revision}  ${edit.at.slice(0, 16).replace('T', ' ')}  ${edit.by}: ${places.slice(0, 3).join(', ')}${more}`;
}

/** Checks a folder (without the service) or the draft of a bot. Exit code 3 when there are errors. */
export async function cmdCheck(context: Context, path: string | undefined, botWord: string | undefined): Promise<void> {
  if (botWord === undefined) tellStray(context, path ?? '.');
  const found = botWord === undefined ? checkFolder(path ?? '.') : await checkDraft(context, botWord);
  const errors = found.filter((f) => f.problem.severity === 'error').length;
  if (context.asJson)
    context.json({
      errors,
      warnings: found.length - errors,
      problems: found.map(({ at, problem }) => ({ at, ...problem, sentence: problemSentence(problem) })),
    });
  else {
    found.forEach(({ at, problem }) => context.print(`${at}: ${problem.severity}: ${problemSentence(problem)}`));
    context.print(found.length === 0 ? 'No problems.' : `${count(errors, 'error')}, ${count(found.length - errors, 'warning')}.`);
  }
  if (errors > 0) context.endWith(EXIT.problems);
}

/** Names files that look as if they belonged to the bot and are not read. On the side of errors: the output is the command's own. */
function tellStray({ io }: Context, path: string): void {
  for (const { file, message } of readStray(path)) io.errors.write(`${file}: ${message}.\n`);
}

type Located = { readonly at: string; readonly problem: Problem };

function checkFolder(path: string): Located[] {
  const { document, where } = readBotFolder(path);
  return checkBot(document).map((problem) => ({ at: where(problem), problem }));
}

async function checkDraft({ client }: Context, word: string): Promise<Located[]> {
  const bot = await findBot(client, word);
  const { items } = await client.call('listProblems', { params: { bot: bot.id } });
  return items.map(({ problem }) => ({ at: [problem.flow ?? bot.bot, problem.node].filter(Boolean).join('/'), problem }));
}
