import { HOURS_PATTERN, STAFF_DAYS, type BotDocument, type Problem, type Staff, type StaffDay, type Value } from '@primrose/core';
import { useMemo, useState, type FormEvent } from 'react';
import { Button, Form } from 'react-bootstrap';
import { call, errorText, invalidate, useCall } from '../api.js';
import { WordsInput } from '../details/CodeInput.js';
import { FieldContext, type FieldSetting } from '../details/setting.js';
import { useDraftHandle, useProblems } from '../draft/context.js';
import { Alarm } from '../parts/Alarm.js';
import { SettingsTabs } from '../parts/Tabs.js';

/** Who answers in the inbox, when, and where they are told that somebody waits. */
export default function PeoplePage() {
  const [problem, setProblem] = useState<string>();
  const run = (work: Promise<unknown>): Promise<boolean> =>
    work.then(
      () => {
        setProblem(undefined);
        invalidate('listStaff', 'getInboxSetting');
        return true;
      },
      (error: unknown) => {
        setProblem(errorText(error));
        return false;
      },
    );
  return (
    <main className="page people">
      <SettingsTabs />
      <header>
        <h2>People</h2>
      </header>
      {problem !== undefined && <Alarm>{problem}</Alarm>}
      <StaffList run={run} />
      <Hours />
      <Told run={run} />
    </main>
  );
}

interface PartProps {
  readonly run: (work: Promise<unknown>) => Promise<boolean>;
}

function StaffList({ run }: PartProps) {
  const { bot } = useDraftHandle();
  const list = useCall('listStaff', { params: { bot } });
  const [name, setName] = useState('');
  const [made, setMade] = useState<{ readonly name: string; readonly link: string }>();
  const add = (event: FormEvent) => {
    event.preventDefault();
    const work = call('addStaff', { params: { bot }, body: { name } }).then(({ link }) => setMade({ name, link }));
    void run(work).then((done) => done && setName(''));
  };
  return (
    <section aria-label="Staff">
      <h3>
        Staff <span className="note">answer in the inbox, and see nothing else of the bot</span>
      </h3>
      {list.error && <Alarm>{errorText(list.error)}</Alarm>}
      <ul className="rows">
        {list.data?.items.map((s) => (
          <li key={s.id}>
            <span dir="auto">
              {s.name} {s.owner && <span className="note">owns the bot</span>}
            </span>
            {!s.owner && (
              <span className="acts">
                <button
                  className="bare note"
                  type="button"
                  onClick={() =>
                    void run(
                      call('linkStaff', { params: { bot, person: s.id } }).then(({ link }) => setMade({ name: s.name, link })),
                    )
                  }
                >
                  a link to sign in
                </button>
                <button
                  className="bare note"
                  type="button"
                  onClick={() => void run(call('removeStaff', { params: { bot, person: s.id } }))}
                >
                  answers here no more
                </button>
              </span>
            )}
          </li>
        ))}
      </ul>
      {made && (
        <p role="status">
          {made.name} signs in with this link, once and within a day: <span className="mono">{made.link}</span>{' '}
          <button className="bare note" type="button" onClick={() => void navigator.clipboard.writeText(made.link)}>
            copy
          </button>
        </p>
      )}
      <Form className="inrow" onSubmit={add}>
        <Form.Control
          aria-label="Name of somebody who answers"
          placeholder="name, as visitors see it"
          maxLength={80}
          required
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <Button type="submit" variant="outline-secondary" disabled={name.trim() === ''}>
          Let them answer
        </Button>
      </Form>
    </section>
  );
}

const DAY_NAMES: Readonly<Record<StaffDay, string>> = {
  mon: 'Monday',
  tue: 'Tuesday',
  wed: 'Wednesday',
  thu: 'Thursday',
  fri: 'Friday',
  sat: 'Saturday',
  sun: 'Sunday',
};

const DAY_PATTERN = /^\d{4}-\d\d-\d\d$/;

/** The words of all hand-overs that have none of their own: what is wrong in them is found at each of those. */
function useStaffWords(): FieldSetting {
  const { document } = useDraftHandle();
  const found = useProblems(document);
  return useMemo(() => {
    const ofAll = found.filter((p) => p.field?.startsWith('/away') && isForAll(document, p));
    const problems = ofAll.filter((p, i) => ofAll.findIndex((o) => o.code === p.code && o.field === p.field) === i);
    const nothing = { resolved: [], readIn: '', last: new Map<string, Value>(), applyFix: () => false, leave: () => undefined };
    return { document, flowId: document.begins, problems, ...nothing };
  }, [document, found]);
}

function isForAll(document: BotDocument, { flow = '', node = '' }: Problem): boolean {
  const handOver = document.flows[flow]?.nodes[node];
  return handOver?.kind === 'hand-over' && handOver['away'] === undefined;
}

