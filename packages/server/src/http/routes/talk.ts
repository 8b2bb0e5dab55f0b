import { waitingAt } from '@primrose/core';
import { ownBot } from '../../bots/bots.js';
import { rowRecord } from '../../simulations/records.js';
import { stateColumn } from '../../store/columns.js';
import * as store from '../../store/conversations.js';
import { findSimulation, simulatedTurns } from '../../store/simulations.js';
import type { Db } from '../../store/database.js';
import { HttpProblem } from '../problem.js';
import type { Handlers } from '../route.js';
import { turnView } from '../views.js';

/** The turn sheets of any conversation, real or simulated. */
export function talkHandlers({ db }: { readonly db: Db }): Handlers {
  return {
    listTurns: async ({ person, params }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const simulation = await findSimulation(db, bot.id, params.conversation);
      if (simulation) return { items: (await simulatedTurns(db, simulation.id)).map(rowRecord), next: null };
      const conversation = await store.conversationOfBot(db, bot.id, params.conversation);
      if (!conversation) throw new HttpProblem('not-found', 'This bot has no such conversation.');
      const rows = await store.listTurns(db, conversation.id);
      const state = stateColumn.read(conversation.state);
      return { items: rows.map((r, i) => turnView(r, i === rows.length - 1 ? waitingAt(state) : null)), next: null };
    },
  };
}
