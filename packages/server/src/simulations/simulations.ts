import {
  lineTo,
  manyOf,
  missedIn,
  openSession,
  recordedResults,
  type BotDocument,
  type EventOf,
  type IncomingEvent,
  type Noted,
  type Session,
  type TurnSheet,
  type Values,
} from '@primrose/core';
import type { Logger } from 'pino';
import type { LiveEvent, OutsideMode, Paused, SimulatedEvent, TurnRecord } from '@primrose/contract';
import { newId, type Clock } from '../base/clock.js';
import { Refused } from '../base/refused.js';
import type { BotLoader, LoadedBot } from '../bots/loader.js';
import type { Files } from '../files/files.js';
import type { AskDrawing } from '../outside/drawing.js';
import type { PerformMcp } from '../outside/mcp.js';
import type { PerformModel } from '../outside/chat-completions.js';
import type { PerformAction } from '../outside/http-action.js';
import { createReach, createStandInReach } from '../outside/reach.js';
import type { Secrets } from '../outside/secrets.js';
import { standIns } from '../store/connections.js';
import { dropPractice, REAL } from '../store/tables.js';
import type { Tables } from '../tables/tables.js';
import * as columns from '../store/columns.js';
import { isDuplicate, type Db } from '../store/database.js';
import { statement } from '../store/hot.js';
import { memoryAt, memoryColumn } from '../store/memories.js';
import { insertMissed } from '../store/missed.js';
import * as store from '../store/simulations.js';
import type { Listeners } from '../understanding/listeners.js';
import type { LookOf } from '../knowledge/lookups.js';
import { prepareMind } from '../understanding/minds.js';
import { pausedColumn, rowRecord, simulatedRecord, type PausedTurn } from './records.js';
import { eventIn, settingsColumn, USUAL, usualMode, type SimulationSettings } from './settings.js';
import { simulateTurn, type Outside, type Simulated } from './simulate.js';
import { Stops } from './stops.js';

export interface SimulationsParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly log: Logger;
  readonly loader: BotLoader;
  readonly listeners: Listeners;
  readonly lookOf: LookOf;
  readonly secrets: Secrets;
  readonly action: PerformAction;
  readonly model: PerformModel;
  readonly mcp: PerformMcp;
  readonly tables: Tables;
  readonly files: Files;
  readonly drawing: AskDrawing;
}

export interface TurnWanted {
  readonly externalId: string;
  /** The turn that it follows; the last one when it is left out. */
  readonly after: string | null | undefined;
  readonly event: SimulatedEvent;
  readonly stepping: boolean;
  readonly tell: (event: LiveEvent) => void;
}

export type Ran = { readonly turn: TurnRecord } | { readonly paused: Paused };

const nobody = () => undefined;

/**
 * Simulations: conversations with the draft that are trees of turns. A turn is stored with the state after it and never
 * changes, so whoever goes back begins a branch. Turns of one simulation run one after another in a process.
 */
export class Simulations {
  readonly #parts: SimulationsParts;
  readonly #queues = new Map<string, Promise<unknown>>();
  readonly #stops: Stops;

  constructor(parts: SimulationsParts) {
    this.#parts = parts;
    this.#stops = new Stops(parts.db, parts.clock);
  }

  /** Runs one turn, after those that are under way. A repeat of an id gives the turn that there is. */
  run(row: store.SimulationRow, wanted: TurnWanted): Promise<Ran> {
    return this.#inTurn(row.id, () => this.#run(row.bot_id, row.id, wanted));
  }

