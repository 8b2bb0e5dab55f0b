import {
  nextTimes,
  problemSentence,
  ROW_EVENTS,
  typeName,
  type RowEvent,
  type Start,
  type StartOf,
  type Value,
} from '@primrose/core';
import { DurationField } from '../details/DurationInput.js';
import { useDraftHandle, useProblems } from '../draft/context.js';

interface StartEditorProps {
  readonly name: string;
  readonly start: Start;
  readonly onChange: (next: Start) => void;
  /** The input that was chosen: what is picked from a body goes there. */
  readonly input: string | undefined;
  readonly onInput: (input: string) => void;
}

const TIMES = 3;

/** Which flow a start begins, when, and with what. */
export function StartEditor({ name, start, onChange, input, onInput }: StartEditorProps) {
  const { document } = useDraftHandle();
  const problems = useProblems(document).filter((p) => p.field?.startsWith(`/starts/${name}/`) === true);
  return (
    <>
      <input
        className="form-control about"
        aria-label="What it is for"
        placeholder="What it is for"
        value={start.about ?? ''}
        onChange={(e) => onChange({ ...start, about: e.target.value })}
      />
      <div className="startform">
        <label>
          <span>Begins the flow</span>
          <select className="form-select" value={start.flow} onChange={(e) => onChange({ ...start, flow: e.target.value })}>
            {!(start.flow in document.flows) && <option>{start.flow}</option>}
            {Object.entries(document.flows).map(([id, flow]) => (
              <option key={id} value={id}>
                {flow.title ?? id}
              </option>
            ))}
          </select>
        </label>
        {start.by === 'hook' && <HookFields start={start} onChange={onChange} />}
        {start.by === 'schedule' && <ScheduleFields start={start} onChange={onChange} />}
        {start.by === 'row' && <RowFields start={start} onChange={onChange} />}
        {start.by === 'call' && <Within start={start} onChange={onChange} />}
      </div>
      {start.by !== 'call' && <Inputs start={start} onChange={onChange} input={input} onInput={onInput} />}
      {problems.map((p, i) => (
        <p key={i} className={`mistake${p.severity === 'warning' ? ' mild' : ''}`} role="status">
          {problemSentence(p)}
        </p>
      ))}
    </>
  );
}

type FieldsProps<K extends Start['by']> = { readonly start: StartOf<K>; readonly onChange: (next: Start) => void };

function HookFields({ start, onChange }: FieldsProps<'hook'>) {
  const secured = start.secured ?? 'none';
  const answers = start.answers ?? 'accepted';
  return (
    <>
      <label>
        <span>It is sent</span>
        <select
          className="form-select"
          value={start.body ?? 'json'}
          onChange={(e) => onChange({ ...start, body: e.target.value as 'json' })}
        >
          <option value="json">JSON</option>
          <option value="form">a form</option>
          <option value="text">text</option>
        </select>
      </label>
      <label>
        <span>The sender is known by</span>
        <select
          className="form-select"
          value={secured}
          onChange={(e) => onChange({ ...start, secured: e.target.value as 'none' })}
        >
          <option value="signature">a signature (HMAC-SHA-256)</option>
          <option value="token">a token</option>
          <option value="none">nothing but the address</option>
        </select>
      </label>
      {secured === 'signature' && (
        <label>
          <span>Header of the signature</span>
          <input
            className="form-control code"
            value={start.header ?? ''}
            placeholder="x-signature"
            onChange={(e) => {
              const { header: _old, ...rest } = start;
              onChange(e.target.value === '' ? rest : { ...start, header: e.target.value.replace(/[^A-Za-z0-9-]/g, '') });
            }}
          />
        </label>
      )}
      <label>
        <span>It is answered</span>
        <select
          className="form-select"
          value={answers}
          onChange={(e) => onChange({ ...start, answers: e.target.value as 'accepted' })}
        >
          <option value="accepted">at once</option>
          <option value="given-back">with what the flow gives</option>
        </select>
      </label>
      {answers === 'given-back' && <Within start={start} onChange={onChange} />}
      <label>
        <span>Repeats are known by</span>
        <input
          className="form-control code"
          value={start.repeats ?? ''}
          placeholder="the idempotency-key header, or body.id"
          onChange={(e) => {
            const { repeats: _old, ...rest } = start;
            onChange(e.target.value === '' ? rest : { ...start, repeats: e.target.value });
          }}
        />
      </label>
      <label>
        <span>Pages that may send it</span>
        <input
          className="form-control code"
          defaultValue={(start.origins ?? []).join(', ')}
          placeholder="none: programs only"
          onBlur={(e) => {
            const origins = e.target.value
              .split(/[,\s]+/)
              .map((t) => t.trim())
              .filter((t) => t !== '');
            const { origins: _old, ...rest } = start;
            onChange(origins.length === 0 ? rest : { ...rest, origins });
          }}
        />
      </label>
    </>
  );
}

