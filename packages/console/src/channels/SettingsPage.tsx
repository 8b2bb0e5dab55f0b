import type { ChannelKind, ChannelState } from '@primrose/contract';
import { useState, type FormEvent } from 'react';
import { Button, Form } from 'react-bootstrap';
import { Link } from 'react-router';
import { call } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Alarm } from '../parts/Alarm.js';
import { timeOfDay } from '../parts/words.js';
import {
  CopyDelete,
  Events,
  Looks,
  OnOff,
  Reached,
  Secrets,
  SendTest,
  Testers,
  useChannelRun,
  type ChannelPartProps,
} from './ChannelParts.js';
import { SchemaFields } from './SchemaFields.js';
import { tableOf, type Schema, type Table } from './schema.js';

const REACHED: Readonly<Record<string, string>> = {
  telephone: 'The voice platform fetches its first document from',
  'bot-api': 'Programs find it at',
};

/** A channel that is set by fields: mail, XMPP, IRC, Matrix, the telephone, and the bot API. */
export default function ChannelSettingsPage({
  channel,
  kind,
}: {
  readonly channel: ChannelState;
  readonly kind: ChannelKind | undefined;
}) {
  const { bot } = useDraftHandle();
  const { run, problem } = useChannelRun();
  const calls = channel.kind === 'bot-api';
  const sends = !calls && channel.kind !== 'telephone';
  return (
    <main className="page">
      <header>
        <h2>{channel.name}</h2>
        <span className="note">{kind?.about}</span>
        <Link to={`/bots/${bot}/channels`} className="note">
          all channels
        </Link>
      </header>
      {problem !== undefined && <Alarm>{problem}</Alarm>}
      <OnOff channel={channel} run={run} />
      <Reached channel={channel} about={REACHED[channel.kind] ?? 'Visitors find it at'} />
      {calls && <Callers channel={channel} run={run} />}
      {kind && !calls && <Settings key={JSON.stringify(channel.settings)} channel={channel} kind={kind} run={run} />}
      {channel.needs.length > 0 && <Secrets channel={channel} run={run} about="kept encrypted, never shown again" />}
      {sends && <SendTest channel={channel} run={run} />}
      <Looks channel={channel} />
      <Testers channel={channel} run={run} />
      <Events channel={channel} run={run} />
      <CopyDelete channel={channel} run={run} />
    </main>
  );
}

function Settings({ channel, kind, run }: ChannelPartProps & { readonly kind: ChannelKind }) {
  const { bot } = useDraftHandle();
  const [settings, setSettings] = useState<Table>(tableOf(channel.settings));
  const changed = JSON.stringify(settings) !== JSON.stringify(channel.settings);
  const save = (event: FormEvent) => {
    event.preventDefault();
    void run(call('updateChannel', { params: { bot, channel: channel.id }, body: { settings } }));
  };
  return (
    <section>
      <h3>Settings</h3>
      <Form onSubmit={save} className="setform">
        <SchemaFields schema={kind.settings as Schema} value={settings} onChange={setSettings} />
        <Button type="submit" variant="outline-secondary" disabled={!changed}>
          {changed ? 'Save' : 'Saved'}
        </Button>
      </Form>
    </section>
  );
}

/** Programs that may speak to the bot, and their keys. */
function Callers({ channel, run }: ChannelPartProps) {
  const { bot } = useDraftHandle();
  const [name, setName] = useState('');
  const [made, setMade] = useState<{ readonly name: string; readonly key: string }>();
  const params = { bot, channel: channel.id };
  const add = (event: FormEvent) => {
    event.preventDefault();
    const work = call('addCaller', { params, body: { name } });
    void run(work).then(async (done) => {
      if (!done) return;
      setMade(await work);
      setName('');
    });
  };
  return (
    <section>
      <h3>
        Callers <span className="note">each program has a key of its own, and reaches only what it has begun</span>
      </h3>
      {channel.callers.length === 0 && <p className="soft">No program has a key yet.</p>}
      <ul className="rows">
        {channel.callers.map((c) => (
          <li key={c.name}>
            <span>
              <span className="mono">{c.name}</span> <span className="note">since {timeOfDay(c.at, true)}</span>
            </span>
            <Button
              variant="outline-secondary"
              size="sm"
              onClick={() => void run(call('removeCaller', { params: { ...params, caller: c.name } }))}
            >
              Withdraw its key
            </Button>
          </li>
        ))}
      </ul>
      {made && (
        <p role="status">
          The key of {made.name}, shown this once: <span className="mono">{made.key}</span>{' '}
          <button className="bare note" type="button" onClick={() => void navigator.clipboard.writeText(made.key)}>
            copy
          </button>
        </p>
      )}
      <Form onSubmit={add} className="secretform">
        <Form.Control
          aria-label="Name of the program"
          placeholder="tide-table"
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <Button type="submit" variant="outline-secondary" disabled={name === ''}>
          Make a key
        </Button>
      </Form>
    </section>
  );
}
