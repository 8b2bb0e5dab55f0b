import type {
  AsideEvent,
  BotSummary,
  Channel,
  ChatLine,
  ConnectionState,
  Conversation,
  Draft,
  Edit,
  PastEdit,
  Release,
  TurnRecord,
} from '@primrose/contract';
import { actionTarget, differenceSentence, plainText, saidIn, type BotDocument } from '@primrose/core';
import type { OwnDraft } from '../bots/bots.js';
import { channelKind } from '../channels/registry.js';
import * as columns from '../store/columns.js';
import type { AsideRow } from '../store/aside.js';
import type { BotRow } from '../store/bots.js';
import type { EditRow } from '../store/edits.js';
import type { ReleaseRow } from '../store/releases.js';
import type { ServingChannel } from '../store/channels.js';
import type { ListedConversation, TurnRow } from '../store/conversations.js';
import type { LineRow } from '../store/lines.js';

/** The JSON forms of records. */

export function botView(row: BotRow): BotSummary {
  return {
    id: row.id,
    bot: row.bot,
    name: row.name,
    about: row.about,
    revision: row.revision,
    flows: row.flows,
    nodes: row.nodes,
    release: row.release_number,
    live: row.live_number,
    changedSinceRelease: row.release_number === null ? row.revision : Number(row.changes),
    changedAt: row.changed_at.toISOString(),
    deletedAt: row.deleted_at?.toISOString() ?? null,
  };
}

export function draftView({ bot, revision, document }: OwnDraft, steps: Pick<Draft, 'undo' | 'redo'>): Draft {
  return { bot: botView(bot), revision, document, ...steps };
}

export function editView(row: EditRow): Edit {
  return { revision: row.revision, at: row.at.toISOString(), by: row.by, patch: [...columns.patchColumn.read(row.patch)] };
}

export function pastEditView(row: EditRow): PastEdit {
  const differences = columns.differencesColumn.read(row.differences ?? '[]');
  return {
    revision: row.revision,
    at: row.at.toISOString(),
    by: row.by,
    kind: row.kind,
    of: row.of_revision,
    changes: differences.map(differenceSentence),
  };
}

export function releaseView(row: ReleaseRow, liveId: string | null, open: ReadonlyMap<string, number>): Release {
  const { number, note, revision, by, despite } = row;
  return { number, note, despite, at: row.at.toISOString(), by, revision, live: row.id === liveId, open: open.get(row.id) ?? 0 };
}

export function channelView(row: ServingChannel & { conversations: number }, publicUrl: string): Channel {
  return {
    id: row.id,
    kind: row.kind,
    name: row.name ?? channelKind(row.kind).name,
    on: row.is_on === 1,
    serves: row.bound_number ?? 'live',
    live: row.live_number,
    link: channelKind(row.kind).link(publicUrl, row.address, row.settings),
    ability: channelKind(row.kind).ability(row.settings),
    conversations: Number(row.conversations),
  };
}

export function connectionViews(
  document: BotDocument,
  addresses: ReadonlyMap<string, string>,
  standIns: ReadonlyMap<string, string>,
  secrets: readonly string[],
): ConnectionState[] {
  return Object.entries(document.connections ?? {}).map(([name, c]) => ({
    name,
    about: c.about ?? null,
    written: c.address ?? null,
    address: addresses.get(name) ?? null,
    standIn: standIns.get(name) ?? null,
    auth: typeof c.auth === 'object' ? `header ${c.auth.header}` : (c.auth ?? null),
    secret: secrets.includes(name),
    models: Object.entries(document.models ?? {}).flatMap(([id, m]) => (m.connection === name ? [id] : [])),
    actions: Object.entries(c.actions).map(([id, action]) => {
      const target = actionTarget(action);
      return { id, about: action.about ?? null, method: target?.method.toUpperCase() ?? '', path: target?.path ?? '' };
    }),
  }));
}

export function lineView(row: LineRow): ChatLine {
  const message = columns.messageColumn.read(row.message);
  return {
    seq: row.seq,
    who: row.who,
    at: row.at.toISOString(),
    message,
    ...(row.external_id === null ? {} : { id: row.external_id }),
    ...(row.by_name ? { by: row.by_name } : {}),
    ...(row.failed ? { failed: row.failed } : {}),
  };
}

/** What lists show of a conversation. */
type ShownConversation = Pick<
  ListedConversation,
  | 'id'
  | 'channel_id'
  | 'channel_kind'
  | 'channel_name'
  | 'visitor_name'
  | 'opened_at'
  | 'last_at'
  | 'ended_at'
  | 'release_number'
  | 'turns'
  | 'handed_at'
  | 'handed_reason'
  | 'said'
> & { readonly helpful?: number | string | null; readonly unhelpful?: number | string | null };

export function conversationView(row: ShownConversation): Conversation {
  const said = row.said === null ? null : plainText(columns.messageColumn.read(row.said).blocks);
  return {
    id: row.id,
    channel: { id: row.channel_id, kind: row.channel_kind, name: row.channel_name ?? channelKind(row.channel_kind).name },
    visitor: row.visitor_name,
    openedAt: row.opened_at.toISOString(),
    lastAt: (row.last_at ?? row.opened_at).toISOString(),
    endedAt: row.ended_at?.toISOString() ?? null,
    release: row.release_number,
    turns: row.turns ?? 0,
    handed: row.handed_at === null ? null : { reason: row.handed_reason ?? '', at: row.handed_at.toISOString() },
    said,
    feedback: { helpful: Number(row.helpful ?? 0), unhelpful: Number(row.unhelpful ?? 0) },
  };
}

export function turnView(row: TurnRow, waitsAt: TurnRecord['waitsAt']): TurnRecord {
  return {
    id: row.event_id,
    parent: null,
    again: null,
    samples: {},
    conversation: row.conversation_id,
    number: row.number,
    at: row.at.toISOString(),
    ms: row.ms,
    release: row.release_number,
    revision: row.revision,
    sheet: columns.sheetColumn.read(row.sheet),
    timings: columns.timingsColumn.read(row.timings),
    waitsAt,
  };
}

export function asideView(row: AsideRow): AsideEvent {
  return {
    event: row.event_id,
    conversation: row.conversation_id,
    at: row.at.toISOString(),
    tries: row.tries,
    reason: row.reason,
    said: row.event === null ? null : (saidIn(columns.eventColumn.read(row.event)) ?? null),
    againAt: row.again_at?.toISOString() ?? null,
  };
}
