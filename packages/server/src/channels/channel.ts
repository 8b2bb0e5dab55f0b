import type { Message } from '@primrose/core';
import type { z } from 'zod';
import type { Caller } from '../outside/call.js';

/** What came of sending one part: sent, to be tried again (after so long, where the other side says), or never to be. */
export type Sent =
  | { readonly as: 'sent' }
  | { readonly as: 'again'; readonly reason: string; readonly afterMs?: number }
  | { readonly as: 'failed'; readonly reason: string };

/** Sends one part of a message; `key` lets the other side know a repeat. */
export type SendPart = (key: string) => Promise<Sent>;

/** What is sent, to whom, and by which key it is known there. */
export interface Sendable {
  readonly to: string;
  readonly key: string;
  readonly who: string;
}

/** A message in the parts in which the channel takes it, in order; or why it cannot be put so. */
export type Parts = { readonly ok: true; readonly parts: readonly SendPart[] } | { readonly ok: false; readonly reason: string };

/** A channel that pushes, ready to send. */
export interface Sender {
  readonly message: (message: Message, to: Sendable) => Parts;
  /** Shows that the bot is writing; no parts where the channel cannot. */
  readonly typing: (to: Sendable) => Parts;
}

/** Everything Primrose knows of one kind of channel besides its routes; adding a kind means adding one of these, and its routes. */
export interface ChannelKind {
  readonly kind: string;
  /** As people call a channel of the kind that has no name of its own. */
  readonly name: string;
  /** What is set for each channel; null where there is nothing to set. */
  readonly settings: z.ZodType | null;
  /** Where visitors, or the service at the other end, reach a channel. */
  readonly link: (publicUrl: string, address: string) => string;
  /** Makes ready to send, from a channel's settings and secrets; left out where visitors come and fetch. */
  readonly sender?: (settings: string, secrets: Readonly<Record<string, string>>, caller: Caller) => Sender;
}
