import type { LiveEvent, OutsideMode, Paused, SimulatedEvent, Simulation as Settings, TurnRecord } from '@primrose/contract';
import { lastOf, lineTo, referredTo, type BotDocument, type StartAt, type Values } from '@primrose/core';
import { createContext, useCallback, useContext, useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { call, errorText, invalidate, stream } from '../api.js';
import type { DraftHandle } from '../draft/useDraft.js';
import { NOTHING_YET, withEvent, type LiveTurn } from './live.js';

/** What can be changed of a simulation. */
export interface SettingsChange {
  readonly name?: string | null;
  readonly speaker?: Partial<Settings['speaker']>;
  readonly clock?: { readonly at: string; readonly runs: boolean } | null;
  readonly outside?: Readonly<Record<string, OutsideMode>>;
  readonly samples?: string[];
}

export interface Simulation {
  /** Undefined until something is said or set. */
  readonly settings: Settings | undefined;
  /** All turns, branches included, in the order in which they were run. */
  readonly all: readonly TurnRecord[];
  /** The turns of the line that is talked on. */
  readonly turns: readonly TurnRecord[];
  /** The turn that the Map and the details show: one that was chosen, else the last. */
  readonly shown: TurnRecord | undefined;
  readonly busy: boolean;
  readonly live: LiveTurn | undefined;
  readonly paused: Paused | undefined;
  /** Pause before each node. */
  readonly stepping: boolean;
  readonly problem: string | undefined;
  /** What was said and is not answered yet, in order. */
  readonly pending: readonly string[];
  /** By `flow/node`: what each node that was tried here referred to then. */
  readonly tried: ReadonlyMap<string, string>;
  /** Starts a new conversation; the bot speaks first. */
  readonly begin: () => void;
  /** Says something; while the bot still answers, it waits for its turn. */
  readonly say: (text: string, more?: Omit<Extract<SimulatedEvent, { type: 'message' }>, 'type' | 'text'>) => void;
  readonly send: (sample: string) => void;
  readonly start: (at: StartAt) => void;
  /** Gives a conversation that was handed over back to the bot, as staff would. */
  readonly handBack: () => void;
  readonly stop: () => void;
  readonly goOn: (go: 'step' | 'run' | 'stop', set?: Values) => void;
  readonly setStepping: (on: boolean) => void;
  /** Talks on from a turn; null is before the first. The other line stays. */
  readonly backTo: (turn: string | null) => void;
  /** Shows the line on which a turn stands, to its end. */
  readonly switchTo: (turn: string) => void;
  readonly show: (turn: string | undefined) => void;
  readonly sayAgain: () => void;
  readonly change: (change: SettingsChange) => Promise<void>;
  readonly open: (id: string) => Promise<void>;
}

const SimulationContext = createContext<Simulation | undefined>(undefined);

export function useSimulation(): Simulation {
  const simulation = useContext(SimulationContext);
  if (!simulation) throw new Error('this part stands outside a bot');
  return simulation;
}

interface Kept {
  readonly settings: Settings | undefined;
  readonly all: readonly TurnRecord[];
  readonly head: string | null;
}
const NONE: Kept = { settings: undefined, all: [], head: null };

/** The conversation with the draft; it outlives the pages of a bot. Jobs run one after another. */
export function SimulationProvider({ handle, children }: { readonly handle: DraftHandle; readonly children: ReactNode }) {
  const [kept, setKept] = useState<Kept>(NONE);
  const [chosen, setChosen] = useState<string>();
  const [pending, setPending] = useState<readonly string[]>([]);
  const [jobs, setJobs] = useState(0);
  const [problem, setProblem] = useState<string>();
  const [live, setLive] = useState<LiveTurn>();
  const [paused, setPaused] = useState<Paused>();
  const [stepping, setStepping] = useState(false);
  const [tried, setTried] = useState<ReadonlyMap<string, string>>(new Map());
  const queue = useRef<Promise<void>>(Promise.resolve());
  // What jobs read when their turn comes; the state above is for drawing.
  const now = useRef({
    id: undefined as string | undefined,
    head: null as string | null,
    /** Something has happened in it. */
    begun: false,
    stepping: false,
    document: handle.document,
  });
  const { bot, flush } = handle;
  useEffect(() => {
    now.current.document = handle.document;
    now.current.stepping = stepping;
  }, [handle.document, stepping]);

  const enqueue = useCallback(
    (job: () => Promise<void>) => {
      setJobs((n) => n + 1);
      queue.current = queue.current
        .then(async () => {
          setProblem(undefined);
          if (!(await flush())) throw new Error('Your last changes are not saved yet, so they cannot be tried. See the top bar.');
          await job();
        })
        .catch((error: unknown) => setProblem(errorText(error)))
        .finally(() => {
          setLive(undefined);
          setJobs((n) => n - 1);
        });
    },
    [flush],
  );
  /** The simulation to talk in; a new one with the settings of the last where there is none. */
  const ensure = useCallback(
    async (anew: boolean, settings: Settings | undefined): Promise<string> => {
      if (now.current.id !== undefined && !anew) return now.current.id;
      const { speaker, clock, samples } = settings ?? {};
      // Where calls go is not carried over: nothing is called for real by accident.
      const body = {
        ...(speaker ? { speaker } : {}),
        ...(clock ? { clock: { at: clock.at, runs: clock.runs } } : {}),
        ...(samples ? { samples } : {}),
      };
      const made = await call('createSimulation', { params: { bot }, body });
      now.current.id = made.id;
      now.current.head = null;
      now.current.begun = false;
      setKept({ settings: made, all: [], head: null });
      setChosen(undefined);
      setPaused(undefined);
      return made.id;
    },
    [bot],
  );
  const heardOf = useCallback((event: LiveEvent) => {
    if (event.event === 'problem') throw new Error(event.detail);
    const record = event.event === 'turn' ? event.turn : event.event === 'paused' ? event.paused.record : undefined;
    // Another conversation was opened meanwhile; this turn stands in its own.
    if (record && record.conversation !== now.current.id) return;
    if (event.event === 'paused') setPaused(event.paused);
    if (record) now.current.begun = true;
    if (event.event === 'turn') {
      const { turn } = event;
      now.current.head = turn.id;
      setPaused(undefined);
      setChosen(undefined);
      setKept((k) => ({ ...k, head: turn.id, all: k.all.some((t) => t.id === turn.id) ? k.all : [...k.all, turn] }));
      setTried((before) => withTried(before, turn, now.current.document));
    }
    setLive((before) => withEvent(before ?? NOTHING_YET, event));
  }, []);
  const { settings } = kept;
  const perform = useCallback(
    async (event: SimulatedEvent, anew = false, from?: string | null, step = now.current.stepping) => {
      const id = await ensure(anew, settings);
      setLive(NOTHING_YET);
      const after = from === undefined ? now.current.head : from;
      const body = { id: crypto.randomUUID(), after, event, step };
      await stream('runTurn', { params: { bot, conversation: id }, body }, heardOf);
    },
    [ensure, settings, bot, heardOf],
  );
  const run = useCallback(
    (event: SimulatedEvent, anew = false, from?: string | null) => enqueue(() => perform(event, anew, from)),
    [enqueue, perform],
  );
  const begin = useCallback(() => run({ type: 'open' }, true), [run]);
  const say = useCallback<Simulation['say']>(
    (text, more = {}) => {
      const words = text === '' ? 'a file' : text;
      setPending((before) => [...before, words]);
      enqueue(async () => {
        try {
          // The first words open the conversation: the bot greets, then hears them.
          if (!now.current.begun) await perform({ type: 'open' }, false, null, false);
          await perform({ type: 'message', ...(text === '' ? {} : { text }), ...more });
        } finally {
          setPending((before) => before.slice(1));
        }
      });
    },
    [enqueue, perform],
  );
  const place = useCallback(
    (head: string | null) => {
      now.current.head = head;
      setChosen(undefined);
      setPaused(undefined);
      setKept((k) => ({ ...k, head }));
      const { id } = now.current;
      if (id !== undefined)
        enqueue(async () => void (await call('changeSimulation', { params: { bot, conversation: id }, body: { head } })));
    },
    [bot, enqueue],
  );
  const goOn = useCallback<Simulation['goOn']>(
    (go, set) =>
      enqueue(async () => {
        setLive(NOTHING_YET);
        const body = { go, ...(set === undefined ? {} : { set: { ...set } }) };
        await stream('goOn', { params: { bot, conversation: now.current.id ?? '' }, body }, heardOf);
      }),
    [enqueue, bot, heardOf],
  );
  const stop = useCallback(() => {
    const { id } = now.current;
    if (id !== undefined)
      call('stopTurn', { params: { bot, conversation: id } }).catch((error: unknown) => setProblem(errorText(error)));
  }, [bot]);
  const sayAgain = useCallback(
    () =>
      enqueue(async () => {
        const { id, head } = now.current;
        if (id === undefined || head === null) return;
        const { turns } = await call('sayAgain', { params: { bot, conversation: id }, body: { turn: head } });
        const last = turns.at(-1);
        now.current.head = last?.id ?? head;
        setChosen(undefined);
        setKept((k) => ({ ...k, head: now.current.head, all: [...k.all, ...turns] }));
        setTried((before) => turns.reduce((all, t) => withTried(all, t, now.current.document), before));
      }),
    [enqueue, bot],
  );
  const change = useCallback(
    async (wanted: SettingsChange) => {
      const id = await ensure(false, settings);
      const made = await call('changeSimulation', { params: { bot, conversation: id }, body: wanted });
      invalidate('listSimulations');
      setKept((k) => ({ ...k, settings: made }));
    },
    [bot, ensure, settings],
  );
  const open = useCallback(
    async (id: string) => {
      if (now.current.id === id) return;
      const found = await call('getSimulation', { params: { bot, conversation: id } });
      now.current.id = id;
      now.current.head = found.simulation.head;
      now.current.begun = found.turns.length > 0 || found.paused !== null;
      setKept({ settings: found.simulation, all: found.turns, head: found.simulation.head });
      setPaused(found.paused ?? undefined);
      setChosen(undefined);
      setProblem(undefined);
    },
    [bot],
  );
  const { all, head } = kept;
  const turns = useMemo(() => lineTo(all, head), [all, head]);
  const shown = useMemo(() => paused?.record ?? all.find((t) => t.id === chosen) ?? turns.at(-1), [all, chosen, turns, paused]);
  const send = useCallback((sample: string) => run({ type: 'sample', sample }), [run]);
  const start = useCallback((at: StartAt) => run({ type: 'start', start: at }, false, null), [run]);
  const handBack = useCallback(() => run({ type: 'hand-back' }), [run]);
  const switchTo = useCallback((turn: string) => place(lastOf(all, turn)), [place, all]);
  const value = useMemo(
    (): Simulation => ({
      settings,
      all,
      turns,
      shown,
      busy: jobs > 0,
      live,
      paused,
      stepping,
      problem,
      pending,
      tried,
      begin,
      say,
      send,
      start,
      handBack,
      stop,
      goOn,
      setStepping,
      backTo: place,
      switchTo,
      show: setChosen,
      sayAgain,
      change,
      open,
    }),
    [
      settings,
      all,
      turns,
      shown,
      jobs,
      live,
      paused,
      stepping,
      problem,
      pending,
      tried,
      begin,
      say,
      send,
      start,
      handBack,
      stop,
      goOn,
      place,
      switchTo,
      sayAgain,
      change,
      open,
    ],
  );
  return <SimulationContext value={value}>{children}</SimulationContext>;
}

/** What the nodes of a turn referred to when they ran. */
function withTried(before: ReadonlyMap<string, string>, turn: TurnRecord, document: BotDocument): ReadonlyMap<string, string> {
  const entries = turn.sheet.path.flatMap(({ flow, node }): [string, string][] => {
    const found = document.flows[flow]?.nodes[node];
    return found ? [[`${flow}/${node}`, referredTo(document, found)]] : [];
  });
  return new Map([...before, ...entries]);
}