  /** Goes on with a turn that pauses. */
  goOn(
    row: store.SimulationRow,
    go: 'step' | 'run' | 'stop',
    set: Values | undefined,
    tell: (event: LiveEvent) => void,
  ): Promise<Ran> {
    return this.#inTurn(row.id, async () => {
      const { simulation, settings } = await this.#simulation(row.bot_id, row.id);
      if (simulation.paused === null) throw new Refused('not-paused', {});
      const paused = pausedColumn.read(simulation.paused);
      const result = { outcome: 'go-on', ...(set === undefined ? {} : { set }) } as const;
      const seq = Math.max(0, ...paused.results.map((r) => r.seq)) + 1;
      const results = [...paused.results, { path: paused.path, result, seq }];
      const loaded = await this.#parts.loader.draft(row.bot_id, paused.revision);
      return this.#perform(simulation, settings, loaded, {
        ...paused,
        again: null,
        stepping: true,
        results: go === 'stop' ? paused.results : results,
        halt: go === 'stop',
        runs: go === 'run',
        tell,
      });
    });
  }

  /** Stops the turn that runs, in whichever process that is. */
  async stop(row: store.SimulationRow): Promise<void> {
    await this.#stops.stop(row.id);
  }

  /** Says a line again to the draft as it is now: a new branch, turn by turn, at the moments of the old one. */
  again(row: store.SimulationRow, turnId: string): Promise<TurnRecord[]> {
    return this.#inTurn(row.id, async () => {
      const { simulation, settings } = await this.#simulation(row.bot_id, row.id);
      const loaded = await this.#parts.loader.draft(row.bot_id);
      const line = await this.#lineTo(row.id, turnId);
      const made: TurnRecord[] = [];
      let parent: string | null = null;
      for (const old of line) {
        const event = columns.eventColumn.read(old.event);
        const ran: Ran = await this.#perform(simulation, settings, loaded, {
          turn: newId(this.#parts.clock),
          externalId: `again-${newId(this.#parts.clock)}`,
          parent,
          again: old.id,
          event,
          stepping: false,
          results: [],
          ...(old.kept === null ? {} : { kept: columns.variablesColumn.read(old.kept) }),
          language: columns.stateColumn.read(old.state).language,
          recorded: recordedResults(columns.sheetColumn.read(old.sheet)),
          tell: nobody,
        });
        if (!('turn' in ran)) throw new Error('a turn that is said again does not pause');
        made.push(ran.turn);
        parent = ran.turn.id;
      }
      return made;
    });
  }

  /** The modes of a draft's connections under what somebody chose. */
  /** What was missed in a simulation is to be taught as well as what visitors said. */
  async #noteMissed(
    botId: string,
    { id, sheet, state, at }: { id: string; sheet: TurnSheet; state: Session; at: Date },
  ): Promise<void> {
    const { db, log } = this.#parts;
    const missed = missedIn(sheet);
    if (!missed) return;
    const row = { ...missed, id, botId, conversationId: null, language: state.language, at };
    await statement(db, (hot) => hot.run(insertMissed(row))).catch((error: unknown) =>
      log.warn({ err: error }, 'what was missed was not noted'),
    );
  }

  async modes(botId: string, document: BotDocument, chosen: SimulationSettings['outside']): Promise<Record<string, OutsideMode>> {
    const present = await standIns(this.#parts.db, botId);
    return Object.fromEntries(
      Object.keys(document.connections ?? {}).map((name) => [name, chosen[name] ?? usualMode(name, present)]),
    );
  }

  /** One node of the draft by itself; nothing of it is stored. */
  async tryNode(
    botId: string,
    event: EventOf<'start'>,
    wanted: Partial<Pick<SimulationSettings, 'outside' | 'samples'>> & { language?: string | undefined },
  ) {
    const loaded = await this.#parts.loader.draft(botId);
    const session = openSession(loaded.bot, event.start.variables.visitor, wanted.language);
    const settings = { ...USUAL, outside: wanted.outside ?? {}, samples: wanted.samples ?? [] };
    const turnId = newId(this.#parts.clock);
    // A node by itself works on rows as they are now, in a copy that is made anew each time.
    await dropPractice(this.#parts.db, botId);
    const ran = await simulateTurn(this.#parts, {
      loaded,
      session,
      event,
      turnId,
      mind: (await prepareMind(this.#parts, loaded)).mind,
      outside: await this.#outside(botId, loaded, settings, { realm: botId, turnId }),
      stepping: false,
      results: [],
      tell: nobody,
      stopped: new Promise(nobody),
    });
    return simulatedRecord(ran, {
      id: turnId,
      simulation: '',
      parent: null,
      again: null,
      number: 1,
      revision: loaded.revision ?? 0,
      at: this.#parts.clock.now(),
    });
  }

  async #inTurn<T>(id: string, work: () => Promise<T>): Promise<T> {
    const before = this.#queues.get(id) ?? Promise.resolve();
    const mine = before.catch(nobody).then(work);
    this.#queues.set(id, mine);
    try {
      return await mine;
    } finally {
      if (this.#queues.get(id) === mine) this.#queues.delete(id);
    }
  }

  async #simulation(botId: string, id: string): Promise<{ simulation: store.SimulationRow; settings: SimulationSettings }> {
    const simulation = await store.findSimulation(this.#parts.db, botId, id);
    if (!simulation) throw new Refused('no-simulation', {});
    return { simulation, settings: settingsColumn.read(simulation.settings) };
  }

  async #run(botId: string, id: string, wanted: TurnWanted): Promise<Ran> {
    const { db, clock, loader } = this.#parts;
    const there = await store.simulatedTurn(db, { simulation_id: id, external_id: wanted.externalId });
    if (there) return { turn: rowRecord(there) };
    const { simulation, settings } = await this.#simulation(botId, id);
    const loaded = await loader.draft(botId);
    return this.#perform(simulation, settings, loaded, {
      turn: newId(clock),
      externalId: wanted.externalId,
      parent: wanted.after === undefined ? simulation.head : wanted.after,
      again: null,
      event: eventIn(wanted.event, settings, loaded.bot.document, clock.now()),
      stepping: wanted.stepping,
      results: [],
      tell: wanted.tell,
    });
  }

  async #perform(
    simulation: store.SimulationRow,
    settings: SimulationSettings,
    loaded: LoadedBot,
    turn: {
      turn: string;
      externalId: string;
      parent: string | null;
      again: string | null;
      event: IncomingEvent;
      stepping: boolean;
      results: readonly Noted[];
      recorded?: Outside['recorded'];
      /** The visitor's kept variables before the first turn of a line; as they are now when it is left out. */
      kept?: Values;
      /** The language of the turn that is repeated. */
      language?: string;
      /** Keep what was done and do no more. */
      halt?: boolean;
      /** Do not pause any more. */
      runs?: boolean;
      tell: (event: LiveEvent) => void;
    },
  ): Promise<Ran> {
    const { db, clock } = this.#parts;
    if (simulation.stop_at !== null) await store.changeSimulation(db, simulation.id, { stop_at: null });
    const { session, number } = await this.#before(simulation, settings, loaded, turn);
    const kept = turn.parent === null ? { kept: session.visitor } : {};
    const { stopped, end } = this.#stops.watch(simulation.id);
    try {
      const { mind } = await prepareMind(this.#parts, loaded);
      const outside = await this.#outside(simulation.bot_id, loaded, settings, { realm: simulation.id, turnId: turn.turn });
      const ran = await simulateTurn(this.#parts, {
        loaded,
        session,
        event: turn.event,
        turnId: turn.turn,
        mind,
        outside: turn.recorded ? { ...outside, recorded: turn.recorded } : outside,
        stepping: turn.stepping,
        runsOn: turn.runs ?? false,
        results: turn.results,
        tell: turn.tell,
        stopped,
      });
      const at = clock.now();
      const place = { id: turn.turn, simulation: simulation.id, parent: turn.parent, again: turn.again, number, ...kept };
      const record = simulatedRecord(ran, { ...place, revision: loaded.revision ?? 0, at });
      if (ran.pausedAt && !turn.halt) return { paused: await this.#pause(simulation.id, turn, ran, record, loaded) };
      const stored = {
        ...place,
        simulationId: simulation.id,
        externalId: turn.externalId,
        revision: loaded.revision ?? 0,
        event: turn.event,
        state: ran.result.session,
        sheet: ran.result.sheet,
        timings: ran.timings,
        samples: ran.samples,
        ms: ran.ms,
        at,
        visitor: turn.again === null ? settings.speaker.visitor : null,
        memories: { botId: simulation.bot_id, changes: ran.result.memoryChanges, many: manyOf(loaded.bot.document) },
      };
      try {
        await store.insertSimulatedTurn(db, stored);
        if (turn.again === null) await this.#noteMissed(simulation.bot_id, stored);
      } catch (error) {
        const there = isDuplicate(error)
          ? await store.simulatedTurn(db, { simulation_id: simulation.id, external_id: turn.externalId })
          : undefined;
        if (!there) throw error;
        return { turn: rowRecord(there) };
      }
      return { turn: record };
    } finally {
      end();
    }
  }

  async #pause(
    id: string,
    turn: { turn: string; externalId: string; parent: string | null; event: IncomingEvent },
    ran: Simulated,
    record: TurnRecord,
    loaded: LoadedBot,
  ): Promise<Paused> {
    const { flow = '', node = '', path = '' } = ran.pausedAt ?? {};
    const { externalId, parent, event } = turn;
    const variables = record.sheet.variables ?? { flow: {}, session: {}, visitor: {} };
    const view = { turn: turn.turn, flow, node, variables, record };
    const { results } = ran;
    const kept: PausedTurn = { turn: turn.turn, externalId, parent, event, path, results, view, revision: loaded.revision ?? 0 };
    await store.changeSimulation(this.#parts.db, id, { paused: JSON.stringify(kept) });
    return view;
  }

  /** The state that a turn begins with, and its number in its line. */
  async #before(
    simulation: store.SimulationRow,
    { speaker }: SimulationSettings,
    { bot }: LoadedBot,
    {
      parent,
      again,
      kept: first,
      language: spokenThen,
    }: Pick<PausedTurn, 'parent'> & { again: string | null; kept?: Values; language?: string },
  ): Promise<{ session: Session; number: number }> {
    const { db } = this.#parts;
    const made =
      speaker.visitor === null ? undefined : await store.madeUpVisitor(db, { bot_id: simulation.bot_id, id: speaker.visitor });
    const kept = made ? columns.variablesColumn.read(made.variables) : {};
    const known = made?.memory ? memoryColumn.read(made.memory) : undefined;
    const language = spokenThen ?? speaker.language ?? made?.language ?? undefined;
    if (parent === null) return { session: openSession(bot, first ?? kept, language, known), number: 1 };
    const row = await store.simulatedTurn(db, { simulation_id: simulation.id, id: parent });
    if (!row) throw new Refused('no-simulated-turn', {});
    const state = columns.stateColumn.read(row.state);
    const spoken = language === undefined ? state.language : openSession(bot, {}, language).language;
    // Whoever goes on sees what was changed of the visitor meanwhile; whoever goes back finds them as they were.
    if (!made || again !== null || parent !== simulation.head)
      return { session: { ...state, language: spoken }, number: row.number + 1 };
    const { memory: _before, ...rest } = state;
    return { session: { ...rest, language: spoken, visitor: kept, ...(known ? { memory: known } : {}) }, number: row.number + 1 };
  }

  async #lineTo(simulationId: string, turnId: string): Promise<store.SimulatedTurnRow[]> {
    const line = lineTo(await store.simulatedTurns(this.#parts.db, simulationId), turnId);
    if (line.length === 0) throw new Refused('no-simulated-turn', {});
    return line;
  }

  async #outside(
    botId: string,
    { bot }: LoadedBot,
    { outside, samples, rows, speaker }: SimulationSettings,
    { realm, turnId }: { readonly realm: string; readonly turnId: string },
  ): Promise<Outside> {
    const { db, secrets, tables, files, drawing } = this.#parts;
    const real = rows === 'real';
    const modes = await this.modes(botId, bot.document, outside);
    return {
      mode: (connection) => modes[connection] ?? 'samples',
      standIn: createStandInReach(db, botId, bot.document),
      real: createReach(db, secrets, botId, bot.document),
      samples,
      table: (effect) =>
        tables.perform(effect, {
          botId,
          document: bot.document,
          realm: real ? REAL : realm,
          // A turn that pauses runs again from its beginning with the results it had, so nothing is written twice.
          ...(effect.does === 'find' ? {} : { origin: `${turnId}/${effect.path}` }),
          writer: { by: 'a simulation', in: null },
          visitor: speaker.visitor ?? realm,
        }),
      draw: files.drawn(drawing, { botId, realm, visitorId: null, conversationId: null, owner: null }),
      recall: async ({ key }) => {
        const place = { botId, realm, of: { key } };
        return { outcome: 'recalled', memory: await statement(db, (hot) => memoryAt(hot, place)) };
      },
      // Nothing is sent from a simulation: the turn sheet shows what would be.
      notice: () => ({ outcome: 'queued', notice: 'simulated' }),
    };
  }
}
