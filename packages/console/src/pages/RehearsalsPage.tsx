import type { RehearsalResult, RehearsalRun } from '@primrose/contract';
import { missSentence, shareOf } from '@primrose/core';
import { useState } from 'react';
import { Button } from 'react-bootstrap';
import { Link, useParams } from 'react-router';
import { useDraftHandle } from '../draft/context.js';
import { duration, plainName, timeOfDay } from '../parts/words.js';
import { useLastRun, useRehearsing } from '../rehearsals/run.js';
import { RehearsalEditor } from '../rehearsals/RehearsalEditor.js';
import { Alarm } from '../parts/Alarm.js';

/** The kept conversations of the bot: run together, read where they fail, and what of the bot they come by. */
export default function RehearsalsPage() {
  const { bot, document } = useDraftHandle();
  const { rehearsal } = useParams();
  const { running, problem, runAll } = useRehearsing();
  const run = useLastRun(bot);
  const [coverage, setCoverage] = useState(false);
  const names = Object.keys(document.rehearsals ?? {});
  if (rehearsal !== undefined && document.rehearsals?.[rehearsal])
    return <RehearsalEditor key={rehearsal} id={rehearsal} rehearsal={document.rehearsals[rehearsal]} />;
  return (
    <main className="page">
      <header className="rehearsalbar">
        <h2>Rehearsals</h2>
        {run && (
          <span className="soft" role="status">
            <b>{run.passed}</b> passed{run.failed > 0 && <b className="plum">, {run.failed} failed</b>}, {timeOfDay(run.at)},{' '}
            {duration(run.ms)}
            {run.revision !== null && `, revision ${run.revision}`}
          </span>
        )}
        <span className="spring" />
        <button className="bare note" type="button" aria-pressed={coverage} onClick={() => setCoverage(!coverage)}>
          Coverage
        </button>
        <Button variant="outline-secondary" disabled={running || names.length === 0} onClick={runAll}>
          {running ? 'Running…' : 'Run all'} <kbd>H</kbd>
        </Button>
      </header>
      {problem !== undefined && <Alarm>{problem}</Alarm>}
      {names.length === 0 && (
        <div className="empty">
          <p>No rehearsals. Talk to the draft in the simulator, then keep the conversation as one.</p>
        </div>
      )}
      {names.length > 0 && !coverage && (
        <table className="table-grid rehearsals">
          <thead>
            <tr>
              <th>Rehearsal</th>
              <th>Turns</th>
              <th>Last run</th>
            </tr>
          </thead>
          <tbody>
            {names.map((id) => (
              <Row key={id} id={id} bot={bot} result={run?.items.find((i) => i.rehearsal === id)} />
            ))}
          </tbody>
        </table>
      )}
      {coverage && (run ? <CoverageTable run={run} /> : <p className="soft">Run the rehearsals first.</p>)}
    </main>
  );
}

interface RowProps {
  readonly id: string;
  readonly bot: string;
  readonly result: RehearsalResult | undefined;
}

function Row({ id, bot, result }: RowProps) {
  const { document } = useDraftHandle();
  const rehearsal = document.rehearsals?.[id];
  const turn = result?.turns.findIndex((t) => t.misses.length > 0) ?? -1;
  const miss = result?.turns[turn]?.misses[0];
  return (
    <tr className={result && !result.passed ? 'failed' : undefined}>
      <td>
        <Link to={id}>{plainName(id)}</Link>
        {rehearsal?.about !== undefined && (
          <p className="note" dir="auto">
            {rehearsal.about}
          </p>
        )}
      </td>
      <td>{rehearsal?.turns.length}</td>
      <td>
        {rehearsal?.off && <span className="note">off</span>}
        {!rehearsal?.off && !result && <span className="note">not run yet</span>}
        {result && !result.off && result.passed && <span className="b">passed</span>}
        {result?.problem !== undefined && (
          <>
            <span className="plum">not run to its end</span>
            <p className="plum note">{result.problem}</p>
          </>
        )}
        {miss && (
          <>
            <Link className="plum" to={`/bots/${bot}/rehearsals/${id}/turns/${turn + 1}`}>
              failed in turn {turn + 1}
            </Link>
            <p className="plum note" dir="auto">
              {missSentence(miss)}
            </p>
          </>
        )}
      </td>
    </tr>
  );
}

const percent = ({ of, met }: { of: number; met: number }) => (of === 0 ? '–' : `${Math.floor((100 * met) / of)} %`);

/** Flow by flow, how much of the bot the last run came by, and what it never did. */
function CoverageTable({ run: { coverage, ways = {} } }: { readonly run: RehearsalRun }) {
  const { bot, document } = useDraftHandle();
  const { setCovering } = useRehearsing();
  const never = (table: Readonly<Record<string, number>>, flow: string) =>
    Object.entries(table).flatMap(([name, n]) => (n === 0 && name.startsWith(`${flow}/`) ? [name.slice(flow.length + 1)] : []));
  const rows = Object.entries(document.flows).map(([id, flow]) => {
    const nodes = shareOf(coverage.nodes, id);
    const exits = shareOf(coverage.exits, id);
    return { id, title: flow.title ?? id, nodes, exits, gaps: never(coverage.exits, id) };
  });
  const [nodes, exits, intents] = [coverage.nodes, coverage.exits, coverage.intents].map((t) => shareOf(t));
  const unheard = Object.entries(coverage.intents).flatMap(([name, n]) => (n === 0 ? [plainName(name)] : []));
  return (
    <>
      <table className="table-grid rehearsals">
        <thead>
          <tr>
            <th>Flow</th>
            <th>Nodes</th>
            <th>Exits</th>
            <th>Exits never taken</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => (
            <tr key={r.id}>
              <td>
                <Link to={`/bots/${bot}/map/${r.id}`} onClick={() => setCovering(true)}>
                  {r.title}
                </Link>
              </td>
              <td>
                {r.nodes.met} of {r.nodes.of}
              </td>
              <td>
                {r.exits.met} of {r.exits.of}
              </td>
              <td className="note">{r.gaps.join(', ')}</td>
            </tr>
          ))}
          <tr>
            <td>
              <b>All</b>
            </td>
            <td>{nodes && percent(nodes)}</td>
            <td>{exits && percent(exits)}</td>
            <td />
          </tr>
        </tbody>
      </table>
      <p className="mt-3">
        Intents: {intents && `${intents.met} of ${intents.of}`}
        {unheard.length > 0 && <span className="note"> never heard: {unheard.join(', ')}</span>}
      </p>
      <WaysTable ways={ways} />
    </>
  );
}

/** Node by node, how often a model chose the way that rehearsals expect, and what it chose in its place. */
function WaysTable({ ways }: { readonly ways: NonNullable<RehearsalRun['ways']> }) {
  const { bot } = useDraftHandle();
  const rows = Object.entries(ways);
  if (rows.length === 0) return null;
  return (
    <table className="table-grid rehearsals">
      <thead>
        <tr>
          <th>Chooses a way</th>
          <th>Rightly</th>
          <th>Otherwise</th>
        </tr>
      </thead>
      <tbody>
        {rows.map(([node, { of, right, missed }]) => (
          <tr key={node}>
            <td>
              <Link to={`/bots/${bot}/map/${node}`}>{node}</Link>
            </td>
            <td>
              {right} of {of}
            </td>
            <td className="note">
              {missed
                .map((m) => `${m.chose ?? 'nothing'} for ${m.expected}${m.times > 1 ? `, ${m.times} times` : ''}`)
                .join('; ')}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
