import type { ChannelKind } from '../channel.js';
import { holdXmpp } from './line.js';
import { readXmpp, xmppSettings, XMPP_ABILITY } from './settings.js';

/** An account at an XMPP server (RFC 6120, 6121): whoever writes to it is answered, in rooms whoever names it. */
export const xmpp: ChannelKind = {
  kind: 'xmpp',
  name: 'XMPP',
  about: 'an account at an XMPP server',
  settings: xmppSettings,
  ability: () => XMPP_ABILITY,
  link: (_publicUrl, _address, settings) => (settings === null ? '' : `xmpp:${readXmpp(settings).address}`),
  secrets: [{ name: 'password', about: 'of the account' }],
  connects: (port) => holdXmpp(port, readXmpp(port.settings)),
  connectable: true,
};
