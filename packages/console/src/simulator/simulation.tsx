import type { TurnRecord } from '@primrose/contract';
import { createContext, useCallback, useContext, useMemo, useState, type ReactNode } from 'react';
import { call, errorText } from '../api.js';
import type { DraftHandle } from '../draft/useDraft.js';

export interface Simulation {
  readonly turns: readonly TurnRecord[];
  readonly busy: boolean;
  readonly problem: string | undefined;
  /** What was said and is not answered yet. */
  readonly said: string | undefined;
  readonly begin: () => Promise<void>;
  readonly say: (text: string, choice?: string) => Promise<void>;
  readonly clear: () => void;
}

const SimulationContext = createContext<Simulation | undefined>(undefined);

export function useSimulation(): Simulation {
  const simulation = useContext(SimulationContext);
  if (!simulation) throw new Error('this part stands outside a bot');
  return simulation;
}

/** The conversation with the draft; it outlives the pages of a bot. */
export function SimulationProvider({ handle, children }: { readonly handle: DraftHandle; readonly children: ReactNode }) {
  const [turns, setTurns] = useState<readonly TurnRecord[]>([]);
  const [said, setSaid] = useState<string>();
  const [busy, setBusy] = useState(false);
  const [problem, setProblem] = useState<string>();
  const { bot, flush } = handle;

  const work = useCallback(
    async (job: () => Promise<void>) => {
      setBusy(true);
      setProblem(undefined);
      try {
        if (!(await flush())) throw new Error('Your last changes are not saved yet, so they cannot be tried. See the top bar.');
        await job();
      } catch (error) {
        setProblem(errorText(error));
      } finally {
        setBusy(false);
        setSaid(undefined);
      }
    },
    [flush],
  );
  const open = useCallback(async () => {
    const first = await call('openSimulation', { params: { bot }, body: {} });
    setTurns([first]);
    return first;
  }, [bot]);
  const begin = useCallback(() => work(async () => void (await open())), [work, open]);
  const say = useCallback(
    (text: string, choice?: string) =>
      work(async () => {
        setSaid(text);
        const conversation = turns.at(-1)?.conversation ?? (await open()).conversation;
        const body = { id: crypto.randomUUID(), text, ...(choice === undefined ? {} : { choice }) };
        const turn = await call('saySimulation', { params: { bot, conversation }, body });
        setTurns((before) => [...before, turn]);
      }),
    [work, open, bot, turns],
  );
  const clear = useCallback(() => {
    setTurns([]);
    setProblem(undefined);
  }, []);
  const value = useMemo(
    () => ({ turns, busy, problem, said, begin, say, clear }),
    [turns, busy, problem, said, begin, say, clear],
  );
  return <SimulationContext value={value}>{children}</SimulationContext>;
}
