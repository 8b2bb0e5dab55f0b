import type { Kept, RecordKind } from '@primrose/contract';
import type { IncomingEvent } from '@primrose/core';
import { ownBot } from '../../bots/bots.js';
import type { Clock } from '../../base/clock.js';
import { KINDS, readTimes, type OwnTimes } from '../../retention/kinds.js';
import * as aside from '../../store/aside.js';
import { eventColumn } from '../../store/columns.js';
import type { Db } from '../../store/database.js';
import { retentionOf, setRetention } from '../../store/retention.js';
import type { Turns } from '../../turns/turns.js';
import { HttpProblem } from '../problem.js';
import { paged, PAGE, type Handlers } from '../route.js';
import { asideView } from '../views.js';

interface KeepingParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly turns: Turns;
}

/** How long records are kept, and events that were put aside. */
export function keepingHandlers({ db, clock, turns }: KeepingParts): Handlers {
  const times = async (botId: string) => ({ items: keptViews(readTimes(await retentionOf(db, botId))), next: null });
  return {
    getRetention: async ({ person, params }) => times((await ownBot(db, person.id, params.bot)).id),
    setRetention: async ({ person, params, body }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const before = readTimes(await retentionOf(db, bot.id));
      const after = Object.fromEntries(
        Object.entries({ ...before, ...body }).filter(([, days]) => days !== null && days !== undefined),
      );
      await setRetention(db, bot.id, Object.keys(after).length === 0 ? null : JSON.stringify(after));
      return times(bot.id);
    },
    listAside: async ({ person, params, query }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const limit = query.limit ?? PAGE;
      return paged(await aside.listAside(db, bot.id, limit + 1, query.after), limit, asideView, (r) => r.event_id);
    },
    tryAsideAgain: async ({ person, params }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const row = await aside.findAside(db, bot.id, params.event);
      if (!row)
        throw new HttpProblem('not-found', 'This bot has put no such event aside, or its conversation is not kept any more.');
      if (row.event === null || row.source === null)
        throw new HttpProblem('not-found', 'The event itself is not kept any more, so it cannot be tried again.');
      const at = clock.now();
      if (!(await aside.markAgain(db, row.event_id, at)))
        throw new HttpProblem('not-aside', 'This event was tried again already. If it failed again, it stands in the list anew.');
      const event: IncomingEvent = { ...eventColumn.read(row.event), at: at.toISOString() };
      const externalId = `again ${row.event_id}`;
      await turns.take({ conversationId: row.conversation_id, botId: bot.id, source: row.source, externalId, event });
      return asideView({ ...row, again_at: at });
    },
  };
}

function keptViews(times: OwnTimes): Kept[] {
  return (Object.keys(KINDS) as RecordKind[]).map((kind) => ({ kind, ...KINDS[kind], days: times[kind] ?? null }));
}
