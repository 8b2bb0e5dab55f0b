import type { Request, Response } from 'express';
import type { Simulation, LiveEvent, RehearsalRun } from '@primrose/contract';
import { EMPTY_MEMORY, factValues, isZone, memoryOf, nearest, type BotDocument, type Memory, type Values } from '@primrose/core';
import { ownBot, ownDraft } from '../../bots/bots.js';
import { newId } from '../../base/clock.js';
import { beginEventStream } from '../../base/event-stream.js';
import { acceptDocument } from '../../bots/documents.js';
import { pausedIn, rowRecord } from '../../simulations/records.js';
import { momentOf, settingsColumn, USUAL, type SimulationSettings } from '../../simulations/settings.js';
import type { Ran, Simulations } from '../../simulations/simulations.js';
import * as columns from '../../store/columns.js';
import { memoryColumn } from '../../store/memories.js';
import { keepRehearsalRun, lastRehearsalRun } from '../../store/rehearsal-runs.js';
import * as store from '../../store/simulations.js';
import type { Logger } from 'pino';
import type { BotParts } from '../../bots/bots.js';
import type { BotLoader } from '../../bots/loader.js';
import type { Rehearsing } from '../../rehearsals/rehearsing.js';
import { Refused } from '../../base/refused.js';
import { detailsOf, HttpProblem } from '../problem.js';
import { paged, PAGE, type Handlers } from '../route.js';

/** What a request says of a simulation's settings. */
interface SettingsAsked {
  readonly speaker?:
    { readonly [K in keyof SimulationSettings['speaker']]?: SimulationSettings['speaker'][K] | undefined } | undefined;
  readonly clock?: { at: string; runs: boolean } | null | undefined;
  readonly outside?: SimulationSettings['outside'] | undefined;
  readonly samples?: readonly string[] | undefined;
  readonly rows?: SimulationSettings['rows'] | undefined;
}

interface SimulationParts extends BotParts {
  readonly loader: BotLoader;
  readonly simulations: Simulations;
  readonly rehearsing: Rehearsing;
  readonly log: Logger;
}

const KEEP_ALIVE_MS = 15_000;

