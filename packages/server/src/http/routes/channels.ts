import type { ChannelState } from '@primrose/contract';
import { profileProblems, readMarkdown, type HookProfile, type Message, type Value } from '@primrose/core';
import { z } from 'zod';
import { newId, newSecret, type Clock } from '../../base/clock.js';
import { Refused } from '../../base/refused.js';
import { bindChannel, ownBot } from '../../bots/bots.js';
import { readBotApi, botApi } from '../../channels/bot-api/bot-api.js';
import type { ChannelKind } from '../../channels/channel.js';
import { note } from '../../channels/events.js';
import { formPage, isTakenBack } from '../../channels/form-page/form-page.js';
import { hookMessenger } from '../../channels/hook-messenger/hook-messenger.js';
import type { Lines } from '../../channels/lines.js';
import { channelKind, channelKinds, pushes } from '../../channels/registry.js';
import { channelOwner, type Secrets } from '../../outside/secrets.js';
import * as channels from '../../store/channels.js';
import type { Db } from '../../store/database.js';
import { lineOfChannel, renewLine } from '../../store/held-lines.js';
import { countWaiting, listTesters } from '../../store/messenger.js';
import type { Handlers } from '../route.js';
import { channelView } from '../views.js';

export interface ChannelParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly secrets: Secrets;
  readonly publicUrl: string;
  readonly lines: Lines;
}

const ADDRESS_LENGTH = 22;
const MOST_CHANNELS = 60;
const TEST_WORDS = 'This is a test: messages of this bot arrive here.';
/** A kind whose settings people fill in as such. */
const isSet = (kind: ChannelKind): boolean => kind.connectable === true && kind.kind !== botApi.kind;

type Listed = Awaited<ReturnType<typeof channels.listChannels>>[number];

/** Ends the request where a mapping has parts that cannot be used; each with its place. */
function assertUsable(profile: HookProfile): void {
  const problems = profileProblems(profile);
  const [first] = problems;
  if (!first) return;
  const errors = problems.map((p) => ({ pointer: `/profile${p.field}`, detail: p.message }));
  throw new Refused('mapping-unusable', { ...first, errors });
}

/** Settings as their kind takes them, or the end of the request with what does not fit. */
function acceptSettings(kind: ChannelKind, settings: Value): string {
  const parsed = kind.settings?.safeParse(settings);
  if (parsed?.success) return JSON.stringify(parsed.data);
  const issues = parsed?.error.issues ?? [];
  const errors = issues.slice(0, 20).map((i) => ({ pointer: `/settings/${i.path.join('/')}`, detail: i.message }));
  throw new Refused('settings-unusable', { errors });
}

