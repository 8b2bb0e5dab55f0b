import { lazy, Suspense, useEffect, useState } from 'react';
import { Link, Navigate, useParams } from 'react-router';
import { errorText } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { lineTo } from '@primrose/core';
import { useSimulation } from '../simulator/simulation.js';
import { WithSimulator } from '../simulator/WithSimulator.js';
import { Sheet } from '../turn/Sheet.js';

const KeepDialog = lazy(async () => ({ default: (await import('../simulator/KeepDialog.js')).KeepDialog }));

/** The turn sheet of a simulated turn; without a turn it opens the simulation, as a link that was sent does. */
export default function TurnPage() {
  const { simulation = '', turn: id } = useParams();
  const { settings, all, turns, open, show } = useSimulation();
  const { bot } = useDraftHandle();
  const [problem, setProblem] = useState<string>();
  const [keeping, setKeeping] = useState(false);
  const there = settings?.id === simulation;
  const [opened, setOpened] = useState<string>();
  // Only the address opens a simulation: one that was started over here must not be taken up again.
  useEffect(() => {
    open(simulation).then(
      () => setOpened(simulation),
      (error: unknown) => setProblem(errorText(error)),
    );
  }, [simulation, open]);
  useEffect(() => {
    if (there) show(id);
  }, [there, id, show]);
  const turn = there ? all.find((t) => t.id === id) : undefined;
  const page = (of: string | undefined) => of && `/bots/${bot}/simulations/${simulation}/${of}`;
  if ((there && id === undefined) || (!there && opened === simulation)) {
    const at = turns.at(-1)?.waitsAt ?? turns.at(-1)?.sheet.path.at(-1);
    return <Navigate replace to={`/bots/${bot}/map${at ? `/${at.flow}` : ''}`} />;
  }
  const line = turns.some((t) => t.id === id) ? turns : lineTo(all, id ?? null);
  const place = line.findIndex((t) => t.id === id);
  return (
    <WithSimulator>
      {turn ? (
        <Sheet
          turn={turn}
          repeats={turn.again === null ? undefined : all.find((t) => t.id === turn.again)}
          earlier={page(line[place - 1]?.id)}
          later={page(line[place + 1]?.id)}
          back={`/bots/${bot}/map${turn.sheet.path[0] ? `/${turn.sheet.path[0].flow}` : ''}`}
          actions={
            <button type="button" className="btn btn-outline-secondary" onClick={() => setKeeping(true)}>
              Keep as rehearsal
            </button>
          }
        />
      ) : (
        <main className="page">
          {problem === undefined && !there && <p className="soft">Opening…</p>}
          {(problem !== undefined || there) && (
            <div className="empty">
              <p>{problem ?? 'There is no such turn in this simulation.'}</p>
              <Link className="btn btn-outline-secondary" to={`/bots/${bot}/map`}>
                Back to the Map
              </Link>
            </div>
          )}
        </main>
      )}
      {keeping && (
        <Suspense fallback={null}>
          <KeepDialog turns={line.slice(0, place + 1)} called={settings?.name ?? null} onClose={() => setKeeping(false)} />
        </Suspense>
      )}
    </WithSimulator>
  );
}
