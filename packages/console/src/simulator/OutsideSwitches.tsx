import type { OutsideMode } from '@primrose/contract';
import { useState } from 'react';
import { Button, Modal } from 'react-bootstrap';
import { errorText, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { PracticeRows } from './PracticeRows.js';
import { useSimulation } from './simulation.js';

const WORDS: Readonly<Record<OutsideMode, string>> = { samples: 'samples', 'stand-in': 'stand-in', real: 'for real' };

/** For each connection, where the calls of this simulation go. 'For real' is asked about, each time. */
export function OutsideSwitches() {
  const { bot, document } = useDraftHandle();
  const { settings, change } = useSimulation();
  const connections = useCall('listConnections', { params: { bot } });
  const [asking, setAsking] = useState<string>();
  const [problem, setProblem] = useState<string>();
  const names = Object.keys(document.connections ?? {});
  const hasTables = Object.keys(document.tables ?? {}).length > 0;
  if (names.length === 0 && !hasTables) return null;
  const set = (name: string, mode: OutsideMode) => {
    setAsking(undefined);
    change({ outside: { [name]: mode } }).then(
      () => setProblem(undefined),
      (error: unknown) => setProblem(errorText(error)),
    );
  };
  const standsIn = (name: string) => connections.data?.items.find((c) => c.name === name)?.standIn ?? null;
  return (
    <div className="outsides" role="group" aria-label="Where calls go">
      {names.map((name) => {
        const mode = settings?.outside[name] ?? (standsIn(name) === null ? 'samples' : 'stand-in');
        return (
          <label key={name} className={mode === 'real' ? 'real' : undefined}>
            <span>{name}</span>
            <select
              value={mode}
              onChange={(e) => (e.target.value === 'real' ? setAsking(name) : set(name, e.target.value as OutsideMode))}
            >
              {(['samples', 'stand-in', 'real'] as const).map((m) => (
                <option key={m} value={m} disabled={m === 'stand-in' && standsIn(name) === null}>
                  {WORDS[m]}
                </option>
              ))}
            </select>
          </label>
        );
      })}
      {hasTables && <PracticeRows onProblem={setProblem} />}
      {problem !== undefined && <p className="plum">{problem}</p>}
      {asking !== undefined && (
        <Modal show onHide={() => setAsking(undefined)} aria-labelledby="for-real">
          <Modal.Header closeButton>
            <Modal.Title id="for-real">Call {asking} for real?</Modal.Title>
          </Modal.Header>
          <Modal.Body>
            What this conversation does there is really done: bookings are booked, mails are sent. It holds for this conversation
            only; the next one begins without it.
          </Modal.Body>
          <Modal.Footer>
            <Button variant="outline-secondary" autoFocus onClick={() => setAsking(undefined)}>
              Leave it
            </Button>
            <Button onClick={() => set(asking, 'real')}>Call it for real</Button>
          </Modal.Footer>
        </Modal>
      )}
    </div>
  );
}
