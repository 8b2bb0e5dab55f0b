import { resolveSrv } from 'node:dns/promises';
import { client, xml, type XmlElement, type XmppClient } from '@xmpp/client';
import { shownOn, type Message } from '@primrose/core';
import { hashSecret, newId } from '../../base/clock.js';
import { NO_PARTS, NoLine, type Line, type LinePort, type Parts, type Sendable, type Sender, type Sent } from '../channel.js';
import { noLine, outsideHost } from '../outside-host.js';
import { readStanza, RECEIPTS } from './stanza.js';
import { XMPP_ABILITY, type XmppSettings } from './settings.js';

const CONNECT_MS = 15_000;
/** So long the server has to say that it has a message. */
const ACK_MS = 15_000;
/** So many stanzas may wait to be stored; with more the line ends, and the server keeps them for the next. */
const MOST_WAITING = 1000;
/** A server that counts says so at once. */
const COUNTS_MS = 3000;
const SM = 'urn:xmpp:sm:3';
const MUC = 'http://jabber.org/protocol/muc';
const USUAL_PORT = 5222;
const RESOURCE = 'primrose';

/** The server of an account: what is set, else what the domain's records say, else the domain itself (RFC 6120, 3.2). */
async function serverOf({ address, host, port }: XmppSettings): Promise<{ host: string; port: number }> {
  const domain = address.split('@')[1] ?? '';
  if (host !== undefined && host !== '') return { host, port: port ?? USUAL_PORT };
  if (port !== undefined) return { host: domain, port };
  const [first] = await resolveSrv(`_xmpp-client._tcp.${domain}`).catch(() => []);
  return first ? { host: first.name, port: first.port } : { host: domain, port: USUAL_PORT };
}

/** Holds an account online. What comes in is acknowledged to the server once it is stored (XEP-0198). */
export async function holdXmpp(port: LinePort, settings: XmppSettings): Promise<Line> {
  const [username = '', domain = ''] = settings.address.split('@');
  const server = await serverOf(settings);
  const where = `${server.host}:${server.port}`;
  const address = await outsideHost(server.host, port.allowed);
  const service = `xmpp://${address.includes(':') ? `[${address}]` : address}:${server.port}`;
  const password = port.secrets['password'] ?? '';
  const line = client({
    service,
    domain,
    username,
    password,
    resource: `${RESOURCE}-${port.channel.id.slice(-6)}`,
    timeout: CONNECT_MS,
  });
  // A line that ends is made anew by whoever holds it.
  line.reconnect.stop();
  const nick = settings.nick ?? username;
  let end: (reason: string) => void = () => undefined;
  const ended = new Promise<string>((resolve) => (end = resolve));
  let trouble = 'the server has closed the connection';
  line.on('error', (error: unknown) => (trouble = noLine(where, error).message));
  const over = () => end(trouble);
  line.on('disconnect', over);
  line.on('offline', over);
  const taking = inOrder(
    line,
    (stanza) => takeStanza(port, line, stanza, { address: settings.address, nick }),
    (error) => {
      trouble = 'what came could not be stored';
      port.log.warn({ err: error, channel: port.channel.id }, trouble);
      line.disconnect().catch(() => undefined);
    },
  );
  try {
    const counts = countsFrom(line);
    await started(line);
    await counts;
  } catch (error) {
    await line.stop().catch(() => undefined);
    const { condition } = error as { condition?: string };
    if (condition === 'not-authorized') throw new NoLine(`${where} does not accept the password of ${settings.address}`);
    throw noLine(where, error);
  }
  await line.send(xml('presence'));
  for (const room of settings.rooms ?? [])
    await line.send(xml('presence', { to: `${room}/${nick}` }, xml('x', { xmlns: MUC }, xml('history', { maxstanzas: '0' }))));
  return {
    sender: xmppSender(line),
    ended,
    close: async () => {
      line.off('disconnect', over);
      line.off('offline', over);
      await taking.stop();
      await line.stop().catch(() => undefined);
      end('it was closed');
    },
  };
}

function started(line: XmppClient): Promise<void> {
  return new Promise((resolve, reject) => {
    const late = setTimeout(() => reject(new NoLine('the server did not answer in time')), CONNECT_MS);
    const done = (then: () => void) => () => (clearTimeout(late), then());
    line.once('online', done(resolve));
    const failed = (error: Error) => done(() => reject(error))();
    line.once('error', failed);
    line.start().catch(failed);
  });
}

/**
 * Resolves when both sides count stanzas, or the server does not. Before that nothing may come that would be counted on one side only:
 * so the account is not shown online earlier.
 */
function countsFrom(line: XmppClient): Promise<void> {
  return new Promise((resolve) => {
    const seen = (element: XmlElement) => {
      if (element.is('enabled', SM) || element.is('failed', SM)) setImmediate(end);
    };
    const end = () => {
      clearTimeout(late);
      line.off('element', seen);
      resolve();
    };
    const late = setTimeout(end, COUNTS_MS);
    line.on('element', seen);
  });
}

