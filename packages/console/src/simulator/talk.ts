import {
  isBegun,
  NOTHING_SAID,
  talked,
  type LiveEvent,
  type SimulatedEvent,
  type TalkAction,
  type Talking,
  type TurnRecord,
} from '@primrose/contract';
import { referredTo, type BotDocument } from '@primrose/core';
import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { call, errorText, invalidate, stream } from '../api.js';
import type { DraftHandle } from '../draft/useDraft.js';
import { useJobs, type Jobs } from './jobs.js';
import type { SettingsChange, Simulation } from './interface.js';

/** By `flow/node`: what each node that was tried referred to then. */
type Tried = ReadonlyMap<string, string>;

/** The conversation with the draft, and what jobs read of it when their turn comes. */
interface Talk {
  readonly talking: Talking;
  readonly latest: () => Talking;
  readonly act: (action: TalkAction) => void;
  readonly tried: Tried;
  /** Changes its settings, one change after another. */
  readonly inTurn: (change: () => Promise<void>) => Promise<void>;
  /** Resolves when no change is on its way: what is said after one is said with it. */
  readonly settled: () => Promise<unknown>;
}

function useTalking(document: BotDocument): Talk {
  const [talking, setTalking] = useState(NOTHING_SAID);
  const [tried, setTried] = useState<Tried>(new Map());
  const now = useRef({ talking: NOTHING_SAID, document });
  useEffect(() => {
    now.current.document = document;
  }, [document]);
  const latest = useCallback(() => now.current.talking, []);
  const act = useCallback((action: TalkAction) => {
    const before = now.current.talking;
    const after = talked(before, action);
    now.current.talking = after;
    setTalking(after);
    const fresh = action.did === 'open' ? [] : after.turns.slice(before.turns.length);
    if (fresh.length > 0) setTried((all) => fresh.reduce((made, t) => withTried(made, t, now.current.document), all));
  }, []);
  const changing = useRef<Promise<unknown>>(Promise.resolve());
  const inTurn = useCallback((change: () => Promise<void>) => {
    const changed = changing.current.then(change);
    changing.current = changed.catch(() => undefined);
    return changed;
  }, []);
  const settled = useCallback(() => changing.current, []);
  return { talking, latest, act, tried, inTurn, settled };
}

/** What the nodes of a turn referred to when they ran. */
function withTried(before: Tried, turn: TurnRecord, document: BotDocument): Tried {
  const entries = turn.sheet.path.flatMap(({ flow, node }): [string, string][] => {
    const found = document.flows[flow]?.nodes[node];
    return found ? [[`${flow}/${node}`, referredTo(document, found)]] : [];
  });
  return new Map([...before, ...entries]);
}

/** Runs turns in the conversation; the first makes one where there is none. */
function useTurns(bot: string, { latest, act, settled }: Talk, stepping: { readonly current: boolean }, forget: () => void) {
  /** The simulation to talk in; a new one with the settings of the last where there is none, or `anew`. */
  const ensure = useCallback(
    async (anew: boolean): Promise<string> => {
      const { simulation } = latest();
      if (simulation && !anew) return simulation.id;
      // Where calls go is not carried over: nothing is called for real by accident.
      const { speaker, clock, samples } = simulation ?? {};
      const body = {
        ...(speaker ? { speaker } : {}),
        ...(clock ? { clock: { at: clock.at, runs: clock.runs } } : {}),
        ...(samples ? { samples } : {}),
      };
      const made = await call('createSimulation', { params: { bot }, body });
      act({ did: 'open', simulation: made });
      forget();
      return made.id;
    },
    [bot, latest, act, forget],
  );
  const onEvent = useCallback(
    (event: LiveEvent) => {
      if (event.event === 'problem') throw new Error(event.detail);
      act({ did: 'hear', event });
      if (event.event === 'turn') forget();
    },
    [act, forget],
  );
  const perform = useCallback(
    async (event: SimulatedEvent, anew = false, from?: string | null, step = stepping.current, recorded = () => {}) => {
      await settled();
      const id = await ensure(anew);
      act({ did: 'begin' });
      const after = from === undefined ? latest().head : from;
      const body = { id: crypto.randomUUID(), after, event, step };
      await stream('runTurn', { params: { bot, conversation: id }, body }, (live) => {
        // What waits to be said stands in the turn from here on, in the same picture.
        if (live.event === 'turn') recorded();
        onEvent(live);
      });
    },
    [bot, ensure, act, latest, settled, onEvent, stepping],
  );
  return { ensure, perform, onEvent };
}

