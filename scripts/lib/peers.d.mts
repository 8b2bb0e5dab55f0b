/** A server of somebody else's that runs on loopback. */
export interface Peer {
  readonly port: number;
  readonly folder: string;
  readonly start: () => Promise<void>;
  readonly stop: () => Promise<void>;
  readonly kill: () => Promise<void>;
  readonly end: () => Promise<void>;
}
export const XMPP_DOMAIN: string;
export const XMPP_ROOMS: string;
export const MAIL_DOMAIN: string;
export const PEER_PASSWORD: string;
export function hasPeer(name: 'xmpp' | 'irc' | 'mail'): boolean;
export function startXmpp(options: { accounts: readonly string[]; folder?: string; port?: number }): Promise<Peer>;
export function startIrc(options?: { folder?: string; port?: number }): Promise<Peer>;
export function startImap(options: { accounts: readonly string[]; folder?: string; port?: number }): Promise<Peer>;
