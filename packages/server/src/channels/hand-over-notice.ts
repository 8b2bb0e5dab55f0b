import { escapeMarkdown, readMarkdown, type Message } from '@primrose/core';
import { z } from 'zod';
import { hashSecret, newId, type Clock } from '../base/clock.js';
import { listChannels } from '../store/channels.js';
import type { Db } from '../store/database.js';
import type { Statement } from '../store/hot.js';
import { inboxSetting } from '../store/inbox.js';
import { noticeStatement } from '../store/notices.js';
import { channelKind, pushes } from './registry.js';

const setting = z.object({ notifies: z.object({ channel: z.string(), to: z.string() }).nullable() });
/** `bots.inbox`: where staff are told that somebody waits. */
export type InboxSetting = z.infer<typeof setting>;

export function readInboxSetting(stored: string | null): InboxSetting {
  return stored === null ? { notifies: null } : setting.parse(JSON.parse(stored));
}

export interface HandedOver {
  readonly botId: string;
  readonly conversationId: string;
  /** The event in whose turn it was handed over. */
  readonly eventId: string;
  readonly reason: string;
}

export type HandOverNotice = (handed: HandedOver) => Promise<Statement[]>;

/** Makes what has staff told of a hand-over, to be stored in the transaction that hands over; nothing where nobody is to be told. */
export function createHandOverNotice({ db, clock, publicUrl }: { db: Db; clock: Clock; publicUrl: string }): HandOverNotice {
  return async ({ botId, conversationId, eventId, reason }) => {
    const { notifies } = readInboxSetting(await inboxSetting(db, botId));
    if (!notifies) return [];
    const named = (c: { kind: string; name: string | null }) => c.name ?? channelKind(c.kind).name;
    const channel = (await listChannels(db, botId)).find((c) => pushes(c.kind) && named(c) === notifies.channel);
    if (!channel) return [];
    const text = `Somebody waits for a person: ${escapeMarkdown(reason)}`;
    const links = [{ says: 'Open the inbox', opens: `${publicUrl}/inbox/${botId}/${conversationId}` }];
    const message: Message = { text, blocks: readMarkdown(text), links };
    const origin = hashSecret(`handed over ${eventId}`);
    const at = clock.now();
    const row = { id: newId(clock), origin, botId, channelId: channel.id, conversationId, recipient: notifies.to, message, at };
    return [noticeStatement(row)];
  };
}
