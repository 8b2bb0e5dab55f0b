import { jsonValue, miss, type Miss, type WorkItem } from '@primrose/core';
import { z } from 'zod';
import { endpoint } from './endpoint.js';
import * as s from './shapes.js';

const key = s.conversationParams.shape.conversation;
const moment = z.iso.datetime();
const values = z.record(z.string(), jsonValue);

/** Where the calls of a connection go while somebody tries the bot. */
export const outsideMode = z.enum(['samples', 'stand-in', 'real']);
export type OutsideMode = z.infer<typeof outsideMode>;

/** Who speaks in a simulation, and on what. What is null is as usual. */
export const speaker = z.object({
  /** A made-up visitor, by id: what the bot keeps of them carries over. */
  visitor: key.nullable(),
  name: z.string().max(80).nullable(),
  channel: z.string().trim().min(1).max(40),
  language: z.string().max(20).nullable(),
  zone: z.string().max(60).nullable(),
  /** They have signed in with this address; null, or nothing, where they have not. */
  email: z.email().max(254).nullable().optional(),
  /** False: the channel shows buttons as words only. */
  buttons: z.boolean(),
});
export type Speaker = z.infer<typeof speaker>;

/** A clock of its own: it showed `at` when it was set, and stands, or runs on from there. */
export const simulationClock = z.object({ at: moment, set: moment, runs: z.boolean() });
export type SimulationClock = z.infer<typeof simulationClock>;

const settings = {
  speaker: speaker.partial().optional(),
  clock: z.object({ at: moment, runs: z.boolean() }).nullable().optional(),
  outside: z.record(z.string(), outsideMode).optional(),
  /** Samples that answer before all others. */
  samples: z.array(z.string().max(80)).max(50).optional(),
  /** The rows that tables work on: a copy made for this simulation, or the rows themselves. */
  rows: z.enum(['practice', 'real']).optional(),
};

export const simulation = z.object({
  id: z.string(),
  /** Named ones are kept for good; the last fifty others of a bot as well. */
  name: z.string().nullable(),
  by: z.string(),
  openedAt: moment,
  lastAt: moment,
  turns: z.number().int(),
  said: z.string().nullable(),
  /** The turn that was run last: what is said next follows it. */
  head: z.string().nullable(),
  speaker,
  clock: simulationClock.nullable(),
  /** For each connection of the draft where its calls go. */
  outside: z.record(z.string(), outsideMode),
  samples: z.array(z.string()),
  rows: z.enum(['practice', 'real']),
});
export type Simulation = z.infer<typeof simulation>;

const variables = z.object({ flow: values, session: values, visitor: values });
const startAt = z.object({ flow: key, node: key, variables });

const file = z.object({
  name: z.string().max(200),
  type: z.string().max(100),
  size: z.number().int().min(0),
  address: z.string().max(1_500_000),
});

/** What comes in with a simulated turn. */
export const simulatedEvent = z.discriminatedUnion('type', [
  z.object({ type: z.literal('open') }),
  z.object({
    type: z.literal('message'),
    text: z.string().max(4000).optional(),
    choice: z.string().max(100).optional(),
    pictures: z.array(z.string().max(1_500_000)).max(8).optional(),
    files: z.array(file).max(8).optional(),
  }),
  z.object({ type: z.literal('hand-back') }),
  z.object({ type: z.literal('start'), start: startAt }),
  /** A kept event of the bot. */
  z.object({ type: z.literal('sample'), sample: key }),
  /** A start is set off: with a body as a hook or a call gets it, a row, or values for the flow itself. */
  z.object({
    type: z.literal('fire'),
    start: key,
    body: jsonValue.optional(),
    row: values.optional(),
    before: values.optional(),
    given: values.optional(),
  }),
]);
export type SimulatedEvent = z.infer<typeof simulatedEvent>;

const turnParams = s.botParams.extend({ conversation: key });

export const madeUpVisitor = z.object({
  id: z.string(),
  name: z.string(),
  language: z.string().nullable(),
  zone: z.string().nullable(),
  channel: z.string().nullable(),
  variables: values,
  /** What is known about them, by kind of fact. */
  facts: values,
});
export type MadeUpVisitor = z.infer<typeof madeUpVisitor>;

/** A node before which a turn pauses, with what the variables hold. */
export const paused = z.object({ turn: z.string(), flow: z.string(), node: z.string(), variables, record: s.turnRecord });
export type Paused = z.infer<typeof paused>;

