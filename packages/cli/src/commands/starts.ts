import { readFileSync } from 'node:fs';
import type { Run, StagedStart } from '@primrose/contract';
import { RUN_OUTCOMES, textOf, type RunOutcome, type Value } from '@primrose/core';
import { count, findBot, table, type Context } from '../context.js';
import { CommandFailure, EXIT } from '../outcome.js';
import { inputsIn } from './inputs.js';
import { cmdRunPage, type RunPageOptions } from './pages.js';
import { sheetText } from './sheet.js';

const moment = (at: string): string => at.slice(0, 19).replace('T', ' ');
type Stage = 'draft' | 'live';

function stagedText(staged: StagedStart | null): string {
  if (!staged) return 'not there';
  return staged.on ? (staged.address ?? staged.next[0]?.slice(0, 16).replace('T', ' ') ?? 'on') : 'off';
}

/** What begins flows besides conversations. */
export async function cmdStarts({ client, asJson, json, print }: Context, word: string): Promise<void> {
  const bot = await findBot(client, word);
  const { items } = await client.call('listStarts', { params: { bot: bot.id } });
  if (asJson) return json({ items });
  if (items.length === 0)
    return print(`Nothing begins a flow of ${bot.name} but conversations. Starts are declared in starts.yaml.`);
  const rows = items.map((s) => [s.name, s.declared?.by ?? '', s.declared?.flow ?? '', stagedText(s.live)]);
  print(table([['START', 'BY', 'FLOW', 'LIVE'], ...rows]));
}

interface StartOptions {
  readonly draft?: boolean;
  readonly on?: boolean;
  readonly off?: boolean;
  readonly token?: boolean;
  readonly signing?: boolean;
  readonly sheet?: boolean;
  readonly openapi?: boolean;
}

/** One start: switched, given a token or a secret, described for others; without any of these, what came to it. */
export async function cmdStart(context: Context, word: string, name: string, o: StartOptions): Promise<void> {
  const { client, asJson, json, print, io } = context;
  const bot = await findBot(client, word);
  const stage: Stage = o.draft ? 'draft' : 'live';
  const params = { bot: bot.id, start: name, stage };
  if (o.token) {
    const made = await client.call('makeStartToken', { params });
    return asJson ? json(made) : print(made.token);
  }
  if (o.sheet || o.openapi) {
    const { sheet, openapi } = await client.call('describeStart', { params });
    return o.openapi || asJson ? json(openapi) : print(sheet);
  }
  if (o.on || o.off || o.signing) {
    const signing = o.signing
      ? (await io.input.toArray())
          .map(String)
          .join('')
          .replace(/\r?\n$/, '')
      : undefined;
    const body = {
      ...(o.on || o.off ? { on: o.on === true } : {}),
      ...(signing === undefined ? {} : { signing: signing || null }),
    };
    const state = await client.call('setStart', { params, body });
    return asJson ? json(state) : print(`${name}, ${stage}: ${stagedText(state[stage])}`);
  }
  const { items } = await client.call('listStartEvents', { params });
  if (asJson) return json({ items });
  if (items.length === 0) return print(`Nothing has come to ${name} yet.`);
  const rows = items.map((e) => [
    moment(e.at),
    `${e.outcome}${e.times > 1 ? ` ${e.times} times` : ''}`,
    e.status === 0 ? '' : String(e.status),
    e.about.slice(0, 70) || (e.body ?? '').replace(/\s+/g, ' ').slice(0, 70),
    e.run ?? '',
  ]);
  print(table([['WHEN', '', '', 'WHAT', 'RUN'], ...rows]));
}

interface RunsOptions {
  readonly start?: string;
  readonly flow?: string;
  readonly outcome?: string;
  readonly since?: string;
  readonly limit: string;
}

const runRow = (r: Run): string[] => [
  moment(r.at),
  r.outcome,
  r.start ?? `by ${r.by}`,
  r.flow,
  r.stage,
  r.ms === null ? '' : `${r.ms} ms`,
  r.id,
];

/** Flows that began without a conversation, the newest first. */
export async function cmdRuns({ client, asJson, json, print }: Context, word: string, o: RunsOptions): Promise<void> {
  const bot = await findBot(client, word);
  if (o.outcome !== undefined && !(RUN_OUTCOMES as readonly string[]).includes(o.outcome))
    throw new CommandFailure(EXIT.usage, `There is no outcome "${o.outcome}". There are: ${RUN_OUTCOMES.join(', ')}.`);
  const from = o.since === undefined ? undefined : new Date(o.since);
  if (from && Number.isNaN(from.getTime()))
    throw new CommandFailure(EXIT.usage, `"${o.since}" is no moment. Write a day such as 2026-05-14, or a moment in ISO 8601.`);
  const query = {
    limit: Math.max(1, Math.min(200, Number(o.limit) || 20)),
    ...(o.start === undefined ? {} : { start: o.start }),
    ...(o.flow === undefined ? {} : { flow: o.flow }),
    ...(o.outcome === undefined ? {} : { outcome: o.outcome as RunOutcome }),
    ...(from === undefined ? {} : { from: from.toISOString() }),
  };
  const { items } = await client.call('listRuns', { params: { bot: bot.id }, query });
  if (asJson) return json({ items });
  if (items.length === 0) return print('No such runs.');
  print(table([['WHEN', 'OUTCOME', 'START', 'FLOW', 'ON', 'TOOK', 'ID'], ...items.map(runRow)]));
}

