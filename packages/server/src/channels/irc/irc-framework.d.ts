/** What is used of the IRC library. */
declare module 'irc-framework' {
  import { EventEmitter } from 'node:events';

  export interface IrcMessage {
    readonly nick: string;
    readonly ident: string;
    readonly hostname: string;
    readonly target: string;
    readonly message: string;
    readonly type: 'privmsg' | 'notice' | 'action';
    readonly from_server?: boolean;
    readonly account?: string;
    readonly batch?: unknown;
    readonly tags?: Readonly<Record<string, string>>;
  }
  export class Client extends EventEmitter {
    constructor(options?: Record<string, unknown>);
    readonly user: { readonly nick: string };
    readonly connected: boolean;
    connect(options: Record<string, unknown>): void;
    quit(message?: string): void;
    raw(...parts: string[]): void;
    rawString(...parts: string[]): string;
    join(room: string, key?: string): void;
    say(target: string, message: string): void;
    ping(message?: string): void;
  }
}
