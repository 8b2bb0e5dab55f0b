import type { StartEvent, StartState } from '@primrose/contract';
import {
  freeId,
  givenOf,
  isHookSample,
  readForm,
  textOf,
  type Came,
  type HookSample,
  type Start,
  type Value,
} from '@primrose/core';
import { useState } from 'react';
import { Link } from 'react-router';
import { errorText, invalidate, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { putPart } from '../draft/parts.js';
import { Alarm } from '../parts/Alarm.js';
import { timeOfDay } from '../parts/words.js';

/** Something that came, or is kept as a sample: what a mapping is tried on. */
interface Body {
  readonly id: string;
  readonly named: string;
  readonly came: Came;
}

interface CameInProps {
  readonly name: string;
  readonly start: Start;
  readonly state: StartState | undefined;
  readonly input: string | undefined;
  readonly onPick: (path: string) => void;
}

const OUTCOMES: Readonly<Record<StartEvent['outcome'], string>> = {
  taken: 'taken',
  repeat: 'a repeat',
  refused: 'refused',
  missed: 'missed',
  failed: 'failed',
};

function parsed(event: StartEvent, start: Start): Value {
  if (event.body === null) return null;
  if (start.by === 'hook' && start.body === 'form') return readForm(event.body);
  if (start.by === 'hook' && start.body === 'text') return event.body;
  try {
    return JSON.parse(event.body) as Value;
  } catch {
    return event.body;
  }
}

/** What came to a start: its last events, the body of one as a tree to pick from, and what the mapping makes of it. */
export function CameIn({ name, start, state, input, onPick }: CameInProps) {
  const { bot, document } = useDraftHandle();
  const [picked, setStage] = useState<'draft' | 'live'>();
  const stage = picked ?? (state?.live ? 'live' : 'draft');
  const events = useCall('listStartEvents', { params: { bot, start: name, stage } }, (state?.[stage] ?? null) !== null);
  const [chosen, setChosen] = useState<string>();
  const [other, setOther] = useState<string>();
  const samples = Object.entries(document.samples ?? {}).filter(
    (s): s is [string, HookSample] => isHookSample(s[1]) && s[1].came === name,
  );
  const bodies: Body[] = [
    ...samples.map(([id, s]) => {
      return {
        id: `sample ${id}`,
        named: id,
        came: { body: s.body, inputs: s.body, headers: s.headers ?? {}, query: s.query ?? {} },
      };
    }),
    ...(events.data?.items ?? [])
      .filter((e) => e.body !== null)
      .map((e) => {
        const body = parsed(e, start);
        const came = start.by === 'row' ? (body as Came) : { body, inputs: body, headers: e.headers, query: e.query };
        return { id: e.id, named: `${timeOfDay(e.at, true)}, ${OUTCOMES[e.outcome]}`, came };
      }),
  ];
  const shown = bodies.find((b) => b.id === chosen) ?? bodies[0];
  const beside = bodies.find((b) => b.id === other);
  return (
    <>
      {shown && (
        <section aria-label="The body">
          <h2>What came</h2>
          <select className="form-select" aria-label="Which one" value={shown.id} onChange={(e) => setChosen(e.target.value)}>
            {bodies.map((b) => (
              <option key={b.id} value={b.id}>
                {b.named}
              </option>
            ))}
          </select>
          <p className="note">
            {input === undefined
              ? 'Choose an input, then a value here.'
              : `A value that you press goes to ${input.replaceAll('_', ' ')}.`}
          </p>
          {(start.by === 'row' ? ['row', 'before', 'event'] : ['body', 'headers', 'query']).map((root) => (
            <PickTree
              key={root}
              name={root}
              path={root}
              value={shown.came[root] ?? null}
              open={root === 'body' || root === 'row'}
              onPick={onPick}
            />
          ))}
          <Mapped start={start} shown={shown} beside={beside} />
          {bodies.length > 1 && (
            <select
              className="form-select"
              aria-label="Beside it"
              value={other ?? ''}
              onChange={(e) => setOther(e.target.value || undefined)}
            >
              <option value="">show another one beside it</option>
              {bodies
                .filter((b) => b.id !== shown.id)
                .map((b) => (
                  <option key={b.id} value={b.id}>
                    {b.named}
                  </option>
                ))}
            </select>
          )}
          {!shown.id.startsWith('sample ') && <KeepBody name={name} body={shown} />}
        </section>
      )}
      <section aria-label="Last events">
        <h2>Last events</h2>
        {state?.live && state.draft && start.by !== 'schedule' && (
          <div className="langs">
            {(['live', 'draft'] as const).map((s) => (
              <button key={s} type="button" aria-pressed={stage === s} onClick={() => setStage(s)}>
                {s}
              </button>
            ))}
            <button type="button" onClick={() => invalidate('listStartEvents')}>
              look again
            </button>
          </div>
        )}
        {events.error && <Alarm>{errorText(events.error)}</Alarm>}
        {events.data?.items.length === 0 && <p className="note">Nothing has come yet.</p>}
        <ul className="startevents">
          {events.data?.items.slice(0, 30).map((e) => (
            <li key={e.id}>
              <button type="button" className="bare" disabled={e.body === null} onClick={() => setChosen(e.id)}>
                {new Date(e.at).toLocaleDateString([], { day: 'numeric', month: 'short' })} {timeOfDay(e.at, true)}
              </button>{' '}
              <b className={e.outcome === 'refused' || e.outcome === 'failed' ? 'plum' : ''}>
                {OUTCOMES[e.outcome]}
                {e.times > 1 && ` ${e.times} times`}
                {e.status > 0 && ` ${e.status}`}
              </b>{' '}
              {e.run !== null && <Link to={`/bots/${bot}/runs/${e.run}`}>run</Link>}
              {e.about !== '' && <p className="note">{e.about}</p>}
            </li>
          ))}
        </ul>
      </section>
    </>
  );
}

const PLAIN = /^[A-Za-z_][A-Za-z0-9_]*$/;

/** The path of a part, as an expression names it. */
function pathOf(base: string, key: string, list: boolean): string {
  if (list) return `${base}[${key}]`;
  return PLAIN.test(key) ? `${base}.${key}` : `${base}[${JSON.stringify(key)}]`;
}

const MOST_SHOWN = 60;

interface PickTreeProps {
  readonly name: string;
  readonly path: string;
  readonly value: Value;
  readonly open?: boolean;
  readonly onPick: (path: string) => void;
}

/** A body as a tree whose values can be pressed. */
function PickTree({ name, path, value, open = false, onPick }: PickTreeProps) {
  const [unfolded, setUnfolded] = useState(open);
  const holds = value !== null && typeof value === 'object';
  const list = Array.isArray(value);
  const entries = holds ? Object.entries(value) : [];
  if (holds && entries.length === 0) return <div className="pickleaf note">{name}: nothing in it</div>;
  return (
    <div className={holds ? 'picktree' : 'pickleaf'}>
      {holds && (
        <button
          type="button"
          className="bare"
          aria-label={`What is in ${name}`}
          aria-expanded={unfolded}
          onClick={() => setUnfolded(!unfolded)}
        >
          {unfolded ? '▾' : '▸'}
        </button>
      )}
      <button type="button" className="bare pick" title={path} onClick={() => onPick(path)}>
        <b>{name}</b> {!holds && <span dir="auto">{value === null ? 'empty' : textOf(value).slice(0, 120)}</span>}
      </button>
      {unfolded &&
        entries
          .slice(0, MOST_SHOWN)
          .map(([key, v]) => (
            <PickTree
              key={key}
              name={list ? String(Number(key) + 1) : key}
              path={pathOf(path, key, list)}
              value={v}
              open={entries.length <= 8}
              onPick={onPick}
            />
          ))}
      {unfolded && entries.length > MOST_SHOWN && <p className="note">and {entries.length - MOST_SHOWN} more</p>}
    </div>
  );
}

/** What the flow gets by the mapping, of one body or of two side by side. */
function Mapped({ start, shown, beside }: { readonly start: Start; readonly shown: Body; readonly beside: Body | undefined }) {
  const { document } = useDraftHandle();
  const takes = Object.keys(document.flows[start.flow]?.takes ?? {});
  if (takes.length === 0) return null;
  const at = new Date().toISOString();
  const sides = [shown, ...(beside ? [beside] : [])].map((b) => ({ body: b, given: givenOf(document, start, b.came, at) }));
  return (
    <table className="table-grid mapped" aria-label="What the flow gets of it">
      <thead>
        <tr>
          <th>The flow gets</th>
          {sides.map(({ body }) => (
            <th key={body.id}>{body.named}</th>
          ))}
        </tr>
      </thead>
      <tbody>
        {takes.map((key) => (
          <tr key={key}>
            <td>{key.replaceAll('_', ' ')}</td>
            {sides.map(({ body, given }) => {
              const problem = given.problems.find((p) => p.input === key);
              const value = given.values[key] ?? null;
              return (
                <td key={body.id} className={problem ? 'plum' : undefined} dir="auto">
                  {problem ? problem.reason : value === null ? <span className="note">empty</span> : textOf(value).slice(0, 200)}
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Keeps a body as a sample of the bot: for the simulator and for rehearsals. */
function KeepBody({ name, body }: { readonly name: string; readonly body: Body }) {
  const { document, edit } = useDraftHandle();
  const [said, setSaid] = useState('');
  const keep = () => {
    const id = freeId(document.samples ?? {}, `${name}-1`);
    const texts = (v: unknown) => v as Record<string, string>;
    const sample: HookSample = {
      came: name,
      body: body.came['body'] ?? null,
      headers: texts(body.came['headers']),
      query: texts(body.came['query']),
    };
    edit((d) => putPart(d, 'samples', id, sample));
    setSaid(`kept as ${id}`);
  };
  return (
    <p>
      <button type="button" className="bare note" onClick={keep}>
        keep as sample
      </button>{' '}
      <span className="note" role="status">
        {said}
      </span>
    </p>
  );
}
