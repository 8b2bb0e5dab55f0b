import type {
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
import {
  actionTarget,
  differenceSentence,
  plainText,
  type BotDocument,
  type Difference,
  type Message,
  type PatchOperation,
  type TurnSheet,
} from '@primrose/core';
import type { OwnDraft } from '../bots/bots.js';
import type { BotRow, EditRow, ReleaseRow } from '../store/bots.js';
import type { ServingChannel } from '../store/channels.js';
import type { LineRow, ListedConversation, TurnRow } from '../store/conversations.js';

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
    changedSinceRelease: row.revision - (row.release_revision ?? 0),
    changedAt: row.changed_at.toISOString(),
    deletedAt: row.deleted_at?.toISOString() ?? null,
  };
}

export function draftView({ bot, revision, document }: OwnDraft, steps: Pick<Draft, 'undo' | 'redo'>): Draft {
  return { bot: botView(bot), revision, document, ...steps };
}

export function editView(row: EditRow): Edit {
  return { revision: row.revision, at: row.at.toISOString(), by: row.by, patch: JSON.parse(row.patch) as PatchOperation[] };
}

export function pastEditView(row: EditRow): PastEdit {
  const differences = JSON.parse(row.differences ?? '[]') as Difference[];
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

const CHANNEL_NAMES = { 'web-chat': 'Web chat', simulator: 'Simulator', 'hook-messenger': 'Messenger' } as const;

export function channelView(row: ServingChannel & { conversations: number }, publicUrl: string): Channel {
  return {
    id: row.id,
    kind: row.kind,
    name: row.name ?? CHANNEL_NAMES[row.kind],
    on: row.is_on === 1,
    serves: row.bound_number ?? 'live',
    live: row.live_number,
    link: row.kind === 'hook-messenger' ? `${publicUrl}/api/hooks/${row.address}` : `${publicUrl}/chat/${row.address}`,
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
    shows: typeof c.shows === 'object' ? `header ${c.shows.header}` : (c.shows ?? null),
    secret: secrets.includes(name),
    models: Object.entries(document.models ?? {}).flatMap(([id, m]) => (m.connection === name ? [id] : [])),
    actions: Object.entries(c.actions).map(([id, action]) => {
      const target = actionTarget(action);
      return { id, about: action.about ?? null, method: target?.method.toUpperCase() ?? '', path: target?.path ?? '' };
    }),
  }));
}

export function lineView(row: LineRow): ChatLine {
  const message = JSON.parse(row.message) as Message;
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

export function conversationView(row: ListedConversation): Conversation {
  const said = row.said === null ? null : plainText((JSON.parse(row.said) as Message).blocks);
  return {
    id: row.id,
    channel: { id: row.channel_id, kind: row.channel_kind, name: row.channel_name ?? nameOfKind(row.channel_kind) },
    visitor: row.visitor_name,
    openedAt: row.opened_at.toISOString(),
    lastAt: (row.last_at ?? row.opened_at).toISOString(),
    endedAt: row.ended_at?.toISOString() ?? null,
    release: row.release_number,
    turns: row.turns ?? 0,
    handed: row.handed_at === null ? null : { reason: row.handed_reason ?? '', at: row.handed_at.toISOString() },
    said,
  };
}

function nameOfKind(kind: string): string {
  return (CHANNEL_NAMES as Readonly<Record<string, string>>)[kind] ?? kind;
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
    sheet: JSON.parse(row.sheet) as TurnSheet,
    timings: JSON.parse(row.timings) as TurnRecord['timings'],
    waitsAt,
  };
}
