import type { Clash, Value } from '@primrose/core';
import { Button, Modal } from 'react-bootstrap';
import type { DraftHandle } from '../draft/useDraft.js';

const MAX_SHOWN = 8;

function shown(value: Value | undefined): string {
  if (value === undefined) return 'nothing';
  return typeof value === 'string' ? value : JSON.stringify(value);
}

/** Where a clash is, as a person would say it. */
function placeOf(path: string): string {
  const [top, flow, , node, ...field] = path.split('/').slice(1);
  if (top !== 'flows' || node === undefined) return path.slice(1).replaceAll('/', ' ');
  return `${flow}, ${node}${field.length === 0 ? '' : `: ${field.join(' ')}`}`;
}

/** Both values of every place that two people changed, and whose to go on with. */
export function ClashDialog({ handle }: { readonly handle: DraftHandle }) {
  const { state } = handle;
  if (state.kind !== 'clash') return null;
  const more = state.clashes.length - MAX_SHOWN;
  return (
    <Modal show backdrop="static" size="lg" aria-labelledby="clash">
      <Modal.Header>
        <Modal.Title id="clash">Somebody changed the same place</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <p>
          Only the places below clash; everything else you changed is kept in either case. The version that is not taken stays in
          the history or can be typed again from here.
        </p>
        <table className="table-grid clashes">
          <thead>
            <tr>
              <th scope="col">Place</th>
              <th scope="col">Yours</th>
              <th scope="col">Theirs</th>
            </tr>
          </thead>
          <tbody>
            {state.clashes.slice(0, MAX_SHOWN).map((c: Clash) => (
              <tr key={c.path}>
                <td>{placeOf(c.path)}</td>
                <td dir="auto">{shown(c.mine)}</td>
                <td dir="auto">{shown(c.theirs)}</td>
              </tr>
            ))}
          </tbody>
        </table>
        {more > 0 && <p className="note">and {more} more</p>}
      </Modal.Body>
      <Modal.Footer>
        <Button variant="outline-secondary" onClick={() => handle.settle('theirs')}>
          Take theirs there
        </Button>
        <Button onClick={() => handle.settle('mine')}>Take mine there</Button>
      </Modal.Footer>
    </Modal>
  );
}