/** A page that is filled in; or one run with its turn sheets, or the same once more. */
export async function cmdRun(context: Context, word: string, id: string, o: { again?: string } & RunPageOptions): Promise<void> {
  const { client, asJson, json, print } = context;
  const bot = await findBot(client, word);
  const isRun = /^[0-9a-f]{8}-/.test(id);
  if (!isRun) return cmdRunPage(context, bot.id, id, o);
  const params = { bot: bot.id, run: id };
  if (o.again !== undefined) {
    if (o.again !== 'draft' && o.again !== 'live') throw new CommandFailure(EXIT.usage, 'Write --again draft or --again live.');
    const made = await client.call('runAgain', { params, body: { on: o.again } });
    return asJson ? json(made) : print(`It runs again: primrose run ${word} ${made.id}`);
  }
  const found = await client.call('getRun', { params });
  if (asJson) return json(found);
  const { run, turns, notices } = found;
  print(
    `${run.flow} on ${run.stage === 'live' ? 'what is live' : 'the draft'}, ${moment(run.at)}: ${run.outcome}${run.reason === null ? '' : `, ${run.reason}`}`,
  );
  for (const [name, value] of Object.entries(run.given)) print(`  got   ${name}: ${textOf(value).slice(0, 100)}`);
  for (const [name, value] of Object.entries(run.gave ?? {})) print(`  gave  ${name}: ${textOf(value).slice(0, 100)}`);
  for (const turn of turns) print(sheetText(turn));
  for (const n of notices)
    print(
      `  notice to ${n.to}, ${n.state}${n.reason === null ? '' : `, ${n.reason}`}: ${n.text.replace(/\s+/g, ' ').slice(0, 80)}`,
    );
}

interface BeginOptions {
  readonly live?: boolean;
  readonly given?: string;
  readonly file?: string;
}

/** Begins a flow by hand and waits for what it gives. */
export async function cmdBegin(
  context: Context,
  word: string,
  flow: string,
  inputs: readonly string[],
  o: BeginOptions,
): Promise<void> {
  const { client, asJson, json, print, endWith } = context;
  const bot = await findBot(client, word);
  const given = { ...(o.file === undefined ? {} : fromFile(o.file)), ...inputsIn(inputs) };
  const body = { flow, on: o.live ? ('live' as const) : ('draft' as const), given };
  const run = await client.call('beginRun', { params: { bot: bot.id }, query: { wait: 'true' }, body });
  if (run.outcome === 'failed' || run.outcome === 'aside') endWith(EXIT.failed);
  if (asJson) return json(run);
  print(`${run.outcome}${run.reason === null ? '' : `: ${run.reason}`}`);
  for (const [name, value] of Object.entries(run.gave ?? {})) print(`  ${name}: ${textOf(value)}`);
  print(`primrose run ${word} ${run.id}`);
}

function fromFile(file: string): Record<string, Value> {
  try {
    return JSON.parse(readFileSync(file, 'utf8')) as Record<string, Value>;
  } catch {
    throw new CommandFailure(EXIT.usage, `${file} cannot be read as JSON.`);
  }
}

/** Messages that answer nobody, or one of them sent again. */
export async function cmdNotices(
  context: Context,
  word: string,
  o: { failed?: boolean; again?: string; limit: string },
): Promise<void> {
  const { client, asJson, json, print } = context;
  const bot = await findBot(client, word);
  if (o.again !== undefined) {
    await client.call('sendNoticeAgain', { params: { bot: bot.id, notice: o.again } });
    return asJson ? json({ again: o.again }) : print('It is sent again.');
  }
  const limit = Math.max(1, Math.min(200, Number(o.limit) || 20));
  const query = { limit, ...(o.failed ? { state: 'failed' as const } : {}) };
  const { items } = await client.call('listNotices', { params: { bot: bot.id }, query });
  if (asJson) return json({ items });
  if (items.length === 0) return print(o.failed ? 'No notice failed.' : 'No notices yet.');
  const rows = items.map((n) => [
    moment(n.at),
    n.state,
    `${n.to} on ${n.channel}`,
    n.reason ?? n.text.replace(/\s+/g, ' ').slice(0, 50),
    n.id,
  ]);
  print(table([['WHEN', '', 'TO', '', 'ID'], ...rows]));
  if (items.some((n) => n.state === 'failed'))
    print(`${count(items.filter((n) => n.state === 'failed').length, 'notice')} failed; --again ID sends one again.`);
}
