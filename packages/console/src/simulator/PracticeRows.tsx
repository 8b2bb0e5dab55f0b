import { textOf } from '@primrose/core';
import { useId, useState } from 'react';
import { Button, Modal } from 'react-bootstrap';
import { call, errorText, invalidate, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { useKeys } from '../keys/keys.js';
import { Alarm } from '../parts/Alarm.js';
import { useSimulation } from './simulation.js';

const SHOWN = 20;

/** The rows that this simulation works on: a copy of its own, to be looked at and made anew; real ones are asked about. */
export function PracticeRows({ onProblem }: { readonly onProblem: (problem: string | undefined) => void }) {
  const { bot } = useDraftHandle();
  const { settings, change } = useSimulation();
  const field = useId();
  const [asking, setAsking] = useState(false);
  const [open, setOpen] = useState(false);
  const rows = settings?.rows ?? 'practice';
  const set = (next: 'practice' | 'real') => {
    setAsking(false);
    change({ rows: next }).then(
      () => onProblem(undefined),
      (error: unknown) => onProblem(errorText(error)),
    );
  };
  const reset = () => {
    if (!settings) return;
    call('resetPractice', { params: { bot, conversation: settings.id } }).then(
      () => invalidate('listTables', 'findTableRows'),
      (error: unknown) => onProblem(errorText(error)),
    );
  };
  useKeys({ y: reset });
  return (
    <div className="practice">
      <div className={rows === 'real' ? 'real' : undefined}>
        <span>
          <label htmlFor={field}>tables</label>{' '}
          {settings && (
            <button type="button" className="bare note" aria-expanded={open} onClick={() => setOpen(!open)}>
              {open ? 'hide' : 'rows'}
            </button>
          )}
          {settings && rows === 'practice' && (
            <button type="button" className="bare note" title="Copy the rows anew (Y)" onClick={reset}>
              anew <kbd>Y</kbd>
            </button>
          )}
        </span>
        <select id={field} value={rows} onChange={(e) => (e.target.value === 'real' ? setAsking(true) : set('practice'))}>
          <option value="practice">practice rows</option>
          <option value="real">for real</option>
        </select>
      </div>
      {open && settings && <RowsBeside simulation={rows === 'practice' ? settings.id : undefined} />}
      {asking && (
        <Modal show onHide={() => setAsking(false)} aria-labelledby="rows-for-real">
          <Modal.Header closeButton>
            <Modal.Title id="rows-for-real">Work on the real rows?</Modal.Title>
          </Modal.Header>
          <Modal.Body>
            What this conversation adds, changes and removes is really added, changed and removed, and sets off what waits for
            such changes. It holds for this conversation only; the next one works on practice rows.
          </Modal.Body>
          <Modal.Footer>
            <Button variant="outline-secondary" autoFocus onClick={() => setAsking(false)}>
              Leave it
            </Button>
            <Button onClick={() => set('real')}>Work on the real rows</Button>
          </Modal.Footer>
        </Modal>
      )}
    </div>
  );
}

/** The rows themselves, table by table, as far as the simulation has needed any. */
function RowsBeside({ simulation }: { readonly simulation: string | undefined }) {
  const { bot } = useDraftHandle();
  const { turns } = useSimulation();
  const tables = useCall('listTables', { params: { bot }, query: simulation === undefined ? {} : { simulation } });
  if (tables.error) return <Alarm>{errorText(tables.error)}</Alarm>;
  const items = tables.data?.items ?? [];
  return (
    <div className="rowsbeside" key={turns.length}>
      {items.length === 0 && <p className="note">No table was needed yet; rows are copied when one is.</p>}
      {items.map((t) => (
        <TableBeside key={t.name} name={t.name} simulation={simulation} />
      ))}
      <button type="button" className="bare note" onClick={() => invalidate('listTables', 'findTableRows')}>
        look again
      </button>
    </div>
  );
}

function TableBeside({ name, simulation }: { readonly name: string; readonly simulation: string | undefined }) {
  const { bot } = useDraftHandle();
  const body = { limit: SHOWN, ...(simulation === undefined ? {} : { simulation }) };
  const rows = useCall('findTableRows', { params: { bot, table: name }, body });
  return (
    <details open>
      <summary>{name}</summary>
      {rows.data?.items.length === 0 && <p className="note">no rows</p>}
      <ul>
        {rows.data?.items.map((r) => (
          <li key={r.id} dir="auto">
            {Object.values(r.values).map(textOf).join(', ').slice(0, 160)}
          </li>
        ))}
      </ul>
    </details>
  );
}
