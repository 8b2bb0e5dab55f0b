import { falsehoodsIn, shownSoFar, unsaidIn, type Falsehood, type Grounds } from '../../honesty/index.js';
import { escapeMarkdown } from '../../text/markdown.js';
import { wellFormed } from '../../text/well-formed.js';
import type { Turn } from '../turn.js';
import { saying } from './asking-first.js';
import { textsOfDeed } from './deed-words.js';
import type { Memo } from './memo.js';
import type { ReadyAgent } from './ready.js';
import type { FalseClaim } from './work.js';
import { notDoneWord } from './words.js';

/*
 * What an agent says is held against what was done before anybody reads it.
 */

/** Begins what we tell the model ourselves. */
export const NOTE = 'Note from Primrose, not from the visitor:';

/** A quote in the sheet, in characters. */
const QUOTED = 300;

/** What words of the agent are held against. `system` are its instructions. */
export function groundsOf(turn: Turn, agent: ReadyAgent, memo: Memo, system: string): Grounds {
  return {
    document: agent.document,
    setting: turn.answerSetting,
    deeds: turn.work.deeds,
    // What the model wrote itself bears nothing out.
    shown: [
      { text: system, owner: agent.parts },
      ...memo.transcript.flatMap((m) =>
        m.role === 'assistant' || m.content.startsWith(NOTE) ? [] : [{ text: m.content, owner: m }],
      ),
    ],
    declared: agent.declared(turn.language),
  };
}

/** How much of words that are being written may be shown. */
export function sieveOf(turn: Turn, agent: ReadyAgent, memo: Memo, system: string): (text: string) => string {
  let grounds: Grounds | undefined;
  return (text) => shownSoFar(text, (grounds ??= groundsOf(turn, agent, memo, system)));
}

export interface Checked {
  readonly false: readonly Falsehood[];
  readonly unsaid: readonly string[];
}

export function checked(text: string, grounds: Grounds): Checked {
  return { false: falsehoodsIn(text, grounds), unsaid: unsaidIn(text, grounds) };
}

/** False claims as the sheet keeps them. */
export function claimItems(all: readonly Falsehood[]): FalseClaim[] {
  return all.map(({ says, claim, why, values }) => ({
    says: wellFormed(says.slice(0, QUOTED)),
    claims: claim.words,
    why,
    ...(values.length > 0 ? { values: [...values] } : {}),
  }));
}

/** What the model is told of words that were not shown. */
export function correctionFor(all: readonly Falsehood[]): string {
  const each = all.map(({ says, why, values }) =>
    why === 'not-done'
      ? `- "${says.slice(0, QUOTED)}": no tool has done that in this conversation.`
      : `- "${says.slice(0, QUOTED)}": it was done with other values than these: ${values.join(', ')}.`,
  );
  return [
    `${NOTE} your last answer was not shown, because it claims what was not done.`,
    ...each,
    'Answer again: either call the tool that does it, or say only what was really done.',
  ].join('\n');
}

/** An answer without its false claims, and plainly what was not done, or how it was done. */
export function plainAnswer(turn: Turn, text: string, all: readonly Falsehood[]): string {
  let rest = text;
  for (const f of all.toReversed()) rest = rest.slice(0, f.from) + rest.slice(f.to);
  const plain = all.map(({ why, claim, deed }) => {
    if (why === 'other-values' && deed) return saying(turn, 'really-done', escapeMarkdown(textsOfDeed(deed)));
    const word = notDoneWord(claim.effect, turn.language, turn.bot.document.languages);
    return word === undefined ? saying(turn, 'nothing-was') : saying(turn, 'not-done', word);
  });
  return [rest.trim(), ...new Set(plain)].filter((t) => t !== '').join(' ');
}
