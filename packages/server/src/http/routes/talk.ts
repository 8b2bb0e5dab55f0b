import type { Session } from '@primrose/core';
import { newId } from '../../clock.js';
import { ownBot } from '../../bots.js';
import { simulatorChannel } from '../../store/channels.js';
import * as store from '../../store/conversations.js';
import { firstState } from '../../turns/turns.js';
import type { Parts } from '../app.js';
import { HttpProblem } from '../problem.js';
import type { Handlers } from '../route.js';
import { turnView } from '../views.js';

/** How long the simulator waits for a turn before it says that the turn goes on. */
const TURN_WAIT_MS = 60_000;

/** The simulator, and the turn sheets of any conversation. */
export function talkHandlers({ db, clock, turns, loader }: Parts): Handlers {
  const finished = async (row: store.TurnRow | undefined) => {
    if (!row)
      throw new HttpProblem(
        'not-ready',
        'The turn takes longer than a minute and goes on. Read it later from the list of turns.',
      );
    return turnView(row, await waitsAt(row.conversation_id));
  };
  const waitsAt = async (conversationId: string) => {
    const conversation = await store.findConversation(db, conversationId);
    const state = conversation && (JSON.parse(conversation.state) as Session);
    const frame = state?.waiting ? state.frames.at(-1) : undefined;
    return frame ? { flow: frame.flow, node: frame.node } : null;
  };
  const conversationOf = async (ownerId: string, botId: string, id: string) => {
    const bot = await ownBot(db, ownerId, botId);
    const conversation = await store.conversationOfBot(db, bot.id, id);
    if (!conversation) throw new HttpProblem('not-found', 'This bot has no such conversation.');
    return conversation;
  };
  return {
    openSimulation: async ({ person, params, body }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const channel = await simulatorChannel(db, bot.id);
      if (!channel) throw new Error(`bot ${bot.id} has no simulator channel`);
      const id = newId(clock);
      const name = body.name ?? null;
      const state = firstState(await loader.draft(bot.id), body.language);
      await store.insertConversation(db, {
        id,
        botId: bot.id,
        channelId: channel.id,
        visitorId: null,
        releaseId: null,
        state,
        visitorName: name,
        at: clock.now(),
      });
      const event = {
        type: 'open',
        at: clock.now().toISOString(),
        channel: 'simulator',
        ...(name === null ? {} : { name }),
      } as const;
      return finished(
        await turns.takeAndWait({ conversationId: id, channelId: channel.id, externalId: `open-${id}`, event }, TURN_WAIT_MS),
      );
    },
    saySimulation: async ({ person, params, body }) => {
      const conversation = await conversationOf(person.id, params.bot, params.conversation);
      const channel = await simulatorChannel(db, conversation.bot_id);
      if (channel?.id !== conversation.channel_id)
        throw new HttpProblem('not-found', 'This is a real conversation; only simulated ones can be talked to here.');
      const { id, text, choice } = body;
      const name = conversation.visitor_name;
      const event = {
        type: 'message',
        at: clock.now().toISOString(),
        channel: 'simulator',
        ...(text === undefined ? {} : { text }),
        ...(choice === undefined ? {} : { choice }),
        ...(name === null ? {} : { name }),
      } as const;
      const shown = { id, text: text ?? choice ?? '' };
      return finished(
        await turns.takeAndWait(
          {
            conversationId: conversation.id,
            channelId: channel.id,
            externalId: `${conversation.id}-${id}`.slice(0, 80),
            event,
            shown,
          },
          TURN_WAIT_MS,
        ),
      );
    },
    listTurns: async ({ person, params }) => {
      const conversation = await conversationOf(person.id, params.bot, params.conversation);
      const rows = await store.listTurns(db, conversation.id);
      const waiting = await waitsAt(conversation.id);
      return { items: rows.map((r, i) => turnView(r, i === rows.length - 1 ? waiting : null)), next: null };
    },
  };
}
