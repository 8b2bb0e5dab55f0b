import type { Notice, Run } from '@primrose/contract';
import { readMarkdown, RUN_OUTCOMES, type RunOutcome } from '@primrose/core';
import { useState } from 'react';
import { Button } from 'react-bootstrap';
import { Link, useNavigate, useParams } from 'react-router';
import { call, errorText, invalidate, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Alarm } from '../parts/Alarm.js';
import { Markdown } from '../parts/Markdown.js';
import { Shown } from '../parts/Shown.js';
import { ConversationTabs } from '../parts/Tabs.js';
import { duration, plainName, timeOfDay } from '../parts/words.js';
import { BeginDialog } from '../starts/BeginDialog.js';

const OUTCOME_WORDS: Readonly<Record<RunOutcome, string>> = {
  running: 'under way',
  done: 'done',
  failed: 'failed',
  aside: 'put aside',
};
const BY_WORDS: Readonly<Record<Run['by'], string>> = {
  hook: 'a hook',
  schedule: 'a schedule',
  row: 'a row',
  mail: 'a mail',
  page: 'a page',
  call: 'a call',
  hand: 'hand',
};
const LIMIT = 100;

/** Flows that began without a conversation: counts, a list, and one of them with all that it did. */
export default function RunsPage() {
  const { bot, document } = useDraftHandle();
  const { run } = useParams();
  const [start, setStart] = useState('');
  const [flow, setFlow] = useState('');
  const [outcome, setOutcome] = useState<RunOutcome | ''>('');
  const [since, setSince] = useState('');
  const [beginning, setBeginning] = useState(false);
  const query = {
    limit: LIMIT,
    ...(start === '' ? {} : { start }),
    ...(flow === '' ? {} : { flow }),
    ...(outcome === '' ? {} : { outcome }),
    ...(since === '' ? {} : { from: new Date(`${since}T00:00`).toISOString() }),
  };
  const runs = useCall('listRuns', { params: { bot }, query });
  const starts = Object.keys(document.starts ?? {});
  return (
    <div className="talks">
      <nav className="list" aria-label="Runs">
        <ConversationTabs />
        <Counts />
        <div className="filters runfilters">
          <select className="form-select" aria-label="Start" value={start} onChange={(e) => setStart(e.target.value)}>
            <option value="">every start</option>
            {starts.map((s) => (
              <option key={s}>{s}</option>
            ))}
          </select>
          <select
            className="form-select"
            aria-label="Outcome"
            value={outcome}
            onChange={(e) => setOutcome(e.target.value as RunOutcome)}
          >
            <option value="">every outcome</option>
            {RUN_OUTCOMES.map((o) => (
              <option key={o} value={o}>
                {OUTCOME_WORDS[o]}
              </option>
            ))}
          </select>
          <select className="form-select" aria-label="Flow" value={flow} onChange={(e) => setFlow(e.target.value)}>
            <option value="">every flow</option>
            {Object.keys(document.flows).map((f) => (
              <option key={f}>{f}</option>
            ))}
          </select>
          <input
            className="form-control"
            type="date"
            aria-label="Since"
            value={since}
            onChange={(e) => setSince(e.target.value)}
          />
        </div>
        {runs.error && <Alarm>{errorText(runs.error)}</Alarm>}
        {runs.data?.items.map((r) => (
          <Link key={r.id} to={`/bots/${bot}/runs/${r.id}`} aria-current={r.id === run ? 'page' : undefined}>
            <span className="note">{timeOfDay(r.at)}</span>
            <span className="said">{plainName(r.start ?? r.flow)}</span>
            <b className={r.outcome === 'failed' || r.outcome === 'aside' ? 'plum' : 'b'}>{OUTCOME_WORDS[r.outcome]}</b>
            <span className="meta">
              {new Date(r.at).toLocaleDateString()}, by {BY_WORDS[r.by]}
              {r.page === null ? '' : `, ${r.page.tokens} tokens`}
              {r.stage === 'draft' && ', on the draft'}
              {r.ms !== null && `, ${duration(r.ms)}`}
            </span>
          </Link>
        ))}
        {runs.data?.items.length === 0 && (
          <p className="empty">Nothing has run{start || flow || outcome || since ? ' like this' : ' yet'}.</p>
        )}
        {(runs.data?.next ?? null) !== null && <p className="note px-3">These are the newest {LIMIT}. Narrow them down.</p>}
      </nav>
      <main className="talk" aria-label="The run">
        <div className="facts">
          <Button variant="outline-secondary" size="sm" onClick={() => setBeginning(true)}>
            Begin a flow by hand…
          </Button>
        </div>
        {run === undefined ? <FailedNotices /> : <One key={run} id={run} />}
      </main>
      {beginning && <BeginDialog onClose={() => setBeginning(false)} />}
    </div>
  );
}

/** How the last week went, at a glance. */
function Counts() {
  const { bot } = useDraftHandle();
  const counts = useCall('countRuns', { params: { bot }, query: {} });
  const sum = (outcome: RunOutcome) =>
    (counts.data?.items ?? []).filter((i) => i.outcome === outcome).reduce((all, i) => all + i.count, 0);
  const bad = sum('failed') + sum('aside');
  return (
    <p className="counts px-3">
      In 7 days: {sum('done')} done, <span className={bad > 0 ? 'plum' : ''}>{bad} failed</span>, {sum('running')} under way
    </p>
  );
}

