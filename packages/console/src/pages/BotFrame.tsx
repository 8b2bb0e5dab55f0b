import type { BotSummary, Draft } from '@primrose/contract';
import type { Problem } from '@primrose/core';
import { useEffect, useState } from 'react';
import { Button } from 'react-bootstrap';
import { Link, Outlet, useLocation, useNavigate, useParams } from 'react-router';
import { errorText, useCall } from '../api.js';
import { DraftContext, useProblems } from '../draft/context.js';
import { useDraft, type DraftHandle } from '../draft/useDraft.js';
import { FindAnything } from '../find/FindAnything.js';
import { GO_TO, useKeys } from '../keys/keys.js';
import { KeysDialog } from '../keys/KeysDialog.js';
import { Petal } from '../parts/Petal.js';
import { ThemeSwitch } from '../parts/ThemeSwitch.js';
import { inOrder, placeOf } from '../problems/places.js';
import { ProblemList } from '../problems/ProblemList.js';
import { RehearsingProvider, useRehearsing } from '../rehearsals/run.js';
import { SimulationProvider } from '../simulator/simulation.js';
import { ClashDialog } from './ClashDialog.js';
import { ReleaseDialog } from './ReleaseDialog.js';
import { Alarm } from '../parts/Alarm.js';

const TABS = [
  ['map', 'Map'],
  ['understanding', 'Understanding'],
  ['knowledge', 'Knowledge'],
  ['actions', 'Actions'],
  ['models', 'Models'],
  ['rehearsals', 'Rehearsals'],
  ['pages', 'Pages'],
  ['channels', 'Channels'],
  ['conversations', 'Conversations'],
  ['settings', 'Settings'],
] as const;

/** The tab under which a page stands. */
function tabOf(pathname: string): string {
  const page = pathname.split('/')[3] ?? '';
  const under = {
    simulations: 'map',
    releases: 'settings',
    history: 'settings',
    retention: 'settings',
    people: 'settings',
    visitors: 'conversations',
    inbox: 'conversations',
    runs: 'conversations',
    tables: 'actions',
    starts: 'actions',
    quality: 'understanding',
    missed: 'understanding',
    evaluation: 'knowledge',
  };
  return Object.hasOwn(under, page) ? under[page as keyof typeof under] : page;
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

/** Keys that work on every page of a bot. */
function usePageKeys(bot: string, problems: readonly Problem[], open: (what: 'find' | 'keys') => void): void {
  const navigate = useNavigate();
  const { pathname } = useLocation();
  const nextProblem = () => {
    const places = [...new Set(inOrder(problems).map((p) => `/bots/${bot}/${placeOf(p)}`))];
    const next = places[(places.indexOf(pathname) + 1) % Math.max(1, places.length)];
    if (next !== undefined) void navigate(next);
  };
  const pages = Object.entries(GO_TO).map(([key, page]) => [`g ${key}`, () => void navigate(`/bots/${bot}/${page}`)] as const);
  useKeys({ '/': () => open('find'), '?': () => open('keys'), p: nextProblem, ...Object.fromEntries(pages) });
}

/** Everything around the pages of one bot: its draft, the top bar, the tabs. */
export default function BotFrame() {
  const { bot = '' } = useParams();
  const draft = useCall('getDraft', { params: { bot } });
  if (draft.error) {
    return (
      <main className="center">
        <Alarm>{errorText(draft.error)}</Alarm>
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
  const [open, setOpen] = useState<'problems' | 'release' | 'find' | 'keys'>();
  const close = () => setOpen(undefined);
  usePageKeys(handle.bot, problems, setOpen);
  const { pathname } = useLocation();
  const next = (handle.saved.bot.release ?? 0) + 1;
  return (
    <DraftContext value={handle}>
      <RehearsingProvider handle={handle}>
        <SimulationProvider handle={handle}>
          <RehearseKey bot={handle.bot} />
          <div className="frame">
            <header className="top">
              <Link className="logo" to="/" aria-label="Primrose, all bots">
                <Petal size={24} heart />
              </Link>
              <h1 dir="auto">{handle.document.name}</h1>
              <DraftState handle={handle} />
              <span className="spring" />
              <button className="find" type="button" aria-label="Find anything" onClick={() => setOpen('find')}>
                <span>Find anything</span>
                <kbd>/</kbd>
              </button>
              {problems.length > 0 && (
                <button className="probs" type="button" onClick={() => setOpen('problems')}>
                  <i>{problems.length}</i>
                  {problems.length === 1 ? 'problem' : 'problems'}
                </button>
              )}
              <ThemeSwitch />
              <Button onClick={() => setOpen('release')}>Release {next}…</Button>
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
          {open === 'problems' && <ProblemList problems={problems} onClose={close} />}
          {open === 'release' && <ReleaseDialog handle={handle} number={next} problems={problems} onClose={close} />}
          {open === 'find' && <FindAnything bot={handle.bot} document={handle.document} onClose={close} />}
          {open === 'keys' && <KeysDialog onClose={close} />}
          <ClashDialog handle={handle} />
        </SimulationProvider>
      </RehearsingProvider>
    </DraftContext>
  );
}

/** One key runs all rehearsals and shows what came of them. */
function RehearseKey({ bot }: { readonly bot: string }) {
  const { runAll } = useRehearsing();
  const navigate = useNavigate();
  useKeys({
    h: () => {
      runAll();
      void navigate(`/bots/${bot}/rehearsals`);
    },
  });
  return null;
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
