import { writeFile } from 'node:fs/promises';
import { isTable, type Value } from '@primrose/core';
import { everyPage, RECORD_KINDS, type ConnectionState } from '@primrose/contract';
import { assertMeant, count, findBot, table, type Context, readSecret } from '../context.js';
import { CommandFailure, EXIT } from '../outcome.js';

const moment = (at: string): string => at.slice(0, 16).replace('T', ' ');

export interface ConnectionOptions {
  readonly address?: string;
  readonly standIn?: string;
  readonly secret?: boolean;
  readonly test?: boolean;
  readonly tools?: boolean;
}

/** The connections of a bot: where each leads, what stands in for it, and whether its secret is kept. */
export async function cmdConnections(
  context: Context,
  word: string,
  name: string | undefined,
  options: ConnectionOptions,
): Promise<void> {
  const { client, asJson, json, print } = context;
  const bot = await findBot(client, word);
  const { address, standIn, secret, test, tools } = options;
  if (name === undefined && (address !== undefined || standIn !== undefined || secret || test || tools))
    throw new CommandFailure(EXIT.usage, `Say of which connection: primrose connections ${word} CONNECTION --address …`);
  const params = { bot: bot.id, connection: name ?? '' };
  const orNone = (url: string) => (url === '-' ? null : url);
  const body = {
    ...(address === undefined ? {} : { address: orNone(address) }),
    ...(standIn === undefined ? {} : { standIn: orNone(standIn) }),
  };
  if (Object.keys(body).length > 0) await client.call('setConnection', { params, body });
  if (secret) {
    const given = await readSecret(context.io);
    await client.call('setSecret', { params, body: { secret: given === '' ? null : given } });
  }
  if (test) return testedConnection(context, params);
  if (tools) return toolsOf(context, params);
  const { items } = await client.call('listConnections', { params: { bot: bot.id } });
  const shown = name === undefined ? items : items.filter((c) => c.name === name);
  if (name !== undefined && shown.length === 0)
    throw new CommandFailure(
      EXIT.missing,
      `${bot.name} has no connection "${name}". There are: ${items.map((c) => c.name).join(', ')}.`,
    );
  if (asJson) return json({ items: shown });
  if (shown.length === 0) return print(`${bot.name} has no connections.`);
  print(table([['CONNECTION', 'ADDRESS', 'STAND-IN', 'SECRET'], ...shown.map(connectionRow)]));
}

interface OfConnection {
  readonly bot: string;
  readonly connection: string;
}

/** Tries a model service: how it answers, and which models it offers; exit code 3 where it does not work. */
async function testedConnection({ client, asJson, json, print }: Context, params: OfConnection): Promise<void> {
  const tested = await client.call('testConnection', { params });
  if (asJson) json(tested);
  else print([tested.says, ...tested.models.map((m) => `  ${m}`)].join('\n'));
  if (tested.outcome !== 'works') throw new CommandFailure(EXIT.problems, `${params.connection}: ${tested.outcome}.`);
}

/** The tools that the MCP server of a connection offers, with what each takes. */
async function toolsOf({ client, asJson, json, print }: Context, params: OfConnection): Promise<void> {
  const { tools } = await client.call('listTools', { params });
  if (asJson) return json({ tools });
  const rows = Object.entries(tools).map(([name, t]) => [name, takenBy(t.takes) || 'nothing', t.about ?? '']);
  print(rows.length === 0 ? 'The server offers no tools.' : table([['TOOL', 'TAKES', 'ABOUT'], ...rows]));
}

/** The names of what a tool takes, of its JSON Schema. */
function takenBy(schema: Value | undefined): string {
  const { properties } = (isTable(schema) ? schema : {}) as { readonly properties?: Value };
  return Object.keys(isTable(properties) ? properties : {}).join(', ');
}

function connectionRow(c: ConnectionState): string[] {
  const secret = c.auth === null ? 'wants none' : c.secret ? `kept (${c.auth})` : `MISSING (${c.auth})`;
  return [c.name, c.address ?? (c.written === null ? 'NONE' : `${c.written} (as written)`), c.standIn ?? 'none', secret];
}

