import { readMarkdown, escapeMarkdown, type IncomingEvent } from '@primrose/core';
import { newId, type Clock } from '../base/clock.js';
import { eventByExternalId } from '../store/conversations.js';
import type { LineRow } from '../store/lines.js';
import { isDuplicate, type Db } from '../store/database.js';
import { transaction, type Statement } from '../store/hot.js';
import { move } from '../store/move.js';
import {
  insertConversation,
  insertEvent,
  insertLines,
  linesOf,
  takeEvent,
  wantDelivery,
  type NewConversation,
  type NewLine,
  type WantedDelivery,
} from '../store/turning.js';

export interface Accepted {
  readonly eventId: string;
  readonly conversationId: string;
  readonly repeat: boolean;
  /** The visitor's line as it was stored. */
  readonly lines: readonly LineRow[];
}

export interface Incoming {
  readonly conversationId: string;
  /** Whose it is: its turns do not crowd out those of other bots. */
  readonly botId: string;
  /** Where it comes from: a channel, or what fires runs. */
  readonly source: string;
  /** The source's own id of the event: a second one with the same id is the same event. */
  readonly externalId: string;
  readonly event: IncomingEvent;
  /** The conversation or run that it begins. */
  readonly begins?: NewConversation;
  /** Where answers have to be sent to, on a channel that pushes. */
  readonly delivery?: WantedDelivery;
  /** What the visitor sees of it in the conversation, under the id that the visitor's side gave it. */
  readonly shown?: { readonly id: string; readonly text: string; readonly files?: string };
  /** What is stored together with it, where it is new. */
  readonly also?: readonly Statement[];
}

/** Who accepts, and for how long the conversation is theirs if nobody else works on it. */
export interface Acceptor {
  readonly owner: string;
  readonly leaseMs: number;
}

/**
 * Step 1 of a turn: stores the event, once, with the conversation that it begins and the promise that its answers are sent,
 * and claims the conversation for its turn. Only when this has returned may the channel be told that it was taken.
 */
export async function accept(db: Db, clock: Clock, { owner, leaseMs }: Acceptor, incoming: Incoming): Promise<Accepted> {
  const { conversationId, source, externalId, event, begins, delivery, shown, also = [] } = incoming;
  const id = newId(clock);
  const now = clock.now();
  const claim = { owner, now, until: new Date(now.getTime() + leaseMs) };
  const lines = shown === undefined ? [] : [visitorLine(shown)];
  const stored = {
    conversationId,
    before: begins ? [insertConversation(begins)] : [],
    gate: takeEvent(conversationId, claim),
    additions: [
      insertEvent({ id, conversationId, source, externalId, seq: 'last', part: 0, event, at: now }),
      ...(delivery ? [wantDelivery({ conversationId, ...delivery })] : []),
      ...(lines.length > 0 ? [insertLines(conversationId, id, lines, { at: now, again: false })] : []),
      ...also,
    ],
  };
  try {
    const moved = await transaction(db, (hot) => move(hot, stored));
    if (!moved) throw new Error(`conversation ${conversationId} is gone`);
    return { eventId: id, conversationId, repeat: false, lines: linesOf(conversationId, lines, now, moved) };
  } catch (error) {
    const present = isDuplicate(error) ? await eventByExternalId(db, source, externalId) : undefined;
    if (!present) throw error;
    return { eventId: present.id, conversationId: present.conversation_id, repeat: true, lines: [] };
  }
}

/** A visitor's words as a line: never read as markup. It stands before everything that the turn says. */
function visitorLine({ id, text, files }: NonNullable<Incoming['shown']>): NewLine {
  const escaped = [escapeMarkdown(text), files ?? ''].filter(Boolean).join('\n\n');
  const message = { text: escaped, blocks: readMarkdown(escaped) };
  return { position: -1, who: 'visitor', message, externalId: id, dueAt: null };
}