/** How long whoever asks for what the flow gives waits for it. */
function Within({ start, onChange }: FieldsProps<'hook'> | FieldsProps<'call'>) {
  const { within, ...rest } = start;
  const change = (next: string | undefined) => onChange(next === undefined ? rest : { ...rest, within: next });
  return <DurationField label="Within" value={within} usual="10s" onChange={change} />;
}

function ScheduleFields({ start, onChange }: FieldsProps<'schedule'>) {
  const { document } = useDraftHandle();
  const zone = start.zone ?? document.zone;
  const next = nextTimes(start.at, zone, new Date().toISOString(), TIMES);
  return (
    <>
      <label>
        <span>Minute, hour, day, month, weekday</span>
        <input className="form-control code" value={start.at} onChange={(e) => onChange({ ...start, at: e.target.value })} />
      </label>
      <label>
        <span>In the time zone</span>
        <input
          className="form-control"
          value={start.zone ?? ''}
          placeholder={document.zone}
          onChange={(e) => {
            const { zone: _old, ...rest } = start;
            onChange(e.target.value === '' ? rest : { ...start, zone: e.target.value });
          }}
        />
      </label>
      <label>
        <span>What passed while nothing ran</span>
        <select
          className="form-select"
          value={start.missed ?? 'leave'}
          onChange={(e) => onChange({ ...start, missed: e.target.value as 'leave' })}
        >
          <option value="leave">is left, and shown</option>
          <option value="run-once">is made up for, once</option>
        </select>
      </label>
      <p className="note">
        {next.length === 0
          ? 'No time comes of this.'
          : `Next: ${next.map((t) => new Date(t).toLocaleString([], { dateStyle: 'medium', timeStyle: 'short', timeZone: zone })).join(' · ')}`}
      </p>
    </>
  );
}

const EVENT_WORDS: Readonly<Record<RowEvent, string>> = { added: 'added', changed: 'changed', removed: 'removed' };

function RowFields({ start, onChange }: FieldsProps<'row'>) {
  const { document } = useDraftHandle();
  const tables = Object.keys(document.tables ?? {});
  const set = (event: RowEvent, on: boolean) => {
    const next = ROW_EVENTS.filter((e) => (e === event ? on : start.on.includes(e)));
    if (next.length > 0) onChange({ ...start, on: next });
  };
  return (
    <>
      <label>
        <span>When a row of</span>
        <select className="form-select" value={start.table} onChange={(e) => onChange({ ...start, table: e.target.value })}>
          {!tables.includes(start.table) && <option value={start.table}>{start.table || 'choose a table'}</option>}
          {tables.map((t) => (
            <option key={t}>{t}</option>
          ))}
        </select>
      </label>
      <div>
        <span>is</span>
        {ROW_EVENTS.map((e) => (
          <label key={e} className="soft inline">
            <input type="checkbox" checked={start.on.includes(e)} onChange={(c) => set(e, c.target.checked)} /> {EVENT_WORDS[e]}
          </label>
        ))}
      </div>
    </>
  );
}

/** The inputs of the flow, each with where its value comes from. The one that is chosen takes what is picked from a body. */
function Inputs({
  start,
  onChange,
  input,
  onInput,
}: Omit<StartEditorProps, 'name' | 'start'> & { readonly start: Exclude<Start, { readonly by: 'call' }> }) {
  const { document } = useDraftHandle();
  const takes = Object.entries(document.flows[start.flow]?.takes ?? {});
  const given = start.given ?? {};
  if (takes.length === 0) return <p className="note">The flow takes nothing, so there is nothing to fill in.</p>;
  const give = (key: string, text: string) => {
    const { [key]: _old, ...rest } = given;
    const next = text === '' ? rest : { ...given, [key]: text as Value };
    const { given: _all, ...without } = start;
    onChange(Object.keys(next).length === 0 ? without : { ...start, given: next });
  };
  return (
    <section className="inputs" aria-label="What the flow gets">
      <h3>What the flow gets</h3>
      {takes.map(([key, type]) => (
        <label key={key} className={input === key ? 'chosen' : undefined}>
          <span>
            {key.replaceAll('_', ' ')} <span className="note">{typeName(type)}</span>
          </span>
          <input
            className="form-control code"
            value={typeof given[key] === 'string' ? given[key] : given[key] === undefined ? '' : JSON.stringify(given[key])}
            placeholder={start.given === undefined ? (start.by === 'row' ? `the row’s ${key}` : `the body’s ${key}`) : 'nothing'}
            onFocus={() => onInput(key)}
            onChange={(e) => give(key, e.target.value)}
          />
        </label>
      ))}
    </section>
  );
}
