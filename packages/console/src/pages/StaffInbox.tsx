import { Link, useParams } from 'react-router';
import { useCall } from '../api.js';
import { Inbox } from '../inbox/Inbox.js';
import { Petal } from '../parts/Petal.js';
import { ThemeSwitch } from '../parts/ThemeSwitch.js';

/** The inbox of a bot for staff, who see nothing else of it. */
export default function StaffInbox() {
  const { bot = '', conversation } = useParams();
  const list = useCall('listInbox', { params: { bot }, query: { view: 'waiting' } });
  return (
    <div className="frame" style={{ gridTemplateRows: '44px minmax(0,1fr)' }}>
      <header className="top">
        <Link className="logo" to="/" aria-label="Primrose, all bots">
          <Petal size={24} heart />
        </Link>
        <h1 dir="auto">{list.data?.bot ?? 'Inbox'}</h1>
        <span className="spring" />
        <span className="note">{list.data?.me.name}</span>
        <ThemeSwitch />
      </header>
      <Inbox bot={bot} base={`/inbox/${bot}`} conversation={conversation} />
    </div>
  );
}
