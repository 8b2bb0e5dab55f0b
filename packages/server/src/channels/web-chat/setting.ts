import { CHAT_SETTINGS, type ChatLook, type TokenKey, type WebChat } from '@primrose/contract';
import { ownBot } from '../../bots/bots.js';
import { newId, newSecret, type Clock } from '../../base/clock.js';
import { Refused } from '../../base/refused.js';
import type { Handlers } from '../../http/route.js';
import { channelView } from '../../http/views.js';
import { channelOwner, type Secrets } from '../../outside/secrets.js';
import { changeSettings, channelByAddress, insertChannel, listChannels } from '../../store/channels.js';
import type { Db } from '../../store/database.js';
import { dropSignInsOf } from '../../store/known.js';
import { rsaPublicKey } from '../../visitors/tokens.js';
import { backFrom, chatLookOf, chatTag, readStoredChat, webChat, type StoredChat } from './web-chat.js';

const ADDRESS_LENGTH = 16;
const MOST_CHATS = 50;
const MOST_KEYS = 10;
/** The secret of an identity service, among those of a channel. */
export const SERVICE_SECRET = 'identity_service';
/** The secret of a key of host pages, among those of a channel. */
export const secretOfKey = (key: string): string => `token_key ${key}`;

interface SettingParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly secrets: Secrets;
  readonly publicUrl: string;
}

/** How web chats of a bot look, where they may stand and how visitors sign in, for people. */
export function webChatSettingHandlers({ db, clock, secrets, publicUrl }: SettingParts): Handlers {
  const rowOf = async (botId: string, id: string) => {
    const row = (await listChannels(db, botId)).find((c) => c.id === id && c.kind === webChat.kind);
    if (!row) throw new Refused('no-web-chat', {});
    return { row, stored: readStoredChat(row.settings) };
  };
  const shown = async (botId: string, id: string): Promise<WebChat> => {
    const { row, stored } = await rowOf(botId, id);
    const { keys, ...settings } = stored;
    return {
      ...channelView(row, publicUrl),
      settings,
      keys: [...keys],
      serviceSecret: (await secrets.names(channelOwner(id))).includes(SERVICE_SECRET),
      redirect: backFrom(publicUrl),
      tags: { bubble: chatTag(publicUrl, row.address, 'bubble'), inline: chatTag(publicUrl, row.address, 'inline') },
    };
  };
  const change = async (botId: string, id: string, next: (stored: StoredChat) => StoredChat) => {
    await rowOf(botId, id);
    if (!(await changeSettings(db, botId, id, (now) => JSON.stringify(next(readStoredChat(now))))))
      throw new Refused('no-web-chat', {});
  };
  return {
    createWebChat: async ({ person, params, body }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const chats = (await listChannels(db, bot.id)).filter((c) => c.kind === webChat.kind);
      if (chats.length >= MOST_CHATS) throw new Refused('web-chats-enough', { most: MOST_CHATS });
      const id = newId(clock);
      const address = newSecret().slice(0, ADDRESS_LENGTH);
      const settings = JSON.stringify(CHAT_SETTINGS);
      await insertChannel(db, { id, bot_id: bot.id, kind: webChat.kind, address, name: body.name, settings });
      return shown(bot.id, id);
    },
    getWebChat: async ({ person, params }) => shown((await ownBot(db, person.id, params.bot)).id, params.channel),
    setWebChat: async ({ person, params, body }) => {
      const bot = await ownBot(db, person.id, params.bot);
      await rowOf(bot.id, params.channel);
      const { serviceSecret, ...settings } = body;
      if (serviceSecret !== undefined) await secrets.set(channelOwner(params.channel), SERVICE_SECRET, serviceSecret);
      await change(bot.id, params.channel, ({ keys }) => ({ ...settings, keys }));
      return shown(bot.id, params.channel);
    },
    addTokenKey: async ({ person, params, body }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const publicKey = body.algorithm === 'RS256' ? body.publicKey : null;
      if (publicKey !== null && !rsaPublicKey(publicKey))
        throw new Refused('token-key', { reason: 'send a public RSA key of 2048 bits or more as PEM, never the private one' });
      const key: TokenKey = { id: body.id, algorithm: body.algorithm, publicKey, at: clock.now().toISOString() };
      await change(bot.id, params.channel, (stored) => withKey(stored, key));
      if (body.algorithm === 'RS256') return { ...(await shown(bot.id, params.channel)), secret: null };
      // A key whose secret is not there yet is believed by nobody.
      const secret = body.secret ?? newSecret();
      try {
        await secrets.set(channelOwner(params.channel), secretOfKey(body.id), secret);
      } catch (error) {
        await change(bot.id, params.channel, (stored) => ({ ...stored, keys: stored.keys.filter((k) => k.id !== body.id) }));
        throw error;
      }
      return { ...(await shown(bot.id, params.channel)), secret: body.secret === undefined ? secret : null };
    },
    withdrawTokenKey: async ({ person, params }) => {
      const bot = await ownBot(db, person.id, params.bot);
      await change(bot.id, params.channel, (stored) => {
        const keys = stored.keys.filter((k) => k.id !== params.key);
        if (keys.length === stored.keys.length) throw new Refused('no-token-key', { key: params.key });
        return { ...stored, keys };
      });
      await secrets.set(channelOwner(params.channel), secretOfKey(params.key), null);
      await dropSignInsOf(db, params.channel, secretOfKey(params.key));
      return shown(bot.id, params.channel);
    },
  };
}

function withKey(stored: StoredChat, key: TokenKey): StoredChat {
  const fault = (reason: string) => new Refused('token-key', { reason });
  if (stored.keys.some((k) => k.id === key.id))
    throw fault(`there is one called "${key.id}" already; withdraw it first, or choose another id`);
  if (stored.keys.length >= MOST_KEYS) throw fault(`there are ${MOST_KEYS} already`);
  return { ...stored, keys: [...stored.keys, key] };
}

/** What the page of a web chat is served with: how it looks, and the pages that may show it inside them; none named: any. */
export interface ServedChat {
  readonly look: ChatLook | null;
  readonly origins: readonly string[];
}

/** Finds what the page of a web chat is served with, by its address. Where there is none, the page says so by itself. */
export function createChatPage(db: Db): (address: string) => Promise<ServedChat> {
  return async (address) => {
    const channel = await channelByAddress(db, address.slice(0, 80), webChat.kind);
    if (!channel || channel.bot_deleted !== null) return { look: null, origins: [] };
    const settings = readStoredChat(channel.settings);
    return { look: chatLookOf(channel.bot_name, settings), origins: settings.origins };
  };
}
