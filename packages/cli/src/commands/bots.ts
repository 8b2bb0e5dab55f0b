import { ApiError, createClient, type BotSummary } from '@primrose/contract';
import { readCliConfig, writeCliConfig } from '../config.js';
import { allBots, assertMeant, count, findBot, table, type Context } from '../context.js';

import { CommandFailure, EXIT } from '../outcome.js';

/** Is the service there, and who are we? */
export async function cmdStatus({ client, address, asJson, json, print }: Context): Promise<void> {
  const health = await client.call('health', {});
  const person = await client.call('me', {});
  const bots = (await allBots(client)).length;
  if (asJson) json({ address, ...health, person: person.name, bots });
  else print(`Primrose ${health.version} is ready at ${address}.\nSigned in as ${person.name}; ${count(bots, 'bot')}.`);
}

export async function cmdBots({ client, asJson, json, print }: Context): Promise<void> {
  const bots = await allBots(client);
  if (asJson) return json({ items: bots });
  if (bots.length === 0) return print('No bots yet. "primrose push FOLDER --new" makes one from files.');
  const rows = bots.map((b) => [b.bot, b.name, b.live === null ? 'nothing is live' : `Release ${b.live}`, draftWords(b), b.id]);
  print(table([['BOT', 'NAME', 'LIVE', 'DRAFT', 'ID'], ...rows]));
}

/** How the draft stands to the newest release: an edit that was taken back again is no change. */
function draftWords({ release, changedSinceRelease: changes }: BotSummary): string {
  if (release === null) return 'never released';
  if (changes === 0) return `as in Release ${release}`;
  return `${count(changes, 'edit')} since Release ${release}`;
}

/** Puts a bot away. Asks first where somebody sits at a keyboard, and else wants to be told so. */
export async function cmdDelete(context: Context, word: string, options: { readonly yes?: boolean }): Promise<void> {
  const { client, asJson, json, print } = context;
  const bot = await findBot(client, word);
  await assertMeant(context, options.yes, `Put ${bot.name} away? Its channels fall silent.`);
  await client.call('deleteBot', { params: { bot: bot.id } });
  if (asJson) json({ deleted: bot.id });
  else print(`${bot.name} is put away. It can be restored in the console, under the deleted bots.`);
}

/** Gives a bot another name. */
export async function cmdRename({ client, asJson, json, print }: Context, word: string, name: string): Promise<void> {
  const bot = await findBot(client, word);
  const patch = [{ op: 'replace' as const, path: '/name', value: name }];
  const done = await client.call('patchDraft', { params: { bot: bot.id }, body: { revision: bot.revision, patch } });
  if (asJson) json({ bot: bot.id, name: done.bot.name, revision: done.revision });
  else print(`${bot.name} is called ${done.bot.name} now, at revision ${done.revision}.`);
}

interface ReleaseOptions {
  readonly note: string;
  readonly move?: boolean;
  readonly notLive?: boolean;
  readonly despite?: string;
}

export async function cmdRelease({ client, asJson, json, print }: Context, word: string, options: ReleaseOptions): Promise<void> {
  const bot = await findBot(client, word);
  const { note, move = false, notLive = false, despite } = options;
  const release = await client.call('createRelease', {
    params: { bot: bot.id },
    body: { note, move, live: !notLive, ...(despite === undefined ? {} : { despite }) },
  });
  const channels = await client.call('listChannels', { params: { bot: bot.id } });
  if (asJson) return json({ ...release, channels: channels.items });
  print(`${bot.name}: Release ${release.number}${release.note === '' ? '' : `, ${release.note}`}.`);
  for (const w of release.warnings) print(`  warning: ${w}`);
  for (const c of channels.items) print(`  ${c.name} serves Release ${c.live ?? 'none'}: ${c.link}`);
}

export async function cmdTokens({ client, asJson, json, print }: Context): Promise<void> {
  const { items } = await client.call('listTokens', {});
  if (asJson) return json({ items });
  print(table([['NAME', 'LAST USED', 'ID'], ...items.map((t) => [t.name, t.lastUsedAt ?? 'never', t.id])]));
}

export async function cmdNewToken({ client, asJson, json, print }: Context, name: string): Promise<void> {
  const token = await client.call('createToken', { body: { name } });
  if (asJson) return json(token);
  print(`${token.secret}\n\nThis is shown once. The token is called "${token.name}".`);
}

export async function cmdRevokeToken({ client, asJson, json, print }: Context, word: string): Promise<void> {
  const { items } = await client.call('listTokens', {});
  const found = items.filter((t) => t.id === word || t.name === word);
  const [only] = found;
  if (!only || found.length > 1)
    throw new CommandFailure(
      EXIT.usage,
      found.length === 0 ? `There is no token "${word}".` : `"${word}" means ${found.length} tokens. Give an id.`,
    );
  await client.call('revokeToken', { params: { token: only.id } });
  if (asJson) json({ revoked: only.id });
  else print(`The token "${only.name}" is not valid any more.`);
}

/** Tries address and token, then keeps them. */
export async function cmdConfigure(
  { io, asJson, print, json }: Context,
  options: { address?: string; token?: string },
): Promise<void> {
  const before = readCliConfig(options.address === undefined || options.token === undefined ? io.env : {});
  const address = (options.address ?? before.address).replace(/\/$/, '');
  const token = options.token ?? before.token;
  if (token === undefined) throw new CommandFailure(EXIT.usage, 'Give a token: primrose configure --token prt_…');
  try {
    await createClient({ address, token }).call('me', {});
  } catch (error) {
    if (error instanceof ApiError)
      throw new CommandFailure(EXIT.signedOut, `${address} does not take this token. Nothing was kept.`);
    throw error;
  }
  const path = writeCliConfig(io.env, { address, token });
  if (asJson) json({ address, path });
  else print(`Kept in ${path}.`);
}
