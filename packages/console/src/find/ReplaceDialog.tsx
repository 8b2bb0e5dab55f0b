import { replacements, replaceTexts, type Replacement } from '@primrose/core';
import { useMemo, useState } from 'react';
import { Button, Modal } from 'react-bootstrap';
import { useDraftHandle } from '../draft/context.js';

const keyOf = (r: Replacement) => `${r.flow}/${r.node}${r.field}`;
const MOST_SHOWN = 200;

/** Replaces words in what is said, in one flow or in all, after a look at every place. */
export function ReplaceDialog({ flowId, onClose }: { readonly flowId: string; readonly onClose: () => void }) {
  const { document, edit } = useDraftHandle();
  const [what, setWhat] = useState('');
  const [by, setBy] = useState('');
  const [everywhere, setEverywhere] = useState(true);
  const [caseful, setCaseful] = useState(false);
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const found = useMemo(
    () => replacements(document, { find: what, by, caseful, ...(everywhere ? {} : { flow: flowId }) }),
    [document, what, by, caseful, everywhere, flowId],
  );
  const chosen = found.filter((r) => !left.has(keyOf(r)));
  const toggle = (r: Replacement) => {
    const next = new Set(left);
    if (!next.delete(keyOf(r))) next.add(keyOf(r));
    setLeft(next);
  };
  return (
    <Modal show onHide={onClose} size="lg" scrollable aria-labelledby="replace-title">
      <Modal.Header closeButton>
        <Modal.Title id="replace-title">Replace words</Modal.Title>
      </Modal.Header>
      <Modal.Body className="replace" tabIndex={0}>
        <div className="pairs">
          <label>
            Find
            <input className="form-control" autoFocus value={what} onChange={(e) => setWhat(e.target.value)} />
          </label>
          <label>
            Replace by
            <input className="form-control" value={by} onChange={(e) => setBy(e.target.value)} />
          </label>
        </div>
        <p>
          <label>
            <input type="checkbox" checked={everywhere} onChange={(e) => setEverywhere(e.target.checked)} /> in all flows
          </label>{' '}
          <label>
            <input type="checkbox" checked={caseful} onChange={(e) => setCaseful(e.target.checked)} /> only with the same capitals
          </label>
        </p>
        <p className="note" role="status">
          {what === '' ? 'Values in {{ }} and names stay as they are.' : `${found.length} places, ${chosen.length} chosen`}
        </p>
        <ul>
          {found.slice(0, MOST_SHOWN).map((r) => (
            <li key={keyOf(r)}>
              <label>
                <input type="checkbox" checked={!left.has(keyOf(r))} onChange={() => toggle(r)} />
                <span className="note">
                  {document.flows[r.flow]?.title ?? r.flow}, {r.node}
                </span>
              </label>
              <del dir="auto">{r.before}</del>
              <ins dir="auto">{r.after}</ins>
            </li>
          ))}
        </ul>
        {found.length > MOST_SHOWN && <p className="note">and {found.length - MOST_SHOWN} more</p>}
      </Modal.Body>
      <Modal.Footer>
        <Button variant="outline-secondary" onClick={onClose}>
          Cancel
        </Button>
        <Button
          disabled={chosen.length === 0}
          onClick={() => {
            edit((d) => replaceTexts(d, chosen));
            onClose();
          }}
        >
          Replace in {chosen.length === 1 ? '1 place' : `${chosen.length} places`}
        </Button>
      </Modal.Footer>
    </Modal>
  );
}
