import { writeFileSync } from 'node:fs';
import type { RehearsalResult, RehearsalRun } from '@primrose/contract';
import { missSentence, shareOf, type BotDocument } from '@primrose/core';
import { findBot, type Context } from '../context.js';
import { bringContents, sendContents } from '../contents.js';
import { readBotFolder, readOrigin, settled } from '../folder.js';
import { CommandFailure, EXIT } from '../outcome.js';

export interface RehearseOptions {
  readonly folder?: string;
  readonly only?: string;
  readonly junit?: string;
  readonly coverage?: boolean;
}

/** Runs the rehearsals of a draft, or of a folder as it is on disk; exit code 1 where one fails. */
export async function cmdRehearse(context: Context, word: string | undefined, options: RehearseOptions): Promise<void> {
  const { client, asJson, json, print } = context;
  const only = options.only?.split(',').map((name) => name.trim());
  const chosen = only ? { only } : {};
  let run: RehearsalRun;
  let name: string;
  if (options.folder !== undefined) {
    const { document } = readBotFolder(options.folder);
    name = document.name;
    run = await rehearseFolder(context, options.folder, document, chosen);
  } else {
    if (word === undefined) throw new CommandFailure(EXIT.usage, 'Say which bot, or which folder with --folder.');
    const bot = await findBot(client, word);
    name = bot.name;
    run = await client.call('runRehearsals', { params: { bot: bot.id }, body: chosen });
  }
  if (options.junit !== undefined) writeFileSync(options.junit, junitXml(name, run));
  if (asJson) json(run);
  else print(run.items.length === 0 ? `${name} has no rehearsals.` : runText(run, options.coverage === true));
  if (run.failed > 0) context.endWith(EXIT.failed);
}

/** The contents of its documents are sent first: to the bot that the folder belongs to, or for the person where it belongs to none here. */
async function rehearseFolder(
  { client, address }: Context,
  folder: string,
  document: BotDocument,
  chosen: { readonly only?: string[] },
): Promise<RehearsalRun> {
  const origin = readOrigin(folder);
  const whole = settled(folder, document);
  const bot = origin?.address === address ? origin.bot : undefined;
  if (bot === undefined) await bringContents(client, whole.contents);
  else await sendContents(client, bot, whole.contents);
  const body = { document: whole.document as never, ...(bot === undefined ? {} : { bot }), ...chosen };
  return client.call('rehearseDocument', { body });
}

/** A table of the rehearsals; under one that failed, what was expected and what came. */
function runText(run: RehearsalRun, coverage: boolean): string {
  const width = Math.max(9, ...run.items.map((i) => i.rehearsal.length));
  const lines = run.items.flatMap((i) => {
    const state = i.off ? 'off' : i.passed ? 'passed' : 'FAILED';
    const row = `${i.rehearsal.padEnd(width)}  ${state.padEnd(6)}  ${String(i.turns.length).padStart(3)} turns  ${i.ms.toFixed(1)} ms`;
    return [row, ...missLines(i).map((l) => `    ${l}`)];
  });
  const { nodes, exits, intents } = run.coverage;
  const share = ([what, table]: readonly [string, Readonly<Record<string, number>>]) => {
    const { met, of } = shareOf(table);
    return `${met} of ${of} ${what}`;
  };
  const covered = (
    [
      ['nodes', nodes],
      ['exits', exits],
      ['intents', intents],
    ] as const
  )
    .map(share)
    .join(', ');
  const never = Object.entries(exits).flatMap(([name, n]) => (n === 0 ? [`  ${name}`] : []));
  return [
    ...lines,
    '',
    `${run.passed} passed, ${run.failed} failed in ${run.ms} ms; they came by ${covered}.`,
    ...Object.entries(run.ways ?? {}).map(([node, w]) => `${node} chose rightly ${w.right} of ${w.of} times${wrongly(w.missed)}`),
    ...(coverage && never.length > 0 ? ['Exits never taken:', ...never] : []),
  ].join('\n');
}

function wrongly(missed: NonNullable<RehearsalRun['ways']>[string]['missed']): string {
  if (missed.length === 0) return '.';
  const each = missed.map((m) => `${m.chose ?? 'nothing'} for ${m.expected}${m.times > 1 ? `, ${m.times} times` : ''}`);
  return `: ${each.join('; ')}.`;
}

function missLines({ turns, problem }: RehearsalResult): string[] {
  const told = problem === undefined ? [] : [problem];
  return told.concat(turns.flatMap((t, i) => t.misses.map((m) => `turn ${i + 1}: ${missSentence(m)}`)));
}

const escapeXml = (text: string): string =>
  // Control characters other than tab and line ends have no place in XML 1.0, not even escaped.
  // eslint-disable-next-line no-control-regex
  text.replace(/[\u0000-\u0008\u000b\u000c\u000e-\u001f]/g, ' ').replace(/[<>&"']/g, (c) => `&#${c.charCodeAt(0)};`);

/** The run in the form of JUnit XML, as test reporters read it: one case a rehearsal. */
function junitXml(bot: string, run: RehearsalRun): string {
  const skipped = run.items.filter((i) => i.off).length;
  const cases = run.items.map((i) => {
    const open = `    <testcase classname="${escapeXml(bot)}" name="${escapeXml(i.rehearsal)}" time="${(i.ms / 1000).toFixed(4)}"`;
    if (i.off) return `${open}><skipped/></testcase>`;
    if (i.passed) return `${open}/>`;
    const misses = missLines(i);
    const text = escapeXml(misses.join('\n'));
    return `${open}>\n      <failure message="${escapeXml(misses[0] ?? 'it fails')}">${text}</failure>\n    </testcase>`;
  });
  const counts = `tests="${run.items.length}" failures="${run.failed}" skipped="${skipped}" time="${(run.ms / 1000).toFixed(3)}"`;
  return [
    '<?xml version="1.0" encoding="UTF-8"?>',
    `<testsuites ${counts}>`,
    `  <testsuite name="${escapeXml(bot)}" timestamp="${run.at.slice(0, 19)}" ${counts}>`,
    ...cases,
    '  </testsuite>',
    '</testsuites>',
    '',
  ].join('\n');
}
