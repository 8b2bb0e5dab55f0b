import type { ChannelState } from '@primrose/contract';
import {
  hookProfile,
  messageCalls,
  profileProblems,
  readHook,
  SAMPLE_MESSAGES,
  type HookProfile,
  type HookReading,
  type Value,
} from '@primrose/core';
import { useId, useState } from 'react';
import { Button, Form } from 'react-bootstrap';
import { call, errorText, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import type { Run } from './ChannelParts.js';
import { expressionFor, MAPPING_GROUPS, valueAt, withValue, type MappingField } from './mapping-fields.js';
import { PickTree } from './PickTree.js';
import { tableOf, type Table } from './schema.js';

interface Problem {
  readonly field: string;
  readonly message: string;
}

/** What a mapping is: usable, or what is wrong in it, with where. */
function readProfile(written: Table): { profile: HookProfile; problems: readonly Problem[] } | { problems: readonly Problem[] } {
  const parsed = hookProfile.safeParse(written);
  if (!parsed.success)
    return { problems: parsed.error.issues.map((i) => ({ field: `/${i.path.join('/')}`, message: i.message })) };
  return { profile: parsed.data, problems: profileProblems(parsed.data) };
}

/** The mapping of a messenger as a form: the last webhook to pick from, and each message as it would be sent. */
export function MappingForm({ channel, run }: { readonly channel: ChannelState; readonly run: Run }) {
  const { bot } = useDraftHandle();
  const [written, setWritten] = useState<Table>(tableOf(channel.settings));
  const [chosen, setChosen] = useState<MappingField>();
  const [asText, setAsText] = useState(false);
  const read = readProfile(written);
  const usable = 'profile' in read && read.problems.length === 0 ? read.profile : undefined;
  const changed = JSON.stringify(written) !== JSON.stringify(channel.settings);
  const events = useCall('listChannelEvents', { params: { bot, channel: channel.id } });
  const last = events.data?.items.find((e) => e.direction === 'in' && e.payload !== null)?.payload ?? undefined;
  const pick = (keys: readonly (string | number)[]) => {
    if (!chosen) return;
    const at = chosen.path.join('.');
    const list = at === 'events' || at === 'batches' ? undefined : (valueAt(written, ['events']) as string | undefined);
    setWritten(withValue(written, chosen.path, expressionFor(keys, list)));
  };
  const use = () => {
    if (usable) void run(call('updateChannel', { params: { bot, channel: channel.id }, body: { profile: usable } }));
  };
  return (
    <section>
      <h3>
        Mapping <span className="note">how its webhooks become events here, and messages become its calls</span>{' '}
        <button className="bare note" type="button" aria-pressed={asText} onClick={() => setAsText(!asText)}>
          {asText ? 'as a form' : 'as text'}
        </button>
      </h3>
      <div className="mapcols">
        <div>
          {asText ? (
            <AsText written={written} onChange={setWritten} />
          ) : (
            MAPPING_GROUPS.map((group, i) => (
              <details key={group.title} open={i < 2} className="mapgroup">
                <summary>
                  {group.title} <span className="note">{group.about}</span>
                </summary>
                {group.fields.map((f) => (
                  <Field
                    key={f.path.join('.')}
                    field={f}
                    chosen={chosen === f}
                    value={valueAt(written, f.path)}
                    problem={read.problems.find(
                      (p) => p.field === `/${f.path.join('/')}` || p.field.startsWith(`/${f.path.join('/')}/`),
                    )}
                    onChoose={() => setChosen(f.picks ? f : undefined)}
                    onChange={(v) => setWritten(withValue(written, f.path, v))}
                  />
                ))}
              </details>
            ))
          )}
          {asText &&
            read.problems.slice(0, 5).map((p) => (
              <p key={p.field + p.message} className="mistake">
                {p.field}: {p.message}
              </p>
            ))}
        </div>
        <aside>
          <h4>The last webhook</h4>
          {last === undefined ? (
            <p className="soft">None came yet. Write something to the bot there, then look again.</p>
          ) : (
            <>
              <p className="note" role="status">
                {chosen ? `Pick what ${chosen.label} is.` : 'Choose a field of what comes in, then pick its value here.'}
              </p>
              <PickTree value={last} onPick={pick} />
              {'profile' in read && <ReadsAs readings={readHook(read.profile, last)} />}
            </>
          )}
          <h4>As it would be sent</h4>
          {usable ? <Sent profile={usable} secrets={channel.secrets} /> : <p className="soft">Once the mapping can be used.</p>}
        </aside>
      </div>
      <Button variant="outline-secondary" size="sm" disabled={!changed || !usable} onClick={use}>
        Use this mapping
      </Button>
      {changed && !usable && (
        <span className="mistake">
          {' '}
          {read.problems[0]?.field}: {read.problems[0]?.message}
        </span>
      )}
    </section>
  );
}

function AsText({ written, onChange }: { readonly written: Table; readonly onChange: (table: Table) => void }) {
  const [text, setText] = useState(() => JSON.stringify(written, null, 2));
  const [problem, setProblem] = useState<string>();
  const write = (next: string) => {
    setText(next);
    try {
      onChange(tableOf(JSON.parse(next) as Value));
      setProblem(undefined);
    } catch (error) {
      setProblem(errorText(error));
    }
  };
  return (
    <>
      <textarea
        className="form-control mapping"
        aria-label="Mapping"
        spellCheck={false}
        value={text}
        onChange={(e) => write(e.target.value)}
      />
      {problem !== undefined && <p className="mistake">{problem}</p>}
    </>
  );
}

interface FieldProps {
  readonly field: MappingField;
  readonly chosen: boolean;
  readonly value: Value | undefined;
  readonly problem: Problem | undefined;
  readonly onChoose: () => void;
  readonly onChange: (value: Value | undefined) => void;
}

function Field({ field, chosen, value, problem, onChoose, onChange }: FieldProps) {
  const id = useId();
  const { label, about, as } = field;
  return (
    <Form.Group controlId={id} className={`mapfield${chosen ? ' chosen' : ''}`}>
      <Form.Label>
        {label} {about !== '' && <span className="note">{about}</span>}
      </Form.Label>
      {as === 'json' ? (
        <JsonText value={value} onChoose={onChoose} onChange={onChange} />
      ) : (
        <Form.Control
          className={as === 'text' || as === 'number' ? '' : 'code'}
          type={as === 'number' ? 'number' : 'text'}
          spellCheck={false}
          value={typeof value === 'string' || typeof value === 'number' ? value : ''}
          onFocus={onChoose}
          onChange={(e) => onChange(textValue(e.target.value, as))}
        />
      )}
      {problem && <p className="mistake">{problem.message}</p>}
    </Form.Group>
  );
}

const textValue = (text: string, as: MappingField['as']): Value | undefined => {
  if (text === '') return undefined;
  return as === 'number' ? Number(text) : text;
};

/** A body as JSON; what cannot be read yet is kept as it is written. */
function JsonText({ value, onChoose, onChange }: Pick<FieldProps, 'value' | 'onChoose' | 'onChange'>) {
  const [text, setText] = useState(() => (value === undefined ? '' : JSON.stringify(value, null, 2)));
  const [problem, setProblem] = useState<string>();
  const id = useId();
  const write = (next: string) => {
    setText(next);
    try {
      onChange(next.trim() === '' ? undefined : (JSON.parse(next) as Value));
      setProblem(undefined);
    } catch (error) {
      setProblem(errorText(error));
    }
  };
  return (
    <>
      <Form.Control
        as="textarea"
        className="code"
        rows={Math.min(10, Math.max(2, text.split('\n').length))}
        spellCheck={false}
        value={text}
        aria-describedby={problem === undefined ? undefined : id}
        onFocus={onChoose}
        onChange={(e) => write(e.target.value)}
      />
      {problem !== undefined && (
        <p className="mistake" id={id}>
          {problem}
        </p>
      )}
    </>
  );
}

function words(reading: HookReading): string {
  if (reading.as === 'event') return JSON.stringify(reading.event);
  if (reading.as === 'sign') return JSON.stringify(reading.sign);
  return reading.as === 'unreadable' ? `${reading.field}: ${reading.reason}` : 'passed over';
}

function ReadsAs({ readings }: { readonly readings: readonly HookReading[] }) {
  return (
    <p className="note">
      The last webhook reads as{' '}
      {readings.map((r, i) => (
        <span key={i} className={`mono${r.as === 'unreadable' ? ' plum' : ''}`}>
          {words(r)}{' '}
        </span>
      ))}
    </p>
  );
}

/** The calls that one message of each kind would make; secrets are not shown. */
function Sent({ profile, secrets }: { readonly profile: HookProfile; readonly secrets: readonly string[] }) {
  const [at, setAt] = useState(0);
  const sample = SAMPLE_MESSAGES[at] ?? SAMPLE_MESSAGES[0];
  const hidden = Object.fromEntries([...secrets, 'token'].map((name) => [name, `(${name})`]));
  if (!sample) return null;
  const made = messageCalls(profile, sample.message, {
    to: '771001',
    key: 'line-1',
    who: 'bot',
    answers: 'a-1',
    secrets: hidden,
  });
  return (
    <>
      <Form.Select size="sm" aria-label="Kind of message" value={at} onChange={(e) => setAt(Number(e.target.value))}>
        {SAMPLE_MESSAGES.map(({ name }, i) => (
          <option key={name} value={i}>
            {name}
          </option>
        ))}
      </Form.Select>
      {made.ok ? (
        made.calls.map((c, i) => (
          <pre key={i} className="json">
            {`POST ${decodeURIComponent(c.url)}\n${JSON.stringify(c.body, null, 2)}`}
          </pre>
        ))
      ) : (
        <p className="mistake">
          {made.field}: {made.reason}
        </p>
      )}
    </>
  );
}
