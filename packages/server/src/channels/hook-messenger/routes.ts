import type { Messenger } from '@primrose/contract';
import type { Value } from '@primrose/core';
import { ownBot } from '../../bots/bots.js';
import { newId } from '../../base/clock.js';
import { Refused } from '../../base/refused.js';
import type { Handlers } from '../../http/route.js';
import { channelView } from '../../http/views.js';
import { channelOwner } from '../../outside/secrets.js';
import { jsonColumn, mappingColumn } from '../../store/columns.js';
import { listChannels } from '../../store/channels.js';
import * as store from '../../store/messenger.js';
import { hookMessenger } from './hook-messenger.js';
import { answerHandshake, forgeryLimit, hookChannel, takeWebhook, type ReceivingParts } from './receive.js';

/** What the routes of messengers work with. */
export interface MessengerParts extends Omit<ReceivingParts, 'forgeries'> {
  readonly publicUrl: string;
}

/** Messengers: their settings for people, and the address that takes their webhooks. */
export function messengerHandlers(given: MessengerParts): Handlers {
  const parts = { ...given, forgeries: forgeryLimit(given.clock) };
  const { db, clock, publicUrl, secrets } = parts;
  const own = async (personId: string, botId: string, id: string) => {
    const bot = await ownBot(db, personId, botId);
    const row = (await listChannels(db, bot.id)).find((c) => c.id === id && c.kind === hookMessenger.kind);
    if (!row) throw new Refused('no-messenger', {});
    return row;
  };
  const shown = async (personId: string, botId: string, id: string): Promise<Messenger> => {
    const row = await own(personId, botId, id);
    return {
      ...channelView(row, publicUrl),
      hook: hookMessenger.link(publicUrl, row.address, row.settings),
      profile: mappingColumn.read(row.settings ?? 'null'),
      secrets: await secrets.names(channelOwner(row.id)),
      testers: await store.listTesters(db, row.id),
      waiting: await store.countWaiting(db, row.id),
    };
  };
  return {
    getMessenger: ({ person, params }) => shown(person.id, params.bot, params.channel),
    setTester: async ({ person, params, body }) => {
      const { id } = await own(person.id, params.bot, params.channel);
      await store.putTester(db, id, body);
      return shown(person.id, params.bot, id);
    },
    removeTester: async ({ person, params, query }) => {
      const { id } = await own(person.id, params.bot, params.channel);
      await store.removeTester(db, id, query.sender);
      return shown(person.id, params.bot, id);
    },
    listChannelEvents: async ({ person, params }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const id = (await listChannels(db, bot.id)).find((c) => c.id === params.channel)?.id;
      if (id === undefined) throw new Refused('no-messenger', {});
      const items = (await store.listChannelEvents(db, id)).map((e) => ({
        id: e.id,
        at: e.at.toISOString(),
        direction: e.direction,
        outcome: e.outcome,
        about: e.about,
        sender: e.sender,
        conversation: e.conversation_id,
        payload: readable(e.payload),
        times: e.times,
      }));
      return { items, next: null };
    },
    keepSample: async ({ person, params, body }) => {
      const { id, bot_id } = await own(person.id, params.bot, params.channel);
      const event = await store.channelEvent(db, id, params.event);
      if (!event || event.direction !== 'in' || event.payload === null) throw new Refused('event-gone', {});
      const sample = { name: body.name, kind: 'event', at: clock.now(), body: readable(event.payload) };
      await store.putSample(db, { ...sample, id: newId(clock), bot_id });
      return { ...sample, at: sample.at.toISOString() };
    },
    listSamples: async ({ person, params }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const rows = await store.listSamples(db, bot.id);
      return {
        items: rows.map((r) => ({ name: r.name, kind: r.kind, at: r.at.toISOString(), body: readable(r.body) })),
        next: null,
      };
    },
    checkHook: async ({ params, req, res }) => {
      const text = await answerHandshake(parts, await hookChannel(parts, params.channel), req.query);
      res.type('text/plain').send(text);
      return undefined;
    },
    takeHook: async ({ params, body, req, res }) => {
      const came = await takeWebhook(parts, await hookChannel(parts, params.channel), req, body as unknown as Buffer);
      if (came.as === 'challenge')
        res.type(typeof came.answers === 'string' ? 'text/plain' : 'application/json').send(came.answers);
      const { taken, repeats, passedOver } = came.as === 'received' ? came.received : NOTHING_TAKEN;
      return { taken, repeats, passedOver };
    },
  };
}

const NOTHING_TAKEN = { taken: 0, repeats: 0, passedOver: 0 };

/** A payload as JSON; one that is none, as the text it is. */
function readable(payload: string | null): Value {
  if (payload === null) return null;
  try {
    return jsonColumn.read(payload);
  } catch {
    return payload;
  }
}
