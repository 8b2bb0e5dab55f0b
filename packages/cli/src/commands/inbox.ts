import { readFileSync } from 'node:fs';
import type { WebChat } from '@primrose/contract';
import { plainText } from '@primrose/core';
import { count, findBot, table, type Context } from '../context.js';
import { CommandFailure, EXIT } from '../outcome.js';

const MINUTE_MS = 60_000;

interface InboxOptions {
  readonly view?: string;
}

const VIEWS = ['waiting', 'mine', 'all'] as const;

/** The conversations that wait for staff, one's own, or all that staff have. */
export async function cmdInbox({ client, asJson, json, print }: Context, word: string, o: InboxOptions): Promise<void> {
  const bot = await findBot(client, word);
  const view = VIEWS.find((v) => v === (o.view ?? 'waiting'));
  if (!view) throw new CommandFailure(EXIT.usage, `There is no view "${o.view ?? ''}". Choose ${VIEWS.join(', ')}.`);
  const found = await client.call('listInbox', { params: { bot: bot.id }, query: { view } });
  if (asJson) return json(found);
  const { items, counts, staffed } = found;
  print(`${counts.waiting} waiting, ${counts.mine} mine, ${counts.all} in all; ${staffed ? 'within' : 'outside'} office hours.`);
  if (items.length === 0) return;
  const rows = items.map((i) => [
    `${Math.floor((Date.now() - Date.parse(i.waitsSince)) / MINUTE_MS)} min`,
    i.asks ? 'asks' : '',
    i.staff?.name ?? '',
    i.visitor ?? '',
    i.channel.name,
    (i.said ?? '').slice(0, 48),
    i.id,
  ]);
  print(table([['WAITS', '', 'WITH', 'VISITOR', 'CHANNEL', 'SAID', 'ID'], ...rows]));
}

export interface AnswerOptions {
  readonly take?: boolean;
  readonly from?: string;
  readonly note?: string;
  readonly handBack?: boolean;
  readonly close?: boolean;
}

/** Answers a conversation as staff; takes it, notes something, hands it back or closes it. */
export async function cmdAnswer(
  { client, asJson, json, print }: Context,
  word: string,
  conversation: string,
  text: string | undefined,
  o: AnswerOptions,
): Promise<void> {
  const bot = await findBot(client, word);
  const params = { bot: bot.id, conversation };
  if (text === undefined && !o.take && o.note === undefined && !o.handBack && !o.close) {
    const talk = await client.call('getInboxTalk', { params });
    if (asJson) return json(talk);
    const { conversation: c, lines, notes, summary } = talk;
    print(
      `${c.visitor ?? 'A visitor'}, ${c.channel.name}, with ${c.staff?.name ?? 'nobody yet'}: ${c.handed?.reason ?? 'the bot answers'}`,
    );
    for (const [label, list] of Object.entries({ Wants: summary.wants, Done: summary.done, Failed: summary.failed }))
      if (list.length > 0) print(`${label}: ${list.join('; ')}`);
    if (summary.named.length > 0) print(`Named: ${summary.named.map(([n, v]) => `${n} ${v}`).join(', ')}`);
    for (const n of notes) print(`Note of ${n.by}: ${n.text}`);
    print('');
    for (const l of lines.items) print(`${(l.by ?? l.who).toUpperCase().padStart(10)}  ${plainText(l.message.blocks)}`);
    return;
  }
  const done: string[] = [];
  const tell = (words: string) => {
    done.push(words);
    if (!asJson) print(words);
  };
  if (o.take) {
    const from = o.from === undefined ? null : await staffNamed(client, bot.id, o.from);
    const taken = await client.call('takeConversation', { params, body: { from } });
    tell(`${taken.staff?.name ?? 'Nobody'} has it now.`);
  }
  if (o.note !== undefined) {
    await client.call('addNote', { params, body: { text: o.note } });
    tell('Noted.');
  }
  if (text !== undefined && !o.close) {
    const line = await client.call('answerConversation', { params, body: { id: crypto.randomUUID(), text } });
    tell(`Said as ${line.by ?? 'staff'}.`);
  }
  if (o.handBack) {
    await client.call('handBack', { params });
    tell('Handed back to the bot.');
  }
  if (o.close) {
    await client.call('closeConversation', {
      params,
      body: { id: crypto.randomUUID(), ...(text === undefined ? {} : { text }) },
    });
    tell('Closed.');
  }
  if (asJson) json({ done });
}

/** Somebody of the staff by name or id. Fails with who there is. */
async function staffNamed(client: Context['client'], bot: string, name: string): Promise<string> {
  const { items } = await client.call('listStaff', { params: { bot } });
  const found = items.find((s) => s.id === name || s.name.toLowerCase() === name.toLowerCase());
  if (found) return found.id;
  throw new CommandFailure(
    EXIT.missing,
    `Nobody of the staff is called "${name}". There are: ${items.map((s) => s.name).join(', ')}.`,
  );
}

export interface StaffOptions {
  readonly add?: string;
  readonly link?: string;
  readonly remove?: string;
}

