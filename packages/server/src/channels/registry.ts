import type { ChannelKind } from './channel.js';
import { formPage } from './form-page/form-page.js';
import { hookMessenger } from './hook-messenger/hook-messenger.js';
import { webChat } from './web-chat/web-chat.js';

/** All kinds of channel; nothing else lists them. */
export const channelKinds: ReadonlyMap<string, ChannelKind> = new Map(
  [webChat, hookMessenger, formPage].map((kind) => [kind.kind, kind]),
);

/** A kind that there is. Throws on one that the database names and no code knows. */
export function channelKind(kind: string): ChannelKind {
  const found = channelKinds.get(kind);
  if (!found) throw new Error(`there is no kind of channel called ${kind}`);
  return found;
}

/** True where lines have to be sent out; false where visitors fetch them, and for runs that no channel began. */
export function pushes(kind: string | null): boolean {
  return kind !== null && channelKinds.get(kind)?.sender !== undefined;
}