/** Trying the draft: simulations, made-up visitors, rehearsals. */
export function simulationHandlers(parts: SimulationParts): Handlers {
  const { db, clock, loader, simulations, rehearsing } = parts;

  const own = async (personId: string, botId: string, id: string) => {
    const bot = await ownBot(db, personId, botId);
    const row = await store.findSimulation(db, bot.id, id);
    if (!row) throw new Refused('no-simulation', {});
    return row;
  };
  const view = async (row: store.SimulationRow, document: BotDocument): Promise<Simulation> => {
    const settings = settingsColumn.read(row.settings);
    return {
      id: row.id,
      name: row.name,
      by: row.by,
      openedAt: row.opened_at.toISOString(),
      lastAt: row.last_at.toISOString(),
      turns: row.turns,
      said: row.said,
      head: row.head,
      speaker: settings.speaker,
      clock: settings.clock,
      outside: await simulations.modes(row.bot_id, document, settings.outside),
      samples: [...settings.samples],
      rows: settings.rows ?? 'practice',
    };
  };
  const shown = async (personId: string, botId: string, id: string) => {
    const { bot } = await loader.draft(botId);
    return view(await own(personId, botId, id), bot.document);
  };
  /** What becomes of a simulation's settings by what is asked, whatever they are by then. */
  const changing = async (botId: string, asked: SettingsAsked): Promise<(before: SimulationSettings) => SimulationSettings> => {
    const zone = asked.speaker?.zone ?? null;
    if (zone !== null && !isZone(zone))
      throw new HttpProblem('invalid-input', `There is no time zone "${zone}". Use a name such as Europe/Dublin.`);
    const visitor = asked.speaker?.visitor;
    const made = typeof visitor === 'string' ? await store.madeUpVisitor(db, { bot_id: botId, id: visitor }) : undefined;
    if (typeof visitor === 'string' && !made)
      throw new HttpProblem('not-found', 'This bot has no such made-up visitor; somebody may have removed them.');
    const theirs = made && {
      name: made.name,
      language: made.language,
      zone: made.zone,
      ...(made.channel === null ? {} : { channel: made.channel }),
    };
    return (before) => ({
      speaker: { ...before.speaker, ...theirs, ...known(asked.speaker ?? {}) },
      clock: asked.clock === undefined ? before.clock : asked.clock && { ...asked.clock, set: clock.now().toISOString() },
      outside: { ...before.outside, ...asked.outside },
      samples: asked.samples ?? before.samples,
      rows: asked.rows ?? before.rows ?? 'practice',
    });
  };
  const create = async (personId: string, botId: string, asked: SettingsAsked): Promise<store.SimulationRow> => {
    const bot = await ownBot(db, personId, botId);
    const id = newId(clock);
    const settings = settingsColumn.write((await changing(bot.id, asked))(USUAL));
    await store.insertSimulation(db, { id, botId: bot.id, personId, settings, at: clock.now() });
    return own(personId, bot.id, id);
  };
  const finished = (ran: Ran) => {
    if ('turn' in ran) return ran.turn;
    throw new Error('a turn paused that was not run step by step');
  };
  const silent = { stepping: false, tell: () => undefined } as const;
  /** Told as server-sent events until the turn is done; it goes on when the window goes away. */
  const tellLive = async (
    req: Request,
    res: Response,
    work: (tell: (event: LiveEvent) => void) => Promise<Ran>,
  ): Promise<undefined> => {
    beginEventStream(res);
    const write = (text: string) => void (res.destroyed || res.write(text));
    const tell = ({ event, ...data }: LiveEvent) => write(`event: ${event}\ndata: ${JSON.stringify(data)}\n\n`);
    const endAlive = clock.every(KEEP_ALIVE_MS, () => write(': alive\n\n'));
    try {
      const ran = await work(tell);
      if ('turn' in ran) tell({ event: 'turn', turn: ran.turn });
      else tell({ event: 'paused', paused: ran.paused });
    } catch (error) {
      const known = detailsOf(error);
      if (!known) parts.log.error({ err: error, path: req.path }, 'a simulated turn failed');
      tell({ event: 'problem', detail: known?.detail ?? 'The turn could not be run; the reason is in the log of the service.' });
    } finally {
      endAlive();
      res.end();
    }
    return undefined;
  };
  const keepRun = async (botId: string, run: RehearsalRun): Promise<RehearsalRun> => {
    await keepRehearsalRun(db, botId, columns.runColumn.write(run));
    return run;
  };

  return {
    openSimulation: async ({ person, params, body }) => {
      const { language, name, speaker, ...more } = body;
      const asked = {
        ...more,
        speaker: { ...speaker, ...(language === undefined ? {} : { language }), ...(name === undefined ? {} : { name }) },
      };
      const row = await create(person.id, params.bot, asked);
      const event = { type: 'open' } as const;
      return finished(await simulations.run(row, { externalId: 'open', after: null, event, ...silent }));
    },
    createSimulation: async ({ person, params, body }) => {
      const row = await create(person.id, params.bot, body);
      return shown(person.id, params.bot, row.id);
    },
    listSimulations: async ({ person, params, query }) => {
      const { bot, document } = await ownDraft(parts, person.id, params.bot);
      const limit = query.limit ?? PAGE;
      const before = momentCursor(query.after);
      const rows = await store.listSimulations(db, bot.id, { find: query.find, before, limit: limit + 1 });
      const { next } = paged(
        rows,
        limit,
        (r) => r,
        (r) => String(r.last_at.getTime()),
      );
      return { items: await Promise.all(rows.slice(0, limit).map((r) => view(r, document))), next };
    },
    getSimulation: async ({ person, params }) => {
      const row = await own(person.id, params.bot, params.conversation);
      const turns = await store.simulatedTurns(db, row.id);
      const simulation = await shown(person.id, params.bot, row.id);
      return { simulation, turns: turns.map(rowRecord), paused: pausedIn(row) };
    },
    changeSimulation: async ({ person, params, body }) => {
      const row = await own(person.id, params.bot, params.conversation);
      const { name, head, ...asked } = body;
      if (typeof head === 'string' && !(await store.simulatedTurn(db, { simulation_id: row.id, id: head })))
        throw new Refused('no-simulated-turn', {});
      const also = {
        ...(name === undefined ? {} : { name: name === '' ? null : name }),
        ...(head === undefined ? {} : { head, paused: null }),
      };
      if (Object.values(asked).every((value) => value === undefined)) await store.changeSimulation(db, row.id, also);
      else {
        const change = await changing(row.bot_id, asked);
        await store.setSimulation(db, row.id, (now) => settingsColumn.write(change(settingsColumn.read(now))), also);
      }
      return shown(person.id, params.bot, row.id);
    },
    deleteSimulation: async ({ person, params }) => {
      await store.deleteSimulation(db, (await own(person.id, params.bot, params.conversation)).id);
      return undefined;
    },
    saySimulation: async ({ person, params, body }) => {
      const row = await own(person.id, params.bot, params.conversation);
      const { id, text, choice, after } = body;
      const event = {
        type: 'message',
        ...(text === undefined ? {} : { text }),
        ...(choice === undefined ? {} : { choice }),
      } as const;
      return finished(await simulations.run(row, { externalId: id, after, event, ...silent }));
    },
    runTurn: async ({ person, params, body, req, res }) => {
      const row = await own(person.id, params.bot, params.conversation);
      const { id, after, event, step = false } = body;
      if (event.type === 'message' && !saysSomething(event))
        throw new HttpProblem('invalid-input', 'Nothing is said. Write something, press a button, or attach a file.');
      if (event.type === 'start') await startable(row.bot_id, event.start);
      return tellLive(req, res, (tell) => simulations.run(row, { externalId: id, after, event, stepping: step, tell }));
    },
    goOn: async ({ person, params, body, req, res }) => {
      const row = await own(person.id, params.bot, params.conversation);
      if (row.paused === null) throw new Refused('not-paused', {});
      return tellLive(req, res, (tell) => simulations.goOn(row, body.go, body.set, tell));
    },
    stopTurn: async ({ person, params }) => {
      await simulations.stop(await own(person.id, params.bot, params.conversation));
      return undefined;
    },
    sayAgain: async ({ person, params, body }) => {
      const row = await own(person.id, params.bot, params.conversation);
      return { turns: await simulations.again(row, body.turn) };
    },
    tryNode: async ({ person, params, body }) => {
      const { bot } = await ownDraft(parts, person.id, params.bot);
      const { flow, node, variables, text, language, outside, samples } = body;
      await startable(bot.id, { flow, node });
      const event = {
        type: 'start',
        at: momentOf(null, clock.now()).toISOString(),
        channel: 'simulator',
        ...(text === undefined ? {} : { text }),
        start: { flow, node, variables, only: true },
      } as const;
      return simulations.tryNode(bot.id, event, { ...known({ outside, samples }), language });
    },
    listMadeUpVisitors: async ({ person, params }) => {
      const bot = await ownBot(db, person.id, params.bot);
      return { items: (await store.madeUpVisitors(db, bot.id)).map(madeUpView), next: null };
    },
    keepMadeUpVisitor: async ({ person, params, body }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const { name, facts, ...change } = body;
      if (typeof change.zone === 'string' && !isZone(change.zone))
        throw new HttpProblem('invalid-input', `There is no time zone "${change.zone}". Use a name such as Europe/Dublin.`);
      await store.keepMadeUpVisitor(
        db,
        { id: newId(clock), botId: bot.id, name },
        {
          ...known(change),
          ...(facts === undefined ? {} : { memory: await madeUpMemory(bot.id, name, facts) }),
        },
      );
      const row = await store.madeUpVisitor(db, { bot_id: bot.id, name });
      if (!row) throw new Error('a made-up visitor that was just kept is gone');
      return madeUpView(row);
    },
    deleteMadeUpVisitor: async ({ person, params }) => {
      const bot = await ownBot(db, person.id, params.bot);
      await store.deleteMadeUpVisitor(db, bot.id, params.visitor);
      return undefined;
    },
    runRehearsals: async ({ person, params, body }) => {
      const { bot, revision, document } = await ownDraft(parts, person.id, params.bot);
      assertRehearsals(document, body.only);
      const run = await rehearsing.run({ botId: bot.id, document }, revision, body.only);
      return body.only === undefined ? keepRun(bot.id, run) : run;
    },
    rehearseDocument: async ({ person, body }) => {
      const accepted = acceptDocument(body.document);
      assertRehearsals(accepted, body.only);
      // Contents are those of the bot that it belongs to; texts in it are kept for the person where it belongs to none.
      const botId = body.bot === undefined ? person.id : (await ownBot(db, person.id, body.bot)).id;
      const document = await parts.contents.settle(botId, person.id, accepted);
      return rehearsing.run({ botId, document }, null, body.only);
    },
    lastRehearsalRun: async ({ person, params }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const run = await lastRehearsalRun(db, bot.id);
      return { run: run === undefined ? null : columns.runColumn.read(run) };
    },
  };

  /** What is known about a made-up visitor once somebody has written it down: facts as they are said here, and what was said before. */
  async function madeUpMemory(botId: string, name: string, facts: Values): Promise<Memory> {
    const { document } = (await loader.draft(botId)).bot;
    const unknown = Object.keys(facts).find((about) => !Object.hasOwn(document.memory?.facts ?? {}, about));
    if (unknown !== undefined) {
      const kinds = Object.keys(document.memory?.facts ?? {}).join(', ') || 'none';
      throw new HttpProblem('invalid-input', `There is no kind of fact "${unknown}". There are: ${kinds}.`);
    }
    const row = await store.madeUpVisitor(db, { bot_id: botId, name });
    const before = row?.memory ? memoryColumn.read(row.memory) : EMPTY_MEMORY;
    const known = Object.fromEntries(Object.entries(facts).filter(([, v]) => v !== null));
    return { ...before, facts: memoryOf(known, document, clock.now().toISOString()).facts };
  }

  /** Ends the request where the draft has no such node. */
  async function startable(botId: string, { flow, node }: { flow: string; node: string }): Promise<void> {
    const { flows } = (await loader.draft(botId)).bot.document;
    if (Object.hasOwn(flows, flow) && Object.hasOwn(flows[flow]?.nodes ?? {}, node)) return;
    throw new HttpProblem('not-found', `The draft has no node "${flow}/${node}".`);
  }
}