/** Who answers in the inbox of a bot. */
export async function cmdStaff({ client, asJson, json, print }: Context, word: string, o: StaffOptions): Promise<void> {
  const bot = await findBot(client, word);
  const params = { bot: bot.id };
  const named = (name: string) => staffNamed(client, bot.id, name);
  if (o.add !== undefined) {
    const made = await client.call('addStaff', { params, body: { name: o.add } });
    if (asJson) return json(made);
    return print(`${made.name} signs in with this link, once and within a day:\n${made.link}`);
  }
  if (o.link !== undefined) {
    const made = await client.call('linkStaff', { params: { ...params, person: await named(o.link) } });
    if (asJson) return json(made);
    return print(made.link);
  }
  if (o.remove !== undefined) {
    await client.call('removeStaff', { params: { ...params, person: await named(o.remove) } });
    return asJson ? json({ removed: o.remove }) : print(`${o.remove} answers here no more.`);
  }
  const { items } = await client.call('listStaff', { params });
  if (asJson) return json({ items });
  print(table([['NAME', '', 'ID'], ...items.map((s) => [s.name, s.owner ? 'owns the bot' : '', s.id])]));
}

/** What visitors thought of answers. */
export async function cmdFeedback({ client, asJson, json, print }: Context, word: string): Promise<void> {
  const bot = await findBot(client, word);
  const found = await client.call('getFeedback', { params: { bot: bot.id } });
  if (asJson) return json(found);
  const { helpful, unhelpful, releases, answers } = found;
  if (helpful + unhelpful === 0) return print('No visitor has said what they think of an answer in the last 90 days.');
  print(`${count(helpful, 'answer')} helped, ${unhelpful} did not.`);
  print(
    table([
      ['RELEASE', 'HELPED', 'DID NOT'],
      ...releases.map((r) => [String(r.release ?? 'draft'), String(r.helpful), String(r.unhelpful)]),
    ]),
  );
  const worst = answers.filter((a) => a.unhelpful > 0);
  if (worst.length === 0) return;
  print('');
  const rows = worst.map((a) => [
    String(a.unhelpful),
    String(a.helpful),
    `${a.flow}/${a.node}`,
    a.said.slice(0, 40),
    a.words.join(' | ').slice(0, 60),
  ]);
  print(table([['DID NOT', 'DID', 'NODE', 'SAID', 'IN THEIR WORDS'], ...rows]));
}

export interface WebChatOptions {
  readonly channel?: string;
  readonly set?: string;
  readonly new?: string;
  readonly key?: string;
  readonly publicKey?: string;
  readonly withdraw?: string;
}

/** The web chats of a bot: the tags that put them into a page, their settings, and keys of host pages. */
export async function cmdWebChat(context: Context, word: string, o: WebChatOptions): Promise<void> {
  const { client, asJson, json, print } = context;
  const bot = await findBot(client, word);
  if (o.new !== undefined)
    return told(context, await client.call('createWebChat', { params: { bot: bot.id }, body: { name: o.new } }));
  const { items } = await client.call('listChannels', { params: { bot: bot.id } });
  const chats = items.filter((c) => c.kind === 'web-chat');
  const found = o.channel === undefined ? chats[0] : chats.find((c) => c.id === o.channel || c.name === o.channel);
  if (!found)
    throw new CommandFailure(
      EXIT.missing,
      `${bot.name} has no such web chat. There are: ${chats.map((c) => c.name).join(', ') || 'none'}.`,
    );
  const params = { bot: bot.id, channel: found.id };
  if (o.set !== undefined) {
    const now = await client.call('getWebChat', { params });
    const more = settingsIn(o.set);
    return told(context, await client.call('setWebChat', { params, body: { ...now.settings, ...more } }));
  }
  if (o.key !== undefined) {
    const publicKey = o.publicKey === undefined ? undefined : textIn(o.publicKey);
    const body =
      publicKey === undefined
        ? ({ algorithm: 'HS256', id: o.key } as const)
        : ({ algorithm: 'RS256', id: o.key, publicKey } as const);
    const made = await client.call('addTokenKey', { params, body });
    if (asJson) return json(made);
    return print(made.secret === null ? `The key ${o.key} is kept.` : `The secret of ${o.key}, shown this once: ${made.secret}`);
  }
  if (o.withdraw !== undefined)
    return told(context, await client.call('withdrawTokenKey', { params: { ...params, key: o.withdraw } }));
  return told(context, await client.call('getWebChat', { params }));
}

function textIn(file: string): string {
  try {
    return readFileSync(file, 'utf8');
  } catch (error) {
    throw new CommandFailure(EXIT.usage, `${file} could not be read: ${(error as Error).message}.`);
  }
}

/** Settings of a web chat as a file has them; those that it leaves out stay. */
function settingsIn(file: string): object {
  const text = textIn(file);
  try {
    const read: unknown = JSON.parse(text);
    if (typeof read === 'object' && read !== null && !Array.isArray(read)) return read;
  } catch {
    // Said below.
  }
  throw new CommandFailure(EXIT.usage, `${file} holds no JSON object of settings (docs/web-chat.md).`);
}

function told({ asJson, json, print }: Context, chat: WebChat): void {
  if (asJson) return json(chat);
  const { name, on, link, tags, keys, settings } = chat;
  const ways = [
    ...(settings.signIn.mail ? ['a code by mail'] : []),
    ...(settings.signIn.service ? [settings.signIn.service.name] : []),
    ...keys.map((k) => `tokens of ${k.id} (${k.algorithm})`),
  ];
  print(`${name}, ${on ? 'on' : 'OFF'}\n`);
  print(`A page of its own   ${link}`);
  print(`A bubble            ${tags.bubble}`);
  print(`In a place          ${tags.inline}`);
  print(`Shown by            ${settings.origins.join(', ') || 'any page'}`);
  print(`Visitors sign in by ${ways.join(', ') || 'nothing'}`);
}
