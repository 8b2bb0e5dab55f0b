import { Client, type IrcMessage } from 'irc-framework';
import { shownOn, type Message } from '@primrose/core';
import { newId, sleep, type Clock } from '../../base/clock.js';
import type { Came } from '../came.js';
import { NO_PARTS, NoLine, type Line, type LinePort, type Parts, type Sendable, type Sender, type Sent } from '../channel.js';
import { noLine, outsideHost } from '../outside-host.js';
import { IRC_ABILITY, type IrcSettings } from './settings.js';

const CONNECT_MS = 15_000;
/** So long the server has to answer the ping behind a line that was sent. */
const PONG_MS = 15_000;
/** Servers throw out whoever sends faster: a few lines at once, then one in so many ms. */
const BURST = 4;
const LINE_EVERY_MS = 700;
/** So many things that were said may wait to be stored; a server that sends faster is read no further. */
const MOST_WAITING = 500;

/** Holds a nickname at a server. IRC keeps nothing: what is said while the line is down is lost there, not here. */
export async function holdIrc(port: LinePort, settings: IrcSettings): Promise<Line> {
  const { host, nick, rooms = [], tls } = settings;
  const where = `${host}:${settings.port}`;
  const address = await outsideHost(host, port.allowed);
  const line = new Client();
  let end: (reason: string) => void = () => undefined;
  const ended = new Promise<string>((resolve) => (end = resolve));
  let trouble = 'the server has closed the connection';
  line.on('irc error', ({ reason, error }: { reason?: string; error?: string }) => (trouble = reason ?? error ?? trouble));
  line.on('socket close', (error: unknown) => {
    if (error) trouble = noLine(where, error).message;
    end(trouble);
  });
  let waiting = 0;
  let chain = Promise.resolve();
  line.on('message', (event: IrcMessage) => {
    const came = cameOf(event, line.user.nick, port.clock);
    if (!came || waiting >= MOST_WAITING) return;
    waiting++;
    chain = chain
      .then(async () => void (await port.take(came)))
      .catch((error: unknown) => port.log.warn({ err: error, channel: port.channel.id }, 'what was said on IRC was not stored'))
      .finally(() => waiting--);
  });
  const password = port.secrets['password'];
  const connected = new Promise<void>((resolve, reject) => {
    const late = setTimeout(() => reject(new NoLine(`${where} did not answer in time`)), CONNECT_MS);
    line.once('registered', () => (clearTimeout(late), resolve()));
    line.once('socket close', () => (clearTimeout(late), reject(new NoLine(trouble))));
    line.once('nick in use', () => (clearTimeout(late), reject(new NoLine(`somebody else at ${where} is called ${nick}`))));
  });
  line.connect({
    ...{ host: address, port: settings.port, tls, nick, username: 'primrose', gecos: port.channel.bot_name.slice(0, 50) },
    ...(tls ? { rejectUnauthorized: true } : {}),
    ...(password === undefined ? {} : { password }),
    ...{ auto_reconnect: false, version: null, enable_chghost: false, ping_interval: 30, ping_timeout: 90 },
  });
  try {
    await connected;
  } catch (error) {
    line.quit();
    throw error;
  }
  for (const room of rooms) line.join(room);
  const pace = new Pace(port.clock);
  return {
    sender: ircSender(line, pace),
    ended,
    close: async () => {
      await chain;
      line.quit('back soon');
      end('it was closed');
    },
  };
}

/** A text without the marks that clients draw and nobody reads: colours with their numbers, bold and the like, and other control letters. */
function unmarked(text: string): string {
  return text.replace(/\p{Cc}\P{Cc}*/gu, (piece) => {
    const rest = piece.slice(1);
    if (piece.startsWith('\u0003')) return rest.replace(/^\d{1,2}(?:,\d{1,2})?/, '');
    if (piece.startsWith('\u0004')) return rest.replace(/^[0-9A-Fa-f]{6}/, '');
    return piece.startsWith('\t') ? ` ${rest}` : rest;
  });
}

