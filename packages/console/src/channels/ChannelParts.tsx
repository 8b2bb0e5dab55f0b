import type { Channel, ChannelEvent, ChannelState } from '@primrose/contract';
import { SAMPLE_MESSAGES } from '@primrose/core';
import { useState, type FormEvent } from 'react';
import { Button, Form } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { call, errorText, invalidate, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Serves } from '../messenger/Serves.js';
import { timeOfDay } from '../parts/words.js';
import { ShownOn } from './LooksOn.js';

export type Run = (work: Promise<unknown>) => Promise<boolean>;

/** What the parts of a channel's page work with. */
export interface ChannelPartProps {
  readonly channel: ChannelState;
  readonly run: Run;
}

/** Runs what changes a channel and shows what comes of it. */
export function useChannelRun(): { readonly run: Run; readonly problem: string | undefined } {
  const [problem, setProblem] = useState<string>();
  const run: Run = (work) =>
    work
      .then(() => {
        setProblem(undefined);
        invalidate('getChannel', 'listChannels', 'listChannelEvents', 'listSamples');
        return true;
      })
      .catch((error: unknown) => {
        setProblem(errorText(error));
        return false;
      });
  return { run, problem };
}

const STATES = { connected: 'Connected', connecting: 'Connecting…', trouble: 'Not connected' } as const;

/** Whether a channel is on, how it stands with its connection, and what it serves. */
export function OnOff({ channel, run }: ChannelPartProps) {
  const { bot } = useDraftHandle();
  const params = { bot, channel: channel.id };
  const { line } = channel;
  return (
    <div className={`onoff${channel.on ? '' : ' off'}`}>
      <Form.Check
        type="switch"
        id="on"
        aria-label={`${channel.name} is ${channel.on ? 'on' : 'off'}`}
        checked={channel.on}
        onChange={(e) => void run(call('updateChannel', { params, body: { on: e.target.checked } }))}
      />
      <b>{channel.on ? 'On' : 'Switched off'}</b>
      <span>
        {!channel.on && 'Nobody is answered. '}
        {channel.on && line && (
          <span className={line.state === 'trouble' ? 'plum' : ''}>
            {STATES[line.state]}
            {line.reason === null ? '' : `: ${line.reason}`}.{' '}
          </span>
        )}
        {channel.live === null
          ? 'Nothing is released yet, so only testers are answered.'
          : `Visitors get Release ${channel.live} now.`}{' '}
        {channel.waiting > 0 && <span className="plum">{channel.waiting} conversations wait to be sent.</span>}
      </span>
      <span className="spring" />
      <Serves channel={channel} onChange={(serves) => void run(call('updateChannel', { params, body: { serves } }))} />
    </div>
  );
}

/** Where a channel is reached. */
export function Reached({ channel, about }: { readonly channel: Pick<Channel, 'link'>; readonly about: string }) {
  if (channel.link === '') return null;
  return (
    <p>
      <span className="note">{about}</span> <span className="mono">{channel.link}</span>{' '}
      <button className="bare note" type="button" onClick={() => void navigator.clipboard.writeText(channel.link)}>
        copy
      </button>
    </p>
  );
}

