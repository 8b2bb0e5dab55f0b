import { readFileSync } from 'node:fs';
import { basename } from 'node:path';
import type { EvaluationView, SourceStateView } from '@primrose/contract';
import {
  FORM_ENDINGS,
  freeId,
  guardCell,
  idOf,
  questionsOf,
  writeCsv,
  readCsv,
  type DocumentForm,
  type Splitting,
} from '@primrose/core';
import { count, findBot, table, type Context } from '../context.js';
import { CommandFailure, EXIT } from '../outcome.js';

export interface DocumentsOptions {
  readonly in?: string;
  readonly add?: string[];
  readonly remove?: string;
  readonly again?: string;
  readonly fetch?: string;
  readonly depth?: string;
  readonly pages?: string;
  readonly every?: string;
}

const FORMS = new Map(Object.entries(FORM_ENDINGS).map(([form, ending]) => [ending as string, form as DocumentForm]));
const LOOK_AGAIN_MS = 300;
const MOST_LOOKS = 400;

/** The knowledge base that is meant: the one that was named, or the only one. */
function baseOf(bot: string, bases: readonly string[], wanted: string | undefined): string {
  const known = bases.join(', ');
  if (wanted !== undefined && bases.includes(wanted)) return wanted;
  if (wanted !== undefined)
    throw new CommandFailure(EXIT.usage, `${bot} has no knowledge base "${wanted}". It has: ${known || 'none'}.`);
  const [only] = bases;
  if (only === undefined) throw new CommandFailure(EXIT.usage, `${bot} has no knowledge base.`);
  if (bases.length > 1)
    throw new CommandFailure(EXIT.usage, `${bot} has several knowledge bases. Say which with --in: ${known}.`);
  return only;
}

/** The documents of a knowledge base and how far each is; adds files, takes one out, or tries one again. */
export async function cmdDocuments(context: Context, word: string, options: DocumentsOptions): Promise<void> {
  const { client, asJson, json, print } = context;
  const bot = await findBot(client, word);
  const { document } = await client.call('getDraft', { params: { bot: bot.id } });
  const base = baseOf(bot.name, Object.keys(document.knowledge ?? {}), options.in);
  const params = { bot: bot.id, knowledge: base };
  for (const file of options.add ?? []) await addDocument(context, params, file);
  if (options.remove !== undefined) await removeDocument(context, params, options.remove);
  if (options.again !== undefined) await client.call('readDocumentAgain', { params: { ...params, document: options.again } });
  if (options.fetch !== undefined) await fetchAddress(context, params, options.fetch, options);
  const items = await settledDocuments(context, params);
  const { items: sources } = await client.call('listSources', { params });
  if (items.some((d) => d.state === 'failed' && d.used) || sources.some((s) => s.state === 'failed'))
    context.endWith(EXIT.problems);
  if (asJson) return json({ knowledge: base, items, sources });
  const rows = items.map((d) => [
    d.document,
    d.title,
    d.form,
    d.pages === null ? '' : String(d.pages),
    d.passages === null ? '' : String(d.passages),
    d.state === 'ready' && !d.used ? 'not in use' : d.state,
  ]);
  print(
    rows.length === 0
      ? `${base} has no documents.`
      : table([['DOCUMENT', 'TITLE', 'FORM', 'PAGES', 'PASSAGES', 'STATE'], ...rows]),
  );
  for (const d of items) if (d.problem !== null) print(`${d.document}: ${d.problem}.`);
  for (const d of items) if (d.note !== null) print(`${d.document}: ${d.note}`);
  for (const s of sources)
    print(['', sourceWords(s), ...s.skipped.map(({ address, why }) => `  left out ${address}: ${why}`)].join('\n'));
}

function sourceWords({ address, state, problem, pages, changed, every, at }: SourceStateView): string {
  const again = every === null ? '' : `, read again every ${every}`;
  if (state === 'fetched') return `${address}: ${count(pages, 'page')}, ${changed} changed, ${at ?? ''}${again}.`;
  if (state === 'failed') return `${address} could not be fetched: ${problem ?? ''}${again}.`;
  return `${address}: ${state === 'never' ? 'not fetched yet' : 'being fetched'}${again}.`;
}

