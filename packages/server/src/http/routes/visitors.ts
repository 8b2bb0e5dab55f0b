import type { KeptVisitor, Visitor } from '@primrose/contract';
import { EMPTY_MEMORY, manyOf, wordsToForget, type Memory, type MemoryChange, type Values } from '@primrose/core';
import type { Clock } from '../../base/clock.js';
import { ownBot } from '../../bots/bots.js';
import type { BotLoader } from '../../bots/loader.js';
import { knownAsColumn, messageColumn, variablesColumn } from '../../store/columns.js';
import type { Db } from '../../store/database.js';
import { countFilesOf } from '../../store/files.js';
import { statement, transaction } from '../../store/hot.js';
import { eraseKey, keyedMemories, memoryColumn } from '../../store/memories.js';
import { changeMemoryOfVisitor, changeVariables, keptTogether, membersOf, MOST_MEMBERS } from '../../store/persons.js';
import { countSignIns, endSignIns } from '../../store/known.js';
import * as store from '../../store/visitors.js';
import type { Wakes } from '../../turns/wakes.js';
import { HttpProblem } from '../problem.js';
import { paged, PAGE, type Handlers } from '../route.js';

interface VisitorsParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly loader: BotLoader;
  readonly wakes: Wakes;
}

/** Lines that go into one exported file. */
const MOST_LINES = 20_000;
const MOST_KEYS = 200;