/** What can be said, each piece after the one before it. */
function useSaying({ enqueue }: Jobs, { latest }: Talk, perform: ReturnType<typeof useTurns>['perform']) {
  const [pending, setPending] = useState<readonly string[]>([]);
  const run = useCallback(
    (event: SimulatedEvent, anew = false, from?: string | null) => enqueue(() => perform(event, anew, from)),
    [enqueue, perform],
  );
  const say = useCallback<Simulation['say']>(
    (text, more = {}) => {
      const words = text === '' ? 'a file' : text;
      setPending((before) => [...before, words]);
      enqueue(async () => {
        let waits = true;
        const recorded = () => {
          if (waits) setPending((before) => before.slice(1));
          waits = false;
        };
        try {
          // The first words open the conversation: the bot greets, then hears them.
          if (!isBegun(latest())) await perform({ type: 'open' }, false, null, false);
          const message = { type: 'message', ...(text === '' ? {} : { text }), ...more } as const;
          await perform(message, false, undefined, undefined, recorded);
        } finally {
          recorded();
        }
      });
    },
    [enqueue, latest, perform],
  );
  return useMemo(
    () => ({
      pending,
      say,
      begin: () => run({ type: 'open' }, true),
      send: (sample: string) => run({ type: 'sample', sample }),
      fire: (start: string) => run({ type: 'fire', start }),
      start: (start: Parameters<Simulation['start']>[0]) => run({ type: 'start', start }, false, null),
      handBack: () => run({ type: 'hand-back' }),
    }),
    [pending, say, run],
  );
}

/** What can be done to the conversation besides saying something. */
function useMoves(
  bot: string,
  { enqueue, setProblem }: Jobs,
  talk: Talk,
  turns: ReturnType<typeof useTurns>,
  forget: () => void,
) {
  const { latest, act, inTurn } = talk;
  const { ensure, onEvent } = turns;
  const at = useCallback(() => ({ bot, conversation: latest().simulation?.id ?? '' }), [bot, latest]);
  return useMemo(() => {
    const backTo = (head: string | null) => {
      act({ did: 'place', head });
      forget();
      if (latest().simulation) enqueue(async () => void (await call('changeSimulation', { params: at(), body: { head } })));
    };
    const goOn: Simulation['goOn'] = (go, set) =>
      enqueue(async () => {
        act({ did: 'begin' });
        const body = { go, ...(set === undefined ? {} : { set: { ...set } }) };
        await stream('goOn', { params: at(), body }, onEvent);
      });
    const stop = () => {
      if (latest().simulation) call('stopTurn', { params: at() }).catch((error: unknown) => setProblem(errorText(error)));
    };
    const sayAgain = () =>
      enqueue(async () => {
        const { simulation, head } = latest();
        if (!simulation || head === null) return;
        act({ did: 'again', turns: (await call('sayAgain', { params: at(), body: { turn: head } })).turns });
        forget();
      });
    const change = (wanted: SettingsChange) =>
      inTurn(async () => {
        const conversation = await ensure(false);
        const simulation = await call('changeSimulation', { params: { bot, conversation }, body: wanted });
        invalidate('listSimulations');
        act({ did: 'change', simulation });
      });
    const open = async (id: string) => {
      if (latest().simulation?.id === id) return;
      act({ did: 'open', ...(await call('getSimulation', { params: { bot, conversation: id } })) });
      forget();
      setProblem(undefined);
    };
    return { backTo, goOn, stop, sayAgain, change, open };
  }, [bot, at, act, latest, inTurn, enqueue, ensure, onEvent, setProblem, forget]);
}

/** The conversation with the draft of a bot, and all that can be done in it. `forget` lets go of the turn that was chosen. */
export function useTalk({ bot, document, flush }: DraftHandle, forget: () => void) {
  const talk = useTalking(document);
  const { act } = talk;
  const [stepping, setStepping] = useState(false);
  const steps = useRef(false);
  useEffect(() => {
    steps.current = stepping;
  }, [stepping]);
  const jobs = useJobs(
    flush,
    useCallback(() => act({ did: 'end' }), [act]),
  );
  const turns = useTurns(bot, talk, steps, forget);
  const saying = useSaying(jobs, talk, turns.perform);
  const moves = useMoves(bot, jobs, talk, turns, forget);
  return { talking: talk.talking, tried: talk.tried, jobs, stepping, setStepping, saying, moves };
}
