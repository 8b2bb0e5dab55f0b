/** What is used of the XMPP library. */
declare module '@xmpp/client' {
  import type { EventEmitter } from 'node:events';

  export interface XmlElement {
    readonly name: string;
    readonly attrs: Readonly<Record<string, string | undefined>>;
    is(name: string, namespace?: string): boolean;
    getChild(name: string, namespace?: string): XmlElement | undefined;
    getChildren(name: string, namespace?: string): XmlElement[];
    getChildText(name: string, namespace?: string): string | null;
    text(): string;
    toString(): string;
  }
  export interface XmppJid {
    readonly resource: string;
    bare(): XmppJid;
    toString(): string;
  }
  export interface XmppClient extends EventEmitter {
    readonly jid: XmppJid | null;
    readonly reconnect: { stop(): void };
    readonly streamManagement: EventEmitter & { inbound: number; enabled: boolean; requestAckInterval: number; timeout: number };
    readonly middleware: {
      use(run: (context: { readonly stanza: XmlElement }, next: () => Promise<unknown>) => unknown): void;
    };
    start(): Promise<unknown>;
    stop(): Promise<unknown>;
    disconnect(): Promise<unknown>;
    send(stanza: XmlElement): Promise<void>;
  }
  export function client(options: {
    service: string;
    domain: string;
    username: string;
    password: string;
    resource?: string;
    timeout?: number;
  }): XmppClient;
  export function xml(name: string, attrs?: Record<string, string | undefined>, ...children: (XmlElement | string)[]): XmlElement;
  export function jid(address: string): XmppJid & { readonly local: string; readonly domain: string };
}
