import { useParams } from 'react-router';
import { errorText, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import WebChatPage from '../webchat/WebChatPage.js';
import MessengerPage from './MessengerPage.js';

/** The page of a channel, by its kind. */
export default function ChannelPage() {
  const { bot } = useDraftHandle();
  const { channel } = useParams();
  const channels = useCall('listChannels', { params: { bot } });
  if (channels.error) return <main className="page">{errorText(channels.error)}</main>;
  const kind = channels.data?.items.find((c) => c.id === channel)?.kind;
  if (!channels.data) return <main className="page" />;
  return kind === 'web-chat' ? <WebChatPage /> : <MessengerPage />;
}
