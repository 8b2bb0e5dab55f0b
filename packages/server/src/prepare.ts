import { hashSecret, newId, newSecret, systemClock } from './clock.js';
import type { Config } from './config.js';
import { createBot, createRelease } from './bots.js';
import { Drafts } from './drafts.js';
import { loadExamples } from './examples.js';
import { makeToken } from './http/routes/account.js';
import { DEMO_FOLDER } from './service.js';
import * as store from './store/bots.js';
import { listChannels } from './store/channels.js';
import { migrate, openDatabase, type Db } from './store/database.js';
import * as people from './store/people.js';

const LINK_VALID_MS = 86_400_000;
const DEMO_FACT = 'demo_bot';
const DEMO_EXAMPLE = 'harbour-desk';

export interface Prepared {
  readonly console: string;
  readonly api: string;
  readonly chat: string | null;
  readonly token: string | null;
}

export interface PrepareOptions {
  readonly demo: boolean;
  /** A new token under this name, in place of the one that had it. */
  readonly tokenName?: string;
  /** Addresses of stand-ins by connection name, for the demo bot. */
  readonly standIns: Readonly<Record<string, string>>;
}

/** Brings the database up to date, sees to the owner and the demo, and makes a sign-in link. */
export async function prepare(config: Config, options: PrepareOptions): Promise<Prepared> {
  const db = openDatabase(config.databaseUrl, 4, config.databaseCluster);
  const clock = systemClock;
  try {
    await migrate(db);
    const owner = await ensureOwner(db);
    const demo = options.demo ? await ensureDemo(db, owner.id, options.standIns) : undefined;
    const link = newSecret();
    await people.insertSignInLink(db, hashSecret(link), owner.id, new Date(clock.now().getTime() + LINK_VALID_MS));
    const token = options.tokenName === undefined ? null : await replaceToken(db, owner.id, options.tokenName);
    return {
      console: `${config.publicUrl}/sign-in#${link}`,
      api: `${config.publicUrl}/api`,
      chat: demo === undefined ? null : `${config.publicUrl}/chat/${demo}`,
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

async function replaceToken(db: Db, personId: string, name: string): Promise<string> {
  await people.deleteToken(db, personId, { name });
  return (await makeToken({ db, clock: systemClock }, personId, name)).secret;
}

/** Loads the demo the first time and releases it; afterwards only points it at today's stand-ins. Returns its chat address. */
async function ensureDemo(db: Db, ownerId: string, standIns: Readonly<Record<string, string>>): Promise<string | undefined> {
  const fact: { value: string } | undefined = await db('facts').where({ name: DEMO_FACT }).first('value');
  const id = fact?.value ?? (await loadDemo(db, ownerId));
  for (const [name, address] of Object.entries(standIns)) await store.setConnectionAddress(db, id, name, address);
  const [channel] = await listChannels(db, id);
  const bot = await store.findBot(db, ownerId, id);
  return bot && channel?.address;
}

async function loadDemo(db: Db, ownerId: string): Promise<string> {
  const document = loadExamples(DEMO_FOLDER).get(DEMO_EXAMPLE);
  if (!document) throw new Error('the demo folder is not complete; check out the project again');
  const parts = { db, clock: systemClock, drafts: new Drafts(db, systemClock) };
  const { bot } = await createBot(db, systemClock, ownerId, document);
  const note = 'As it came with Primrose';
  await createRelease(parts, bot, { personId: ownerId, note, live: true, move: false });
  await db('facts').insert({ name: DEMO_FACT, value: bot.id });
  return bot.id;
}
