import { ApiError } from '@primrose/contract';
import type { Problem } from '@primrose/core';
import { useState, type FormEvent } from 'react';
import { Button, Form, Modal } from 'react-bootstrap';
import { Link, useNavigate } from 'react-router';
import { call, errorText, invalidate } from '../api.js';
import type { DraftHandle } from '../draft/useDraft.js';

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
  const [refusal, setRefusal] = useState<{ text: string; list: readonly string[]; rehearsals: boolean }>();
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
      .catch((error: unknown) =>
        setRefusal({
          text: errorText(error),
          list: error instanceof ApiError ? (error.details.errors ?? []).map((e) => `${e.pointer}: ${e.detail}`) : [],
          rehearsals: error instanceof ApiError && error.details.code === 'rehearsals-failed',
        }),
      )
      .finally(() => setBusy(false));
  };
  return (
    <Modal show onHide={onClose} aria-labelledby="release">
      <Form onSubmit={submit}>
        <Modal.Header closeButton>
          <Modal.Title id="release">Release {number}</Modal.Title>
        </Modal.Header>
        <Modal.Body>
          {refusal && (
            <div className="alarm mb-3" role="alert">
              {refusal.text}
              <ul>
                {refusal.list.slice(0, 8).map((line) => (
                  <li key={line}>{line}</li>
                ))}
              </ul>
            </div>
          )}
          {refusal?.rehearsals && (
            <Form.Group controlId="release-despite" className="mb-3">
              <Form.Label>Why it is to be released all the same</Form.Label>
              <Form.Control value={despite} maxLength={500} onChange={(e) => setDespite(e.target.value)} />
              <Form.Text>
                <Link to={`/bots/${handle.bot}/rehearsals`} onClick={onClose}>
                  Look at the rehearsals
                </Link>
              </Form.Text>
            </Form.Group>
          )}
          <p className="mb-3">
            The draft becomes Release {number} and is live at once: new conversations use it, unless their channel is bound to
            another release.
          </p>
          {warnings > 0 && (
            <p className="soft mb-3">
              {warnings === 1 ? 'There is 1 warning.' : `There are ${warnings} warnings.`} They do not stop a release.
            </p>
          )}
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
