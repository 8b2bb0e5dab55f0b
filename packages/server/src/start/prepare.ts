import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { parse } from 'yaml';
import type { HookProfile } from '@primrose/core';
import { hashSecret, newId, newSecret, systemClock } from '../base/clock.js';
import type { Config } from './config.js';
import { ensureDemoChannels, type DemoPeers } from './demo-channels.js';
import { createBot, createRelease } from '../bots/bots.js';
import { Drafts } from '../drafts/drafts.js';
import { Contents } from '../knowledge/contents.js';
import { USUAL_LIMITS } from './limits.js';
import { loadExamples } from './examples.js';
import { makeToken } from '../http/routes/account.js';
import { Shares } from '../pages/shares.js';
import { channelOwner, Secrets } from '../outside/secrets.js';
import { formPage, NEW_SHARE, type ShareSettings } from '../channels/form-page/form-page.js';
import { hookMessenger } from '../channels/hook-messenger/hook-messenger.js';
import { secretOfKey, SERVICE_SECRET } from '../channels/web-chat/setting.js';
import { readStoredChat, webChat, type StoredChat } from '../channels/web-chat/web-chat.js';
import { findBot } from '../store/bots.js';
import { setConnectionAddress, setStandIn } from '../store/connections.js';
import { insertChannel, listChannels, updateChannel } from '../store/channels.js';
import { mappingColumn } from '../store/columns.js';
import { openDatabase, type Db } from '../store/database.js';
import { migrate } from '../store/migrate.js';
import { insertCanned, setInboxSetting } from '../store/inbox.js';
import * as people from '../store/people.js';
import { insertStaff, staffOf } from '../store/staff.js';

const LINK_VALID_MS = 86_400_000;
const DEMO_FACT = 'demo_bot';
const DEMO_EXAMPLE = 'harbour-desk';
const SHORE_FACT = 'demo_shore';
const SHORE_EXAMPLE = 'shore-desk';
const IDENTITY = 'identity-service';
/** What the stand-in site, the stand-in identity service and the demo's web chat agree on; made up, and only good for these. */
const SITE_KEY = { id: 'ferry-site', secret: 'ferry-site-and-harbour-desk-agree-on-this' } as const;
const IDENTITY_CLIENT = { client: 'harbour-desk', secret: 'sound-account-secret', name: 'a Sound account' } as const;
const MESSENGER = 'messenger';
const MESSENGER_NAME = 'Gullpost';
/** What the stand-in messenger and the demo's channel agree on; made up, and only good for the stand-in. */
const MESSENGER_SECRETS = { token: 'gull-token', seal: 'gull-seal', check: 'gull-check' } as const;

/** A migration may take its time. */
const MIGRATION_MS = 600_000;
const TOKENS_OF_A_NAME = 5;

export interface Prepared {
  readonly console: string;
  readonly api: string;
  readonly chat: string | null;
  /** The gallery of shared pages. */
  readonly pages: string;
  readonly token: string | null;
  /** Where the stand-in messenger is to send its webhooks; null where it was not connected. */
  readonly hook: string | null;
  /** The same for the room of Shore desk. */
  readonly shoreHook: string | null;
  /** Where the stand-in telephone calls; null where there is no such channel. */
  readonly phone: string | null;
}

export interface PrepareOptions {
  readonly demo: boolean;
  /** A new token under this name. */
  readonly tokenName?: string;
  /** Addresses of stand-ins by connection name, for the demo bot. */
  readonly standIns: Readonly<Record<string, string>>;
  /** Ports of servers of open protocols, for the demo bot; its channels are made where this is given. */
  readonly peers?: DemoPeers;
}

/** Brings the database up to date, sees to the owner and the demo, and makes a sign-in link. */
export async function prepare(config: Config, options: PrepareOptions): Promise<Prepared> {
  const db = openDatabase(config.databaseUrl, 4, { cluster: config.databaseCluster, statementMs: MIGRATION_MS });
  const clock = systemClock;
  try {
    await migrate(db);
    const owner = await ensureOwner(db);
    const secrets = new Secrets(db, clock, config.secretKey);
    const demo = options.demo
      ? await ensureDemo({ db, secrets, folder: config.examples }, owner.id, options.standIns, options.peers)
      : undefined;
    const link = newSecret();
    await people.insertSignInLink(db, hashSecret(link), owner.id, new Date(clock.now().getTime() + LINK_VALID_MS));
    const token = options.tokenName === undefined ? null : await anotherToken(db, owner.id, options.tokenName);
    return {
      console: `${config.publicUrl}/sign-in#${link}`,
      api: `${config.publicUrl}/api`,
      pages: `${config.publicUrl}/pages`,
      chat: demo === undefined ? null : `${config.publicUrl}/chat/${demo.chat}`,
      hook: demo?.hook === undefined ? null : `${config.publicUrl}/api/hooks/${demo.hook}`,
      phone: demo?.phone === undefined ? null : `${config.publicUrl}/api/calls/${demo.phone}`,
      shoreHook: demo?.shoreHook === undefined ? null : `${config.publicUrl}/api/hooks/${demo.shoreHook}`,
      token,
    };
  } finally {
    await db.destroy();
  }
}

