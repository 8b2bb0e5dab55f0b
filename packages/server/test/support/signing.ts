import { generateKeyPairSync } from 'node:crypto';
import { expect } from 'chai';
import { SignJWT } from 'jose';
import { CHAT_SETTINGS, type ChatLine } from '@primrose/contract';
import { linesWhen, releasedBot, said } from './crowd.js';
import { knowingBot } from './known-bot.js';
import type { TestService } from './service.js';
import { TestVisitor } from './visitor.js';

export const SECRET = 'a-secret-of-both-sides-that-is-long-enough';
export const RSA = generateKeyPairSync('rsa', { modulusLength: 2048 });
export const PUBLIC = RSA.publicKey.export({ type: 'spki', format: 'pem' }).toString();
export const bytes = (text: string) => new TextEncoder().encode(text);

export const INES = { sub: 'c-1', name: 'Ines Marlow', email: 'ines@marrow-sound.example', bookings: ['KEL 4821'], seat: 7 };
export const TOBIAS = { sub: 'c-2', name: 'Tobias Fenn', email: 'tobias@marrow-sound.example', bookings: ['GAN 2207'] };

interface TokenOptions {
  readonly kid?: string | undefined;
  readonly alg?: string;
  readonly key?: Parameters<SignJWT['sign']>[0];
  readonly issued?: number;
  readonly lasts?: number;
}

export const now = () => Math.floor(Date.now() / 1000);

/** A token as a host page signs one. */
export function tokenOf(claims: Record<string, unknown>, o: TokenOptions = {}): Promise<string> {
  const { kid = 'site', alg = 'HS256', key = bytes(SECRET), issued = now(), lasts = 300 } = o;
  const header = { alg, ...('kid' in o && o.kid === undefined ? {} : { kid }) };
  return new SignJWT(claims)
    .setProtectedHeader(header)
    .setIssuedAt(issued)
    .setExpirationTime(issued + lasts)
    .sign(key);
}

/** What tests of signing in do at a web chat of the service. */
export function signingIn(service: () => TestService) {
  /** A bot with a web chat that believes a page's tokens, and the mailbox. */
  const known = async (signIn: object = {}, more: Record<string, unknown> = {}) => {
    const { bot, link } = await releasedBot(service(), knowingBot(more));
    const [channel] = (await service().client.call('listChannels', { params: { bot } })).items;
    const params = { bot, channel: channel?.id ?? '' };
    await service().client.call('addTokenKey', { params, body: { algorithm: 'HS256', id: 'site', secret: SECRET } });
    const settings = { ...CHAT_SETTINGS, signIn: { ...CHAT_SETTINGS.signIn, mail: true, ...signIn } };
    await service().client.call('setWebChat', { params, body: settings });
    return { bot, link, params };
  };
  type Known = Awaited<ReturnType<typeof known>>;
  const visitorAt = (link: string) => new TestVisitor(service().address, link);
  const openWith = async (visitor: TestVisitor, token: string) => {
    const key = visitor.key === undefined ? {} : { key: visitor.key };
    const answer = await visitor.post('/open', { language: 'en', token, ...key });
    if (answer.status === 200) visitor.key = answer.body['key'] as string;
    return answer;
  };
  const lines = (visitor: TestVisitor) => linesWhen(visitor, () => true).then((all) => said(all));
  /** Says something and waits for what the bot answers with. */
  const tell = async (visitor: TestVisitor, text: string): Promise<string[]> => {
    const before = await lines(visitor);
    await visitor.say(text);
    return said(await linesWhen(visitor, (all) => said(all).length > before.length)).slice(before.length);
  };
  const signedIn = async (chat: Known, claims: object) => {
    const visitor = visitorAt(chat.link);
    const answer = await openWith(visitor, await tokenOf({ ...claims }));
    expect(answer.status, JSON.stringify(answer.body)).to.equal(200);
    // The bot's first words are stored when the chat is open, or soon after.
    await linesWhen(visitor, (all) => all.length > 0);
    return visitor;
  };
  /** What a visitor is told of their earlier conversations. */
  const past = async (visitor: TestVisitor, link: string, path: string) => {
    const response = await fetch(`${service().address}/api/chat/${link.split('/').at(-1)}${path}`, {
      headers: { authorization: `Bearer ${visitor.key}` },
    });
    return {
      status: response.status,
      body: (await response.json()) as { items?: { id: string; said: string }[]; lines?: ChatLine[] },
    };
  };
  return { known, visitorAt, openWith, lines, past, tell, signedIn };
}
