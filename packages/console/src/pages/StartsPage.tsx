import type { StartState } from '@primrose/contract';
import { idOf, type Start, type StartKind } from '@primrose/core';
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { errorText, invalidate, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { putPart } from '../draft/parts.js';
import { Alarm } from '../parts/Alarm.js';
import { NewName } from '../parts/NewName.js';
import { ActionTabs } from '../parts/Tabs.js';
import { CameIn } from '../starts/CameIn.js';
import { StartEditor } from '../starts/StartEditor.js';
import { Stages } from '../starts/Stages.js';

const KIND_WORDS: Readonly<Record<StartKind, string>> = {
  hook: 'a hook',
  schedule: 'a schedule',
  row: 'a change of a row',
  call: 'a call',
};

const BLANK: Readonly<Record<StartKind, (flow: string) => Start>> = {
  hook: (flow) => ({ by: 'hook', flow, secured: 'token' }),
  schedule: (flow) => ({ by: 'schedule', flow, at: '30 6 * * *' }),
  row: (flow) => ({ by: 'row', flow, table: '', on: ['added'] }),
  call: (flow) => ({ by: 'call', flow }),
};

/** What begins flows besides conversations: how, with what, and what has come in. */
export default function StartsPage() {
  const { document, bot, edit, flush } = useDraftHandle();
  const { start: wanted } = useParams();
  const navigate = useNavigate();
  const states = useCall('listStarts', { params: { bot } });
  const names = Object.keys(document.starts ?? {});
  const name = wanted ?? names[0];
  const start = name === undefined ? undefined : document.starts?.[name];
  const state = states.data?.items.find((s) => s.name === name);
  const [kind, setKind] = useState<StartKind>('hook');
  const add = (words: string) => {
    const id = idOf(words);
    if (id === '') return;
    const flow = Object.keys(document.flows).find((f) => f !== document.begins) ?? document.begins;
    edit((d) => (d.starts?.[id] ? d : putPart(d, 'starts', id, BLANK[kind](flow))));
    void flush().then(() => invalidate('listStarts'));
    void navigate(`/bots/${bot}/starts/${id}`);
  };
  return (
    <div className="threefold starts">
      <nav className="lists" aria-label="Starts">
        <ActionTabs />
        {names.map((n) => (
          <StartLink key={n} name={n} current={n === name} state={states.data?.items.find((s) => s.name === n)} />
        ))}
        <select
          className="form-select"
          aria-label="What begins it"
          value={kind}
          onChange={(e) => setKind(e.target.value as StartKind)}
        >
          {(Object.keys(KIND_WORDS) as StartKind[]).map((k) => (
            <option key={k} value={k}>
              {KIND_WORDS[k]}
            </option>
          ))}
        </select>
        <NewName label="New start" onAdd={add} />
      </nav>
      {name === undefined || !start ? (
        <main className="middle" aria-label="The start">
          <div className="empty">
            <p>Nothing begins a flow but conversations. Name a start: a hook, a schedule, a change of a row, or a call.</p>
          </div>
        </main>
      ) : (
        <OneStart
          key={name}
          name={name}
          start={start}
          state={state}
          problem={states.error ? errorText(states.error) : undefined}
        />
      )}
    </div>
  );
}

function StartLink({
  name,
  current,
  state,
}: {
  readonly name: string;
  readonly current: boolean;
  readonly state: StartState | undefined;
}) {
  const { bot, document } = useDraftHandle();
  const live = state?.live;
  return (
    <Link to={`/bots/${bot}/starts/${name}`} aria-current={current ? 'page' : undefined}>
      <span>{name.replaceAll('-', ' ')}</span>
      <span className="note">
        {document.starts?.[name]?.by}
        {live ? (live.on ? '' : ', off') : ', not live'}
      </span>
    </Link>
  );
}

function OneStart({
  name,
  start,
  state,
  problem,
}: {
  readonly name: string;
  readonly start: Start;
  readonly state: StartState | undefined;
  readonly problem: string | undefined;
}) {
  const { edit, flush } = useDraftHandle();
  const put = (next: Start | undefined) => {
    edit((d) => putPart(d, 'starts', name, next));
    // Whether the sender can be known is another question then.
    if (next?.by === 'hook' && start.by === 'hook' && next.secured !== start.secured)
      void flush().then(() => invalidate('listStarts'));
  };
  /** The input into which a value that is picked from a body goes. */
  const [input, setInput] = useState<string>();
  const pick = (path: string) => {
    if (input === undefined || start.by === 'call') return;
    put({ ...start, given: { ...start.given, [input]: `{{ ${path} }}` } });
  };
  return (
    <>
      <main className="middle" aria-label="The start">
        <header>
          <h2>{name.replaceAll('-', ' ')}</h2>
          <button type="button" className="bare note" onClick={() => put(undefined)}>
            remove
          </button>
        </header>
        {problem !== undefined && <Alarm>{problem}</Alarm>}
        <StartEditor name={name} start={start} onChange={put} input={input} onInput={setInput} />
        {state && <Stages name={name} state={state} start={start} />}
      </main>
      <aside className="side">
        <CameIn name={name} start={start} state={state} input={input} onPick={pick} />
      </aside>
    </>
  );
}