/**
 * What a line says to us. Notices are never answered (RFC 2812, 3.3.2), so two programs cannot talk in a circle; in a room only what
 * names the bot is. A nickname is whoever has it just now, so somebody is known by it with user and host.
 */
function cameOf(event: IrcMessage, own: string, clock: Clock): Came | undefined {
  const { nick, ident, hostname, target, message, type, account } = event;
  if (type !== 'privmsg' || event.from_server || nick === '' || nick === own) return undefined;
  const text = unmarked(message).trim();
  const mask = account === undefined ? `${nick}!${ident}@${hostname}` : `account ${account}`;
  const base = {
    id: event.tags?.['msgid'] ?? newId(clock),
    name: nick,
    payload: JSON.stringify({ from: mask, to: target, message }),
  };
  if (!/^[#&+!]/.test(target)) return text === '' ? undefined : { ...base, sender: mask, recipient: nick, text };
  const named = new RegExp(`^@?${own.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')}\\s*[:,]?\\s+`, 'i');
  if (!named.test(text)) return undefined;
  return { ...base, sender: `${target} ${mask}`, recipient: `${target} ${nick}`, text: text.replace(named, '') };
}

/** Lets a few lines pass at once, and then one in a while. */
class Pace {
  readonly #clock: Clock;
  #free = BURST;
  #at = 0;
  #turn: Promise<void> = Promise.resolve();

  constructor(clock: Clock) {
    this.#clock = clock;
  }

  next(): Promise<void> {
    this.#turn = this.#turn.then(() => this.#wait());
    return this.#turn;
  }

  async #wait(): Promise<void> {
    const now = this.#clock.now().getTime();
    const gained = Math.floor((now - this.#at) / LINE_EVERY_MS);
    if (gained > 0) {
      this.#free = Math.min(BURST, this.#free + gained);
      this.#at = now;
    }
    if (this.#free > 0) return void this.#free--;
    await sleep(this.#clock, LINE_EVERY_MS - (now - this.#at)).done;
    this.#at = this.#clock.now().getTime();
  }
}

function ircSender(line: Client, pace: Pace): Sender {
  return {
    message: (message: Message, to: Sendable): Parts => {
      const [target = '', nick] = to.to.split(' ');
      const named = nick === undefined ? '' : `${nick}: `;
      const parts = shownOn(IRC_ABILITY, message, to.language);
      return {
        ok: true,
        parts: parts.map(({ text }, i) => async (key): Promise<Sent> => {
          await pace.next();
          return said(line, target, `${i === 0 ? named : ''}${text}`, key);
        }),
      };
    },
    typing: () => NO_PARTS,
  };
}

/** Sends a line and waits for the answer to a ping behind it: the server has taken what came before. */
function said(line: Client, target: string, text: string, key: string): Promise<Sent> {
  if (!line.connected) return Promise.resolve({ as: 'again', reason: 'the connection is down' });
  const token = `p${key.replace(/[^A-Za-z0-9]/g, '').slice(-24)}`;
  return new Promise((resolve) => {
    const end = (sent: Sent) => {
      clearTimeout(late);
      line.off('pong', ponged);
      line.off('irc error', refused);
      line.off('socket close', broke);
      resolve(sent);
    };
    const ponged = ({ message }: { message?: string }) => message === token && end({ as: 'sent' });
    const refused = ({
      error,
      channel,
      nick,
      reason = '',
    }: {
      error?: string;
      channel?: string;
      nick?: string;
      reason?: string;
    }) => {
      if (nick === target && error === 'no_such_nick') end({ as: 'failed', reason: `nobody is called ${target} there just now` });
      if (channel === target && error === 'cannot_send_to_channel')
        end({ as: 'failed', reason: reason || `nothing may be said in ${target}` });
    };
    const broke = () => end({ as: 'again', reason: 'the connection broke before the server had it' });
    const late = setTimeout(broke, PONG_MS);
    line.on('pong', ponged);
    line.on('irc error', refused);
    line.on('socket close', broke);
    line.raw('PRIVMSG', target, text.replace(/[\r\n\0]+/g, ' '));
    line.raw('PING', token);
  });
}
