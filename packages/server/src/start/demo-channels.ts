import type { Value } from '@primrose/core';
import { hashSecret, newId, newSecret, type Clock } from '../base/clock.js';
import { channelKind } from '../channels/registry.js';
import { channelOwner, type Secrets } from '../outside/secrets.js';
import { insertChannel, listChannels, updateChannel } from '../store/channels.js';
import type { Db } from '../store/database.js';

/** What the demo's channels, the servers of Debian that are started for it, and its stand-ins agree on; made up, and only good for these. */
const PASSWORD = 'calm-crossing';
const MAIL_DOMAIN = 'marrow-sound.example';
const CHAT_DOMAIN = `chat.${MAIL_DOMAIN}`;
const HOST = '127.0.0.1';
const ADDRESS_LENGTH = 22;

/** Ports of the servers that were started, by protocol; 0 where one is not there. */
export interface DemoPeers {
  readonly xmpp: number;
  readonly irc: number;
  readonly imap: number;
  readonly smtp: number;
}

interface DemoChannel {
  readonly kind: string;
  readonly name: string;
  readonly settings: Value;
  readonly secrets?: Readonly<Record<string, string>>;
  /** It works only where its server was started. */
  readonly on: boolean;
}

function channelsFor({ xmpp, irc, imap, smtp }: DemoPeers): DemoChannel[] {
  return [
    {
      kind: 'mail',
      name: 'Letters',
      settings: {
        address: `desk@${MAIL_DOMAIN}`,
        name: 'Harbour desk',
        imap: { host: HOST, port: imap || 143, tls: false },
        smtp: { host: HOST, port: smtp || 25, tls: false },
        signature: 'Harbour desk, Marrow Sound Ferries\nAnswers by a bot.',
      },
      secrets: { password: PASSWORD },
      on: imap > 0,
    },
    {
      kind: 'xmpp',
      name: 'Chat server',
      settings: {
        address: `desk@${CHAT_DOMAIN}`,
        host: HOST,
        port: xmpp || 5222,
        rooms: [`quay@rooms.${CHAT_DOMAIN}`],
        nick: 'desk',
      },
      secrets: { password: PASSWORD },
      on: xmpp > 0,
    },
    {
      kind: 'irc',
      name: 'Old harbour',
      settings: { host: HOST, port: irc || 6667, tls: false, nick: 'harbour-desk', rooms: ['#harbour'] },
      on: irc > 0,
    },
    { kind: 'telephone', name: 'Telephone', settings: { number: '+353 1 555 0100' }, on: true },
  ];
}

/**
 * Connects Harbour desk by mail, XMPP, IRC and telephone, once; afterwards only the places of their servers are brought up to date. What
 * somebody has deleted stays so. Returns the address of the telephone; undefined where it was deleted.
 */
export async function ensureDemoChannels(
  { db, clock, secrets }: { readonly db: Db; readonly clock: Clock; readonly secrets: Secrets },
  botId: string,
  peers: DemoPeers,
): Promise<string | undefined> {
  const fact = `demo_channels_${hashSecret(botId).slice(0, 16)}`;
  const made = (await db('facts').where({ name: fact }).first('value')) !== undefined;
  const present = await listChannels(db, botId);
  for (const { kind, name, settings, secrets: kept = {}, on } of channelsFor(peers)) {
    const found = present.find((c) => c.kind === kind && c.name === name);
    const written = JSON.stringify(channelKind(kind).settings?.parse(settings));
    if (found) {
      await updateChannel(db, botId, found.id, { settings: written, ...(made && on ? {} : { is_on: on }) });
      continue;
    }
    if (made) continue;
    const id = newId(clock);
    for (const [secret, value] of Object.entries(kept)) await secrets.set(channelOwner(id), secret, value);
    await insertChannel(db, { id, bot_id: botId, kind, address: newSecret().slice(0, ADDRESS_LENGTH), name, settings: written });
    if (!on) await updateChannel(db, botId, id, { is_on: false });
  }
  if (!made) await db('facts').insert({ name: fact, value: '1' });
  return (await listChannels(db, botId)).find((c) => c.kind === 'telephone')?.address;
}
