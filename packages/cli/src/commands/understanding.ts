import { readFileSync } from 'node:fs';
import type { QualityReport } from '@primrose/core';
import { findBot, table, type Context } from '../context.js';
import { CommandFailure, EXIT } from '../outcome.js';

export interface QualityOptions {
  readonly file?: string;
  readonly language?: string;
  readonly threshold?: string;
}

const SHOWN = 25;

const hundredths = (n: number | null): string => (n === null ? '-' : n.toFixed(2));

/** How well a draft understands its own phrases, or a labelled file. */
export async function cmdQuality(context: Context, word: string, options: QualityOptions): Promise<void> {
  const { client, asJson, json, print } = context;
  const bot = await findBot(client, word);
  const threshold = thresholdOf(options.threshold);
  if (options.file === undefined) {
    const answer = await client.call('measureQuality', { params: { bot: bot.id }, body: { ...threshold } });
    if (asJson) return json(answer);
    print(
      `${bot.name}, revision ${answer.revision}${answer.encoder ? ', with the encoder' : ''}: each phrase read by what all others teach.`,
    );
    return print(reportText(answer.report));
  }
  const source = sourceOf(options.file);
  const language = options.language === undefined ? {} : { language: options.language };
  const answer = await client.call('judgeFile', { params: { bot: bot.id }, body: { source, ...language, ...threshold } });
  if (asJson) json(answer);
  else {
    for (const { line, problem } of answer.problems) print(line === 0 ? problem : `Line ${line}: ${problem}`);
    print(`${answer.rows} lines read.`);
    if (answer.rows > 0) print(reportText(answer.report));
  }
  if (answer.problems.length > 0) context.endWith(EXIT.failed);
}

function thresholdOf(text: string | undefined): { threshold?: number } {
  if (text === undefined) return {};
  const threshold = Number(text);
  if (!(threshold >= 0 && threshold <= 1)) throw new CommandFailure(EXIT.usage, '--threshold should be a number from 0 to 1.');
  return { threshold };
}

function sourceOf(file: string): string {
  try {
    return readFileSync(file, 'utf8');
  } catch (error) {
    throw new CommandFailure(EXIT.usage, `${file} cannot be read: ${error instanceof Error ? error.message : String(error)}`);
  }
}

function reportText(report: QualityReport): string {
  const { accuracy, phrases, threshold, right, wrong, unanswered } = report;
  const intents = [...report.intents].sort((a, b) => a.f1 - b.f1);
  const parts = [
    `${hundredths(accuracy)} of ${phrases} read right; from ${hundredths(threshold)} on ${right} right, ${wrong} wrong, ${unanswered} unanswered.`,
    table([
      ['intent', 'phrases', 'found', 'right', 'F1', 'health'],
      ...intents.map((i) => [
        i.intent,
        `${i.phrases}${i.few ? ' (few)' : ''}`,
        hundredths(i.recall),
        hundredths(i.precision),
        hundredths(i.f1),
        `${i.health} of 5`,
      ]),
    ]),
    ...report.mixedUp.slice(0, SHOWN).map(({ intents: [a, b], phrases: at, merge }) => {
      const head = `${a} and ${b} are mixed up${merge ? '; one of them would do' : ''}:`;
      return [
        head,
        ...at.map((p) => `  "${p.text}" of ${p.intent} is read as ${p.read} ${hundredths(p.score)}: ${ADVICE[p.advice]}`),
      ].join('\n');
    }),
    ...report.duplicates
      .slice(0, SHOWN)
      .map(
        ({ first, second, likeness }) =>
          `"${first.text}" (${first.intent}) and "${second.text}" (${second.intent}) are ${hundredths(likeness)} alike.`,
      ),
  ];
  return parts.join('\n\n');
}

const ADVICE = {
  move: 'move it there',
  delete: 'delete it, the other has it',
  more: 'give its intent more like it',
} as const;

export interface MissedOptions {
  readonly teach?: string;
  readonly outside?: boolean;
  readonly leave?: boolean;
  readonly group?: string;
}

/** What was missed of a bot, by groups; with --teach, --outside or --leave, what is to become of one of them. */
export async function cmdMissed({ client, asJson, json, print }: Context, word: string, options: MissedOptions): Promise<void> {
  const bot = await findBot(client, word);
  const { open, groups } = await client.call('listMissed', { params: { bot: bot.id } });
  const as = options.teach !== undefined ? 'phrases' : options.outside ? 'outside' : options.leave ? 'left' : undefined;
  if (as === undefined) {
    if (asJson) return json({ open, items: groups });
    if (groups.length === 0) return print('Everything was understood.');
    const rows = groups
      .slice(0, 50)
      .map((g, i) => [
        String(i + 1),
        `${g.times} times`,
        `"${g.text}"`,
        g.base !== null ? `not in ${g.base}` : g.intent === null ? '-' : `${g.intent} ${hundredths(g.score)}`,
        [...new Set(g.items.flatMap((i) => i.thought ?? []))].join('; ').slice(0, 60),
      ]);
    return print(table([['group', 'said', 'words', 'nearest', 'thought of the answer'], ...rows]));
  }
  const group = groups[Number(options.group ?? '1') - 1];
  if (!group) throw new CommandFailure(EXIT.usage, `Say which group with --group: a number from 1 to ${groups.length}.`);
  const ids = group.items.map((i) => i.id);
  const intent = options.teach === undefined ? {} : { intent: options.teach };
  const done = await client.call('settleMissed', { params: { bot: bot.id }, body: { ids, as, ...intent } });
  if (asJson) return json(done);
  print(`${done.settled} settled${done.phrases.length > 0 ? `, taught: ${done.phrases.map((p) => `"${p}"`).join(', ')}` : ''}.`);
}
