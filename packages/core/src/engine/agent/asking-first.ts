import type { Value } from '../../document/shapes.js';
import { valuesFor } from '../talk/read.js';
import { dayInWords } from '../talk/words.js';
import { saysNothing } from '../../understanding/cues/cue.js';
import { polarityOf } from '../../understanding/cues/yes-no.js';
import { normalise } from '../../understanding/words.js';
import type { Message } from '../message.js';
import type { Turn } from '../turn.js';
import { escapeMarkdown } from '../../text/markdown.js';
import type { OpenCall } from './memo.js';
import type { ReadyTool } from './tools.js';
import { agentWords, type AgentSaying } from './words.js';

/*
 * The question before something is changed outside, and what the visitor makes of it. Only a plain yes is one; what corrects a
 * value is asked again with that; anything else goes back to the model.
 */

export const YES = 'agent-yes';
export const NO = 'agent-no';

export function saying(turn: Turn, which: AgentSaying, value = ''): string {
  return agentWords(which, turn.language, turn.bot.document.languages, value);
}

/** The question, in the words of the designer or in ours, with the values as they are. */
export function questionOf(turn: Turn, tool: ReadyTool, given: Readonly<Record<string, Value>>): string {
  const worded = Object.fromEntries(Object.entries(given).map(([name, value]) => [name, wordedValue(turn, tool, name, value)]));
  if (tool.question) return turn.wording(tool.question, { call: worded });
  const about = tool.about.replace(/[.?!:\s]+$/, '');
  const parts = Object.entries(worded).map(
    ([name, value]) => `${name.replaceAll('_', ' ')}: **${escapeMarkdown(textIn(value))}**`,
  );
  return saying(turn, 'shall-i', [escapeMarkdown(about), parts.join(', ')].filter((p) => p !== '').join(' – '));
}

export function buttonsOf(turn: Turn): NonNullable<Message['choices']> {
  return [
    { id: YES, says: saying(turn, 'yes') },
    { id: NO, says: saying(turn, 'no') },
  ];
}

function textIn(value: Value): string {
  if (typeof value === 'string') return value;
  return Array.isArray(value) ? (value as readonly Value[]).map(textIn).join(', ') : JSON.stringify(value);
}

/** A value as the visitor reads it: one of a list in its own words, a day with its weekday. */
export function wordedValue(turn: Turn, tool: ReadyTool, name: string, value: Value): Value {
  const type = tool.params.find((p) => p.name === name)?.type;
  if (typeof value !== 'string') return value;
  if (type !== undefined && turn.bot.document.entities?.[type]?.values) return turn.words.listed(type, value);
  return /^\d{4}-\d{2}-\d{2}$/.test(value) ? dayInWords(value, turn.language) : value;
}

/** What an answer to the question comes to. */
export type FirstAnswer =
  | { readonly as: 'yes' | 'no' }
  /** Another value for one of the parameters. */
  | { readonly as: 'corrected'; readonly given: Readonly<Record<string, Value>> }
  | { readonly as: 'otherwise' };

/** Words beside a corrected value that still only correct it. */
const MOST_BESIDE = 5;

/** Reads an answer. A yes with anything more in it is none. */
export function readFirstAnswer(turn: Turn, said: string, tool: ReadyTool | undefined, call: OpenCall): FirstAnswer {
  const polarity = polarityOf(said, turn.language);
  if (polarity?.whole) return { as: polarity.agrees ? 'yes' : 'no' };
  const given = tool ? corrected(turn, said, tool, call) : undefined;
  return given ? { as: 'corrected', given } : { as: 'otherwise' };
}

/** The parameters of a call with values that a message gives in place of others; undefined where it is not clear what for. */
function corrected(turn: Turn, said: string, tool: ReadyTool, { given }: OpenCall): Readonly<Record<string, Value>> | undefined {
  const slots = tool.params.flatMap((p) =>
    p.type === undefined || p.type === 'text' ? [] : [{ target: `call.${p.name}`, entity: p.type, name: p.name }],
  );
  const found = valuesFor(turn, said, slots);
  if (found.length === 0 || found.length > 3 || /[?？]/.test(said)) return undefined;
  const beside = normalise(found.reduce((rest, f) => rest.replace(f.text, ' '), said))
    .split(' ')
    .filter((w) => w !== '' && !saysNothing(w, turn.language));
  if (beside.length > MOST_BESIDE) return undefined;
  const changed: Record<string, Value> = {};
  for (const value of found) {
    const may = slots.filter(
      (s) => s.entity === value.entity && JSON.stringify(given[s.name] ?? null) !== JSON.stringify(value.value),
    );
    const [only, ...more] = may;
    if (!only || more.length > 0) return undefined;
    changed[only.name] = value.value;
  }
  return Object.keys(changed).length === 0 ? undefined : { ...given, ...changed };
}
