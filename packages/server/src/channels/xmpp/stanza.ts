import type { XmlElement } from '@xmpp/client';
import type { HookSign } from '@primrose/core';
import type { Came } from '../came.js';

export const RECEIPTS = 'urn:xmpp:receipts';
const MARKERS = 'urn:xmpp:chat-markers:0';
const REACTIONS = 'urn:xmpp:reactions:0';
const CORRECTION = 'urn:xmpp:message-correct:0';
const OOB = 'jabber:x:oob';
const REPLY = 'urn:xmpp:reply:0';
const FALLBACK = 'urn:xmpp:fallback:0';
const STANZA_ID = 'urn:xmpp:sid:0';

/** What a stanza is to us. */
export type ReadStanza =
  | { readonly as: 'came'; readonly came: Omit<Came, 'payload'> }
  | { readonly as: 'sign'; readonly sign: HookSign }
  | { readonly as: 'refused'; readonly about: string; readonly sender: string }
  | { readonly as: 'nothing' };

const NOTHING: ReadStanza = { as: 'nothing' };

/**
 * Reads a message (RFC 6121, 5) as what was said, a receipt (XEP-0184, 0333) or a reaction (XEP-0444). Errors are not answered, nor what
 * the account itself says elsewhere or in a room; in a room only what names it is.
 */
export function readStanza(stanza: XmlElement, own: { readonly address: string; readonly nick: string }): ReadStanza {
  const { from = '', type = 'normal', id = '' } = stanza.attrs;
  const [bare = '', ...rest] = from.split('/');
  const resource = rest.join('/');
  if (type === 'error' || bare === '' || bare === own.address) return NOTHING;
  if (!bare.includes('@')) return { as: 'refused', about: 'a message of a server, not of a person', sender: from };
  const read = stanza.getChild('received', RECEIPTS) ?? stanza.getChild('displayed', MARKERS);
  const about = read?.attrs['id'];
  if (about !== undefined) return { as: 'sign', sign: { id, sender: bare, about } };
  const reactions = stanza.getChild('reactions', REACTIONS);
  const to = reactions?.attrs['id'];
  if (reactions && to !== undefined) {
    const sign = reactions.getChildText('reaction', REACTIONS) ?? reactions.getChildren('reaction')[0]?.text() ?? '';
    return { as: 'sign', sign: { id, sender: bare, about: to, sign } };
  }
  const body = stanza.getChildText('body');
  if (body === null || body.trim() === '') return NOTHING;
  return type === 'groupchat' ? inRoom(stanza, { bare, resource, body }, own) : said(stanza, bare, body, {});
}

function inRoom(
  stanza: XmlElement,
  { bare, resource, body }: { readonly bare: string; readonly resource: string; readonly body: string },
  { nick }: { readonly nick: string },
): ReadStanza {
  // What was said before the bot came, what the room itself says, and its own words.
  if (resource === '' || resource === nick || stanza.getChild('delay', 'urn:xmpp:delay')) return NOTHING;
  const named = new RegExp(`^@?${nick.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')}\\s*[:,]?\\s+`, 'i');
  if (!named.test(body)) return NOTHING;
  return said(stanza, `${bare}/${resource}`, body.replace(named, ''), { name: resource });
}

function said(stanza: XmlElement, sender: string, body: string, more: { readonly name?: string }): ReadStanza {
  const corrects = stanza.getChild('replace', CORRECTION)?.attrs['id'];
  const server = stanza.getChildren('stanza-id', STANZA_ID)[0]?.attrs['id'];
  const origin = stanza.getChild('origin-id', STANZA_ID)?.attrs['id'];
  const own = origin ?? stanza.attrs['id'] ?? server ?? '';
  const address = stanza.getChild('x', OOB)?.getChildText('url') ?? undefined;
  const about = stanza.getChild('reply', REPLY)?.attrs['id'] ?? corrects;
  const text = withoutQuote(stanza, body).trim();
  const only = address !== undefined && text === address;
  return {
    as: 'came',
    came: {
      // Ids are the clients' own, so they count with who sends.
      id: own === '' ? '' : `${sender} ${own}`,
      sender,
      ...more,
      ...(only || text === '' ? {} : { text }),
      ...(address === undefined ? {} : { pictures: [address] }),
      ...(about === undefined ? {} : { about }),
    },
  };
}

/** A body without the words that it quotes for clients that know no replies (XEP-0428). */
function withoutQuote(stanza: XmlElement, body: string): string {
  const fallback = stanza.getChildren('fallback', FALLBACK).find((f) => f.attrs['for'] === REPLY);
  const range = fallback?.getChild('body');
  const [start, end] = [Number(range?.attrs['start'] ?? NaN), Number(range?.attrs['end'] ?? NaN)];
  if (!fallback || !(start >= 0) || !(end > start)) return body;
  const letters = [...body];
  return [...letters.slice(0, start), ...letters.slice(end)].join('');
}
