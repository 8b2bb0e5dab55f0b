import type { TurnRecord } from '@primrose/contract';
import { createContext, useCallback, useContext, useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { call, errorText } from '../api.js';
import { referredTo, type BotDocument } from '@primrose/core';
import type { DraftHandle } from '../draft/useDraft.js';

export interface Simulation {
  readonly turns: readonly TurnRecord[];
  readonly busy: boolean;
  readonly problem: string | undefined;
  /** What was said and is not answered yet, in order. */
  readonly pending: readonly string[];
  /** By `flow/node`: what each node that was tried here referred to then. */
  readonly tried: ReadonlyMap<string, string>;
  /** Starts a new conversation; the bot speaks first. */
  readonly begin: () => void;
  /** Says something; while the bot still answers, it waits for its turn. */
  readonly say: (text: string, choice?: string) => void;
  /** Gives a conversation that was handed over back to the bot, as staff would. */
  readonly handBack: () => void;
}

const SimulationContext = createContext<Simulation | undefined>(undefined);

export function useSimulation(): Simulation {
  const simulation = useContext(SimulationContext);
  if (!simulation) throw new Error('this part stands outside a bot');
  return simulation;
}

/** The conversation with the draft; it outlives the pages of a bot. Jobs run one after another. */
export function SimulationProvider({ handle, children }: { readonly handle: DraftHandle; readonly children: ReactNode }) {
  const [turns, setTurns] = useState<readonly TurnRecord[]>([]);
  const [pending, setPending] = useState<readonly string[]>([]);
  const [jobs, setJobs] = useState(0);
  const [problem, setProblem] = useState<string>();
  const queue = useRef<Promise<void>>(Promise.resolve());
  const conversation = useRef<string>(undefined);
  const { bot, flush } = handle;
  const [tried, setTried] = useState<ReadonlyMap<string, string>>(new Map());
  const document = useRef(handle.document);
  useEffect(() => {
    document.current = handle.document;
  }, [handle.document]);
  const note = useCallback((turn: TurnRecord) => setTried((before) => withTried(before, turn, document.current)), []);

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
        .finally(() => setJobs((n) => n - 1));
    },
    [flush],
  );
  const open = useCallback(async () => {
    const first = await call('openSimulation', { params: { bot }, body: {} });
    conversation.current = first.conversation;
    setTurns([first]);
    note(first);
    return first.conversation;
  }, [bot, note]);
  const begin = useCallback(() => enqueue(async () => void (await open())), [enqueue, open]);
  const say = useCallback(
    (text: string, choice?: string) => {
      setPending((before) => [...before, text]);
      enqueue(async () => {
        try {
          const to = conversation.current ?? (await open());
          const body = { id: crypto.randomUUID(), text, ...(choice === undefined ? {} : { choice }) };
          const turn = await call('saySimulation', { params: { bot, conversation: to }, body });
          setTurns((before) => [...before, turn]);
          note(turn);
        } finally {
          setPending((before) => before.slice(1));
        }
      });
    },
    [enqueue, open, bot, note],
  );
  const handBack = useCallback(
    () =>
      enqueue(async () => {
        const params = { bot, conversation: conversation.current ?? '' };
        await call('handBack', { params });
        setTurns((await call('listTurns', { params })).items);
      }),
    [enqueue, bot],
  );
  const value = useMemo(
    () => ({ turns, busy: jobs > 0, problem, pending, tried, begin, say, handBack }),
    [turns, jobs, problem, pending, tried, begin, say, handBack],
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