/** What came of one turn of a rehearsal. */
export interface RehearsedTurn {
  readonly misses: readonly Miss[];
  readonly samples: readonly string[];
  /** Told for turns of a rehearsal that failed. */
  readonly record?: s.TurnRecord | undefined;
}
const turnOutcome: z.ZodType<RehearsedTurn> = z.object({
  misses: z.array(miss),
  samples: z.array(z.string()),
  record: s.turnRecord.optional(),
});

/** What came of a rehearsal. Its turns stop at a button that was not there. */
export const rehearsalResult = z.object({
  rehearsal: z.string(),
  passed: z.boolean(),
  /** Switched off: it was not run. */
  off: z.boolean(),
  ms: z.number(),
  turns: z.array(turnOutcome),
  /** Why it was not run to its end; a rehearsal of which nobody knows how it came out has failed. */
  problem: z.string().optional(),
});
export type RehearsalResult = z.infer<typeof rehearsalResult>;

const counts = z.record(z.string(), z.number().int());
const wayFigures = z.object({
  of: z.number().int(),
  right: z.number().int(),
  missed: z.array(z.object({ expected: z.string(), chose: z.string().nullable(), times: z.number().int() })),
});

/** A run of the rehearsals of one revision, and what of the bot they came by. */
export const rehearsalRun = z.object({
  revision: z.number().int().nullable(),
  at: moment,
  ms: z.number(),
  passed: z.number().int(),
  failed: z.number().int(),
  items: z.array(rehearsalResult),
  coverage: z.object({ nodes: counts, exits: counts, intents: counts }),
  /** How often models chose the way that is right, by node; runs from before it was counted have none. */
  ways: z.record(z.string(), wayFigures).optional(),
});
export type RehearsalRun = z.infer<typeof rehearsalRun>;

/** What is told while a simulated turn runs; `turn` or `paused` comes last, or `problem`. */
export type LiveEvent =
  | {
      readonly event: 'step';
      readonly phase: 'begins' | 'ends';
      readonly at: number;
      readonly step: s.TurnRecord['sheet']['path'][number];
    }
  | { readonly event: 'call'; readonly at: number; readonly request: s.TurnRecord['sheet']['effects'][number]['request'] }
  | { readonly event: 'came'; readonly at: number; readonly path: string; readonly outcome: string; readonly sample?: string }
  | { readonly event: 'words'; readonly path: string; readonly text: string }
  /** What an agent does on its way; `place` is that of its node's run. */
  | { readonly event: 'work'; readonly place: string; readonly item: WorkItem }
  /** What is under way, in the words that the visitor sees. */
  | { readonly event: 'doing'; readonly text: string }
  | { readonly event: 'said'; readonly messages: s.TurnRecord['sheet']['messages'] }
  | { readonly event: 'turn'; readonly turn: s.TurnRecord }
  | { readonly event: 'paused'; readonly paused: Paused }
  | { readonly event: 'problem'; readonly detail: string };

