import { everyPage } from '@primrose/contract';
import { plainText, textOf, type LookedUp, type Understood } from '@primrose/core';
import { findBot, table, type Context } from '../context.js';
import { CommandFailure, EXIT } from '../outcome.js';

const score = (n: number): string => n.toFixed(2);

/** What the draft understands a text as. */
export async function cmdUnderstand(
  { client, asJson, json, print }: Context,
  word: string,
  text: string,
  { language }: { readonly language?: string },
): Promise<void> {
  const bot = await findBot(client, word);
  const body = { text, ...(language === undefined ? {} : { language }) };
  const answer = await client.call('understand', { params: { bot: bot.id }, body });
  if (asJson) return json(answer);
  const { intents, values } = answer.understood;
  if (intents.length === 0) print('Nothing that the bot listens for is like it.');
  const roles = (r: (typeof intents)[number]['roles']) =>
    Object.entries(r)
      .map(([role, v]) => `${role} ${textOf(v)}`)
      .join(', ');
  print(table(intents.map((i) => [score(i.score), i.intent, roles(i.roles)])));
  for (const line of whyLines(answer.understood)) print(line);
  if (values.length > 0) print(`\n${table(values.map((v) => [v.entity, textOf(v.value), `"${v.text}"`, v.by ?? '']))}`);
}

/** Why the first intent came first, in lines. */
function whyLines({ why, mended, language }: Understood): string[] {
  const words = (of: string, list: readonly { readonly word: string }[]) =>
    list.length > 0 ? [`${of} it: ${list.map((w) => w.word).join(', ')}`] : [];
  return [
    ...words('for', why?.for ?? []),
    ...words('against', why?.against ?? []),
    ...(why?.nearest ? [`nearest phrase: "${why.nearest.phrase}" (${why.nearest.intent})`] : []),
    ...(mended ?? []).map((m) => `"${m.said}" is read as "${m.read}"`),
    ...(language === undefined ? [] : [`said in ${language}`]),
  ];
}

export interface LookupOptions {
  readonly in?: string;
  readonly before?: string;
  readonly language?: string;
  readonly most?: string;
}

/** What the bot's documents have on a question: in one base, or in all of them together. */
export async function cmdLookup(context: Context, word: string, question: string, options: LookupOptions): Promise<void> {
  const { client, asJson, json, print } = context;
  const bot = await findBot(client, word);
  const { document } = await client.call('getDraft', { params: { bot: bot.id } });
  const bases = Object.keys(document.knowledge ?? {});
  const [knowledge, ...also] = options.in === undefined ? bases : [options.in];
  if (knowledge === undefined) throw new CommandFailure(EXIT.usage, `${bot.name} has no knowledge base.`);
  const { before, language } = options;
  const body = {
    question,
    ...(also.length > 0 ? { also: also.slice(0, 4) } : {}),
    ...(before === undefined ? {} : { before }),
    ...(language === undefined ? {} : { language }),
    ...(options.most === undefined ? {} : { most: Number(options.most) }),
  };
  const answer = await client.call('askKnowledge', { params: { bot: bot.id, knowledge }, body });
  if (asJson) return json(answer);
  print(lookedUpText(answer.found));
}

/** What was found, in words: whether it is covered, and each passage with where it stands and why it ranks there. */
function lookedUpText({ covered, chance, passages, missing, mended = {}, asked, waiting = 0 }: LookedUp): string {
  const lines = [
    `${covered ? 'Covered.' : 'Not covered.'}${missing.length > 0 ? ` In no document: ${missing.join(', ')}.` : ''}`,
    ...(chance === undefined ? [] : [`With a chance of ${Math.round(chance * 100)} %.`]),
    ...(asked === undefined ? [] : [`Looked up as: ${asked}`]),
    ...Object.entries(mended).map(([said, read]) => `"${said}" was taken for "${read}…".`),
    ...(waiting > 0 ? [`${waiting} documents are not ready yet.`] : []),
  ];
  const found = passages.map((p) => {
    const place = `${p.title}${p.heading === '' ? '' : ` › ${p.heading}`}${p.page === undefined ? '' : `, page ${p.page}`}`;
    const words = p.why?.words.slice(0, 6).map((w) => w.word) ?? [];
    const why = words.length > 0 ? `\n    by ${words.join(', ')}` : '';
    return `\n[${p.number}] ${place}  (${score(p.score)})${why}\n${p.quote}`;
  });
  return [lines[0] ?? '', ...found, ...(lines.length > 1 ? ['', ...lines.slice(1)] : [])].join('\n');
}

