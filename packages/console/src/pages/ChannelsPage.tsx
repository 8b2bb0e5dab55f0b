import type { Channel } from '@primrose/contract';
import { useState } from 'react';
import { Button, Form } from 'react-bootstrap';
import { Link } from 'react-router';
import { call, errorText, invalidate, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { ConnectDialog } from '../messenger/ConnectDialog.js';
import { Serves } from '../messenger/Serves.js';
import { Alarm } from '../parts/Alarm.js';

/** Ways in and out, and what each serves. */
export default function ChannelsPage() {
  const { bot } = useDraftHandle();
  const channels = useCall('listChannels', { params: { bot } });
  const [problem, setProblem] = useState<string>();
  const [connecting, setConnecting] = useState(false);
  const addChat = () => {
    const chats = (channels.data?.items ?? []).filter((c) => c.kind === 'web-chat').length;
    call('createWebChat', { params: { bot }, body: { name: `Web chat ${chats + 1}` } })
      .then(() => invalidate('listChannels'))
      .catch((error: unknown) => setProblem(errorText(error)));
  };
  const update = (channel: Channel, body: { serves?: 'live' | number; on?: boolean }) => {
    setProblem(undefined);
    call('updateChannel', { params: { bot, channel: channel.id }, body })
      .then(() => invalidate('listChannels'))
      .catch((error: unknown) => setProblem(errorText(error)));
  };
  return (
    <main className="page">
      <header>
        <h2>Channels</h2>
        <span className="spring" />
        <Button variant="outline-secondary" onClick={addChat}>
          Another web chat
        </Button>
        <Button variant="outline-secondary" onClick={() => setConnecting(true)}>
          Connect a channel…
        </Button>
      </header>
      {(problem ?? channels.error) && <Alarm>{problem ?? errorText(channels.error)}</Alarm>}
      <ul className="rows">
        {channels.data?.items.map((c) => (
          <ChannelRow key={c.id} channel={c} update={(body) => update(c, body)} />
        ))}
      </ul>
      {connecting && <ConnectDialog onClose={() => setConnecting(false)} />}
    </main>
  );
}

function ChannelRow({
  channel,
  update,
}: {
  readonly channel: Channel;
  readonly update: (body: { serves?: 'live' | number; on?: boolean }) => void;
}) {
  const { bot } = useDraftHandle();
  const hasPage = channel.kind !== 'page';
  const opens = channel.kind === 'web-chat' || channel.kind === 'page';
  const now =
    channel.live === null ? 'Nothing is released yet, so visitors cannot open it.' : `Visitors get Release ${channel.live} now.`;
  return (
    <li>
      <div>
        <p className="name">
          {hasPage ? <Link to={`/bots/${bot}/channels/${channel.id}`}>{channel.name}</Link> : channel.name}{' '}
          {!channel.on && <span className="offnote">is switched off</span>}
        </p>
        <p>
          {channel.on ? now : 'Visitors are told to come back later.'}{' '}
          <span className="note">
            {channel.conversations === 1 ? '1 conversation' : `${channel.conversations} conversations`}
          </span>
        </p>
        <p>
          {!opens ? (
            <span className="mono">{channel.link}</span>
          ) : (
            <a href={channel.link} target="_blank" rel="noopener noreferrer" className="mono">
              {channel.link}
            </a>
          )}
        </p>
      </div>
      <div className="acts">
        <Serves channel={channel} onChange={(serves) => update({ serves })} />
        {channel.link !== '' && (
          <Button variant="outline-secondary" onClick={() => void navigator.clipboard.writeText(channel.link)}>
            Copy link
          </Button>
        )}
        <Form.Check
          type="switch"
          id={`on-${channel.id}`}
          label={channel.on ? 'on' : 'off'}
          checked={channel.on}
          onChange={(e) => update({ on: e.target.checked })}
        />
      </div>
    </li>
  );
}
