import { ApiError, type BotSummary, type Draft } from '@primrose/contract';
import { problemSentence, type Problem } from '@primrose/core';
import { useState, type FormEvent } from 'react';
import { Button, Form, Modal, Offcanvas } from 'react-bootstrap';
import { Link, Outlet, useLocation, useNavigate, useParams } from 'react-router';
import { call, errorText, invalidate, useCall } from '../api.js';
import { DraftContext, useDraftHandle, useProblems } from '../draft/context.js';
import { useDraft, type DraftHandle } from '../draft/useDraft.js';
import { Petal } from '../parts/Petal.js';
import { ThemeSwitch } from '../parts/ThemeSwitch.js';
import { SimulationProvider } from '../simulator/simulation.js';

const TABS = [
  ['map', 'Map'],
  ['actions', 'Actions'],
  ['channels', 'Channels'],
  ['settings', 'Settings'],
] as const;

/** Everything around the pages of one bot: its draft, the top bar, the tabs. */
export default function BotFrame() {
  const { bot = '' } = useParams();
  const draft = useCall('getDraft', { params: { bot } });
  if (draft.error) {
    return (
      <main className="center">
        <p className="alarm" role="alert">
          {errorText(draft.error)}
        </p>
        <Link to="/">All bots</Link>
      </main>
    );
  }
  return draft.data ? <Opened key={bot} draft={draft.data} /> : <main className="center">Opening…</main>;
}

function Opened({ draft }: { readonly draft: Draft }) {
  const handle = useDraft(draft);
  const problems = useProblems(handle.document);
  const [showProblems, setShowProblems] = useState(false);
  const [releasing, setReleasing] = useState(false);
  const { pathname } = useLocation();
  const onTurn = pathname.includes('/turns/');
  const next = (handle.saved.bot.release ?? 0) + 1;
  return (
    <DraftContext value={handle}>
      <SimulationProvider handle={handle}>
        <div className="frame">
          <header className="top">
            <Link className="logo" to="/" aria-label="Primrose, all bots">
              <Petal size={24} heart />
            </Link>
            <h1 dir="auto">{handle.document.name}</h1>
            <DraftState handle={handle} />
            <span className="spring" />
            {problems.length > 0 && (
              <button className="probs" type="button" onClick={() => setShowProblems(true)}>
                <i>{problems.length}</i>
                {problems.length === 1 ? 'problem' : 'problems'}
              </button>
            )}
            <ThemeSwitch />
            <Button onClick={() => setReleasing(true)}>Release {next}…</Button>
          </header>
          <nav className="tabs" aria-label="Sections">
            {TABS.map(([path, label]) => (
              <Link
                key={path}
                to={path}
                aria-current={pathname.split('/')[3] === path || (path === 'map' && onTurn) ? 'page' : undefined}
              >
                <span>{label}</span>
              </Link>
            ))}
          </nav>
          <Outlet />
        </div>
        {showProblems && <ProblemList problems={problems} onClose={() => setShowProblems(false)} />}
        {releasing && <ReleaseDialog handle={handle} number={next} problems={problems} onClose={() => setReleasing(false)} />}
        <ClashDialog handle={handle} />
      </SimulationProvider>
    </DraftContext>
  );
}

function sinceRelease({ release, changedSinceRelease: changes }: BotSummary): string {
  if (release === null) return 'not released yet';
  if (changes === 0) return `same as Release ${release}`;
  return `${changes === 1 ? '1 change' : `${changes} changes`} since Release ${release}`;
}

function DraftState({ handle }: { readonly handle: DraftHandle }) {
  const {
    state,
    saved: { bot: summary },
  } = handle;
  const since = sinceRelease(summary);
  const words = { saved: 'saved', unsaved: 'saving…', saving: 'saving…', failed: 'not saved', clash: 'not saved' }[state.kind];
  return (
    <span className="state" role="status">
      <b>Draft</b> · {since} · <span className={state.kind === 'failed' || state.kind === 'clash' ? 'plum' : ''}>{words}</span>
      {state.kind === 'failed' && <span className="plum"> {state.reason}</span>}
    </span>
  );
}

function ProblemList({ problems, onClose }: { readonly problems: readonly Problem[]; readonly onClose: () => void }) {
  const navigate = useNavigate();
  const { bot, document } = useDraftHandle();
  const jump = (p: Problem) => {
    onClose();
    if (p.flow !== undefined) void navigate(`/bots/${bot}/map/${p.flow}${p.node === undefined ? '' : `/${p.node}`}`);
    else void navigate(`/bots/${bot}/settings`);
  };
  const sorted = [...problems].sort((a, b) => a.severity.localeCompare(b.severity));
  return (
    <Offcanvas show placement="end" className="probpanel" onHide={onClose} aria-labelledby="problems">
      <Offcanvas.Header closeButton>
        <Offcanvas.Title id="problems">Problems</Offcanvas.Title>
      </Offcanvas.Header>
      <Offcanvas.Body>
        <ul>
          {sorted.map((p, i) => (
            <li key={i}>
              <button type="button" onClick={() => jump(p)}>
                <span className={`caps ${p.severity === 'error' ? 'plum' : 'soft'}`}>{p.severity}</span>{' '}
                <span className="note">
                  {p.flow === undefined ? document.name : p.flow}
                  {p.node === undefined ? '' : `, ${p.node}`}
                </span>
                <br />
                {problemSentence(p)}
              </button>
            </li>
          ))}
        </ul>
      </Offcanvas.Body>
    </Offcanvas>
  );
}

function ReleaseDialog({
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
  const [busy, setBusy] = useState(false);
  const [refusal, setRefusal] = useState<{ text: string; list: readonly string[] }>();
  const navigate = useNavigate();
  const warnings = problems.filter((p) => p.severity === 'warning').length;
  const release = async () => {
    if (!(await handle.flush())) throw new Error('The draft could not be saved, so it was not released. See the top bar.');
    await call('createRelease', { params: { bot: handle.bot }, body: { note } });
    invalidate('getDraft', 'listReleases', 'listChannels', 'listBots');
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
          <p className="mb-3">
            The draft becomes Release {number}. Channels that serve the latest release use it for new conversations at once; open
            conversations stay on the release they began with.
          </p>
          {warnings > 0 && (
            <p className="soft mb-3">
              {warnings === 1 ? 'There is 1 warning.' : `There are ${warnings} warnings.`} They do not stop a release.
            </p>
          )}
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

function ClashDialog({ handle }: { readonly handle: DraftHandle }) {
  if (handle.state.kind !== 'clash') return null;
  return (
    <Modal show backdrop="static" aria-labelledby="clash">
      <Modal.Header>
        <Modal.Title id="clash">Somebody changed the same place</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <p>
          Your last changes and theirs touch the same part of the draft. With yours, their version stays in the history of edits.
          With theirs, your changes that are not saved yet are given up.
        </p>
      </Modal.Body>
      <Modal.Footer>
        <Button variant="outline-secondary" onClick={() => handle.settle('theirs')}>
          Go on with theirs
        </Button>
        <Button onClick={() => handle.settle('mine')}>Go on with mine</Button>
      </Modal.Footer>
    </Modal>
  );
}