/** Fetches from an address: that of a source which the base has, or of a new one. Waits until it is done. */
async function fetchAddress({ client }: Context, params: BaseParams, address: string, options: DocumentsOptions): Promise<void> {
  const { bot, knowledge } = params;
  if (!URL.canParse(address))
    throw new CommandFailure(EXIT.usage, `"${address}" is no address; write one such as https://example.org/help`);
  const { revision, document } = await client.call('getDraft', { params: { bot } });
  const sources = document.knowledge?.[knowledge]?.sources ?? {};
  const present = Object.entries(sources).find(([, s]) => s.address === address)?.[0];
  const { hostname, pathname } = new URL(address);
  const source = present ?? freeId(sources, idOf(`${hostname} ${pathname}`) || 'site');
  const declared = {
    ...sources[source],
    address,
    ...(options.depth === undefined ? {} : { depth: Number(options.depth), most: Number(options.pages ?? 50) }),
    ...(options.every === undefined ? {} : { every: options.every }),
  };
  const path = `/knowledge/${knowledge}/sources`;
  const patch = [{ op: 'add' as const, path, value: { ...sources, [source]: declared } }];
  await client.call('patchDraft', { params: { bot }, body: { revision, patch: patch } });
  await client.call('fetchSource', { params: { ...params, source } });
  for (let looks = 0; looks < MOST_LOOKS * 4; looks++) {
    const { items } = await client.call('listSources', { params });
    const state = items.find((s) => s.source === source)?.state;
    if (state === 'fetched' || state === 'failed') return;
    await new Promise((resolve) => setTimeout(resolve, LOOK_AGAIN_MS));
  }
}

interface BaseParams {
  readonly bot: string;
  readonly knowledge: string;
}

/** The documents once none of them is under way any more. */
async function settledDocuments({ client }: Context, params: BaseParams) {
  for (let looks = 0; ; looks++) {
    const { items } = await client.call('listDocuments', { params });
    const open = items.some((d) => d.state !== 'ready' && d.state !== 'failed');
    if (!open || looks >= MOST_LOOKS) return items;
    await new Promise((resolve) => setTimeout(resolve, LOOK_AGAIN_MS));
  }
}

async function addDocument({ client }: Context, { bot, knowledge }: BaseParams, file: string): Promise<void> {
  const name = basename(file);
  const form = FORMS.get(name.split('.').at(-1)?.toLowerCase() ?? '');
  if (!form)
    throw new CommandFailure(EXIT.usage, `${file} is read by its ending, which is none of ${[...FORMS.keys()].join(', ')}.`);
  const bytes = Uint8Array.from(readFileSync(file));
  const { hash } = await client.upload('addContent', { params: { bot } }, { type: 'application/octet-stream', bytes });
  const title = name.replace(/\.[^.]+$/, '');
  const id = idOf(title) || 'document';
  const { revision, document } = await client.call('getDraft', { params: { bot } });
  const present = document.knowledge?.[knowledge]?.documents[id];
  // What is known of a document of the same name stays; its contents are replaced.
  const { text: _text, ...kept } = present ?? { title };
  const op = present ? 'replace' : 'add';
  const patch = [{ op, path: `/knowledge/${knowledge}/documents/${id}`, value: { ...kept, form, content: hash } }] as const;
  await client.call('patchDraft', { params: { bot }, body: { revision, patch: [...patch] as never } });
}

async function removeDocument({ client }: Context, { bot, knowledge }: BaseParams, id: string): Promise<void> {
  const { revision, document } = await client.call('getDraft', { params: { bot } });
  if (!document.knowledge?.[knowledge]?.documents[id])
    throw new CommandFailure(EXIT.usage, `${knowledge} has no document "${id}".`);
  const patch = [{ op: 'remove' as const, path: `/knowledge/${knowledge}/documents/${id}` }];
  await client.call('patchDraft', { params: { bot }, body: { revision, patch } });
}

export interface EvaluateOptions {
  readonly in?: string;
  readonly add?: string;
  readonly propose?: boolean;
  readonly asked?: boolean;
  readonly split?: string[];
  readonly leastFirst?: string;
}

const WAYS = ['headings', 'size', 'pages', 'rows', 'questions'] as const;