/** The channels of a bot: what they are, how they are set, and whether they work. */
export function channelHandlers(parts: ChannelParts): Handlers {
  const { db, clock, secrets, publicUrl, lines } = parts;
  const own = async (personId: string, botId: string, id: string): Promise<Listed> => {
    const bot = await ownBot(db, personId, botId);
    const row = (await channels.listChannels(db, bot.id)).find((c) => c.id === id && !isTakenBack(c));
    if (!row) throw new Refused('no-channel', {});
    return row;
  };
  const shown = async (personId: string, botId: string, id: string): Promise<ChannelState> => {
    const row = await own(personId, botId, id);
    const kind = channelKind(row.kind);
    const held = kind.connects !== undefined && row.is_on === 1 && row.settings !== null && kind.holds?.(row.settings) !== false;
    return {
      ...channelView(row, publicUrl),
      settings: row.kind === hookMessenger.kind || isSet(kind) ? (JSON.parse(row.settings ?? 'null') as Value) : null,
      secrets: await secrets.names(channelOwner(row.id)),
      needs: (kind.secrets ?? []).map(({ name, about, optional }) => ({ name, about, optional: optional === true })),
      testers: await listTesters(db, row.id),
      waiting: await countWaiting(db, row.id),
      line: held ? await lineView(db, row.id) : null,
      callers: row.kind === botApi.kind ? readBotApi(row.settings).callers.map(({ name, at }) => ({ name, at })) : [],
    };
  };
  const add = async (
    botId: string,
    kind: ChannelKind,
    made: { name: string; settings: string; on: boolean; secrets: Readonly<Record<string, string>> },
  ): Promise<string> => {
    if ((await channels.listChannels(db, botId)).length >= MOST_CHANNELS)
      throw new Refused('channels-enough', { most: MOST_CHANNELS });
    const id = newId(clock);
    const address = newSecret().slice(0, ADDRESS_LENGTH);
    // Where secrets cannot be kept there is no channel, and none is seen before it has them.
    for (const [name, secret] of Object.entries(made.secrets)) await secrets.set(channelOwner(id), name, secret);
    await channels.insertChannel(db, { id, bot_id: botId, kind: kind.kind, address, name: made.name, settings: made.settings });
    if (!made.on) await channels.updateChannel(db, botId, id, { is_on: false });
    return id;
  };
  return {
    listChannelKinds: () =>
      Promise.resolve({
        items: [...channelKinds.values()]
          .filter((k) => k.connectable && k.settings)
          .map((k) => ({
            kind: k.kind,
            name: k.name,
            about: k.about,
            settings: (isSet(k) && k.settings ? z.toJSONSchema(k.settings) : {}) as Value,
            secrets: (k.secrets ?? []).map(({ name, about, optional }) => ({ name, about, optional: optional === true })),
            ability: k.ability(null),
          })),
        next: null,
      }),
    createChannel: async ({ person, params, body }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const kind = channelKind(body.kind);
      if (body.kind === 'hook-messenger') assertUsable(body.profile);
      const settings =
        body.kind === 'hook-messenger'
          ? JSON.stringify(body.profile)
          : body.kind === 'bot-api'
            ? JSON.stringify({ callers: [] })
            : acceptSettings(kind, body.settings);
      const id = await add(bot.id, kind, { name: body.name, settings, on: true, secrets: body.secrets ?? {} });
      lines.look();
      return shown(person.id, bot.id, id);
    },
    getChannel: ({ person, params }) => shown(person.id, params.bot, params.channel),
    listChannels: async ({ person, params }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const rows = (await channels.listChannels(db, bot.id)).filter((c) => !isTakenBack(c));
      return { items: rows.map((c) => channelView(c, publicUrl)), next: null };
    },
    updateChannel: async ({ person, params, body }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const channel = await own(person.id, bot.id, params.channel);
      const kind = channelKind(channel.kind);
      const { on, name, profile } = body;
      if (profile !== undefined && kind.kind !== hookMessenger.kind)
        throw new Refused('channel-cannot', { what: 'mapping', kind: kind.kind });
      if ((body.settings !== undefined && !isSet(kind)) || (body.secrets !== undefined && !pushes(kind.kind)))
        throw new Refused('channel-cannot', { what: 'settings', kind: kind.kind });
      if (profile !== undefined) assertUsable(profile);
      const settings =
        profile !== undefined
          ? JSON.stringify(profile)
          : body.settings === undefined
            ? undefined
            : acceptSettings(kind, body.settings);
      if (body.serves !== undefined) await bindChannel(db, bot, channel.id, body.serves);
      for (const [key, secret] of Object.entries(body.secrets ?? {})) await secrets.set(channelOwner(channel.id), key, secret);
      const change = {
        ...(on === undefined ? {} : { is_on: on }),
        ...(name === undefined ? {} : { name }),
        ...(settings === undefined ? {} : { settings }),
      };
      if (Object.keys(change).length > 0) await channels.updateChannel(db, bot.id, channel.id, change);
      if (body.secrets !== undefined || settings !== undefined || on !== undefined) await renewLine(db, channel.id);
      lines.look();
      return channelView(await own(person.id, bot.id, channel.id), publicUrl);
    },
    testChannel: async ({ person, params, body }) => {
      const channel = await own(person.id, params.bot, params.channel);
      return { messages: await sendTest(parts, channel, body) };
    },
    copyChannel: async ({ person, params, body }) => {
      const channel = await own(person.id, params.bot, params.channel);
      const kind = channelKind(channel.kind);
      if (kind.kind === formPage.kind) throw new Refused('channel-cannot', { what: 'copy', kind: kind.kind });
      // Keys of callers stay with the channel that they were made for.
      const settings = kind.kind === botApi.kind ? JSON.stringify({ callers: [] }) : (channel.settings ?? '{}');
      const kept = await secrets.open(channelOwner(channel.id));
      // Two that are on at once would both answer.
      const id = await add(channel.bot_id, kind, { name: body.name, settings, on: false, secrets: kept });
      return shown(person.id, params.bot, id);
    },
    deleteChannel: async ({ person, params }) => {
      const channel = await own(person.id, params.bot, params.channel);
      if (channel.kind === formPage.kind) throw new Refused('channel-cannot', { what: 'delete', kind: channel.kind });
      await channels.deleteChannel(db, channel.bot_id, channel.id, clock.now());
      lines.look();
      return undefined;
    },
  };
}

async function lineView(db: Db, channelId: string): Promise<ChannelState['line']> {
  const line = await lineOfChannel(db, channelId);
  return line ? { state: line.state, reason: line.reason, since: line.since.toISOString() } : null;
}

/** Sends a message now, part by part, without trying again: whoever tests wants to see what happens. Returns how many messages it took. */
async function sendTest(
  { db, clock, secrets, lines }: ChannelParts,
  channel: channels.ServingChannel,
  { to, text = TEST_WORDS }: { to: string; text?: string | undefined },
): Promise<number> {
  if (!pushes(channel.kind)) throw new Refused('channel-cannot', { what: 'send', kind: channel.kind });
  if (channel.is_on !== 1) throw new Refused('channel-is-off', {});
  const sender = lines.senderOf(channel, await secrets.open(channelOwner(channel.id)));
  if (!sender) throw new Refused('no-line', {});
  const message: Message = { text, blocks: readMarkdown(text) };
  const key = `test-${newId(clock)}`;
  const made = sender.message(message, { to, key, who: 'bot', language: 'en' });
  const told = async (outcome: 'sent' | 'failed', about: string) =>
    note({ db, clock }, channel.id, { direction: 'out', outcome, about, sender: to, conversation_id: null, payload: null });
  const fail = async (reason: string): Promise<never> => {
    await told('failed', `a test: ${reason}`);
    throw new Refused('test-failed', { reason });
  };
  if (!made.ok) return fail(made.reason);
  for (const [i, send] of made.parts.entries()) {
    const sent = await send(`${key}-${i + 1}`);
    if (sent.as !== 'sent') return fail(sent.reason);
  }
  await told('sent', `a test: ${text.slice(0, 180)}`);
  return made.parts.length;
}
