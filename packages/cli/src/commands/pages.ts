import { readFileSync, writeFileSync } from 'node:fs';
import { basename, extname } from 'node:path';
import { DOWNLOAD_FORMS, type Client, type DownloadForm, type PageResult } from '@primrose/contract';
import { asMarkdown, type Value } from '@primrose/core';
import { count, findBot, table, type Context } from '../context.js';
import { CommandFailure, EXIT } from '../outcome.js';
import { inputsIn } from './inputs.js';

const moment = (at: string): string => at.slice(0, 16).replace('T', ' ');

export interface PagesOptions {
  readonly share?: string;
  readonly results?: string;
  readonly csv?: string;
  readonly propose?: string;
  readonly profile?: string;
}

/** The pages of a bot and their links; a new link, what came of one, or a page from a description. */
export async function cmdPages(context: Context, word: string, o: PagesOptions): Promise<void> {
  const { client, asJson, json, print, io } = context;
  const bot = await findBot(client, word);
  const params = { bot: bot.id };
  if (o.share !== undefined) {
    const made = await client.call('sharePage', { params: { ...params, page: o.share }, body: {} });
    return asJson ? json(made) : print(made.release === null ? `${made.link} (release the bot first)` : made.link);
  }
  if (o.propose !== undefined) return propose(context, bot.id, o.propose, o.profile);
  if (o.csv !== undefined) {
    const { bytes } = await client.download('exportResults', { params: { ...params, page: o.csv } });
    return void io.output.write(new TextDecoder().decode(bytes));
  }
  if (o.results !== undefined) {
    const { items } = await client.call('listResults', { params: { ...params, page: o.results }, query: {} });
    if (asJson) return json({ items });
    if (items.length === 0) return print('Nobody has filled this page in yet.');
    const rows = items.map((r) => [
      moment(r.at),
      r.by ?? r.share ?? '',
      r.state,
      count(r.runs.length, 'run'),
      String(r.tokens),
      r.id,
    ]);
    return print(table([['WHEN', 'BY', '', '', 'TOKENS', 'RESULT'], ...rows]));
  }
  const { items } = await client.call('listPages', { params });
  if (asJson) return json({ items });
  if (items.length === 0) return print(`${bot.name} has no pages. --propose "a page that asks for … and gives …" makes one.`);
  const rows = items.flatMap((p) => {
    const links = p.shares.length === 0 ? ['not shared'] : p.shares.map((s) => `${s.link}${s.on ? '' : ' (off)'}`);
    return links.map((link, i) => (i === 0 ? [p.page, p.flow, count(p.results, 'result'), link] : ['', '', '', link]));
  });
  print(table([['PAGE', 'FLOW', '', 'LINK'], ...rows]));
}

/** Puts a page that is described into the draft. */
async function propose(
  { client, asJson, json, print }: Context,
  bot: string,
  words: string,
  profile: string | undefined,
): Promise<void> {
  const made = await client.call('proposePage', {
    params: { bot },
    body: { words, ...(profile === undefined ? {} : { profile }) },
  });
  const draft = await client.call('getDraft', { params: { bot } });
  const { flows, pages = {} } = draft.document;
  const document = { ...draft.document, flows: { ...flows, ...made.flows }, pages: { ...pages, [made.id]: made.page } } as never;
  await client.call('replaceDraft', { params: { bot }, body: { revision: draft.revision, document } });
  if (asJson) return json(made);
  print(`The page ${made.id} is in the draft, planned by ${made.by === 'model' ? 'a model' : 'rules'}.`);
  made.notes.forEach((n) => print(`  ${n}`));
}

export interface RunPageOptions {
  readonly input?: readonly string[];
  readonly out?: string;
  readonly live?: boolean;
}