/** How long each kind of record is kept; changes it where times are given. */
export async function cmdRetention(
  { client, asJson, json, print }: Context,
  word: string,
  set: string | undefined,
): Promise<void> {
  const bot = await findBot(client, word);
  const params = { bot: bot.id };
  const { items } =
    set === undefined
      ? await client.call('getRetention', { params })
      : await client.call('setRetention', { params, body: timesIn(set) });
  if (asJson) return json({ items });
  const rows = items.map((k) => [k.kind, count(k.days ?? k.usual, 'day'), k.days === null ? 'usual' : '', k.about]);
  print(table([['RECORDS', 'KEPT FOR', '', 'WHAT THEY ARE'], ...rows]));
}

function timesIn(text: string): Record<string, number | null> {
  return Object.fromEntries(
    text.split(',').map((part) => {
      const [kind = '', days = ''] = part.split('=').map((t) => t.trim());
      if (!(RECORD_KINDS as readonly string[]).includes(kind) || !/^([1-9]\d{0,4}|usual)$/.test(days))
        throw new CommandFailure(
          EXIT.usage,
          `"${part}" cannot be read. Write a kind and its days, such as conversations=90 or sheets=usual. Kinds: ${RECORD_KINDS.join(', ')}.`,
        );
      return [kind, days === 'usual' ? null : Number(days)];
    }),
  );
}

interface VisitorsOptions {
  readonly name?: string;
  readonly limit: string;
}

/** The visitors of whom something is kept, the newest first. */
export async function cmdVisitors(
  { client, asJson, json, print }: Context,
  word: string,
  options: VisitorsOptions,
): Promise<void> {
  const bot = await findBot(client, word);
  const limit = Math.max(1, Math.min(200, Number(options.limit) || 20));
  const query = { limit, ...(options.name === undefined ? {} : { name: options.name }) };
  const { items } = await client.call('listVisitors', { params: { bot: bot.id }, query });
  if (asJson) return json({ items });
  if (items.length === 0) return print('Nothing is kept of anybody.');
  const rows = items.map((v) => [
    moment(v.firstAt),
    v.name ?? '',
    BY[v.by],
    count(v.conversations, 'conversation'),
    count(v.variables, 'value'),
    count(v.facts, 'fact'),
    v.id,
  ]);
  print(table([['SINCE', 'NAME', 'BY', '', '', '', 'ID'], ...rows]));
}

const BY = { key: 'web chat', sender: 'messenger', 'signed-in': 'web chat, signed in', person: 'a person' } as const;

export interface VisitorOptions {
  readonly erase?: boolean;
  readonly yes?: boolean;
  /** A kind of fact, or `all`. */
  readonly forget?: string;
  /** The id of another visitor who is the same person. */
  readonly same?: string;
  readonly part?: boolean;
  readonly out?: string;
}

/** Forgets facts of a visitor: of one kind, or all, with what models recall. */
async function forget({ client, asJson, json, print }: Context, params: { bot: string; visitor: string }, kind: string) {
  const { known } = await client.call('getVisitor', { params });
  if (kind === 'all') {
    await client.call('forgetVisitor', { params });
    return asJson
      ? json({ forgotten: known.length })
      : print(`Forgotten: ${count(known.length, 'fact')}, and what models recall.`);
  }
  const facts = known.filter((f) => f.about === kind || f.id === kind);
  if (facts.length === 0)
    throw new CommandFailure(
      EXIT.missing,
      `Nothing is known of this visitor as "${kind}". Known: ${known.map((f) => f.about).join(', ') || 'nothing'}.`,
    );
  for (const fact of facts) await client.call('forgetFact', { params: { ...params, fact: fact.id } });
  return asJson ? json({ forgotten: facts.length }) : print(`Forgotten: ${facts.map((f) => f.says).join('; ')}`);
}

