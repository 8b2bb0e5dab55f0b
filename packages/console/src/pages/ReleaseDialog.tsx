import { ApiError, type TableChange } from '@primrose/contract';
import type { Problem } from '@primrose/core';
import { useState, type FormEvent } from 'react';
import { Button, Form, Modal } from 'react-bootstrap';
import { Link, useNavigate } from 'react-router';
import { call, errorText, invalidate, useCall } from '../api.js';
import type { DraftHandle } from '../draft/useDraft.js';

/** Why the draft cannot be released; `rehearsals`: it can be all the same. */
interface Refusal {
  readonly text: string;
  readonly list: readonly string[];
  readonly rehearsals: boolean;
}

function refusalOf(error: unknown): Refusal {
  const details = error instanceof ApiError ? error.details : undefined;
  return {
    text: errorText(error),
    list: (details?.errors ?? []).map((e) => `${e.pointer}: ${e.detail}`),
    rehearsals: details?.code === 'rehearsals-failed',
  };
}

/** Makes the draft a release, or says what stands in the way. */
export function ReleaseDialog({
  handle,
  number,
  problems,
  onClose,
}: {
  readonly handle: DraftHandle;
  readonly number: number;
  readonly problems: readonly Problem[];
  readonly onClose: () => void;
}) {
  const [note, setNote] = useState('');
  const [move, setMove] = useState(false);
  const [busy, setBusy] = useState(false);
  const [refusal, setRefusal] = useState<Refusal>();
  const [despite, setDespite] = useState('');
  const navigate = useNavigate();
  const warnings = problems.filter((p) => p.severity === 'warning').length;
  const release = async () => {
    if (!(await handle.flush())) throw new Error('The draft could not be saved, so it was not released. See the top bar.');
    await call('createRelease', {
      params: { bot: handle.bot },
      body: { note, move, ...(despite.trim() === '' ? {} : { despite }) },
    });
    invalidate('getDraft', 'listReleases', 'listChannels', 'listBots', 'lastRehearsalRun');
    onClose();
    void navigate(`/bots/${handle.bot}/channels`);
  };
  const submit = (event: FormEvent) => {
    event.preventDefault();
    setBusy(true);
    setRefusal(undefined);
    release()
      .catch((error: unknown) => setRefusal(refusalOf(error)))
      .finally(() => setBusy(false));
  };
  return (
    <Modal show onHide={onClose} aria-labelledby="release">
      <Form onSubmit={submit}>
        <Modal.Header closeButton>
          <Modal.Title id="release">Release {number}</Modal.Title>
        </Modal.Header>
        <Modal.Body>
          {refusal && <RefusalPart refusal={refusal} />}
          {refusal?.rehearsals && <Despite bot={handle.bot} why={despite} onWhy={setDespite} onLeave={onClose} />}
          <p className="mb-3">
            The draft becomes Release {number} and is live at once: new conversations use it, unless their channel is bound to
            another release.
          </p>
          {warnings > 0 && (
            <p className="soft mb-3">
              {warnings === 1 ? 'There is 1 warning.' : `There are ${warnings} warnings.`} They do not stop a release.
            </p>
          )}
          <TableChanges bot={handle.bot} />
          <Form.Check
            className="mb-3"
            id="release-move"
            label="Move open conversations to it too; otherwise they end on the release they began with"
            checked={move}
            onChange={(e) => setMove(e.target.checked)}
          />
          <Form.Group controlId="release-note">
            <Form.Label>What is new in it</Form.Label>
            <Form.Control autoFocus value={note} maxLength={500} onChange={(e) => setNote(e.target.value)} />
          </Form.Group>
        </Modal.Body>
        <Modal.Footer>
          <Button variant="outline-secondary" onClick={onClose}>
            Cancel
          </Button>
          <Button type="submit" disabled={busy}>
            Release
          </Button>
        </Modal.Footer>
      </Form>
    </Modal>
  );
}

/** What the release does to the rows that there are. */
function TableChanges({ bot }: { readonly bot: string }) {
  const changes = useCall('listTableChanges', { params: { bot } });
  const items = changes.data?.items ?? [];
  if (items.length === 0) return null;
  const words = (c: TableChange): string =>
    [
      ...(c.added.length > 0 ? [`new: ${c.added.join(', ')}`] : []),
      ...(c.changed.length > 0 ? [`changed: ${c.changed.join(', ')}`] : []),
      ...(c.removed.length > 0 ? [`gone: ${c.removed.join(', ')}`] : []),
    ].join('; ');
  return (
    <section className="mb-3" aria-label="Rows of tables">
      {items.map((c) => (
        <div key={c.table}>
          <p className="mb-0">
            <b>{c.table}</b>: {words(c)}
          </p>
          {c.misfits > 0 && (
            <p className="plum mb-0">
              {c.misfits === 1 ? '1 value does' : `${c.misfits} values do`} not fit, in {c.rows} rows: they stay as they are and
              are marked.
            </p>
          )}
          {c.left > 0 && (
            <p className="soft mb-0">
              {c.left === 1 ? '1 value' : `${c.left} values`} of columns that are gone stay, out of sight.
            </p>
          )}
          {c.sameKeys > 0 && <p className="plum mb-0">{c.sameKeys} rows have the key of another one.</p>}
          <ul className="note">
            {c.examples.slice(0, 4).map((e, i) => (
              <li key={i}>
                {e.column} {e.reason}
              </li>
            ))}
          </ul>
        </div>
      ))}
    </section>
  );
}

function RefusalPart({ refusal }: { readonly refusal: Refusal }) {
  return (
    <div className="alarm mb-3" role="alert">
      {refusal.text}
      <ul>
        {refusal.list.slice(0, 8).map((line) => (
          <li key={line}>{line}</li>
        ))}
      </ul>
    </div>
  );
}

interface DespiteProps {
  readonly bot: string;
  readonly why: string;
  readonly onWhy: (why: string) => void;
  readonly onLeave: () => void;
}

/** Asks why it is to be released though rehearsals fail. */
function Despite({ bot, why, onWhy, onLeave }: DespiteProps) {
  return (
    <Form.Group controlId="release-despite" className="mb-3">
      <Form.Label>Why it is to be released all the same</Form.Label>
      <Form.Control value={why} maxLength={500} onChange={(e) => onWhy(e.target.value)} />
      <Form.Text>
        <Link to={`/bots/${bot}/rehearsals`} onClick={onLeave}>
          Look at the rehearsals
        </Link>
      </Form.Text>
    </Form.Group>
  );
}