/** The channels of a bot and what they serve. */
export async function cmdChannels({ client, asJson, json, print }: Context, word: string): Promise<void> {
  const bot = await findBot(client, word);
  const { items } = await client.call('listChannels', { params: { bot: bot.id } });
  if (asJson) return json({ items });
  const rows = items.map((c) => [
    c.name,
    c.kind,
    c.on ? 'on' : 'OFF',
    c.live === null ? 'nothing yet' : `Release ${c.live}${c.serves === 'live' ? '' : ' (bound)'}`,
    String(c.conversations),
    c.link,
  ]);
  print(table([['NAME', 'KIND', '', 'SERVES', 'TALKS', 'ADDRESS'], ...rows]));
}

interface ConversationsOptions {
  readonly handed?: boolean;
  readonly limit: string;
}

/** The conversations with visitors, or those that wait for a person. */
export async function cmdConversations(
  { client, asJson, json, print }: Context,
  word: string,
  o: ConversationsOptions,
): Promise<void> {
  const bot = await findBot(client, word);
  const limit = Math.max(1, Math.min(200, Number(o.limit) || 20));
  const query = { limit, ...(o.handed ? { state: 'handed' as const } : {}) };
  const { items, handed } = await client.call('listConversations', { params: { bot: bot.id }, query });
  if (asJson) return json({ items, handed });
  const rows = items.map((c) => [
    c.lastAt.slice(0, 16).replace('T', ' '),
    c.channel.name,
    c.visitor ?? '',
    String(c.turns),
    c.handed ? 'handed over' : c.endedAt === null ? '' : 'ended',
    (c.said ?? '').slice(0, 48),
    c.id,
  ]);
  print(table([['LAST', 'CHANNEL', 'VISITOR', 'TURNS', '', 'SAID', 'ID'], ...rows]));
  if (handed > 0) print(`\n${handed === 1 ? '1 conversation waits' : `${handed} conversations wait`} for a person.`);
}

const SPEAKERS = { visitor: 'VISITOR', bot: 'BOT', staff: 'STAFF', notice: 'NOTICE' } as const;

/** One conversation as a play script. */
export async function cmdConversation(
  { client, asJson, json, print }: Context,
  word: string,
  conversation: string,
): Promise<void> {
  const bot = await findBot(client, word);
  const params = { bot: bot.id, conversation };
  const found = await client.call('getConversation', { params });
  const lines = [...found.lines.items];
  for (let after = found.lines.next; after !== null;) {
    const more = await client.call('getConversation', { params, query: { after } });
    lines.push(...more.lines.items);
    after = more.lines.next;
  }
  const turns = await everyPage((query) => client.call('listTurns', { params, query }));
  if (asJson) return json({ conversation: found.conversation, lines, turns });
  const { channel, visitor, handed, release } = found.conversation;
  print(
    `${visitor ?? 'A visitor'}, ${channel.name}, ${release === null ? 'draft' : `Release ${release}`}, ${turns.length} turns`,
  );
  if (handed) print(`Handed over: ${handed.reason}`);
  for (const l of lines) {
    print(`${SPEAKERS[l.who].padStart(8)}  ${plainText(l.message.blocks).replaceAll('\n', `\n${' '.repeat(10)}`)}`);
    for (const c of l.message.cites ?? [])
      print(`${' '.repeat(10)}[${c.number}] ${c.title}${c.heading === '' ? '' : ` › ${c.heading}`}`);
    if (l.failed !== undefined) print(`${' '.repeat(10)}NOT DELIVERED: ${l.failed}`);
  }
}
