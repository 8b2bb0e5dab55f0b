import type { AllowedAddresses } from '../outside/agent.js';
import type { Caller } from '../outside/call.js';
import { botApi } from './bot-api/bot-api.js';
import type { ChannelKind, Sender } from './channel.js';
import { formPage } from './form-page/form-page.js';
import { hookMessenger } from './hook-messenger/hook-messenger.js';
import { irc } from './irc/irc.js';
import { mail } from './mail/mail.js';
import { matrix } from './matrix/matrix.js';
import { telephone } from './telephone/telephone.js';
import { webChat } from './web-chat/web-chat.js';
import { xmpp } from './xmpp/xmpp.js';

/** All kinds of channel; nothing else lists them. */
export const channelKinds: ReadonlyMap<string, ChannelKind> = new Map(
  [webChat, hookMessenger, mail, xmpp, irc, matrix, telephone, botApi, formPage].map((kind) => [kind.kind, kind]),
);

/** A kind that there is. Throws on one that the database names and no code knows. */
export function channelKind(kind: string): ChannelKind {
  const found = channelKinds.get(kind);
  if (!found) throw new Error(`there is no kind of channel called ${kind}`);
  return found;
}

/** True where lines have to be sent out; false where visitors fetch them, and for runs that no channel began. */
export function pushes(kind: string | null): boolean {
  const found = kind === null ? undefined : channelKinds.get(kind);
  return found?.sender !== undefined || found?.connects !== undefined;
}

/** How a channel sends by itself; undefined where only a held line can. */
export function senderOf(
  { kind, settings }: { readonly kind: string; readonly settings: string | null },
  secrets: Readonly<Record<string, string>>,
  caller: Caller,
  allowed: AllowedAddresses,
): Sender | undefined {
  return settings === null ? undefined : channelKinds.get(kind)?.sender?.(settings, secrets, caller, allowed);
}
