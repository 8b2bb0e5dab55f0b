import { readFileSync } from 'node:fs';
import type { Channel, ChannelState } from '@primrose/contract';
import { READY_MAPPINGS, readyProfile, type HookProfile, type Value } from '@primrose/core';
import { parse } from 'yaml';
import { assertMeant, count, findBot, readSecret, table, type Context } from '../context.js';
import { CommandFailure, EXIT } from '../outcome.js';

const MESSENGER = 'hook-messenger';

export interface ConnectOptions {
  readonly name?: string;
  readonly mapping?: string;
  readonly address?: string;
  readonly settings?: string;
  readonly secret?: boolean;
}

/** A file of YAML or JSON as a value. */
function readValue(file: string): Value {
  let text: string;
  try {
    text = readFileSync(file, 'utf8');
  } catch (error) {
    throw new CommandFailure(EXIT.usage, `${file} could not be read: ${(error as Error).message}.`);
  }
  try {
    return parse(text) as Value;
  } catch (error) {
    throw new CommandFailure(EXIT.usage, `${file} is neither YAML nor JSON: ${(error as Error).message.split('\n')[0] ?? ''}`);
  }
}

/** A messenger's mapping: one that is ready for a shape of API, or one of a file. */
function mappingOf({ mapping, address }: ConnectOptions): HookProfile {
  const shapes = READY_MAPPINGS.map((m) => m.id);
  if (mapping === undefined)
    throw new CommandFailure(
      EXIT.usage,
      `Say with --mapping how the messenger speaks: one of ${shapes.join(', ')}, or a file with a mapping of your own.`,
    );
  if (!shapes.includes(mapping)) return readValue(mapping) as unknown as HookProfile;
  if (address === undefined)
    throw new CommandFailure(EXIT.usage, `Say with --address where the messenger’s API is, such as https://messenger.example.`);
  const found = readyProfile(mapping, address);
  if (!found) throw new Error(`there is no mapping ${mapping}`);
  return found;
}

/** Connects a channel: a messenger by its mapping, the others by their settings. */
export async function cmdConnect(context: Context, word: string, kind: string | undefined, o: ConnectOptions): Promise<void> {
  const { client, asJson, json, print, io } = context;
  const { items: kinds } = await client.call('listChannelKinds', {});
  if (kind === undefined) {
    if (asJson) return json({ kinds, mappings: READY_MAPPINGS.map(({ id, name, about }) => ({ id, name, about })) });
    print(table([['KIND', 'WHAT IT IS'], ['messenger', 'a messenger, by a mapping'], ...kinds.map((k) => [k.kind, k.about])]));
    print('\nReady mappings of messengers, for --mapping:');
    return print(table(READY_MAPPINGS.map((m) => [`  ${m.id}`, m.about])));
  }
  const bot = await findBot(client, word);
  const chosen = kind === 'messenger' ? MESSENGER : kind;
  const known = kinds.find((k) => k.kind === chosen);
  if (!known && chosen !== MESSENGER)
    throw new CommandFailure(
      EXIT.usage,
      `There is no kind "${kind}". There are: messenger, ${kinds.map((k) => k.kind).join(', ')}.`,
    );
  const name = o.name ?? known?.name ?? 'Messenger';
  const needed = chosen === MESSENGER ? 'token' : known?.secrets[0]?.name;
  const secrets = o.secret && needed !== undefined ? { secrets: { [needed]: await readSecret(io) } } : {};
  const body =
    chosen === MESSENGER
      ? ({ kind: 'hook-messenger', name, profile: mappingOf(o), ...secrets } as const)
      : chosen === 'bot-api'
        ? ({ kind: 'bot-api', name } as const)
        : ({ kind: chosen as 'irc', name, settings: o.settings === undefined ? {} : readValue(o.settings), ...secrets } as const);
  const made = await client.call('createChannel', { params: { bot: bot.id }, body });
  if (asJson) return json(made);
  tell(context, made);
  const then = READY_MAPPINGS.find((m) => m.id === o.mapping)?.then;
  if (then !== undefined) print(`\n${then}`);
}

export interface ChannelOptions {
  readonly on?: boolean;
  readonly off?: boolean;
  readonly rename?: string;
  readonly settings?: string;
  readonly secret?: string;
  readonly test?: string;
  readonly copy?: string;
  readonly delete?: boolean;
  readonly yes?: boolean;
  readonly caller?: string;
  readonly withdraw?: string;
  readonly events?: boolean;
}