/** A splitting as it is typed: `headings`, `size:700`, `headings:700:100`. */
function splittingOf(words: string): Splitting {
  const [by = '', size, overlap] = words.split(':');
  const way = WAYS.find((w) => w === by);
  if (!way)
    throw new CommandFailure(
      EXIT.usage,
      `"${words}" is no splitting. Write one of ${WAYS.join(', ')}, with :SIZE or :SIZE:OVERLAP behind it.`,
    );
  return {
    by: way,
    ...(size === undefined ? {} : { size: Number(size) }),
    ...(overlap === undefined ? {} : { overlap: Number(overlap) }),
  };
}

/** How good lookups are over the evaluation set of a base; exit code 1 where fewer are found first than wanted. */
export async function cmdEvaluate(context: Context, word: string, options: EvaluateOptions): Promise<void> {
  const { client, asJson, json, print } = context;
  const bot = await findBot(client, word);
  const { document } = await client.call('getDraft', { params: { bot: bot.id } });
  const base = baseOf(bot.name, Object.keys(document.knowledge ?? {}), options.in);
  const params = { bot: bot.id, knowledge: base };
  if (options.add !== undefined) {
    const lines = readCsv(readFileSync(options.add, 'utf8'));
    const questions = questionsOf(lines, document.knowledge?.[base]?.documents ?? {});
    if (questions.length > 0) await client.call('addTestQuestions', { params, body: { questions } });
  }
  if (options.asked) return printAsked(context, params);
  if (options.propose) {
    const { items } = await client.call('proposeTestQuestions', { params, query: {} });
    const questions = items.map(({ heading, says, times: _times, ...q }) => ({
      ...q,
      ...(heading === null ? {} : { heading }),
      ...(says === null ? {} : { says }),
    }));
    if (questions.length > 0) await client.call('addTestQuestions', { params, body: { questions } });
  }
  const came = await client.call('evaluateKnowledge', { params, body: { splits: (options.split ?? []).map(splittingOf) } });
  const [own] = came.results;
  if (own?.figures.questions === 0)
    throw new CommandFailure(
      EXIT.usage,
      `${base} has no evaluation set. Add questions with --add FILE.csv, or --propose them from headings.`,
    );
  if (options.leastFirst !== undefined && (own?.figures.hit1 ?? 0) < Number(options.leastFirst)) context.endWith(EXIT.failed);
  if (asJson) return json(came);
  print(figuresText(came));
}

/** What visitors have asked, as CSV to be looked through and added: with where it was answered, the most frequent first. */
async function printAsked({ client, asJson, json, print }: Context, params: BaseParams): Promise<void> {
  const { items } = await client.call('proposeTestQuestions', { params, query: { from: 'conversations' } });
  if (asJson) return json({ items });
  const rows = items.map((q) => [guardCell(q.question), q.document ?? '', guardCell(q.heading ?? '')]);
  print(writeCsv(['question', 'document', 'heading'], rows).trimEnd());
}

const share = (value: number | null): string => (value === null ? '–' : value.toFixed(2));

function figuresText({ results }: EvaluationView): string {
  const rows = results.map(({ split, passages, figures: f }) => [
    split === null ? 'as it is' : [split.by, split.size, split.overlap].filter((v) => v !== undefined).join(':'),
    String(passages),
    share(f.hit1),
    share(f.hit3),
    share(f.reciprocal),
    share(f.precision),
    share(f.recall),
  ]);
  const worst = (results[0]?.items ?? []).flatMap((i): string[] => {
    if (i.nothing) return i.covered ? [`${i.question}: said to be covered, which it is not`] : [];
    if (i.rank === 0) return [`${i.question}: not found`];
    if (!i.covered) return [`${i.question}: place ${i.rank}, but said not to be covered`];
    return i.rank > 1 ? [`${i.question}: place ${i.rank}`] : [];
  });
  const head = ['SPLIT', 'PASSAGES', 'FIRST', 'IN THREE', 'MRR', 'NOT COVERED, RIGHT', 'FOUND'];
  const of = results[0]?.figures.questions ?? 0;
  return [`${count(of, 'question')}.`, table([head, ...rows]), ...(worst.length > 0 ? ['', ...worst] : [])].join('\n');
}
