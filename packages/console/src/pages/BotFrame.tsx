import type { BotSummary, Draft } from '@primrose/contract';
import { problemSentence, type Problem } from '@primrose/core';
import { useEffect, useState } from 'react';
import { Button, Offcanvas } from 'react-bootstrap';
import { Link, Outlet, useLocation, useNavigate, useParams } from 'react-router';
import { errorText, useCall } from '../api.js';
import { DraftContext, useDraftHandle, useProblems } from '../draft/context.js';
import { useDraft, type DraftHandle } from '../draft/useDraft.js';
import { Petal } from '../parts/Petal.js';
import { ThemeSwitch } from '../parts/ThemeSwitch.js';
import { SimulationProvider } from '../simulator/simulation.js';
import { ClashDialog } from './ClashDialog.js';
import { ReleaseDialog } from './ReleaseDialog.js';

const TABS = [
  ['map', 'Map'],
  ['understanding', 'Understanding'],
  ['knowledge', 'Knowledge'],
  ['actions', 'Actions'],
  ['models', 'Models'],
  ['channels', 'Channels'],
  ['conversations', 'Conversations'],
  ['settings', 'Settings'],
] as const;

/** The page on which a part of the document is edited, by its JSON Pointer. */
function pageOf(field: string): string {
  const [, part = '', name] = field.split('/');
  if (part === 'intents' && name !== undefined) return `understanding/intent/${name}`;
  if (['intents', 'entities', 'contexts', 'out-of-scope'].includes(part)) return 'understanding';
  return { knowledge: 'knowledge', models: 'models', connections: 'actions' }[part] ?? 'settings';
}

/** The tab under which a page stands. */
function tabOf(pathname: string): string {
  const page = pathname.split('/')[3] ?? '';
  return { turns: 'map', releases: 'settings', history: 'settings' }[page] ?? page;
}

/** Ctrl+Z and Ctrl+Shift+Z, except where a text field has them for itself. */
function useUndoKeys({ step }: DraftHandle): void {
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const typing = event.target instanceof Element && event.target.closest('input, textarea, select, [contenteditable]');
      if (typing || !(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'z') return;
      event.preventDefault();
      void step(event.shiftKey ? 'redo' : 'undo');
    };
    addEventListener('keydown', onKey);
    return () => removeEventListener('keydown', onKey);
  }, [step]);
}

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
  useUndoKeys(handle);
  const [showProblems, setShowProblems] = useState(false);
  const [releasing, setReleasing] = useState(false);
  const { pathname } = useLocation();
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
              <Link key={path} to={path} aria-current={tabOf(pathname) === path ? 'page' : undefined}>
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
      {handle.notice !== undefined && <span className="plum"> {handle.notice}</span>}
    </span>
  );
}

function ProblemList({ problems, onClose }: { readonly problems: readonly Problem[]; readonly onClose: () => void }) {
  const navigate = useNavigate();
  const { bot, document } = useDraftHandle();
  const jump = (p: Problem) => {
    onClose();
    if (p.flow !== undefined) void navigate(`/bots/${bot}/map/${p.flow}${p.node === undefined ? '' : `/${p.node}`}`);
    else void navigate(`/bots/${bot}/${pageOf(p.field ?? '')}`);
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