/** Ends the request where a rehearsal is named that there is not. */
function assertRehearsals({ rehearsals = {} }: BotDocument, only: readonly string[] = []): void {
  const unknown = only.find((id) => !Object.hasOwn(rehearsals, id));
  if (unknown === undefined) return;
  const meant = nearest(unknown, Object.keys(rehearsals));
  throw new HttpProblem(
    'invalid-input',
    `There is no rehearsal "${unknown}".${meant === undefined ? '' : ` Did you mean ${meant}?`}`,
  );
}

/** The moment in a cursor, in ms; one that is none of ours counts as none at all. */
function momentCursor(after: string | undefined): number | undefined {
  return after !== undefined && /^\d{1,14}$/.test(after) ? Number(after) : undefined;
}

function saysSomething(event: {
  text?: string | undefined;
  choice?: string | undefined;
  pictures?: unknown;
  files?: unknown;
}): boolean {
  return (event.text ?? '').trim() !== '' || [event.choice, event.pictures, event.files].some((v) => v !== undefined);
}

/** An object without the keys that hold nothing. */
function known<T extends object>(from: T): { [K in keyof T]?: Exclude<T[K], undefined> } {
  return Object.fromEntries(Object.entries(from).filter(([, v]) => v !== undefined)) as {
    [K in keyof T]?: Exclude<T[K], undefined>;
  };
}

function madeUpView({ id, name, language, zone, channel, variables, memory }: store.MadeUpRow) {
  const kept = memory === null ? EMPTY_MEMORY : memoryColumn.read(memory);
  return { id, name, language, zone, channel, variables: columns.variablesColumn.read(variables), facts: factValues(kept) };
}
