import type { ChannelKind } from '../channel.js';
import { holdIrc } from './line.js';
import { ircSettings, readIrc, IRC_ABILITY } from './settings.js';

/** A nickname at an IRC server (RFC 1459, 2812): whoever writes to it is answered, in rooms whoever names it. */
export const irc: ChannelKind = {
  kind: 'irc',
  name: 'IRC',
  about: 'a nickname at an IRC server',
  settings: ircSettings,
  ability: () => IRC_ABILITY,
  link: (_publicUrl, _address, settings) => {
    if (settings === null) return '';
    const { host, port, tls, nick } = readIrc(settings);
    return `${tls ? 'ircs' : 'irc'}://${host}:${port}/${nick},isnick`;
  },
  secrets: [{ name: 'password', about: 'of the server, where it wants one', optional: true }],
  connects: (port) => holdIrc(port, readIrc(port.settings)),
  connectable: true,
};