/** Who talks to the draft while everyone else gets the release. */
export function Testers({ channel, run }: ChannelPartProps) {
  const { bot } = useDraftHandle();
  const params = { bot, channel: channel.id };
  return (
    <section>
      <h3>
        Testers <span className="note">talk to the draft while everyone else gets the release</span>
      </h3>
      {channel.testers.length === 0 && <p className="soft">Nobody. Make somebody a tester in the list of events below.</p>}
      <ul className="rows">
        {channel.testers.map((t) => (
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

/** What came in and went out last. */
export function Events({ channel, run }: ChannelPartProps) {
  const { bot } = useDraftHandle();
  const events = useCall('listChannelEvents', { params: { bot, channel: channel.id } });
  const samples = useCall('listSamples', { params: { bot } });
  const [open, setOpen] = useState<string>();
  const items = events.data?.items ?? [];
  return (
    <section>
      <h3>
        Last events{' '}
        <button className="bare note" type="button" onClick={() => invalidate('listChannelEvents', 'getChannel')}>
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
              <td />
            </tr>
          </thead>
          <tbody>
            {items.slice(0, EVENTS_SHOWN).map((e) => (
              <EventRow
                key={e.id}
                event={e}
                channel={channel}
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

interface EventRowProps extends ChannelPartProps {
  readonly event: ChannelEvent;
  readonly open: boolean;
  readonly onOpen: () => void;
}

function EventRow({ event, channel, run, open, onOpen }: EventRowProps) {
  const { bot } = useDraftHandle();
  const params = { bot, channel: channel.id };
  const { sender } = event;
  const keep = () => {
    const name = prompt('Keep this event under which name?', `from ${sender ?? 'somebody'}`);
    if (name !== null && name.trim() !== '')
      void run(call('keepSample', { params: { ...params, event: event.id }, body: { name: name.trim() } }));
  };
  const tests = channel.testers.some((t) => t.sender === sender);
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
              onClick={() => void run(call('setTester', { params, body: { sender, name: sender.slice(0, 120) } }))}
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

/** The secrets of a channel: those that its kind needs, and what else is kept. */
export function Secrets({ channel, run, about }: ChannelPartProps & { readonly about: string }) {
  const { bot } = useDraftHandle();
  const missing = channel.needs.find((n) => !channel.secrets.includes(n.name));
  const [name, setName] = useState(missing?.name ?? '');
  const [secret, setSecret] = useState('');
  const params = { bot, channel: channel.id };
  const keep = (event: FormEvent) => {
    event.preventDefault();
    void run(call('updateChannel', { params, body: { secrets: { [name]: secret } } })).then((kept) => {
      if (!kept) return;
      setName('');
      setSecret('');
    });
  };
  return (
    <section>
      <h3>
        Secrets <span className="note">{about}</span>
      </h3>
      <ul>
        {channel.needs.map((n) => (
          <li key={n.name}>
            <span className="mono">{n.name}</span> {n.about} {channel.secrets.includes(n.name) && 'is kept'}
            {!channel.secrets.includes(n.name) && (
              <span className={n.optional ? 'note' : 'plum'}>{n.optional ? 'none is kept' : 'is missing'}</span>
            )}
          </li>
        ))}
        {channel.secrets.map((s) => (
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

/** Sends a message to somebody now, without a visitor. */
export function SendTest({ channel, run }: ChannelPartProps) {
  const { bot } = useDraftHandle();
  const [to, setTo] = useState('');
  const [sent, setSent] = useState<string>();
  const send = (event: FormEvent) => {
    event.preventDefault();
    setSent(undefined);
    const work = call('testChannel', { params: { bot, channel: channel.id }, body: { to } });
    void run(work).then(
      async (done) =>
        done && setSent(`Sent, in ${(await work).messages === 1 ? 'one message' : `${(await work).messages} messages`}.`),
    );
  };
  return (
    <section>
      <h3>
        Send me a test <span className="note">to see whether it works, before any visitor comes</span>
      </h3>
      <Form onSubmit={send} className="secretform">
        <Form.Control
          aria-label="To whom"
          placeholder="an address or number there"
          value={to}
          onChange={(e) => setTo(e.target.value)}
        />
        <Button type="submit" variant="outline-secondary" disabled={to.trim() === '' || !channel.on}>
          Send
        </Button>
        {sent !== undefined && <span role="status">{sent}</span>}
      </Form>
    </section>
  );
}

/** How each kind of message looks there. */
export function Looks({ channel }: { readonly channel: ChannelState }) {
  const [open, setOpen] = useState(false);
  return (
    <section>
      <h3>
        How messages look here{' '}
        <button className="bare note" type="button" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? 'close' : 'show'}
        </button>
      </h3>
      {open && (
        <table className="table-grid">
          <tbody>
            {SAMPLE_MESSAGES.map(({ name, message }) => (
              <tr key={name}>
                <th scope="row">{name}</th>
                <td>
                  <ShownOn channel={channel} message={message} language="en" />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

/** Renaming, copying and deleting. */
export function CopyDelete({ channel, run }: ChannelPartProps) {
  const { bot } = useDraftHandle();
  const navigate = useNavigate();
  const params = { bot, channel: channel.id };
  const rename = () => {
    const name = prompt('What is the channel called?', channel.name)?.trim();
    if (name) void run(call('updateChannel', { params, body: { name } }));
  };
  const copy = () => {
    const work = call('copyChannel', { params, body: { name: `${channel.name} (copy)`.slice(0, 120) } });
    void run(work).then(async (done) => done && void navigate(`/bots/${bot}/channels/${(await work).id}`));
  };
  const remove = () => {
    if (!confirm(`Delete ${channel.name}? Nobody is answered there any more; its conversations are kept.`)) return;
    void run(call('deleteChannel', { params })).then((done) => done && void navigate(`/bots/${bot}/channels`));
  };
  return (
    <p className="copydelete">
      <Button variant="outline-secondary" size="sm" onClick={rename}>
        Rename…
      </Button>
      <Button variant="outline-secondary" size="sm" onClick={copy}>
        Copy
      </Button>
      <Button variant="outline-secondary" size="sm" onClick={remove}>
        Delete…
      </Button>
      <span className="note">A copy is switched off at first. Deleting keeps the conversations.</span>
    </p>
  );
}