/** What is kept of visitors and under keys: shown, corrected, forgotten, erased, and handed out. */
export function visitorHandlers({ db, clock, loader, wakes }: VisitorsParts): Handlers {
  const own = async (personId: string, botId: string, id: string) => {
    const bot = await ownBot(db, personId, botId);
    const row = await store.findVisitor(db, bot.id, id);
    if (!row) throw new HttpProblem('not-found', 'Nothing is kept of such a visitor of this bot.');
    return { bot, row };
  };
  const together = async (botId: string, id: string) => {
    const members = await statement(db, (hot) => membersOf(hot, botId, id));
    return { members, ...keptTogether(members, manyOf((await loader.draft(botId)).bot.document)) };
  };
  const kept = async (botId: string, id: string): Promise<KeptVisitor> => {
    const row = await store.findVisitor(db, botId, id);
    if (!row) throw new HttpProblem('not-found', 'Nothing is kept of such a visitor of this bot.');
    const { members, values, memory } = await together(botId, id);
    const same = members.map((m) => m.id);
    const conversations = await store.conversationsOfVisitors(db, botId, same);
    const sum = async (of: (id: string) => Promise<number>) => (await Promise.all(same.map(of))).reduce((a, b) => a + b, 0);
    const others = await Promise.all(same.filter((s) => s !== id).map((s) => store.findVisitor(db, botId, s)));
    return {
      ...visitorView(row),
      facts: memory.facts.length,
      variables: Object.keys(values).length,
      signIns: await countSignIns(db, same, clock.now()),
      same: others.flatMap((o) => (o ? [{ id: o.id, by: o.kind, name: nameOf(o), person: o.person_id }] : [])),
      values,
      webhooks: await sum((s) => store.countWebhooksOf(db, s)),
      rows: await sum((s) => store.countRowsOf(db, botId, s)),
      files: await sum((s) => countFilesOf(db, botId, s)),
      known: memory.facts.map((f) => ({ ...f, was: f.was?.map((w) => ({ ...w })) })),
      exchanges: memory.exchanges.length,
      summary: memory.summary ? { says: memory.summary.says, at: memory.summary.at, by: memory.summary.by } : null,
      items: conversations.map((c) => ({
        id: c.id,
        channel: c.channel ?? '',
        openedAt: c.opened_at.toISOString(),
        lines: Number(c.lines),
        turns: Number(c.turns),
        events: Number(c.events),
      })),
    };
  };
  /** Changes what is known about a visitor, as turns do. */
  const change = async (botId: string, id: string, changes: readonly MemoryChange[]): Promise<KeptVisitor> => {
    const { document } = (await loader.draft(botId)).bot;
    const write = { changes, many: manyOf(document), at: clock.now() };
    await transaction(db, (hot) => changeMemoryOfVisitor(hot, { botId, visitorId: id }, write));
    return kept(botId, id);
  };
  /** Windows of a visitor look anew whose they are. */
  const wake = async (visitorId: string): Promise<void> => {
    for (const id of await store.openConversationsOf(db, visitorId)) wakes.wake(id);
  };
  const ownFact = async (personId: string, params: { bot: string; visitor: string; fact: string }) => {
    const { bot, row } = await own(personId, params.bot, params.visitor);
    const fact = (await together(bot.id, row.id)).memory.facts.find((f) => f.id === params.fact);
    if (!fact) throw new HttpProblem('not-found', 'Nothing like this is known of the visitor, or not any more.');
    return { bot, row, fact };
  };
  return {
    listVisitors: async ({ person, params, query }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const limit = query.limit ?? PAGE;
      const rows = await store.listVisitors(db, bot.id, { limit: limit + 1, after: query.after, name: query.name });
      return paged(rows, limit, visitorView, (r) => r.id);
    },
    getVisitor: async ({ person, params }) => {
      const { bot, row } = await own(person.id, params.bot, params.visitor);
      return kept(bot.id, row.id);
    },
    changeVisitor: async ({ person, params, body }) => {
      const { bot, row } = await own(person.id, params.bot, params.visitor);
      const declared = Object.keys((await loader.draft(bot.id)).bot.document.variables?.visitor ?? {});
      const there = Object.keys((await kept(bot.id, row.id)).values);
      const unknown = Object.keys(body.values).find((name) => !declared.includes(name) && !there.includes(name));
      if (unknown !== undefined)
        throw new HttpProblem(
          'invalid-input',
          `The bot keeps no variable "${unknown}" of visitors. It keeps: ${declared.join(', ') || 'none'}.`,
        );
      const changes = Object.entries(body.values as Values).map(([name, value]) => ({ op: 'set' as const, name, value }));
      const place = { botId: bot.id, visitorId: row.id, at: clock.now() };
      await transaction(db, (hot) => changeVariables(hot, place, changes));
      return kept(bot.id, row.id);
    },
    eraseVisitor: async ({ person, params }) => {
      const { bot, row } = await own(person.id, params.bot, params.visitor);
      await store.erasePerson(db, bot.id, row);
      return undefined;
    },
    joinVisitor: async ({ person, params, body }) => {
      const { bot, row } = await own(person.id, params.bot, params.visitor);
      const { row: other } = await own(person.id, params.bot, body.visitor);
      if (row.id === other.id) throw new HttpProblem('invalid-input', 'Name another visitor: this is the same one.');
      const joined = await transaction(db, (hot) =>
        store.joinVisitors(hot, { botId: bot.id, one: row.id, other: other.id, by: 'staff' }),
      );
      if (joined === 'many')
        throw new HttpProblem('invalid-input', `One person has at most ${MOST_MEMBERS} visitors. Part some of them first.`);
      return kept(bot.id, row.id);
    },
    endSignIns: async ({ person, params }) => {
      const { bot, row } = await own(person.id, params.bot, params.visitor);
      const { members } = await together(bot.id, row.id);
      await endSignIns(
        db,
        members.map((m) => m.id),
        clock.now(),
      );
      for (const { id } of members) await wake(id);
      return kept(bot.id, row.id);
    },
    partVisitor: async ({ person, params }) => {
      const { bot, row } = await own(person.id, params.bot, params.visitor);
      if (row.person_id === null)
        throw new HttpProblem(
          'invalid-input',
          'This visitor is known under no other one. Where others are known under this one, part those.',
        );
      await transaction(db, (hot) => store.partVisitor(hot, bot.id, row.id));
      await wake(row.id);
      return kept(bot.id, row.id);
    },
    changeFact: async ({ person, params, body }) => {
      const { bot, row, fact } = await ownFact(person.id, params);
      const { memory } = (await loader.draft(bot.id)).bot.document;
      const isText = memory?.facts?.[fact.about]?.type === 'text';
      const value = body.value === undefined ? (isText ? body.says : fact.value) : body.value;
      return change(bot.id, row.id, [{ op: 'correct', id: fact.id, says: body.says, value, at: clock.now().toISOString() }]);
    },
    forgetFact: async ({ person, params }) => {
      const { bot, row, fact } = await ownFact(person.id, params);
      const { document } = (await loader.draft(bot.id)).bot;
      const words = wordsToForget(document, [fact], fact.about, false);
      return change(bot.id, row.id, [{ op: 'forget', about: fact.about, id: fact.id, words }]);
    },
    forgetVisitor: async ({ person, params }) => {
      const { bot, row } = await own(person.id, params.bot, params.visitor);
      return change(bot.id, row.id, [{ op: 'forget-all' }]);
    },
    exportVisitor: async ({ person, params }) => {
      const { bot, row } = await own(person.id, params.bot, params.visitor);
      const visitor = await kept(bot.id, row.id);
      let left = MOST_LINES;
      const conversations = [];
      for (const { id, channel, openedAt } of visitor.items) {
        const lines = left > 0 ? await store.linesForExport(db, id, left) : [];
        left -= lines.length;
        const said = lines.map((l) => ({ at: l.at.toISOString(), who: l.who, text: messageColumn.read(l.message).text }));
        conversations.push({ id, channel, openedAt, lines: said });
      }
      const { memory } = await together(bot.id, row.id);
      return { visitor, recalled: memory.exchanges.map((e) => ({ ...e })), conversations, cut: left <= 0 };
    },
    listMemories: async ({ person, params, query }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const rows = await keyedMemories(db, bot.id, { limit: MOST_KEYS, begins: query.begins });
      const items = rows.map((r) => {
        const { facts, exchanges, summary } = memoryColumn.read(r.memory);
        return {
          id: r.holder,
          key: r.label ?? '',
          at: r.updated_at.toISOString(),
          facts: facts.length,
          exchanges: exchanges.length,
          summary: summary?.says ?? null,
        };
      });
      return { items, next: null };
    },
    eraseMemory: async ({ person, params }) => {
      const bot = await ownBot(db, person.id, params.bot);
      if (!(await eraseKey(db, bot.id, params.memory))) throw new HttpProblem('not-found', 'Nothing is kept under such a key.');
      return undefined;
    },
  };
}

const memoryIn = ({ memory }: store.KeptVisitorRow): Memory => (memory === null ? EMPTY_MEMORY : memoryColumn.read(memory));

/** As people call a visitor: as whoever vouches for them says, or as they call themselves. */
const nameOf = ({ who, name }: store.KeptVisitorRow): string | null =>
  (who === null ? null : knownAsColumn.read(who).name) ?? name;

function visitorView(row: store.KeptVisitorRow): Visitor {
  return {
    id: row.id,
    by: row.kind,
    name: nameOf(row),
    email: row.who === null ? null : knownAsColumn.read(row.who).email,
    linkedBy: row.linked_by,
    firstAt: row.created_at.toISOString(),
    conversations: Number(row.conversations),
    variables: Object.keys(variablesColumn.read(row.variables)).length,
    facts: memoryIn(row).facts.length,
    person: row.person_id,
  };
}