const TYPES: Readonly<Record<string, string>> = {
  '.md': 'text/markdown',
  '.txt': 'text/plain',
  '.log': 'text/plain',
  '.csv': 'text/csv',
  '.json': 'application/json',
  '.pdf': 'application/pdf',
  '.png': 'image/png',
  '.jpg': 'image/jpeg',
  '.docx': 'application/vnd.openxmlformats-officedocument.wordprocessingml.document',
};
const LOOK_MS = 250;

/** Fills a page in, waits for what comes of it, and shows it or writes it as a file by its ending. */
export async function cmdRunPage(context: Context, botId: string, page: string, o: RunPageOptions): Promise<void> {
  const { client, asJson, json, print, endWith, io } = context;
  const as = o.out === undefined || o.out === '-' ? undefined : formOf(o.out);
  const shown = await client.call('showPage', { params: { bot: botId, page }, query: { on: o.live ? 'live' : 'draft' } });
  const files = new Set(shown.parts.flatMap((p) => ('input' in p && (p.as === 'file' || p.as === 'picture') ? [p.input] : [])));
  const several = new Set(shown.parts.flatMap((p) => ('input' in p && p.as === 'choices' ? [p.input] : [])));
  const inputs: Record<string, Value> = {};
  for (const [name, value] of Object.entries(inputsIn(o.input ?? []))) {
    if (files.has(name) && typeof value === 'string') inputs[name] = await sent(client, botId, value);
    else if (several.has(name) && typeof value === 'string') inputs[name] = value.split(',').map((v) => v.trim());
    else inputs[name] = value;
  }
  const begun = await client.call('tryPage', { params: { bot: botId, page }, body: { inputs, on: o.live ? 'live' : 'draft' } });
  const result = await finished(client, botId, begun);
  if (result.state === 'failed' || result.outputs.some((r) => r.state === 'failed')) endWith(EXIT.failed);
  if (o.out !== undefined) {
    const form = as ?? 'md';
    const { bytes } = await client.download('fetchResult', { params: { bot: botId, result: result.id }, query: { as: form } });
    if (o.out === '-') return void io.output.write(new TextDecoder().decode(bytes));
    writeFileSync(o.out, bytes);
    return asJson ? json({ result: result.id, file: o.out }) : print(`${o.out}: ${bytes.length} bytes`);
  }
  if (asJson) return json(result);
  if (result.reason !== null) print(`${result.state}: ${result.reason}`);
  for (const output of result.outputs) {
    const value = output.versions.at(-1)?.value;
    print(`${output.output}${output.state === 'failed' ? `: ${output.reason ?? 'it did not come'}` : ''}`);
    if (value !== undefined && value !== null) print(asMarkdown(value).replace(/^/gm, '  '));
  }
  print(`${result.tokens} tokens, ${result.price.toFixed(5)}; result ${result.id}`);
}

function formOf(file: string): DownloadForm {
  const ending = extname(file).slice(1).toLowerCase();
  const form = DOWNLOAD_FORMS.find((f) => f === ending);
  if (!form)
    throw new CommandFailure(EXIT.usage, `"${file}" should end in one of: ${DOWNLOAD_FORMS.map((f) => `.${f}`).join(', ')}.`);
  return form;
}

async function sent(client: Client, bot: string, path: string): Promise<Value> {
  let bytes: Uint8Array<ArrayBuffer>;
  try {
    bytes = Uint8Array.from(readFileSync(path));
  } catch {
    throw new CommandFailure(EXIT.usage, `The file ${path} cannot be read. Write the input as name=FILE.`);
  }
  const type = TYPES[extname(path).toLowerCase()] ?? 'application/octet-stream';
  const kept = await client.upload('sendPageFile', { params: { bot }, query: { name: basename(path) } }, { type, bytes });
  return { ...kept };
}

/** A result once it is over. */
async function finished(client: Client, bot: string, begun: PageResult): Promise<PageResult> {
  let result = begun;
  while (result.state === 'waiting' || result.state === 'running') {
    await new Promise((resolve) => setTimeout(resolve, LOOK_MS));
    result = await client.call('getResult', { params: { bot, result: begun.id } });
  }
  return result;
}