async function ensureOwner(db: Db): Promise<people.Person> {
  const present = await people.firstPerson(db);
  if (present) return present;
  const person = { id: newId(systemClock), name: 'Owner' };
  await people.insertPerson(db, person, systemClock.now());
  return person;
}

/** Makes a token. The last ones of the same name stay valid: a script that has read one goes on working over the next start. */
async function anotherToken(db: Db, personId: string, name: string): Promise<string> {
  const made = await makeToken({ db, clock: systemClock }, personId, name);
  const same = (await people.listTokens(db, personId)).filter((t) => t.name === name);
  for (const { id } of same.slice(0, -TOKENS_OF_A_NAME)) await people.deleteToken(db, personId, { id });
  return made.secret;
}

interface DemoParts {
  readonly db: Db;
  readonly secrets: Secrets;
  /** Where the demo's files are. */
  readonly folder: string;
}

interface DemoAddresses {
  readonly chat: string;
  readonly hook?: string;
  readonly shoreHook?: string;
  readonly phone?: string;
}

/** Loads the demo the first time and releases it; afterwards only points it at today's stand-ins. Returns its channels' addresses. */
async function ensureDemo(
  parts: DemoParts,
  ownerId: string,
  standIns: Readonly<Record<string, string>>,
  peers: DemoPeers | undefined,
): Promise<DemoAddresses | undefined> {
  const { db } = parts;
  const fact: { value: string } | undefined = await db('facts').where({ name: DEMO_FACT }).first('value');
  const id = fact?.value ?? (await loadDemo(parts, ownerId, DEMO_EXAMPLE, DEMO_FACT));
  const shore: { value: string } | undefined = await db('facts').where({ name: SHORE_FACT }).first('value');
  const shoreId = shore?.value ?? (await loadDemo(parts, ownerId, SHORE_EXAMPLE, SHORE_FACT));
  const { [MESSENGER]: messenger, [IDENTITY]: identity, ...connections } = standIns;
  for (const botId of [id, shoreId])
    for (const [name, address] of Object.entries(connections)) {
      await setConnectionAddress(db, botId, name, address);
      await setStandIn(db, botId, name, address);
    }
  const hook = messenger === undefined ? undefined : await ensureMessenger(parts, id, messenger, 'gullpost.yaml');
  const shoreHook = messenger === undefined ? undefined : await ensureMessenger(parts, shoreId, messenger, 'gullpost-room.yaml');
  await ensureWebChat(parts, id, identity);
  await ensureStaff(db, id);
  await ensurePage(db, shoreId, 'log-reader', { gallery: 'private', copies: true });
  await ensurePage(db, id, 'day-trip-planner', { gallery: 'public', copies: true });
  const phone = peers && (await ensureDemoChannels({ db, clock: systemClock, secrets: parts.secrets }, id, peers));
  const channel = (await listChannels(db, id)).find((c) => c.kind === webChat.kind);
  const bot = await findBot(db, ownerId, id);
  return (
    bot &&
    channel && {
      chat: channel.address,
      ...(hook === undefined ? {} : { hook }),
      ...(shoreHook === undefined ? {} : { shoreHook }),
      ...(phone === undefined ? {} : { phone }),
    }
  );
}

/** Sets the demo's web chat up, once; afterwards only where its identity service is. */
async function ensureWebChat(
  { db, secrets }: { readonly db: Db; readonly secrets: Secrets },
  botId: string,
  identity: string | undefined,
): Promise<void> {
  const channel = (await listChannels(db, botId)).find((c) => c.kind === webChat.kind);
  if (!channel || identity === undefined) return;
  const { client, name } = IDENTITY_CLIENT;
  const service = { issuer: identity, client, name };
  const before = readStoredChat(channel.settings);
  const settings: StoredChat =
    channel.settings === null
      ? {
          ...before,
          words: DEMO_WORDS,
          signIn: { ...before.signIn, mail: true, service },
          keys: [{ id: SITE_KEY.id, algorithm: 'HS256', publicKey: null, at: systemClock.now().toISOString() }],
        }
      : { ...before, signIn: { ...before.signIn, service: before.signIn.service && service } };
  await secrets.set(channelOwner(channel.id), secretOfKey(SITE_KEY.id), SITE_KEY.secret);
  await secrets.set(channelOwner(channel.id), SERVICE_SECRET, IDENTITY_CLIENT.secret);
  await updateChannel(db, botId, channel.id, { settings: JSON.stringify(settings) });
}

