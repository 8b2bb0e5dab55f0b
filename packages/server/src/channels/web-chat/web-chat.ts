import type { ChannelKind } from '../channel.js';

/** The page that Primrose serves to visitors, who fetch the lines of their conversation as a stream. */
export const webChat: ChannelKind = {
  kind: 'web-chat',
  name: 'Web chat',
  settings: null,
  link: (publicUrl, address) => `${publicUrl}/chat/${address}`,
};
