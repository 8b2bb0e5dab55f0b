import { wordsIn } from '@primrose/core';
import type { Clock } from '../../base/clock.js';
import { Refused } from '../../base/refused.js';
import type { ServingChannel } from '../../store/channels.js';
import { sheetColumn } from '../../store/columns.js';
import { releaseOfConversation, lineAt, turnOfEvent } from '../../store/conversations.js';
import type { Db } from '../../store/database.js';
import { dropFeedback, putFeedback } from '../../store/feedback.js';
import { noteThought, settleThought } from '../../store/missed.js';

const LONGEST = 500;
/** What stands for a thumb without a word. */
const NO_WORDS = 'not helpful';

/** What a visitor thinks of a line, or with line 0 of a conversation as a whole. */
export interface Thought {
  readonly channel: ServingChannel;
  readonly conversationId: string;
  readonly line: number;
  /** Null takes back what they thought. */
  readonly helpful: boolean | null;
  readonly words?: string | undefined;
}

/** Keeps what a visitor thinks of something that the bot or staff said, with where it was said. Refuses where nothing was. */
export async function rate(db: Db, clock: Clock, { channel, conversationId, line, helpful, words }: Thought): Promise<void> {
  const said = line === 0 ? undefined : await lineAt(db, conversationId, line);
  if (line !== 0 && (!said || said.who === 'visitor')) throw new Refused('no-such-line', {});
  const turn = said ? await turnOfEvent(db, said.event_id) : undefined;
  if (helpful !== false && turn) await settleThought(db, turn.event_id, clock.now());
  if (helpful === null) return dropFeedback(db, conversationId, line);
  const sheet = turn && sheetColumn.read(turn.sheet);
  const step = said && sheet?.path.find((s) => s.said && s.said.from <= said.position && said.position < s.said.to);
  await putFeedback(db, {
    conversation_id: conversationId,
    seq: line,
    bot_id: channel.bot_id,
    channel_id: channel.id,
    release_number: turn?.release_number ?? (await releaseOfConversation(db, conversationId)),
    flow: step?.flow ?? null,
    node: step?.node ?? null,
    helpful,
    words: words ? words : null,
    at: clock.now(),
  });
  const asked = sheet && wordsIn(sheet.heard).trim();
  if (helpful || !turn || !sheet || !asked) return;
  const { took = null, intents = [] } = sheet.understood ?? {};
  const score = intents.find((i) => i.intent === took)?.score ?? 0;
  const missed = { text: asked.slice(0, LONGEST), intent: took, score, language: sheet.language ?? 'en', at: clock.now() };
  await noteThought(db, { ...missed, id: turn.event_id, botId: channel.bot_id, conversationId }, words || NO_WORDS);
}
