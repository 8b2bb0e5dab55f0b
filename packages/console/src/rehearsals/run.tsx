import type { RehearsalRun } from '@primrose/contract';
import { createContext, useCallback, useContext, useMemo, useState, type ReactNode } from 'react';
import { call, errorText, queryClient, useCall } from '../api.js';
import type { DraftHandle } from '../draft/useDraft.js';

export interface Rehearsing {
  readonly running: boolean;
  readonly problem: string | undefined;
  readonly runAll: () => void;
  /** The Map shows what the rehearsals came by. */
  readonly covering: boolean;
  readonly setCovering: (on: boolean) => void;
}

const RehearsingContext = createContext<Rehearsing | undefined>(undefined);

export function useRehearsing(): Rehearsing {
  const rehearsing = useContext(RehearsingContext);
  if (!rehearsing) throw new Error('this part stands outside a bot');
  return rehearsing;
}

/** The last run of all rehearsals of a bot; undefined before the first, and until it is `wanted`. */
export function useLastRun(bot: string, wanted = true): RehearsalRun | undefined {
  return useCall('lastRehearsalRun', { params: { bot } }, wanted).data?.run ?? undefined;
}

/** Running the rehearsals of a bot, and whether the Map shows what they came by. */
export function RehearsingProvider({ handle, children }: { readonly handle: DraftHandle; readonly children: ReactNode }) {
  const { bot, flush } = handle;
  const [running, setRunning] = useState(false);
  const [problem, setProblem] = useState<string>();
  const [covering, setCovering] = useState(false);
  const runAll = useCallback(() => {
    const work = async () => {
      if (!(await flush())) throw new Error('Your last changes are not saved yet, so they cannot be rehearsed. See the top bar.');
      const run = await call('runRehearsals', { params: { bot }, body: {} });
      queryClient.setQueryData(['lastRehearsalRun', { params: { bot } }], { run });
    };
    setRunning(true);
    setProblem(undefined);
    work()
      .catch((error: unknown) => setProblem(errorText(error)))
      .finally(() => setRunning(false));
  }, [bot, flush]);
  const value = useMemo(() => ({ running, problem, runAll, covering, setCovering }), [running, problem, runAll, covering]);
  return <RehearsingContext value={value}>{children}</RehearsingContext>;
}
