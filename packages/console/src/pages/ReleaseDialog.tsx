import { ApiError } from '@primrose/contract';
import type { Problem } from '@primrose/core';
import { useState, type FormEvent } from 'react';
import { Button, Form, Modal } from 'react-bootstrap';
import { Link, useNavigate } from 'react-router';
import { call, errorText, invalidate } from '../api.js';
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
