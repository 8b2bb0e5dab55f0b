import { z } from 'zod';
import type { HookSign } from '@primrose/core';
import type { Came } from '../came.js';
import type { MatrixSettings } from './settings.js';

const content = z.record(z.string(), z.unknown());
const event = z.object({
  type: z.string(),
  event_id: z.string().min(1).max(255),
  sender: z.string().min(2).max(255),
  state_key: z.string().optional(),
  content,
});
type MatrixEvent = z.infer<typeof event>;
const events = z.object({ events: z.array(z.unknown()).max(10_000).optional() }).optional();
const sync = z.object({
  next_batch: z.string().min(1).max(1000),
  rooms: z
    .object({
      join: z
        .record(
          z.string(),
          z.object({
            timeline: events,
            ephemeral: events,
            state: events,
            summary: z
              .object({ 'm.joined_member_count': z.number().optional(), 'm.invited_member_count': z.number().optional() })
              .optional(),
          }),
        )
        .optional(),
      invite: z.record(z.string(), z.unknown()).optional(),
    })
    .optional(),
});

/** What is remembered of a room while the line stands: how many are in it, and how they are called. */
export interface RoomFacts {
  members: number;
  readonly names: Map<string, string>;
}

export interface ReadSync {
  readonly next: string;
  readonly invited: readonly string[];
  readonly came: readonly Came[];
  readonly signs: readonly HookSign[];
}

const MOST_INVITED = 50;
const text = (v: unknown): string | undefined => (typeof v === 'string' && v !== '' ? v : undefined);
const table = (v: unknown): Readonly<Record<string, unknown>> =>
  v !== null && typeof v === 'object' ? (v as Record<string, unknown>) : {};

/** The rooms in which something happened, by an answer to a sync. */
export function joinedRooms(body: unknown): string[] {
  const parsed = sync.safeParse(body);
  return Object.keys(parsed.data?.rooms?.join ?? {});
}

const joined = z.object({ joined: z.record(z.string(), z.object({ display_name: z.string().nullish() })) });
const MOST_NAMES = 1000;

/** Who is in a room, by its joined members; a room of which nobody can tell is one of many, in which only what names the bot is answered. */
export function roomFacts(body: unknown): RoomFacts {
  const members = joined.safeParse(body).data?.joined;
  if (!members) return { members: Infinity, names: new Map() };
  const named = Object.entries(members).flatMap(([user, { display_name: name }]): [string, string][] =>
    name ? [[user, name.slice(0, 120)]] : [],
  );
  return { members: Object.keys(members).length, names: new Map(named.slice(0, MOST_NAMES)) };
}

/** Reads an answer to a sync; undefined where it is none. An event that does not fit is passed over. */
export function readSync(body: unknown, settings: MatrixSettings, rooms: Map<string, RoomFacts>): ReadSync | undefined {
  const parsed = sync.safeParse(body);
  if (!parsed.success) return undefined;
  const { next_batch: next, rooms: changed } = parsed.data;
  const came: Came[] = [];
  const signs: HookSign[] = [];
  for (const [room, part] of Object.entries(changed?.join ?? {})) {
    const facts = rooms.get(room) ?? { members: Infinity, names: new Map<string, string>() };
    rooms.set(room, facts);
    const members = part.summary?.['m.joined_member_count'];
    if (members !== undefined) facts.members = members;
    for (const e of fitting(part.state?.events)) noteMember(e, facts);
    for (const e of fitting(part.timeline?.events)) {
      noteMember(e, facts);
      const read = e.sender === settings.user ? undefined : readEvent(e, room, facts, settings);
      if (read?.as === 'came') came.push(read.came);
      if (read?.as === 'sign') signs.push(read.sign);
    }
    for (const e of part.ephemeral?.events ?? []) signs.push(...receipts(e, settings.user));
  }
  return { next, invited: Object.keys(changed?.invite ?? {}).slice(0, MOST_INVITED), came, signs };
}

