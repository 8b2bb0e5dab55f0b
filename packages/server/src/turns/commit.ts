import type { Clock } from '../clock.js';
import * as store from '../store/conversations.js';
import type { Db } from '../store/database.js';
import type { LoadedBot } from './bots.js';
import type { RanTurn } from './run.js';

/** Another runner has taken the conversation over, so this one's turn must not be stored. */
export class LostLease extends Error {}

/**
 * Step 4 of a turn: one transaction for state, visitor's variables, messages, turn sheet and the event itself.
 * Throws LostLease when the conversation moved on meanwhile; nothing is stored then.
 */
export async function commitTurn(
  db: Db,
  clock: Clock,
  owner: string,
  conversation: store.ConversationRow,
  event: store.EventRow,
  loaded: LoadedBot,
  ran: RanTurn,
): Promise<void> {
  const { result, timings, ms } = ran;
  const at = clock.now();
  await db.transaction(async (tx) => {
    const stored = await store.commitState(tx, {
      id: conversation.id,
      version: conversation.version,
      owner,
      state: result.session,
      releaseId: loaded.releaseId,
      endedAt: result.session.over ? at : null,
    });
    if (!stored) throw new LostLease();
    const lines = result.messages.map((message, position) => ({ position, who: 'bot', message }) as const);
    await store.insertLines(tx, conversation.id, event.id, lines, at);
    if (conversation.visitor_id !== null && result.visitorChanges.length > 0)
      await store.changeVisitor(tx, conversation.visitor_id, result.visitorChanges);
    await store.insertTurn(tx, {
      conversationId: conversation.id,
      eventId: event.id,
      releaseId: loaded.releaseId,
      revision: loaded.revision,
      sheet: result.sheet,
      timings,
      ms,
      at,
    });
    await store.markEventDone(tx, event.id);
  });
}
