import type { RecordKind } from '@primrose/contract';
import { z } from 'zod';

/** What is kept under a kind of record, and for how many days unless a bot says otherwise. */
interface Kind {
  readonly about: string;
  readonly usual: number;
}

/** Every kind of record of a bot that goes after a time. */
export const KINDS: Readonly<Record<RecordKind, Kind>> = {
  conversations: { about: 'conversations and runs, with all that was said, since the last line', usual: 365 },
  sheets: { about: 'turn sheets: why the bot said what it said', usual: 90 },
  events: { about: 'what came in, by which repeats are recognised; events that were put aside', usual: 30 },
  visitors: { about: 'what is kept of visitors who have no conversation any more', usual: 365 },
  webhooks: { about: 'webhooks and deliveries of messengers and starts, with their bodies; notices', usual: 14 },
  missed: { about: 'what visitors said that was not understood, taught or not', usual: 90 },
  memory: { about: 'what is known about visitors and kept under keys, since it was last used', usual: 365 },
  results: { about: 'what somebody filled into a page, and what came of it, with kept links', usual: 90 },
  files: { about: 'pictures and files that visitors sent or bots drew', usual: 90 },
  simulations: { about: 'simulations, since they were last used', usual: 30 },
  history: { about: 'edits of the draft, as far as nothing newer is built upon them', usual: 365 },
};

/** A deleted bot can be restored for so long; then it goes, with all that belongs to it. */
export const DELETED_BOT_DAYS = 30;
/** Sign-in links and sessions that have expired, and chats that were opened and files that were sent without a word. */
export const EXPIRED_DAYS = 1;
export const CLASSIFIER_DAYS = 30;

const own = z.partialRecord(z.enum(Object.keys(KINDS) as [RecordKind, ...RecordKind[]]), z.number().int().min(1));
/** The times that a bot has of its own. */
export type OwnTimes = z.infer<typeof own>;

/** `bots.retention`. */
export function readTimes(stored: string | null): OwnTimes {
  return stored === null ? {} : own.parse(JSON.parse(stored));
}

/** How many days a bot keeps a kind of record. */
export function daysOf(times: OwnTimes, kind: RecordKind): number {
  return times[kind] ?? KINDS[kind].usual;
}