/** Office hours stand in the document: hand-overs go by them. */
function Hours() {
  const { document, edit } = useDraftHandle();
  const { staff = {} } = document;
  const setting = useStaffWords();
  const change = (more: Partial<Staff>) =>
    edit((d) => {
      const all = Object.entries({ ...d.staff, ...more }).filter(([, v]) => v !== undefined);
      const { staff: _old, ...rest } = d;
      return all.length === 0 ? rest : { ...rest, staff: Object.fromEntries(all) };
    });
  const put = (day: StaffDay, hours: string) => {
    const { [day]: _old, ...others } = staff.hours ?? {};
    const next = hours === '' ? others : { ...others, [day]: hours };
    change({ hours: Object.keys(next).length === 0 ? undefined : next });
  };
  return (
    <section aria-label="Office hours">
      <h3>
        Office hours <span className="note">in {document.zone}; without any, staff are always there</span>
      </h3>
      <div className="officehours">
        {STAFF_DAYS.map((day) => (
          <DayHours key={day} name={DAY_NAMES[day]} value={staff.hours?.[day] ?? ''} onChange={(h) => put(day, h)} />
        ))}
      </div>
      <ClosedDays days={staff.closed ?? []} onChange={(closed) => change({ closed: closed.length === 0 ? undefined : closed })} />
      <FieldContext value={setting}>
        <WordsInput
          label="What visitors are told outside the hours"
          field="/away"
          optional
          value={staff.away}
          onChange={(away) => change({ away })}
        />
      </FieldContext>
    </section>
  );
}

interface ClosedDaysProps {
  readonly days: readonly string[];
  readonly onChange: (days: string[]) => void;
}

/** Days on which nobody is there; a line that is no day stays in the field, and is named. */
function ClosedDays({ days, onChange }: ClosedDaysProps) {
  const [text, setText] = useState(days.join('\n'));
  const lines = text.split(/\s+/).filter((line) => line !== '');
  const wrong = lines.filter((line) => !isDay(line));
  return (
    <Form.Group controlId="closed-days" className="my-2">
      <Form.Label className="mb-0">Closed all the same, one day a line, such as 2026-12-25</Form.Label>
      <Form.Control
        as="textarea"
        rows={2}
        className="mono"
        isInvalid={wrong.length > 0}
        value={text}
        onChange={(e) => {
          setText(e.target.value);
          const next = e.target.value.split(/\s+/).filter((line) => line !== '');
          if (next.every(isDay)) onChange([...new Set(next)]);
        }}
      />
      {wrong.length > 0 && (
        <p className="mistake">{`No day of the calendar: ${wrong.slice(0, 3).join(', ')}. Write it as 2026-12-25.`}</p>
      )}
    </Form.Group>
  );
}

function isDay(text: string): boolean {
  const at = DAY_PATTERN.test(text) ? new Date(`${text}T00:00:00Z`) : undefined;
  // The 30th of February is read by some browsers as a day in March.
  return at !== undefined && !Number.isNaN(at.getTime()) && at.toISOString().startsWith(text);
}

interface DayHoursProps {
  readonly name: string;
  readonly value: string;
  readonly onChange: (hours: string) => void;
}

/** The hours of one day; what cannot be read stays in the field, and why is said. */
function DayHours({ name, value, onChange }: DayHoursProps) {
  const [text, setText] = useState(value);
  const wrong = text !== '' && !HOURS_PATTERN.test(text);
  return (
    <Form.Group controlId={`hours-${name}`}>
      <Form.Label className="mb-0">{name}</Form.Label>
      <Form.Control
        placeholder="closed"
        isInvalid={wrong}
        value={text}
        onChange={(e) => {
          setText(e.target.value);
          if (e.target.value === '' || HOURS_PATTERN.test(e.target.value)) onChange(e.target.value);
        }}
      />
      {wrong && <p className="mistake">Spans such as 08:00-12:00, 13:00-17:30.</p>}
    </Form.Group>
  );
}

/** A room or a person on a messenger who is told of every hand-over. */
function Told({ run }: PartProps) {
  const { bot } = useDraftHandle();
  const setting = useCall('getInboxSetting', { params: { bot } });
  const channels = useCall('listChannels', { params: { bot } });
  const able = (channels.data?.items ?? []).filter((c) => c.kind === 'hook-messenger').map((c) => c.name);
  const now = setting.data?.notifies ?? null;
  const [channel, setChannel] = useState<string>();
  const [to, setTo] = useState<string>();
  const chosen = channel ?? now?.channel ?? able[0] ?? '';
  const whom = to ?? now?.to ?? '';
  const save = (event: FormEvent) => {
    event.preventDefault();
    const notifies = whom.trim() === '' ? null : { channel: chosen, to: whom.trim() };
    void run(call('setInboxSetting', { params: { bot }, body: { notifies } })).then((done) => done && setTo(undefined));
  };
  return (
    <section aria-label="Who is told">
      <h3>
        Who is told <span className="note">a message goes there whenever somebody waits for a person</span>
      </h3>
      {able.length === 0 ? (
        <p className="soft">The bot has no channel that can send. Connect a messenger first.</p>
      ) : (
        <Form className="inrow" onSubmit={save}>
          <Form.Select aria-label="By which channel" value={chosen} onChange={(e) => setChannel(e.target.value)}>
            {able.map((a) => (
              <option key={a}>{a}</option>
            ))}
          </Form.Select>
          <Form.Control
            aria-label="Which room or person"
            placeholder="a room or a person there; empty for nobody"
            maxLength={200}
            value={whom}
            onChange={(e) => setTo(e.target.value)}
          />
          <Button type="submit" variant="outline-secondary">
            Save
          </Button>
        </Form>
      )}
    </section>
  );
}