/** Trying a bot: simulations, made-up visitors, rehearsals. A part of the API's list. */
export const simulatingEndpoints = {
  openSimulation: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/simulations',
    about: 'Begin to talk to the draft; the bot speaks first',
    access: 'person',
    params: s.botParams,
    body: z.object({ language: z.string().max(20).optional(), name: z.string().max(80).optional(), ...settings }),
    reply: s.turnRecord,
    status: 201,
  }),
  createSimulation: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/simulations/blank',
    about: 'A simulation in which nothing has happened yet',
    access: 'person',
    params: s.botParams,
    body: z.object(settings),
    reply: simulation,
    status: 201,
  }),
  listSimulations: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/simulations',
    about: 'The simulations of a bot, the last used first; `find` looks in their names and in what was said in them last',
    access: 'person',
    params: s.botParams,
    query: s.page.extend({ find: z.string().max(100).optional() }),
    reply: s.list(simulation),
  }),
  getSimulation: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/simulations/:conversation',
    about: 'A simulation with all its turns, branches included, in the order in which they were run',
    access: 'person',
    params: turnParams,
    reply: z.object({ simulation, turns: z.array(s.turnRecord), paused: paused.nullable() }),
  }),
  changeSimulation: endpoint({
    method: 'PATCH',
    path: '/api/bots/:bot/simulations/:conversation',
    about: 'Name a simulation, change who speaks, set its clock, choose where calls go, go back to a turn',
    access: 'person',
    params: turnParams,
    body: z.object({ name: z.string().trim().max(120).nullable().optional(), head: key.nullable().optional(), ...settings }),
    reply: simulation,
  }),
  deleteSimulation: endpoint({
    method: 'DELETE',
    path: '/api/bots/:bot/simulations/:conversation',
    about: 'Throw a simulation away',
    access: 'person',
    params: turnParams,
    status: 204,
  }),
  saySimulation: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/simulations/:conversation/messages',
    about: 'Say something to the draft, after the turn that was run last or after another; answers with the turn',
    access: 'person',
    params: turnParams,
    body: s.said.and(z.object({ after: key.nullable().optional() })),
    reply: s.turnRecord,
  }),
  runTurn: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/simulations/:conversation/turns',
    about:
      'Run a turn after the last one or after another, told as server-sent events while it happens: step, call, came, words, said, then turn, paused or problem. `step` pauses before each node',
    access: 'person',
    params: turnParams,
    body: z.object({
      /** Chosen by the sender, so that a repeat is recognised. */
      id: key,
      after: key.nullable().optional(),
      event: simulatedEvent,
      step: z.boolean().optional(),
    }),
    stream: true,
  }),
  goOn: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/simulations/:conversation/go-on',
    about:
      'Go on with a turn that pauses: to the next node, to its end, or not at all; variables may be changed first. Told like a turn',
    access: 'person',
    params: turnParams,
    body: z.object({ go: z.enum(['step', 'run', 'stop']), set: values.optional() }),
    stream: true,
    problems: ['not-paused'],
  }),
  stopTurn: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/simulations/:conversation/stop',
    about: 'Stop the turn that runs; what was done is kept and told',
    access: 'person',
    params: turnParams,
    status: 204,
  }),
  sayAgain: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/simulations/:conversation/again',
    about:
      'Say everything up to a turn again to the draft as it is now, as a new branch; the same requests get the same results. Answers with the new turns',
    access: 'person',
    params: turnParams,
    body: z.object({ turn: key }),
    reply: z.object({ turns: z.array(s.turnRecord) }),
  }),
  tryNode: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/draft/try',
    about: 'Run one node of the draft by itself on given variables; nothing of it is kept',
    access: 'person',
    params: s.botParams,
    body: z.object({
      flow: key,
      node: key,
      variables,
      text: z.string().max(4000).optional(),
      language: z.string().max(20).optional(),
      outside: settings.outside,
      samples: settings.samples,
    }),
    reply: s.turnRecord,
  }),
  listMadeUpVisitors: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/made-up-visitors',
    about: 'The made-up visitors of a bot, by name, with what it keeps of them',
    access: 'person',
    params: s.botParams,
    reply: s.list(madeUpVisitor),
  }),
  keepMadeUpVisitor: endpoint({
    method: 'PUT',
    path: '/api/bots/:bot/made-up-visitors',
    about: 'Make up a visitor, or change the one of this name',
    access: 'person',
    params: s.botParams,
    body: z.object({
      name: z.string().trim().min(1).max(80),
      language: z.string().max(20).nullable().optional(),
      zone: z.string().max(60).nullable().optional(),
      channel: z.string().max(40).nullable().optional(),
      variables: values.optional(),
      facts: values.optional(),
    }),
    reply: madeUpVisitor,
  }),
  deleteMadeUpVisitor: endpoint({
    method: 'DELETE',
    path: '/api/bots/:bot/made-up-visitors/:visitor',
    about: 'Forget a made-up visitor',
    access: 'person',
    params: s.botParams.extend({ visitor: key }),
    status: 204,
  }),
  runRehearsals: endpoint({
    method: 'POST',
    path: '/api/bots/:bot/rehearsals/run',
    about: 'Run the rehearsals of the draft, or some of them, side by side; nothing outside is called',
    access: 'person',
    params: s.botParams,
    body: z.object({ only: z.array(key).optional() }),
    reply: rehearsalRun,
  }),
  rehearseDocument: endpoint({
    method: 'POST',
    path: '/api/rehearse',
    about: 'Run the rehearsals of a document that is no draft here, such as a folder before it is pushed',
    access: 'person',
    // `bot` is the one that it belongs to, which has the contents of its documents.
    body: z.object({ document: s.anyDocument, bot: key.optional(), only: z.array(key).optional() }),
    reply: rehearsalRun,
    problems: ['invalid-document'],
  }),
  lastRehearsalRun: endpoint({
    method: 'GET',
    path: '/api/bots/:bot/rehearsals/run',
    about: 'The last run of all rehearsals of a bot; null before the first',
    access: 'person',
    params: s.botParams,
    reply: z.object({ run: rehearsalRun.nullable() }),
  }),
} as const;