/** A channel of a bot by name, id or kind. Fails with those that there are. */
function channelNamed(items: readonly Channel[], word: string, bot: string): Channel {
  const found = items.find((c) => c.id === word) ?? items.find((c) => c.name.toLowerCase() === word.toLowerCase());
  const ofKind = items.filter((c) => c.kind === word);
  const only = found ?? (ofKind.length === 1 ? ofKind[0] : undefined);
  if (only) return only;
  throw new CommandFailure(
    EXIT.missing,
    `${bot} has no channel "${word}". There are: ${items.map((c) => c.name).join(', ') || 'none'}.`,
  );
}

/** Shows a channel, or changes, tries, copies or deletes it. */
export async function cmdChannel(context: Context, word: string, name: string, o: ChannelOptions): Promise<void> {
  const { client, asJson, json, print, io } = context;
  const bot = await findBot(client, word);
  const { items } = await client.call('listChannels', { params: { bot: bot.id } });
  const channel = channelNamed(items, name, bot.name);
  const params = { bot: bot.id, channel: channel.id };
  if (o.delete) {
    await assertMeant(context, o.yes, `Delete ${channel.name}? Its conversations are kept.`);
    await client.call('deleteChannel', { params });
    return asJson ? json({ deleted: channel.id }) : print(`${channel.name} is deleted; its conversations are kept.`);
  }
  if (o.test !== undefined) {
    const sent = await client.call('testChannel', { params, body: { to: o.test } });
    return asJson ? json(sent) : print(`Sent to ${o.test}, in ${count(sent.messages, 'message')}.`);
  }
  if (o.copy !== undefined) {
    const made = await client.call('copyChannel', { params, body: { name: o.copy } });
    return asJson ? json(made) : tell(context, made);
  }
  if (o.caller !== undefined) {
    const made = await client.call('addCaller', { params, body: { name: o.caller } });
    return asJson ? json(made) : print(`The key of ${made.name}, shown this once: ${made.key}`);
  }
  if (o.withdraw !== undefined) {
    await client.call('removeCaller', { params: { ...params, caller: o.withdraw } });
    return asJson ? json({ withdrawn: o.withdraw }) : print(`The key of ${o.withdraw} is withdrawn.`);
  }
  if (o.events) return events(context, params);
  const on = o.on ? true : o.off ? false : undefined;
  const written = o.settings === undefined ? undefined : readValue(o.settings);
  const change = {
    ...(on === undefined ? {} : { on }),
    ...(o.rename === undefined ? {} : { name: o.rename }),
    ...(written === undefined
      ? {}
      : channel.kind === MESSENGER
        ? { profile: written as unknown as HookProfile }
        : { settings: written }),
    ...(o.secret === undefined ? {} : { secrets: { [o.secret]: (await readSecret(io)) || null } }),
  };
  if (Object.keys(change).length > 0) await client.call('updateChannel', { params, body: change });
  const now = await client.call('getChannel', { params });
  return asJson ? json(now) : tell(context, now);
}

async function events({ client, asJson, json, print }: Context, params: { bot: string; channel: string }): Promise<void> {
  const found = await client.call('listChannelEvents', { params });
  if (asJson) return json(found);
  if (found.items.length === 0) return print('Nothing came in or went out yet.');
  const rows = found.items
    .slice(0, 30)
    .map((e) => [e.at.slice(11, 19), e.direction, e.outcome, e.sender ?? '', e.about.slice(0, 70)]);
  print(table([['WHEN', '', 'WHAT', 'WHO', 'ABOUT'], ...rows]));
}

function tell({ print }: Context, channel: ChannelState): void {
  const { name, kind, on, line, link, secrets, needs, testers, waiting, callers, conversations, live } = channel;
  print(`${name} (${kind}), ${on ? 'on' : 'OFF'}\n`);
  if (line) print(`Connection     ${line.state}${line.reason === null ? '' : `: ${line.reason}`}`);
  if (link !== '') print(`Reached at     ${link}`);
  print(`Serves         ${live === null ? 'nothing yet: the bot has no release' : `Release ${live}`}`);
  print(`Conversations  ${conversations}${waiting > 0 ? `, ${waiting} wait to be sent` : ''}`);
  const missing = needs.filter((n) => !n.optional && !secrets.includes(n.name));
  if (secrets.length > 0 || needs.length > 0)
    print(
      `Secrets        ${secrets.join(', ') || 'none'}${missing.length > 0 ? `; missing: ${missing.map((m) => m.name).join(', ')}` : ''}`,
    );
  if (testers.length > 0) print(`Testers        ${testers.map((t) => t.name).join(', ')}`);
  if (callers.length > 0) print(`Callers        ${callers.map((c) => c.name).join(', ')}`);
}
