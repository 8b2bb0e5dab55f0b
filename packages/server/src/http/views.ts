import type { BotSummary, Channel, ChatLine, ConnectionState, Draft, Edit, Release, TurnRecord } from '@primrose/contract';
import { actionTarget, type BotDocument, type Message, type PatchOperation, type TurnSheet } from '@primrose/core';
import type { BotRow, EditRow, ReleaseRow } from '../store/bots.js';
import type { ServingChannel } from '../store/channels.js';
import type { LineRow, TurnRow } from '../store/conversations.js';

/** The JSON forms of records. */

export function botView(row: BotRow): BotSummary {
  const document = JSON.parse(row.document) as BotDocument;
  const flows = Object.values(document.flows);
  return {
    id: row.id,
    bot: document.bot,
    name: document.name,
    about: document.about ?? null,
    revision: row.revision,
    flows: flows.length,
    nodes: flows.reduce((sum, f) => sum + Object.keys(f.nodes).length, 0),
    release: row.release_number,
    changedSinceRelease: row.revision - (row.release_revision ?? 0),
    changedAt: row.changed_at.toISOString(),
    deletedAt: row.deleted_at?.toISOString() ?? null,
  };
}

export function draftView(row: BotRow): Draft {
  return { bot: botView(row), revision: row.revision, document: JSON.parse(row.document) as BotDocument };
}

export function editView(row: EditRow): Edit {
  return { revision: row.revision, at: row.at.toISOString(), by: row.by, patch: JSON.parse(row.patch) as PatchOperation[] };
}

export function releaseView(row: ReleaseRow): Release {
  return { number: row.number, note: row.note, at: row.at.toISOString(), by: row.by, revision: row.revision };
}

export function channelView(row: ServingChannel & { conversations: number }, publicUrl: string): Channel {
  return {
    id: row.id,
    kind: row.kind,
    name: 'Web chat',
    on: row.is_on === 1,
    serves: row.bound_number ?? 'latest',
    live: row.live_number,
    link: `${publicUrl}/chat/${row.address}`,
    conversations: Number(row.conversations),
  };
}

export function connectionViews(document: BotDocument, addresses: ReadonlyMap<string, string>): ConnectionState[] {
  return Object.entries(document.connections ?? {}).map(([name, c]) => ({
    name,
    about: c.about ?? null,
    written: c.address ?? null,
    address: addresses.get(name) ?? null,
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
  };
}

export function turnView(row: TurnRow, waitsAt: TurnRecord['waitsAt']): TurnRecord {
  return {
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
