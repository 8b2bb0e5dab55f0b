import { Link, useLocation } from 'react-router';
import { useDraftHandle } from '../draft/context.js';

const PAGES = [
  ['settings', 'The bot'],
  ['releases', 'Releases'],
  ['history', 'History'],
  ['retention', 'Limits and retention'],
] as const;

/** The pages under Settings. */
export function SettingsTabs() {
  const { bot } = useDraftHandle();
  const page = useLocation().pathname.split('/')[3];
  return (
    <nav className="subtabs" aria-label="Settings">
      {PAGES.map(([path, label]) => (
        <Link key={path} to={`/bots/${bot}/${path}`} aria-current={page === path ? 'page' : undefined}>
          {label}
        </Link>
      ))}
    </nav>
  );
}