/**
 * Takes stanzas one after the other. The library counts one as handled when it comes; it counts here when it is stored, so that the server
 * gives what was not to whoever comes next. One that cannot be stored ends the line.
 */
function inOrder(line: XmppClient, take: (stanza: XmlElement) => Promise<void>, failed: (error: unknown) => void) {
  const sm = line.streamManagement;
  let chain = Promise.resolve();
  let waiting = 0;
  let broken = false;
  line.middleware.use(({ stanza }, next) => {
    if (stanza.name !== 'message' && stanza.name !== 'presence' && stanza.name !== 'iq') return next();
    if (stanza.name === 'iq') {
      // An answer to somebody who waits for it; nothing of it is stored, but those before it come first in the count.
      sm.inbound -= 1;
      chain = chain.then(() => void (broken ? 0 : (sm.inbound += 1)));
      return next();
    }
    sm.inbound -= 1;
    if (++waiting > MOST_WAITING && !broken) {
      broken = true;
      failed(new Error('more came than can be stored'));
    }
    chain = chain.then(async () => {
      waiting--;
      if (broken) return;
      try {
        await take(stanza);
        sm.inbound += 1;
      } catch (error) {
        broken = true;
        failed(error);
      }
    });
    return next();
  });
  return {
    stop: async () => {
      await chain;
      broken = true;
    },
  };
}

async function takeStanza(
  port: LinePort,
  line: XmppClient,
  stanza: XmlElement,
  own: { readonly address: string; readonly nick: string },
): Promise<void> {
  if (stanza.name === 'presence') {
    // Whoever wants to see whether the bot is there may.
    if (stanza.attrs['type'] === 'subscribe') await line.send(xml('presence', { to: stanza.attrs['from'], type: 'subscribed' }));
    return;
  }
  const read = readStanza(stanza, own);
  if (read.as === 'nothing') return;
  if (read.as === 'refused') return port.refuse(read.about, read.sender);
  if (read.as === 'sign') return port.sign(read.sign);
  const id = read.came.id === '' ? newId(port.clock) : read.came.id;
  const took = await port.take({ ...read.came, id, payload: JSON.stringify(stanza.toString().slice(0, 20_000)) });
  const asked = stanza.getChild('request', RECEIPTS) && stanza.attrs['id'];
  if (asked && took.conversationId !== null)
    await line
      .send(xml('message', { to: stanza.attrs['from'] }, xml('received', { xmlns: RECEIPTS, id: asked })))
      .catch(() => undefined);
}

function xmppSender(line: XmppClient): Sender {
  const typed = (to: string) => {
    const room = to.includes('/');
    return { to: room ? to.split('/')[0] : to, type: room ? 'groupchat' : 'chat' };
  };
  return {
    message: (message: Message, to: Sendable): Parts => {
      const name = to.to.includes('/') ? `${to.to.slice(to.to.indexOf('/') + 1)}: ` : '';
      const parts = shownOn(XMPP_ABILITY, message, to.language);
      return {
        ok: true,
        parts: parts.map(({ text }, i) => async (key): Promise<Sent> => {
          const id = hashSecret(key).slice(0, 32);
          const stanza = xml(
            'message',
            { ...typed(to.to), id },
            xml('body', {}, i === 0 ? `${name}${text}` : text),
            xml('origin-id', { xmlns: 'urn:xmpp:sid:0', id }),
            xml('request', { xmlns: RECEIPTS }),
            xml('active', { xmlns: 'http://jabber.org/protocol/chatstates' }),
          );
          return (await acknowledged(line, stanza))
            ? { as: 'sent', id }
            : { as: 'again', reason: 'the connection broke before the server had it' };
        }),
      };
    },
    typing: ({ to }) => {
      if (to.includes('/')) return NO_PARTS;
      const stanza = xml('message', typed(to), xml('composing', { xmlns: 'http://jabber.org/protocol/chatstates' }));
      return { ok: true, parts: [async () => (await line.send(stanza).catch(() => undefined), { as: 'sent' })] };
    },
  };
}

/** Sends a stanza and waits until the server says that it has it; false where the line broke before. */
function acknowledged(line: XmppClient, stanza: XmlElement): Promise<boolean> {
  const sm = line.streamManagement;
  return new Promise((resolve) => {
    const end = (has: boolean) => {
      clearTimeout(late);
      sm.off('ack', acked);
      sm.off('fail', failed);
      line.off('disconnect', broke);
      resolve(has);
    };
    const acked = (which: XmlElement) => which === stanza && end(true);
    const failed = (which: XmlElement) => which === stanza && end(false);
    const broke = () => end(false);
    const late = setTimeout(() => end(false), ACK_MS);
    sm.on('ack', acked);
    sm.on('fail', failed);
    line.on('disconnect', broke);
    line.send(stanza).then(
      // A server without acknowledgements has it when the line took it.
      () => (sm.enabled ? line.send(xml('r', { xmlns: SM })).catch(broke) : end(true)),
      broke,
    );
  });
}
