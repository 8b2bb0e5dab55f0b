import { useParams } from 'react-router';
import { errorText, useCall } from '../api.js';
import ChannelSettingsPage from '../channels/SettingsPage.js';
import { useDraftHandle } from '../draft/context.js';
import WebChatPage from '../webchat/WebChatPage.js';
import MessengerPage from './MessengerPage.js';

/** How often is looked how it stands with a connection, in ms. */
const LOOK_MS = 3000;

/** The page of a channel, by its kind. */
export default function ChannelPage() {
  const { bot } = useDraftHandle();
  const { channel = '' } = useParams();
  const found = useCall('getChannel', { params: { bot, channel } }, true, { everyMs: LOOK_MS });
  const kinds = useCall('listChannelKinds', {});
  if (found.error) return <main className="page">{errorText(found.error)}</main>;
  if (!found.data || !kinds.data) return <main className="page" />;
  const { kind, id } = found.data;
  if (kind === 'web-chat') return <WebChatPage />;
  if (kind === 'hook-messenger') return <MessengerPage key={id} channel={found.data} />;
  return <ChannelSettingsPage key={id} channel={found.data} kind={kinds.data.items.find((k) => k.kind === kind)} />;
}