function fitting(list: readonly unknown[] | undefined): MatrixEvent[] {
  return (list ?? []).flatMap((e) => {
    const read = event.safeParse(e);
    return read.success ? [read.data] : [];
  });
}

function noteMember({ type, state_key, content: told }: MatrixEvent, { names }: RoomFacts): void {
  const name = text(told['displayname']);
  if (type === 'm.room.member' && state_key !== undefined && name !== undefined && names.size < MOST_NAMES)
    names.set(state_key, name.slice(0, 120));
}

type Read = { readonly as: 'came'; readonly came: Came } | { readonly as: 'sign'; readonly sign: HookSign } | undefined;

function readEvent(e: MatrixEvent, room: string, facts: RoomFacts, { user, address }: MatrixSettings): Read {
  const relates = table(e.content['m.relates_to']);
  const about = text(relates['event_id']);
  if (e.type === 'm.reaction')
    return about === undefined
      ? undefined
      : { as: 'sign', sign: { id: e.event_id, sender: e.sender, about, sign: text(relates['key']) ?? '' } };
  if (e.type !== 'm.room.message') return undefined;
  const edits = relates['rel_type'] === 'm.replace';
  const said = edits ? table(e.content['m.new_content']) : e.content;
  const kind = text(said['msgtype']);
  // Notices are never answered: that is what bots say to each other (m.notice).
  if (kind === undefined || kind === 'm.notice') return undefined;
  const alone = facts.members <= 2;
  const answers = text(table(relates['m.in_reply_to'])['event_id']);
  const words = withoutQuote(text(said['body']) ?? '', answers !== undefined);
  const mentions = table(said['m.mentions'])['user_ids'];
  const local = user.slice(1).split(':')[0] ?? '';
  const named = new RegExp(
    `^@?(?:${escaped(user)}|${escaped(local)}|${escaped(facts.names.get(user) ?? local)})\\s*[:,]?\\s+`,
    'i',
  );
  if (!alone && !named.test(words) && !(Array.isArray(mentions) && mentions.includes(user))) return undefined;
  const file = kind === 'm.text' || kind === 'm.emote' ? undefined : text(said['url']);
  const bare = words.replace(named, '').trim();
  const name = facts.names.get(e.sender);
  return {
    as: 'came',
    came: {
      id: e.event_id,
      // A talk of two is theirs; in a room everybody has one of their own.
      sender: alone ? e.sender : `${room} ${e.sender}`,
      recipient: alone ? room : `${room} ${e.sender}`,
      ...(name === undefined ? {} : { name }),
      ...(file !== undefined || bare === '' ? {} : { text: bare }),
      ...(file === undefined ? {} : { pictures: downloadOf(file, address) }),
      ...(answers === undefined ? {} : { about: answers }),
      payload: JSON.stringify(e).slice(0, 20_000),
    },
  };
}

/** Where a file of the homeserver's can be fetched (client-server API, Content repository); none for other addresses. */
function downloadOf(file: string, address: string): string[] {
  const [, server, id] = /^mxc:\/\/([A-Za-z0-9.:[\]-]+)\/([A-Za-z0-9_-]+)$/.exec(file) ?? [];
  return server === undefined || id === undefined
    ? []
    : [`${address.replace(/\/$/, '')}/_matrix/client/v1/media/download/${server}/${id}`];
}

const escaped = (of: string): string => of.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

/** Words without the lines that repeat what is answered, for clients that show no answers. */
function withoutQuote(body: string, answers: boolean): string {
  return answers ? body.replace(/^(?:> .*\n?)+\n?/, '') : body;
}

function receipts(e: unknown, own: string): HookSign[] {
  const { type, content: told } = table(e);
  if (type !== 'm.receipt') return [];
  return Object.entries(table(told))
    .slice(0, 100)
    .flatMap(([about, by]) =>
      Object.keys(table(table(by)['m.read']))
        .slice(0, 20)
        .flatMap((sender) => (sender === own ? [] : [{ id: `${about} read`, sender, about }])),
    );
}
