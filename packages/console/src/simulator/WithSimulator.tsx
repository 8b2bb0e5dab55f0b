import { useState, type ReactNode } from 'react';
import { useKeys } from '../keys/keys.js';
import { Simulator } from './Simulator.js';
import { useSimulation } from './simulation.js';

/** A page with the simulator docked at its side; below 1080 px it starts folded. */
export function WithSimulator({ children }: { readonly children: ReactNode }) {
  const [folded, setFolded] = useState(() => innerWidth < 1080);
  const { turns } = useSimulation();
  useKeys({ s: () => setFolded((now) => !now) });
  return (
    <div className={`work${folded ? ' folded' : ' keep'}`}>
      <button className="simtab" type="button" onClick={() => setFolded(false)}>
        Simulator &nbsp;<span className="note">{turns.length === 1 ? '1 turn' : `${turns.length} turns`}</span>
      </button>
      <Simulator onFold={() => setFolded(true)} />
      {children}
    </div>
  );
}
