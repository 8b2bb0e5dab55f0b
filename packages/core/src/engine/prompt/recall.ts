import { z } from 'zod';
import { isTable, template, type Value } from '../../document/shapes.js';
import { textOf } from '../../expressions/functions.js';
import type { Template } from '../../expressions/template.js';
import { EMPTY_MEMORY, type Exchange, type Fact, type Memory } from '../../memory/index.js';
import { localMoment } from '../../understanding/calendar.js';
import { fenced } from '../agent/fence.js';
import type { Compiler } from '../compiler.js';
import type { ModelMessage } from '../effects/model.js';
import type { Use } from '../kind.js';
import type { Turn } from '../turn.js';
import type { Walking } from '../types.js';
import { perform } from '../walk.js';
import { messageTokens } from './trim.js';

/*
 * How much of the past a model is shown: the last turns, a summary of those before, and what is known of the visitor; of the
 * visitor who speaks, or of whatever is kept under a key.
 */

export const recallDeclaration = z.strictObject({
  /** So many turns before. */
  turns: z.number().int().min(0).max(50).optional(),
  /** And no more of them than come to so many tokens. */
  tokens: z.number().int().min(50).max(100_000).optional(),
  summary: z.boolean().optional(),
  facts: z.boolean().optional(),
  /** What it is kept under in place of the visitor. */
  key: template.optional(),
  /** Turns that a caller sends along: a template that gives a list of `who` (visitor or bot) and `says`. */
  given: template.optional(),
});
export type RecallDeclaration = z.infer<typeof recallDeclaration>;

const DEFAULT_TURNS = 10;
const MOST_GIVEN = 100;
const GIVEN_SIZE = 4000;
const KEY_SIZE = 200;

/** The names of what is recalled, as parts of a prompt. */
export const SAID_BEFORE = 'what was said before';
export const KNOWN = 'what is known';

export interface ReadyRecall {
  readonly declared: RecallDeclaration;
  readonly key: Template | undefined;
  readonly given: Template | undefined;
}

export function readyRecall(declared: RecallDeclaration | undefined, compiler: Compiler): ReadyRecall | undefined {
  if (declared === undefined) return undefined;
  return {
    declared,
    key: declared.key === undefined ? undefined : compiler.template(declared.key),
    given: declared.given === undefined ? undefined : compiler.template(declared.given),
  };
}

export function recallUses(declared: RecallDeclaration | undefined): Use[] {
  return (['key', 'given'] as const).flatMap((field) => {
    const text = declared?.[field];
    return text === undefined ? [] : [{ field: `/recall/${field}`, as: 'template', text }];
  });
}

/** Whose past a node is shown: that of the visitor who speaks, or of a key; undefined where it is shown none. */
export function recallsOf({ recall }: { readonly recall?: RecallDeclaration | undefined }): 'visitor' | 'key' | undefined {
  if (recall === undefined) return undefined;
  return recall.key === undefined ? 'visitor' : 'key';
}

export interface Recalled {
  /** What was said before, the oldest first. */
  readonly said: readonly ModelMessage[];
  /** What is known, as one text; '' where nothing is. */
  readonly known: string;
  /** Under what is kept what is said now: null for the visitor, undefined where nothing is kept. */
  readonly key: string | null | undefined;
}

const NOTHING_RECALLED: Recalled = { said: [], known: '', key: undefined };

/** What a node is shown of the past. A key that is empty is no key: nothing is recalled then, nor kept, and the sheet says so. */
export function* recall(turn: Turn, ready: ReadyRecall | undefined): Walking<Recalled> {
  if (!ready) return NOTHING_RECALLED;
  const { declared } = ready;
  const key = ready.key ? turn.text('/recall/key', ready.key).trim().slice(0, KEY_SIZE) : null;
  if (key === '') turn.problem('no-memory-key', { key: declared.key ?? '' });
  const kept = key === '' ? EMPTY_MEMORY : key === null ? turn.memory.kept : yield* keptUnder(turn, key);
  const facts = key === null ? turn.memory.facts : kept.facts;
  const given = ready.given ? givenTurns(turn.value('/recall/given', { template: ready.given }, undefined, true)) : [];
  return {
    said: [...lastTurns(turn, kept.exchanges, declared), ...given],
    known: knownText(turn, declared, kept, facts),
    key: key === '' ? undefined : key,
  };
}

function* keptUnder(turn: Turn, key: string): Walking<Memory> {
  const came = yield* perform(turn, { type: 'recall', path: turn.record.reserve(), key });
  if (came.outcome === 'recalled') return came.memory;
  turn.problem('recall-failed', { key, reason: came.reason });
  return EMPTY_MEMORY;
}

/** The last turns, as many as are wanted and fit. */
function lastTurns(
  turn: Turn,
  exchanges: readonly Exchange[],
  { turns = DEFAULT_TURNS, tokens }: RecallDeclaration,
): ModelMessage[] {
  const today = textOf(turn.view.clock['today'] ?? null);
  const chosen: ModelMessage[][] = [];
  let left = tokens ?? Infinity;
  for (const { at, said, answered } of turns === 0 ? [] : exchanges.slice(-turns).toReversed()) {
    const day = localMoment(at, turn.zone).date;
    const from = day === today ? 'the visitor' : `the visitor, on ${day}`;
    const pair: ModelMessage[] = [
      { role: 'user', content: fenced(from, said) },
      { role: 'assistant', content: answered },
    ];
    left -= pair.reduce((sum, m) => sum + messageTokens(m), 0);
    if (left < 0) break;
    chosen.push(pair);
  }
  return chosen.toReversed().flat();
}

/** What is known, as data: what is for now only is told from what is always so. */
function knownText(turn: Turn, declared: RecallDeclaration, { summary }: Memory, facts: readonly Fact[]): string {
  const about = (f: Fact) => turn.bot.document.memory?.facts?.[f.about]?.about ?? f.about;
  const lines =
    declared.facts === true
      ? facts.map((f) => `- ${about(f)}: ${f.says} (${f.lasts === 'now' ? 'for now only' : `since ${f.at.slice(0, 10)}`})`)
      : [];
  const texts = [
    ...(declared.summary === true && summary ? [`Before, in short: ${summary.says}`] : []),
    ...(lines.length > 0 ? [`About the visitor:\n${lines.join('\n')}`] : []),
  ];
  return texts.length === 0 ? '' : fenced(KNOWN, texts.join('\n\n'));
}

/** Turns that a caller sent along; what is no turn is left out. */
function givenTurns(value: Value): ModelMessage[] {
  const list = (Array.isArray(value) ? value : []) as readonly Value[];
  return list.slice(-MOST_GIVEN).flatMap((item): ModelMessage[] => {
    const says = isTable(item) ? textOf(item['says'] ?? item['text'] ?? null).slice(0, GIVEN_SIZE) : '';
    if (says.trim() === '' || !isTable(item)) return [];
    return item['who'] === 'bot'
      ? [{ role: 'assistant', content: says }]
      : [{ role: 'user', content: fenced('the visitor', says) }];
  });
}
