import { useParams } from 'react-router';
import { useDraftHandle } from '../draft/context.js';
import { Inbox } from '../inbox/Inbox.js';
import { ConversationTabs } from '../parts/Tabs.js';

/** The inbox of a bot, for its owner. */
export default function InboxPage() {
  const { bot } = useDraftHandle();
  const { conversation } = useParams();
  return <Inbox bot={bot} base={`/bots/${bot}/inbox`} conversation={conversation} head={<ConversationTabs />} />;
}
