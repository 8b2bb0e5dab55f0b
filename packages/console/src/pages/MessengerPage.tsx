import type { ChannelEvent, Messenger } from '@primrose/contract';
import { hookProfile, profileProblems, readHook, type HookProfile } from '@primrose/core';
import { useState, type FormEvent } from 'react';
import { Button, Form } from 'react-bootstrap';
import { Link, useParams } from 'react-router';
import { call, errorText, invalidate, queryClient, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { timeOfDay } from '../parts/words.js';
import { Serves } from '../messenger/Serves.js';
import { Alarm } from '../parts/Alarm.js';

/** A messenger: whether it is on and what it serves, its last events, testers, mapping and secrets. */
export default function MessengerPage() {
  const { bot } = useDraftHandle();
  const { channel = '' } = useParams();
  const messenger = useCall('getMessenger', { params: { bot, channel } });
  if (messenger.error) return <main className="page">{errorText(messenger.error)}</main>;
  if (!messenger.data) return <main className="page" />;
  return <Page key={messenger.data.id} messenger={messenger.data} />;
}

function Page({ messenger }: { readonly messenger: Messenger }) {
  const { bot } = useDraftHandle();
  const [problem, setProblem] = useState<string>();
  const params = { bot, channel: messenger.id };
  const run = (work: Promise<unknown>): Promise<boolean> =>
    work
      .then(() => {
        setProblem(undefined);
        invalidate('getMessenger', 'listChannels', 'listChannelEvents', 'listSamples');
        return true;
      })
      .catch((error: unknown) => {
        setProblem(errorText(error));
        return false;
      });
  return (
    <main className="page">
      <header>
        <h2>{messenger.name}</h2>
        <Link to={`/bots/${bot}/channels`} className="note">
          all channels
        </Link>
      </header>
      {problem !== undefined && <Alarm>{problem}</Alarm>}
      <div className={`onoff${messenger.on ? '' : ' off'}`}>
        <Form.Check
          type="switch"
          id="on"
          aria-label={`${messenger.name} is ${messenger.on ? 'on' : 'off'}`}
          checked={messenger.on}
          onChange={(e) => void run(call('updateChannel', { params, body: { on: e.target.checked } }))}
        />
        <b>{messenger.on ? 'On' : 'Switched off'}</b>
        <span>
          {!messenger.on && 'Nobody is answered. '}
          {messenger.live === null
            ? 'Nothing is released yet, so only testers are answered.'
            : `Visitors get Release ${messenger.live} now.`}{' '}
          {messenger.waiting > 0 && <span className="plum">{messenger.waiting} conversations wait to be sent.</span>}
        </span>
        <span className="spring" />
        <Serves channel={messenger} onChange={(serves) => void run(call('updateChannel', { params, body: { serves } }))} />
      </div>
      <p>
        <span className="note">The messenger sends its webhooks to</span> <span className="mono">{messenger.hook}</span>{' '}
        <button className="bare note" type="button" onClick={() => void navigator.clipboard.writeText(messenger.hook)}>
          copy
        </button>
      </p>
      <Testers messenger={messenger} run={run} />
      <Events messenger={messenger} run={run} />
      <Mapping messenger={messenger} run={run} />
      <Secrets messenger={messenger} run={run} />
    </main>
  );
}

interface PartProps {
  readonly messenger: Messenger;
  readonly run: (work: Promise<unknown>) => Promise<boolean>;
}

function Testers({ messenger, run }: PartProps) {
  const { bot } = useDraftHandle();
  const params = { bot, channel: messenger.id };
  return (
    <section>
      <h3>
        Testers <span className="note">talk to the draft while everyone else gets the release</span>
      </h3>
      {messenger.testers.length === 0 && <p className="soft">Nobody. Make somebody a tester in the list of events below.</p>}
      <ul className="rows">
        {messenger.testers.map((t) => (
          <li key={t.sender}>
            <span>
              {t.name} <span className="mono">{t.sender}</span>
            </span>
            <Button
              variant="outline-secondary"
              size="sm"
              onClick={() => void run(call('removeTester', { params, query: { sender: t.sender } }))}
            >
              Gets the release again
            </Button>
          </li>
        ))}
      </ul>
    </section>
  );
}

const BAD: ReadonlySet<string> = new Set(['refused', 'failed']);
const EVENTS_SHOWN = 12;

function Events({ messenger, run }: PartProps) {
  const { bot } = useDraftHandle();
  const events = useCall('listChannelEvents', { params: { bot, channel: messenger.id } });
  const samples = useCall('listSamples', { params: { bot } });
  const [open, setOpen] = useState<string>();
  const items = events.data?.items ?? [];
  return (
    <section>
      <h3>
        Last events{' '}
        <button className="bare note" type="button" onClick={() => invalidate('listChannelEvents', 'getMessenger')}>
          look again
        </button>
      </h3>
      {items.length === 0 && <p className="soft">Nothing came in or went out yet.</p>}
      {items.length > 0 && (
        <table className="table-grid">
          <thead>
            <tr>
              <th>When</th>
              <th>What</th>
              <th>Who</th>
              <th>About</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {items.slice(0, EVENTS_SHOWN).map((e) => (
              <EventRow
                key={e.id}
                event={e}
                messenger={messenger}
                run={run}
                open={open === e.id}
                onOpen={() => setOpen(open === e.id ? undefined : e.id)}
              />
            ))}
          </tbody>
        </table>
      )}
      {(samples.data?.items.length ?? 0) > 0 && (
        <p className="note">Samples kept: {samples.data?.items.map((s) => s.name).join(', ')}</p>
      )}
    </section>
  );
}

interface EventRowProps extends PartProps {
  readonly event: ChannelEvent;
  readonly open: boolean;
  readonly onOpen: () => void;
}

function EventRow({ event, messenger, run, open, onOpen }: EventRowProps) {
  const { bot } = useDraftHandle();
  const params = { bot, channel: messenger.id };
  const { sender } = event;
  const keep = () => {
    const name = prompt('Keep this event under which name?', `from ${sender ?? 'somebody'}`);
    if (name !== null && name.trim() !== '')
      void run(call('keepSample', { params: { ...params, event: event.id }, body: { name: name.trim() } }));
  };
  const tests = messenger.testers.some((t) => t.sender === sender);
  return (
    <>
      <tr>
        <td className="note">{timeOfDay(event.at, true)}</td>
        <td>
          <span className={`outcome${BAD.has(event.outcome) ? ' bad' : ''}`}>{event.outcome}</span>{' '}
          <span className="note">{event.direction}</span>
        </td>
        <td className="mono">{sender}</td>
        <td dir="auto">
          {event.about}
          {event.times > 1 && <span className="note"> {event.times} times</span>}
        </td>
        <td>
          {event.direction === 'in' && event.payload !== null && (
            <button className="bare note" type="button" aria-expanded={open} onClick={onOpen}>
              {open ? 'close' : 'open'}
            </button>
          )}
          {sender !== null && event.direction === 'in' && !tests && (
            <button
              className="bare note"
              type="button"
              onClick={() => void run(call('setTester', { params, body: { sender, name: sender } }))}
            >
              make a tester
            </button>
          )}
        </td>
      </tr>
      {open && (
        <tr>
          <td colSpan={5}>
            <pre className="json">{JSON.stringify(event.payload, null, 2)}</pre>
            <Button variant="outline-secondary" size="sm" onClick={keep}>
              Keep as a sample
            </Button>
          </td>
        </tr>
      )}
    </>
  );
}

/** What a text is as a mapping: usable, or what is wrong in it. */
function readProfile(text: string): { profile: HookProfile } | { problems: readonly string[] } {
  try {
    const parsed = hookProfile.safeParse(JSON.parse(text));
    if (!parsed.success) return { problems: parsed.error.issues.map((i) => `/${i.path.join('/')}: ${i.message}`) };
    const wrong = profileProblems(parsed.data);
    return wrong.length > 0 ? { problems: wrong.map((p) => `${p.field}: ${p.message}`) } : { profile: parsed.data };
  } catch (error) {
    return { problems: [errorText(error)] };
  }
}

function Mapping({ messenger, run }: PartProps) {
  const { bot } = useDraftHandle();
  const [text, setText] = useState(() => JSON.stringify(messenger.profile, null, 2));
  const read = readProfile(text);
  const events = useCall('listChannelEvents', { params: { bot, channel: messenger.id } });
  const last = events.data?.items.find((e) => e.direction === 'in' && e.payload !== null);
  const changed = JSON.stringify('profile' in read ? read.profile : null) !== JSON.stringify(messenger.profile);
  return (
    <section>
      <h3>
        Mapping <span className="note">how its webhooks become events here, and messages become its calls</span>
      </h3>
      <textarea
        className="form-control mapping"
        aria-label="Mapping"
        spellCheck={false}
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      {'problems' in read ? (
        read.problems.slice(0, 5).map((p) => (
          <p key={p} className="mistake">
            {p}
          </p>
        ))
      ) : (
        <>
          {last && (
            <p className="note">
              The last webhook reads as{' '}
              <span className="mono">
                {readHook(read.profile, last.payload)
                  .map((r) =>
                    r.as === 'event'
                      ? JSON.stringify(r.event)
                      : r.as === 'unreadable'
                        ? `${r.field}: ${r.reason}`
                        : 'passed over',
                  )
                  .join(' · ')}
              </span>
            </p>
          )}
          <Button
            variant="outline-secondary"
            size="sm"
            disabled={!changed}
            onClick={() =>
              void run(call('updateChannel', { params: { bot, channel: messenger.id }, body: { profile: read.profile } }))
            }
          >
            Use this mapping
          </Button>
        </>
      )}
    </section>
  );
}

function Secrets({ messenger, run }: PartProps) {
  const { bot } = useDraftHandle();
  const [name, setName] = useState('');
  const [secret, setSecret] = useState('');
  const params = { bot, channel: messenger.id };
  const keep = (event: FormEvent) => {
    event.preventDefault();
    void run(call('updateChannel', { params, body: { secrets: { [name]: secret } } })).then((kept) => {
      if (!kept) return;
      setName('');
      setSecret('');
      void queryClient.invalidateQueries({ queryKey: ['getMessenger'] });
    });
  };
  return (
    <section>
      <h3>
        Secrets <span className="note">kept encrypted, used as secret.name in the mapping, never shown again</span>
      </h3>
      <ul>
        {messenger.secrets.map((s) => (
          <li key={s}>
            <span className="mono">{s}</span> is kept{' '}
            <button
              className="bare note"
              type="button"
              onClick={() => void run(call('updateChannel', { params, body: { secrets: { [s]: null } } }))}
            >
              forget {s}
            </button>
          </li>
        ))}
      </ul>
      <Form onSubmit={keep} className="secretform">
        <Form.Control aria-label="Name of the secret" placeholder="name" value={name} onChange={(e) => setName(e.target.value)} />
        <Form.Control
          aria-label="The secret"
          type="password"
          autoComplete="off"
          placeholder="the secret"
          value={secret}
          onChange={(e) => setSecret(e.target.value)}
        />
        <Button type="submit" variant="outline-secondary" disabled={name === '' || secret === ''}>
          Keep
        </Button>
      </Form>
    </section>
  );
}
