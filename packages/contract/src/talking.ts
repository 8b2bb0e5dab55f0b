import { lineTo, typeOf, type Message, type Step, type WorkItem } from '@primrose/core';
import type { LiveEvent, Paused, Simulation } from './simulating.js';
import type { TurnRecord } from './shapes.js';

/*
 * A conversation with the draft as a window or a terminal knows it: one pure reducer over what was done and what is told
 * while a turn runs, for everybody who talks to a bot by the API.
 */

/** A call of a turn that runs. `tookMs` is there once it has come back. */
export interface LiveCall {
  readonly path: string;
  readonly words: string;
  readonly begun: number;
  readonly tookMs?: number;
  readonly outcome?: string;
  readonly sample?: string;
}

/** A turn as far as it has come. Times are in ms from its beginning. */
export interface LiveTurn {
  readonly steps: readonly (Step & { readonly begun: number; readonly tookMs?: number })[];
  readonly calls: readonly LiveCall[];
  readonly said: readonly Message[];
  /** What a model has written so far. */
  readonly words: string;
  /** What agents have done so far, by the place of their node's run. */
  readonly work: Readonly<Record<string, readonly WorkItem[]>>;
  /** What is under way, in the words that the visitor sees. */
  readonly doing: string;
}

export const NOTHING_YET: LiveTurn = { steps: [], calls: [], said: [], words: '', work: {}, doing: '' };

function callWords(request: Extract<LiveEvent, { event: 'call' }>['request']): string {
  return typeOf(request).line(request);
}

/** What a turn has come to after one more event. */
function withEvent(live: LiveTurn, event: LiveEvent): LiveTurn {
  switch (event.event) {
    case 'step': {
      const { step, at } = event;
      const before = live.steps.find((s) => s.place === step.place);
      const now = {
        ...step,
        begun: before?.begun ?? at,
        ...(event.phase === 'ends' ? { tookMs: before?.tookMs ?? at - (before?.begun ?? at) } : {}),
      };
      const steps = before ? live.steps.map((s) => (s === before ? now : s)) : [...live.steps, now];
      return { ...live, steps };
    }
    case 'call': {
      const call = { path: event.request.path, words: callWords(event.request), begun: event.at };
      return { ...live, calls: [...live.calls, call], words: '' };
    }
    case 'came':
      return {
        ...live,
        calls: live.calls.map((c) =>
          c.path === event.path
            ? {
                ...c,
                tookMs: event.at - c.begun,
                outcome: event.outcome,
                ...(event.sample === undefined ? {} : { sample: event.sample }),
              }
            : c,
        ),
      };
    case 'words':
      return { ...live, words: event.text };
    case 'said':
      return { ...live, said: [...live.said, ...event.messages], words: '' };
    case 'work':
      return { ...live, work: { ...live.work, [event.place]: [...(live.work[event.place] ?? []), event.item] }, doing: '' };
    case 'doing':
      return { ...live, doing: event.text };
    case 'turn':
    case 'paused':
    case 'problem':
      return live;
    default:
      return event satisfies never;
  }
}

/** All that is known of a simulation: its tree of turns, where it is talked on, and the turn that runs or pauses. */
export interface Talking {
  /** Undefined until there is one. */
  readonly simulation: Simulation | undefined;
  /** All turns, branches included, in the order in which they were run. */
  readonly turns: readonly TurnRecord[];
  /** The turn that what is said next follows; null is before the first. */
  readonly head: string | null;
  readonly live: LiveTurn | undefined;
  readonly paused: Paused | undefined;
}

export const NOTHING_SAID: Talking = { simulation: undefined, turns: [], head: null, live: undefined, paused: undefined };

/** What changes a conversation: what somebody does, and what is heard of a turn. */
export type TalkAction =
  | {
      readonly did: 'open';
      readonly simulation: Simulation;
      readonly turns?: readonly TurnRecord[];
      readonly paused?: Paused | null;
    }
  | { readonly did: 'change'; readonly simulation: Simulation }
  | { readonly did: 'begin' }
  | { readonly did: 'hear'; readonly event: LiveEvent }
  | { readonly did: 'end' }
  | { readonly did: 'place'; readonly head: string | null }
  | { readonly did: 'again'; readonly turns: readonly TurnRecord[] };

/** The conversation after one more action. What is heard of a turn of another conversation stays there. */
export function talked(before: Talking, action: TalkAction): Talking {
  switch (action.did) {
    case 'open': {
      const { simulation, turns = [], paused } = action;
      return { ...NOTHING_SAID, simulation, turns, head: simulation.head, paused: paused ?? undefined, live: before.live };
    }
    case 'change':
      return { ...before, simulation: action.simulation };
    case 'begin':
      return { ...before, live: NOTHING_YET };
    case 'hear':
      return heard(before, action.event);
    case 'end':
      return { ...before, live: undefined };
    case 'place':
      return { ...before, head: action.head, paused: undefined };
    case 'again':
      return { ...before, turns: [...before.turns, ...action.turns], head: action.turns.at(-1)?.id ?? before.head };
    default:
      return action satisfies never;
  }
}

function heard(before: Talking, event: LiveEvent): Talking {
  const record = event.event === 'turn' ? event.turn : event.event === 'paused' ? event.paused.record : undefined;
  if (record && record.conversation !== before.simulation?.id) return before;
  const talking = { ...before, live: withEvent(before.live ?? NOTHING_YET, event) };
  if (event.event === 'paused') return { ...talking, paused: event.paused };
  if (event.event !== 'turn') return talking;
  const { turn } = event;
  const turns = before.turns.some((t) => t.id === turn.id) ? before.turns : [...before.turns, turn];
  return { ...talking, turns, head: turn.id, paused: undefined };
}

/** The turns of the line that is talked on. */
export function lineOf({ turns, head }: Talking): TurnRecord[] {
  return lineTo(turns, head);
}

/** True when something has happened in a conversation. */
export function isBegun({ turns, paused }: Talking): boolean {
  return turns.length > 0 || paused !== undefined;
}
