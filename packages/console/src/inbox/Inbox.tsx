import type { InboxItem, InboxView } from '@primrose/contract';
import { useEffect, useState } from 'react';
import { Link } from 'react-router';
import { errorText, invalidate, useCall } from '../api.js';
import { Alarm } from '../parts/Alarm.js';
import { CannedDialog } from './CannedDialog.js';
import { InboxTalk } from './InboxTalk.js';
import { useWaitingSign } from './waiting-sign.js';
import { waited } from './waited.js';

const REFRESH_MS = 2000;
const VIEWS: readonly (readonly [InboxView, string])[] = [
  ['waiting', 'Waiting'],
  ['mine', 'Mine'],
  ['all', 'All'],
];
const NONE: Readonly<Record<InboxView, string>> = {
  waiting: 'Nobody waits for a person.',
  mine: 'You have taken no conversation.',
  all: 'No conversation is with staff now.',
};

interface InboxProps {
  readonly bot: string;
  /** Under which address the inbox stands: conversations are named behind it. */
  readonly base: string;
  readonly conversation: string | undefined;
  /** What stands above the list. */
  readonly head?: React.ReactNode;
}

/** Conversations that were handed over, and one of them to be answered. */
export function Inbox({ bot, base, conversation, head }: InboxProps) {
  const [view, setView] = useState<InboxView>('waiting');
  const [canned, setCanned] = useState(false);
  const list = useCall('listInbox', { params: { bot }, query: { view } });
  useEffect(() => {
    const timer = setInterval(() => invalidate('listInbox', 'getInboxTalk'), REFRESH_MS);
    return () => clearInterval(timer);
  }, []);
  const counts = list.data?.counts;
  const sign = useWaitingSign(counts?.waiting ?? 0);
  return (
    <div className="talks inbox">
      <aside className="list" aria-label="Which conversation">
        {head}
        <div className="filters" role="group" aria-label="Which conversations">
          {VIEWS.map(([id, label]) => (
            <button
              key={id}
              className="btn btn-outline-secondary btn-sm"
              type="button"
              aria-pressed={view === id}
              onClick={() => setView(id)}
            >
              {label} <b>{counts?.[id] ?? ''}</b>
            </button>
          ))}
        </div>
        {list.error && <Alarm>{errorText(list.error)}</Alarm>}
        {list.data?.items.length === 0 && (
          <p className="empty" style={{ padding: '24px 16px' }}>
            {NONE[view]}
          </p>
        )}
        <nav aria-label="Inbox">
          {list.data?.items.map((item) => (
            <Row key={item.id} item={item} base={base} me={list.data.me.id} current={item.id === conversation} />
          ))}
        </nav>
        <footer>
          <p className="note">
            {list.data?.staffed === false
              ? 'Outside office hours: visitors are told when somebody is here again.'
              : 'Within office hours.'}
          </p>
          <button className="bare note" type="button" aria-pressed={sign.sounds} onClick={() => sign.setSounds(!sign.sounds)}>
            {sign.sounds ? 'sound is on' : 'sound is off'}
          </button>{' '}
          <button className="bare note" type="button" onClick={() => setCanned(true)}>
            canned words…
          </button>
        </footer>
      </aside>
      <main>
        {conversation === undefined || !list.data ? (
          <div className="empty" style={{ padding: 32 }}>
            <p>Choose a conversation to answer it.</p>
          </div>
        ) : (
          <InboxTalk key={conversation} bot={bot} id={conversation} me={list.data.me} staff={list.data.staff} />
        )}
      </main>
      {canned && <CannedDialog bot={bot} onClose={() => setCanned(false)} />}
    </div>
  );
}

interface RowProps {
  readonly item: InboxItem;
  readonly base: string;
  readonly me: string;
  readonly current: boolean;
}

function Row({ item, base, me, current }: RowProps) {
  const { staff } = item;
  const who = staff === null ? 'nobody yet' : staff.id === me ? 'you' : staff.name;
  return (
    <Link to={`${base}/${item.id}`} aria-current={current ? 'page' : undefined}>
      <span className="note">{waited(item.waitsSince)}</span>
      <span className="said" dir="auto">
        {item.said ?? 'nothing said yet'}
      </span>
      <span>{item.asks && <b className="asks">asks</b>}</span>
      <span className="meta">
        {item.visitor ?? 'A visitor'}, {item.channel.name}, with {who}
      </span>
    </Link>
  );
}