/** Notices that nobody got: where no run is looked at. */
function FailedNotices() {
  const { bot } = useDraftHandle();
  const notices = useCall('listNotices', { params: { bot }, query: { state: 'failed', limit: 20 } });
  const items = notices.data?.items ?? [];
  return (
    <>
      <p className="empty">Choose a run to see what it did.</p>
      {items.length > 0 && (
        <section aria-label="Notices that failed">
          <h3>Notices that nobody got</h3>
          {items.map((n) => (
            <NoticeLine key={n.id} notice={n} />
          ))}
        </section>
      )}
    </>
  );
}

function NoticeLine({ notice: n }: { readonly notice: Notice }) {
  const { bot } = useDraftHandle();
  const [problem, setProblem] = useState<string>();
  const again = () =>
    void call('sendNoticeAgain', { params: { bot, notice: n.id } }).then(
      () => invalidate('listNotices', 'getRun'),
      (error: unknown) => setProblem(errorText(error)),
    );
  return (
    <div className="noticeline">
      <p className="note">
        to {n.to} on {n.channel}, {timeOfDay(n.at)}:{' '}
        <b className={n.state === 'failed' ? 'plum' : 'b'}>{n.state === 'waits' ? 'waits to be sent' : n.state}</b>
        {n.reason !== null && `, ${n.reason}`}
        {n.state === 'failed' && (
          <button type="button" className="bare note" onClick={again}>
            send it again
          </button>
        )}
      </p>
      {problem !== undefined && <Alarm>{problem}</Alarm>}
      <blockquote>
        <Markdown blocks={readMarkdown(n.text)} />
      </blockquote>
    </div>
  );
}

function One({ id }: { readonly id: string }) {
  const { bot } = useDraftHandle();
  const found = useCall('getRun', { params: { bot, run: id } });
  const navigate = useNavigate();
  const [problem, setProblem] = useState<string>();
  if (found.error) return <Alarm>{errorText(found.error)}</Alarm>;
  if (!found.data) return null;
  const { run, turns, notices } = found.data;
  const again = (on: 'draft' | 'live') =>
    call('runAgain', { params: { bot, run: id }, body: { on } }).then(
      (made) => {
        invalidate('listRuns', 'countRuns');
        void navigate(`/bots/${bot}/runs/${made.id}`);
      },
      (error: unknown) => setProblem(errorText(error)),
    );
  return (
    <section>
      <header>
        <h2>{plainName(run.flow)}</h2>
        <p>
          <b className={run.outcome === 'failed' || run.outcome === 'aside' ? 'plum' : 'b'}>{OUTCOME_WORDS[run.outcome]}</b>
          <span>
            {new Date(run.at).toLocaleString()}, by {BY_WORDS[run.by]}
            {run.page && <PageFacts of={run.page} />}
            {run.start !== null && ` ${plainName(run.start)}`}
            {run.stage === 'draft' && ', on the draft'}
          </span>
          {run.againOf !== null && <Link to={`/bots/${bot}/runs/${run.againOf}`}>run again of this one</Link>}
          {run.outcome === 'running' && (
            <button type="button" className="bare note" onClick={() => invalidate('getRun', 'listRuns')}>
              look again
            </button>
          )}
        </p>
      </header>
      {run.reason !== null && <p className="plum">It failed: {run.reason}.</p>}
      {problem !== undefined && <Alarm>{problem}</Alarm>}
      <div className="rr">
        <div>
          <h3>It got</h3>
          <Shown value={run.given} what="what it got" />
        </div>
        <div>
          <h3>It gave</h3>
          {run.gave === null || Object.keys(run.gave).length === 0 ? (
            <p className="note">nothing</p>
          ) : (
            <Shown value={run.gave} what="what it gave" />
          )}
        </div>
      </div>
      <ul className="list-unstyled">
        {turns.map((t) => (
          <li key={t.number}>
            <Link to={`/bots/${bot}/conversations/${id}/turns/${t.number}`}>Turn sheet{turns.length > 1 && ` ${t.number}`}</Link>{' '}
            <span className="note">
              {t.sheet.path.length} {t.sheet.path.length === 1 ? 'node' : 'nodes'}, {duration(t.ms)}
              {t.sheet.problems.length > 0 && (
                <b className="plum"> {t.sheet.problems.length === 1 ? '1 problem' : `${t.sheet.problems.length} problems`}</b>
              )}
            </span>
          </li>
        ))}
      </ul>
      {notices.map((n) => (
        <NoticeLine key={n.id} notice={n} />
      ))}
      <Button variant="outline-secondary" onClick={() => void again('live')}>
        Run again live
      </Button>{' '}
      <Button variant="outline-secondary" onClick={() => void again('draft')}>
        Run again on the draft
      </Button>
    </section>
  );
}

/** Of a run of a page: whose it is, and what it cost. */
function PageFacts({ of: { page, part, who, share, tokens, price } }: { readonly of: NonNullable<Run['page']> }) {
  const { bot } = useDraftHandle();
  return (
    <>
      {' '}
      <Link to={`/bots/${bot}/pages/${page}/results`}>{plainName(page)}</Link>
      {part === null ? '' : `, ${plainName(part)} alone`}, filled in by {who ?? `a visitor of ${share ?? 'a link'}`}; {tokens}{' '}
      tokens, {price.toFixed(5)}
    </>
  );
}
