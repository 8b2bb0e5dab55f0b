import { connect, type Socket } from 'node:net';
import { client as xmppClient, xml, type XmlElement, type XmppClient } from '@xmpp/client';
import { PEER_PASSWORD, XMPP_DOMAIN } from '../../../../scripts/lib/peers.mjs';
import { until } from './until.js';

/** Somebody with an account at the XMPP server. */
export class XmppPerson {
  readonly heard: XmlElement[] = [];
  readonly troubles: string[] = [];
  readonly name: string;
  readonly #port: number;
  #line: XmppClient | undefined;
  #said = 0;

  constructor(name: string, port: number) {
    this.name = name;
    this.#port = port;
  }

  async come(): Promise<void> {
    const line = xmppClient({
      service: `xmpp://127.0.0.1:${this.#port}`,
      domain: XMPP_DOMAIN,
      username: this.name,
      password: PEER_PASSWORD,
      resource: 'test',
    });
    line.reconnect.stop();
    line.on('error', (error: unknown) => this.troubles.push(String(error)));
    line.on('disconnect', () => this.troubles.push('disconnected'));
    line.on('stanza', (stanza: XmlElement) => void (stanza.is('message') && this.heard.push(stanza)));
    const counts = new Promise<void>((resolve) => {
      line.on('element', (e: XmlElement) => e.is('enabled', 'urn:xmpp:sm:3') && setTimeout(resolve, 50));
    });
    await line.start();
    await counts;
    await line.send(xml('presence'));
    this.#line = line;
  }

  async go(): Promise<void> {
    await this.#line?.stop().catch(() => undefined);
    this.#line = undefined;
  }

  /** Says something; with an id of its own unless one is given. */
  say(
    to: string,
    text: string,
    { id = `${this.name}-${++this.#said}`, type = 'chat', more = [] as XmlElement[] } = {},
  ): Promise<void> {
    return this.send(xml('message', { to, type, id }, xml('body', {}, text), ...more));
  }

  async send(stanza: XmlElement): Promise<void> {
    if (!this.#line) throw new Error(`${this.name} is not there: ${this.troubles.join(', ')}`);
    const line = this.#line;
    const sm = line.streamManagement;
    // What the server has not got is not said yet.
    const acked = new Promise<void>((resolve, reject) => {
      const late = setTimeout(() => reject(new Error(`${this.name}: the server did not take ${stanza.toString()}`)), 20_000);
      const heard = (which: XmlElement) => {
        if (which !== stanza) return;
        clearTimeout(late);
        sm.off('ack', heard);
        resolve();
      };
      sm.on('ack', heard);
    });
    await line.send(stanza);
    await line.send(xml('r', { xmlns: 'urn:xmpp:sm:3' }));
    await acked;
  }

  get words(): string[] {
    return this.heard.flatMap((m) => m.getChildText('body') ?? []);
  }

  async until(words: string, seconds = 60): Promise<void> {
    await until(() => Promise.resolve(this.words.some((w) => w.includes(words))), seconds).catch(() => {
      throw new Error(`${this.name} never heard "${words}", but ${JSON.stringify([this.words.slice(-5), this.troubles])}`);
    });
  }
}

/** Somebody at the IRC server, by the lines of the protocol. */
export class IrcPerson {
  readonly lines: string[] = [];
  readonly nick: string;
  readonly #port: number;
  #socket: Socket | undefined;

  constructor(nick: string, port: number) {
    this.nick = nick;
    this.#port = port;
  }

  async come(user = this.nick): Promise<void> {
    const socket = connect(this.#port, '127.0.0.1');
    this.#socket = socket;
    let rest = '';
    socket.on('error', () => undefined);
    socket.on('data', (chunk: Buffer) => {
      const lines = (rest + chunk.toString('utf8')).split('\r\n');
      rest = lines.pop() ?? '';
      for (const line of lines) {
        if (line.startsWith('PING')) this.raw(line.replace('PING', 'PONG'));
        // Somebody who has just left may still be called so.
        if (line.includes(' 433 ')) setTimeout(() => this.raw(`NICK ${this.nick}`), 500);
        this.lines.push(line);
      }
    });
    this.raw(`NICK ${this.nick}`);
    this.raw(`USER ${user} 0 * :${this.nick}`);
    await until(() => Promise.resolve(this.lines.some((l) => l.includes(` 001 ${this.nick} `))), 20);
  }

  raw(line: string): void {
    this.#socket?.write(`${line}\r\n`);
  }

  go(): void {
    this.#socket?.destroy();
  }

  say(to: string, text: string): void {
    this.raw(`PRIVMSG ${to} :${text}`);
  }

  /** What was said to this person, or in a room. */
  words(from: string, to = this.nick): string[] {
    const head = new RegExp(`^:${from}![^ ]+ PRIVMSG ${to.replace('#', '\\#')} :`);
    return this.lines.filter((l) => head.test(l)).map((l) => l.replace(head, ''));
  }

  async until(from: string, words: string, { to = this.nick, seconds = 60 } = {}): Promise<void> {
    await until(() => Promise.resolve(this.words(from, to).some((w) => w.includes(words))), seconds).catch(() => {
      throw new Error(`${this.nick} never heard "${words}", but ${JSON.stringify(this.lines.slice(-6))}`);
    });
  }
}
