import { Link, useLocation } from 'react-router';
import { useDraftHandle } from '../draft/context.js';

const PAGES = [
  ['conversations', 'Conversations'],
  ['visitors', 'Visitors'],
] as const;

/** The pages under Conversations. */
export function ConversationTabs() {
  const { bot } = useDraftHandle();
  const page = useLocation().pathname.split('/')[3];
  return (
    <nav className="subtabs" aria-label="Conversations and visitors">
      {PAGES.map(([path, label]) => (
        <Link key={path} to={`/bots/${bot}/${path}`} aria-current={page === path ? 'page' : undefined}>
          {label}
        </Link>
      ))}
    </nav>
  );
}