/** Two people who answer in the demo's inbox besides its owner, with words that they say often; once. */
async function ensureStaff(db: Db, botId: string): Promise<void> {
  if ((await staffOf(db, botId)).length > 1) return;
  const at = systemClock.now();
  for (const name of DEMO_STAFF) {
    const person = { id: newId(systemClock), name };
    await people.insertPerson(db, person, at);
    await insertStaff(db, botId, person.id, at);
  }
  for (const words of DEMO_CANNED) await insertCanned(db, { id: newId(systemClock), bot_id: botId, ...words });
  await setInboxSetting(db, botId, JSON.stringify({ notifies: { channel: MESSENGER_NAME, to: STAFF_ROOM } }));
}

const DEMO_STAFF = ['Orla Quill', 'Bram Tully'];
/** A room of the stand-in messenger. */
const STAFF_ROOM = 'shore-room';
const DEMO_CANNED = [
  { title: 'One moment', text: 'One moment please, I am looking it up.' },
  {
    title: 'Weather',
    text: 'The wind is what it is: both boats sail today, and we call everybody who is booked if that changes.',
  },
  { title: 'Goodbye', text: 'Thank you for writing, and a calm crossing.' },
];

const DEMO_WORDS: StoredChat['words'] = {
  any: {
    open: 'Ask Harbour desk',
    starters: ['When does the next boat leave for Port Anselm?', 'May I bring my dog?', 'What have I booked?'],
  },
  de: {
    open: 'Fragen Sie Harbour desk',
    starters: ['Wann fährt das nächste Boot nach Port Anselm?', 'Darf mein Hund mit?', 'Was habe ich gebucht?'],
  },
};

/** Shares a page of the demo, once. */
async function ensurePage(db: Db, botId: string, page: string, shared: Pick<ShareSettings, 'gallery' | 'copies'>): Promise<void> {
  if ((await listChannels(db, botId)).some((c) => c.kind === formPage.kind)) return;
  const settings: ShareSettings = { ...NEW_SHARE, ...shared, page };
  const address = Shares.newLink();
  await insertChannel(db, {
    id: newId(systemClock),
    bot_id: botId,
    kind: formPage.kind,
    address,
    name: page,
    settings: JSON.stringify(settings),
  });
}

/** Connects a bot of the demo to the stand-in messenger, once; afterwards only its address is brought up to date. */
async function ensureMessenger(
  { db, secrets, folder }: DemoParts,
  botId: string,
  address: string,
  file: string,
): Promise<string> {
  const written = parse(readFileSync(join(folder, file), 'utf8')) as HookProfile;
  const profile: HookProfile = { ...written, calls: { ...written.calls, address } };
  const present = (await listChannels(db, botId)).find((c) => c.kind === hookMessenger.kind && c.name === MESSENGER_NAME);
  if (present) {
    const own = mappingColumn.read(present.settings ?? 'null');
    const settings = mappingColumn.write({ ...own, calls: { ...own.calls, address } });
    await updateChannel(db, botId, present.id, { settings });
    return present.address;
  }
  const id = newId(systemClock);
  const path = newSecret().slice(0, 22);
  for (const [name, secret] of Object.entries(MESSENGER_SECRETS)) await secrets.set(channelOwner(id), name, secret);
  const settings = mappingColumn.write(profile);
  await insertChannel(db, { id, bot_id: botId, kind: hookMessenger.kind, address: path, name: MESSENGER_NAME, settings });
  return path;
}

async function loadDemo({ db, folder }: DemoParts, ownerId: string, example: string, fact: string): Promise<string> {
  const found = loadExamples(folder).get(example);
  if (!found)
    throw new Error(`the demo is not complete in ${folder}; check out the project again, or leave PRIMROSE_EXAMPLES out`);
  const contents = new Contents(db, systemClock, USUAL_LIMITS);
  const parts = { db, clock: systemClock, contents, drafts: new Drafts(db, systemClock, contents) };
  const { bot } = await createBot(parts, ownerId, found.document, found.contents);
  const note = 'As it came with Primrose';
  await createRelease(parts, bot, { personId: ownerId, note, live: true, move: false });
  await db('facts').insert({ name: fact, value: bot.id });
  return bot.id;
}
