import { CHAT_SETTINGS, chatSettings, tokenKey, type ChatLook, type ChatSettings, type TokenKey } from '@primrose/contract';
import { legibleColours } from '@primrose/core';
import { z } from 'zod';
import type { ChannelKind } from '../channel.js';
import { SHOWS_ALL } from '../shows-all.js';

const stored = chatSettings.extend({ keys: z.array(tokenKey) });
/** `channels.settings` of a web chat: what is set on it, and the keys of host pages. */
export interface StoredChat extends ChatSettings {
  readonly keys: readonly TokenKey[];
}

/** The page that Primrose serves to visitors, who fetch the lines of their conversation as a stream. */
export const webChat: ChannelKind = {
  kind: 'web-chat',
  name: 'Web chat',
  about: 'a page of its own, and a chat in pages of yours',
  settings: stored,
  ability: () => SHOWS_ALL,
  link: (publicUrl, address) => `${publicUrl}/chat/${address}`,
};

/** `channels.settings` of a web chat; what nobody has set is as usual. */
export function readStoredChat(settings: string | null): StoredChat {
  const own = settings === null ? {} : (JSON.parse(settings) as object);
  return stored.parse({ ...CHAT_SETTINGS, keys: [], ...own });
}

/** What a visitor's page draws a web chat with, in colours that stay legible. */
export function chatLookOf(name: string, settings: StoredChat): ChatLook {
  const { words, accent, ground, theme, logo, side, files, history, feedback, keys } = settings;
  const colours = legibleColours({ accent: accent ?? undefined, ground: ground ?? undefined });
  const { mail, service } = settings.signIn;
  const signIn = { mail, service: service?.name ?? null, host: keys.length > 0 };
  return { name, words, colours, theme, logo, side, files, history, feedback, signIn };
}

/** The script tag that puts a web chat into a page of anybody's. */
export function chatTag(publicUrl: string, address: string, as: 'bubble' | 'inline'): string {
  const place = as === 'inline' ? ' data-as="inline"' : '';
  return `<script src="${publicUrl}/chat.js" data-chat="${address}"${place} async></script>`;
}

/** Where an identity service sends visitors back to. */
export const backFrom = (publicUrl: string): string => `${publicUrl}/api/sign-in/back`;