/** Everything that is kept of a visitor: shown, forgotten in parts, taken out, or erased. */
export async function cmdVisitor(context: Context, word: string, id: string, options: VisitorOptions): Promise<void> {
  const { client, asJson, json, print } = context;
  const bot = await findBot(client, word);
  const params = { bot: bot.id, visitor: id };
  const kept = await client.call('getVisitor', { params });
  if (options.erase) {
    await assertMeant(context, options.yes, `Erase everything of ${kept.name ?? 'this visitor'}? It cannot be undone.`);
    await client.call('eraseVisitor', { params });
    return asJson ? json({ erased: id }) : print('Everything of this visitor is erased.');
  }
  if (options.same !== undefined) {
    const joined = await client.call('joinVisitor', { params, body: { visitor: options.same } });
    return asJson ? json(joined) : print('Both are one person now; what was said last counts.');
  }
  if (options.part) {
    const parted = await client.call('partVisitor', { params });
    return asJson ? json(parted) : print('This visitor is nobody else any more, and known by nothing.');
  }
  if (options.forget !== undefined) return forget(context, params, options.forget);
  if (options.out !== undefined) {
    const all = await client.call('exportVisitor', { params });
    await writeFile(options.out, `${JSON.stringify(all, null, 2)}\n`);
    return asJson ? json({ out: options.out }) : print(`Everything of this visitor stands in ${options.out}.`);
  }
  if (asJson) return json(kept);
  print(`${kept.name ?? kept.email ?? 'A visitor'} (${BY[kept.by]}), since ${moment(kept.firstAt)}`);
  if (kept.email !== null) print(`  e-mail: ${kept.email}`);
  if (kept.linkedBy !== null) print(`  known by ${kept.linkedBy === 'staff' ? 'what staff said' : 'a sign-in'}`);
  for (const o of kept.same) print(`  the same person as ${o.name ?? 'a visitor'} (${BY[o.by]})  ${o.id}`);
  for (const [name, value] of Object.entries(kept.values)) print(`  ${name}: ${JSON.stringify(value)}`);
  for (const f of kept.known) {
    print(`  fact ${f.about}: ${f.says} (since ${moment(f.at)})`);
    for (const w of f.was ?? []) print(`    before: ${w.says} (until ${moment(w.until)})`);
  }
  if (kept.summary) print(`  in short: ${kept.summary.says}`);
  if (kept.exchanges > 0) print(`  ${count(kept.exchanges, 'exchange')} for models to recall`);
  if (kept.files > 0) print(`  ${count(kept.files, 'file')}`);
  if (kept.webhooks > 0) print(`  ${count(kept.webhooks, 'webhook')}`);
  if (kept.rows > 0) print(`  ${count(kept.rows, 'row')} of tables`);
  for (const c of kept.items)
    print(
      `  ${moment(c.openedAt)}  ${count(c.lines, 'line')}, ${count(c.turns, 'turn sheet')}, ${count(c.events, 'event')}  primrose conversation ${word} ${c.id}`,
    );
}

/** Events that were put aside; with an event, has it answered after all. */
export async function cmdAside({ client, asJson, json, print }: Context, word: string, event: string | undefined): Promise<void> {
  const bot = await findBot(client, word);
  if (event !== undefined) {
    const done = await client.call('tryAsideAgain', { params: { bot: bot.id, event } });
    return asJson ? json(done) : print(`It is answered now: primrose conversation ${word} ${done.conversation}`);
  }
  const items = await everyPage((query) => client.call('listAside', { params: { bot: bot.id }, query }), 10);
  if (asJson) return json({ items });
  if (items.length === 0) return print('Nothing was put aside.');
  const rows = items.map((a) => [
    moment(a.at),
    (a.said ?? '').slice(0, 40),
    a.againAt === null ? '' : 'tried again',
    a.reason.slice(0, 60),
    a.event,
  ]);
  print(table([['WHEN', 'SAID', '', 'WHY', 'EVENT'], ...rows]));
}
