import { useState } from 'react';
import { Modal } from 'react-bootstrap';
import { call, errorText, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { timeOfDay } from '../parts/words.js';
import { useSimulation } from './simulation.js';
import { Alarm } from '../parts/Alarm.js';

/** The simulations of the bot: found by their names and words, opened, thrown away. */
export function SimulationsDialog({ onClose }: { readonly onClose: () => void }) {
  const { bot } = useDraftHandle();
  const { settings, open } = useSimulation();
  const [find, setFind] = useState('');
  const [problem, setProblem] = useState<string>();
  const list = useCall('listSimulations', { params: { bot }, query: { limit: 50, ...(find.trim() === '' ? {} : { find }) } });
  const remove = async (id: string) => {
    await call('deleteSimulation', { params: { bot, conversation: id } });
    await list.refetch();
  };
  const said = (work: Promise<unknown>) => void work.catch((error: unknown) => setProblem(errorText(error)));
  return (
    <Modal show onHide={onClose} aria-labelledby="simulations" scrollable>
      <Modal.Header closeButton>
        <Modal.Title id="simulations">Simulations</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <input
          className="form-control mb-2"
          autoFocus
          aria-label="Find a simulation"
          placeholder="Find by name or by what was said"
          value={find}
          onChange={(e) => setFind(e.target.value)}
        />
        {problem !== undefined && <Alarm>{problem}</Alarm>}
        {list.data?.items.length === 0 && <p className="soft">Nothing was said here yet.</p>}
        <ul className="kepttalks">
          {list.data?.items.map((s) => (
            <li key={s.id}>
              <button type="button" disabled={s.id === settings?.id} onClick={() => said(open(s.id).then(onClose))}>
                <b dir="auto">{s.name ?? `“${s.said ?? 'the bot begins'}”`}</b>
                <span className="note">
                  {s.turns === 1 ? '1 turn' : `${s.turns} turns`}, {dayOf(s.lastAt)} {timeOfDay(s.lastAt)}, {s.by}
                  {s.id === settings?.id && ', open now'}
                </span>
              </button>
              <button
                type="button"
                className="bare note"
                disabled={s.id === settings?.id}
                aria-label={`Throw away ${s.name ?? s.said ?? 'this simulation'}`}
                onClick={() => said(remove(s.id))}
              >
                throw away
              </button>
            </li>
          ))}
        </ul>
      </Modal.Body>
    </Modal>
  );
}

function dayOf(at: string): string {
  return new Date(at).toLocaleDateString([], { day: 'numeric', month: 'short' });
}
