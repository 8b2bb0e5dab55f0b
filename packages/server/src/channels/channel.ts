import type { Ability, HookSign, Message } from '@primrose/core';
import type { Logger } from 'pino';
import type { z } from 'zod';
import type { Clock } from '../base/clock.js';
import type { AllowedAddresses } from '../outside/agent.js';
import type { Caller } from '../outside/call.js';
import type { ServingChannel } from '../store/channels.js';
import type { Db } from '../store/database.js';
import type { Came, Took } from './came.js';

/**
 * What came of sending one part: sent (with its id at the other side, where that tells one), to be tried again (after so long, where
 * the other side says), or never to be.
 */
export type Sent =
  | { readonly as: 'sent'; readonly id?: string }
  | { readonly as: 'again'; readonly reason: string; readonly afterMs?: number }
  | { readonly as: 'failed'; readonly reason: string };

/** Sends one part of a message; `key` lets the other side know a repeat. */
export type SendPart = (key: string) => Promise<Sent>;

/** What is sent, to whom, and by which key it is known there. */
export interface Sendable {
  readonly to: string;
  readonly key: string;
  readonly who: string;
  /** The language of the conversation. */
  readonly language: string;
  /** The message that is answered, by its id at the other side. */
  readonly answers?: string;
  /** What the kind has kept of what it answers. */
  readonly thread?: string;
}

/** A message in the parts in which the channel takes it, in order; or why it cannot be put so. */
export type Parts = { readonly ok: true; readonly parts: readonly SendPart[] } | { readonly ok: false; readonly reason: string };

/** A channel that pushes, ready to send. */
export interface Sender {
  readonly message: (message: Message, to: Sendable) => Parts;
  /** Shows that the bot is writing; no parts where the channel cannot. */
  readonly typing: (to: Sendable) => Parts;
}

export const NO_PARTS: Parts = { ok: true, parts: [] };

/** What a held line works with. */
export interface LinePort {
  readonly channel: ServingChannel;
  readonly settings: string;
  readonly secrets: Readonly<Record<string, string>>;
  /** How far what comes in was taken, as the kind wrote it; null before anything was. */
  readonly cursor: string | null;
  readonly db: Db;
  readonly clock: Clock;
  readonly log: Logger;
  readonly allowed: AllowedAddresses;
  readonly caller: Caller;
  readonly publicUrl: string;
  /** Takes what somebody said. When this has returned it is stored; until then the other side must not be told that it was taken. */
  readonly take: (came: Came) => Promise<Took>;
  /** Takes a receipt or a reaction. */
  readonly sign: (sign: HookSign) => Promise<void>;
  /** Notes what came in and is not taken, with why. */
  readonly refuse: (about: string, sender: string | null, payload?: string) => Promise<void>;
  readonly moveCursor: (cursor: string) => Promise<void>;
}

/** A line that stands. */
export interface Line {
  /** How it sends, where only the line can. */
  readonly sender?: Sender;
  /** Resolves with why, when the line has ended by itself. */
  readonly ended: Promise<string>;
  readonly close: () => Promise<void>;
}

/** Why a line could not be made, in a sentence for whoever set the channel up. Anything else that is thrown is a fault of ours or of the way there. */
export class NoLine extends Error {}

/** A secret that a channel of the kind needs. */
export interface NeededSecret {
  readonly name: string;
  readonly about: string;
  readonly optional?: true;
}

/** Everything Primrose knows of one kind of channel besides its routes; adding a kind means adding one of these, and its routes. */
export interface ChannelKind {
  readonly kind: string;
  /** As people call a channel of the kind that has no name of its own. */
  readonly name: string;
  /** What it is for whoever chooses one, in a few words. */
  readonly about: string;
  /** What is set for each channel; null where there is nothing to set. */
  readonly settings: z.ZodType | null;
  /** What it can show, from its settings. */
  readonly ability: (settings: string | null) => Ability;
  /** Where visitors, or the service at the other end, reach a channel; empty where there is no address of ours. */
  readonly link: (publicUrl: string, address: string, settings: string | null) => string;
  /** The secrets that it is shown by, beyond those that a mapping names. */
  readonly secrets?: readonly NeededSecret[];
  /** Makes ready to send, from a channel's settings and secrets; left out where visitors come and fetch, or only a held line can send. */
  readonly sender?: (
    settings: string,
    secrets: Readonly<Record<string, string>>,
    caller: Caller,
    allowed: AllowedAddresses,
  ) => Sender;
  /** Makes the line that is held to a server while the channel is on; left out for kinds without one. */
  readonly connects?: (port: LinePort) => Promise<Line>;
  /** Whether a channel needs its line, by its settings; always where it is left out. */
  readonly holds?: (settings: string) => boolean;
  /** Everything that is said at once goes in one message, as in a letter. */
  readonly gathers?: true;
  /** It is connected by people, by settings that they fill in; the others come by themselves or have a way of their own. */
  readonly connectable?: true;
}
