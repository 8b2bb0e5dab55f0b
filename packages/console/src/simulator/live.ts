import type { LiveEvent } from '@primrose/contract';
import { typeOf, type Message, type Step } from '@primrose/core';

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
}

export const NOTHING_YET: LiveTurn = { steps: [], calls: [], said: [], words: '' };

function callWords(request: Extract<LiveEvent, { event: 'call' }>['request']): string {
  return typeOf(request).line(request);
}

/** What a turn has come to after one more event. */
export function withEvent(live: LiveTurn, event: LiveEvent): LiveTurn {
  switch (event.event) {
    case 'step': {
      const { step, at } = event;
      const before = live.steps.find((s) => s.place === step.place);
      const now = {
        ...step,
        begun: before?.begun ?? at,
        ...(event.phase === 'ends' ? { tookMs: at - (before?.begun ?? at) } : {}),
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
    case 'turn':
    case 'paused':
    case 'problem':
      return live;
    default:
      return event satisfies never;
  }
}
