import type { ChannelState } from '@primrose/contract';
import { Link } from 'react-router';
import { CopyDelete, Events, OnOff, Reached, Secrets, SendTest, Testers, useChannelRun } from '../channels/ChannelParts.js';
import { MappingForm } from '../channels/MappingForm.js';
import { useDraftHandle } from '../draft/context.js';
import { Alarm } from '../parts/Alarm.js';

/** A messenger: whether it is on and what it serves, its last events, testers, mapping and secrets. */
export default function MessengerPage({ channel }: { readonly channel: ChannelState }) {
  const { bot } = useDraftHandle();
  const { run, problem } = useChannelRun();
  return (
    <main className="page">
      <header>
        <h2>{channel.name}</h2>
        <Link to={`/bots/${bot}/channels`} className="note">
          all channels
        </Link>
      </header>
      {problem !== undefined && <Alarm>{problem}</Alarm>}
      <OnOff channel={channel} run={run} />
      <Reached channel={channel} about="The messenger sends its webhooks to" />
      <SendTest channel={channel} run={run} />
      <Testers channel={channel} run={run} />
      <Events channel={channel} run={run} />
      <MappingForm key={JSON.stringify(channel.settings)} channel={channel} run={run} />
      <Secrets channel={channel} run={run} about="kept encrypted, used as secret.name in the mapping, never shown again" />
      <CopyDelete channel={channel} run={run} />
    </main>
  );
}
