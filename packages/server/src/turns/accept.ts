import { readMarkdown, escapeMarkdown, type IncomingEvent } from '@primrose/core';
import { newId, type Clock } from '../clock.js';
import * as store from '../store/conversations.js';
import { isDuplicate, type Db } from '../store/database.js';

export interface Accepted {
  readonly eventId: string;
  readonly conversationId: string;
  readonly repeat: boolean;
}

export interface Incoming {
  readonly conversationId: string;
  readonly channelId: string;
  /** The channel's own id of the event: a second one with the same id is the same event. */
  readonly externalId: string;
  readonly event: IncomingEvent;
  /** What the visitor sees of it in the conversation, under the id that the visitor's side gave it. */
  readonly shown?: { readonly id: string; readonly text: string };
}

/** Step 1 of a turn: stores the event, once. Only when this has returned may the channel be told that it was taken. */
export async function accept(db: Db, clock: Clock, incoming: Incoming): Promise<Accepted> {
  const { conversationId, channelId, externalId, event, shown } = incoming;
  const id = newId(clock);
  const at = clock.now();
  try {
    await db.transaction(async (tx) => {
      const seq = await store.takeSeq(tx, conversationId, 1);
      await store.insertEvent(tx, { id, conversationId, channelId, externalId, seq, event, at });
      if (shown !== undefined)
        await store.insertLines(
          tx,
          conversationId,
          id,
          [{ position: -1, who: 'visitor', message: visitorMessage(shown.text), externalId: shown.id }],
          at,
        );
    });
    return { eventId: id, conversationId, repeat: false };
  } catch (error) {
    const present = isDuplicate(error) ? await store.eventByExternalId(db, channelId, externalId) : undefined;
    if (!present) throw error;
    return { eventId: present.id, conversationId: present.conversation_id, repeat: true };
  }
}

/** A visitor's words as a message: never read as markup. */
function visitorMessage(text: string) {
  const escaped = escapeMarkdown(text);
  return { text: escaped, blocks: readMarkdown(escaped) };
}
