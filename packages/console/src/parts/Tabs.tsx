import { Link, useLocation } from 'react-router';
import { useDraftHandle } from '../draft/context.js';

interface TabsProps {
  readonly label: string;
  /** The last part of each page's path, and its name. */
  readonly pages: readonly (readonly [path: string, label: string])[];
}

/** The pages of a bot that stand under one entry of the menu. */
function Tabs({ label, pages }: TabsProps) {
  const { bot } = useDraftHandle();
  const page = useLocation().pathname.split('/')[3];
  return (
    <nav className="subtabs" aria-label={label}>
      {pages.map(([path, name]) => (
        <Link key={path} to={`/bots/${bot}/${path}`} aria-current={page === path ? 'page' : undefined}>
          {name}
        </Link>
      ))}
    </nav>
  );
}

const SETTINGS = [
  ['settings', 'The bot'],
  ['releases', 'Releases'],
  ['history', 'History'],
  ['retention', 'Limits and retention'],
  ['people', 'People'],
] as const;
export const SettingsTabs = () => <Tabs label="Settings" pages={SETTINGS} />;

const UNDERSTANDING = [
  ['understanding', 'Intents'],
  ['quality', 'Quality'],
  ['missed', 'Missed'],
] as const;
export const UnderstandingTabs = () => <Tabs label="Understanding" pages={UNDERSTANDING} />;

const KNOWLEDGE = [
  ['knowledge', 'Documents'],
  ['evaluation', 'Evaluation'],
] as const;
export const KnowledgeTabs = () => <Tabs label="Knowledge" pages={KNOWLEDGE} />;

const ACTIONS = [
  ['actions', 'Connections'],
  ['tables', 'Tables'],
  ['starts', 'Starts'],
] as const;
export const ActionTabs = () => <Tabs label="Connections, tables and starts" pages={ACTIONS} />;

const CONVERSATIONS = [
  ['conversations', 'Conversations'],
  ['inbox', 'Inbox'],
  ['runs', 'Runs'],
  ['visitors', 'Visitors'],
] as const;
export const ConversationTabs = () => <Tabs label="Conversations and visitors" pages={CONVERSATIONS} />;
