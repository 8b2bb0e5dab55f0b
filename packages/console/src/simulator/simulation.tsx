import { lineOf } from '@primrose/contract';
import { lastOf } from '@primrose/core';
import { createContext, useCallback, useContext, useMemo, useState, type ReactNode } from 'react';
import type { DraftHandle } from '../draft/useDraft.js';
import type { Simulation } from './interface.js';
import { useTalk } from './talk.js';

const SimulationContext = createContext<Simulation | undefined>(undefined);

export function useSimulation(): Simulation {
  const simulation = useContext(SimulationContext);
  if (!simulation) throw new Error('this part stands outside a bot');
  return simulation;
}

/** The conversation with the draft; it outlives the pages of a bot. */
export function SimulationProvider({ handle, children }: { readonly handle: DraftHandle; readonly children: ReactNode }) {
  const [chosen, setChosen] = useState<string>();
  const { talking, tried, jobs, stepping, setStepping, saying, moves } = useTalk(
    handle,
    useCallback(() => setChosen(undefined), []),
  );
  const { busy, problem } = jobs;
  const { simulation: settings, turns: all, live, paused } = talking;
  const turns = useMemo(() => lineOf(talking), [talking]);
  const shown = useMemo(() => paused?.record ?? all.find((t) => t.id === chosen) ?? turns.at(-1), [all, chosen, turns, paused]);
  const value = useMemo((): Simulation => {
    const switchTo = (turn: string) => moves.backTo(lastOf(all, turn));
    const known = { settings, all, turns, shown, busy, live, paused, stepping, problem, tried };
    return { ...known, ...saying, ...moves, setStepping, switchTo, show: setChosen };
  }, [settings, all, turns, shown, busy, live, paused, stepping, problem, tried, saying, moves, setStepping]);
  return <SimulationContext value={value}>{children}</SimulationContext>;
}
