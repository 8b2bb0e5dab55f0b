import { fileAddress, fileHeaders, readHook, type HookEvent, type HookProfile, type HookSign, type Value } from '@primrose/core';
import type { Came, Took } from '../came.js';

/** Bodies that are kept with their events, so that they can be kept as samples; larger ones are not. */
export const KEPT_BODIES = 200_000;

/** What is done with what a body holds. */
export interface Taking {
  readonly event: (came: Came) => Promise<Took>;
  readonly sign: (sign: HookSign) => Promise<void>;
  /** An event that the mapping does not fit, with where and why. */
  readonly unreadable: (about: string) => Promise<void>;
  readonly secrets: Readonly<Record<string, string>>;
  /** Until when files are fetched, in ms of the clock. */
  readonly until: number;
}

/** What a body came to. */
export interface Received {
  readonly taken: number;
  readonly repeats: number;
  readonly passedOver: number;
  /** There is no release that could answer. */
  readonly unreleased: boolean;
}

/** Takes everything that the body of a webhook, or the answer to an asking, holds, one after the other. */
export async function takeReadings(profile: HookProfile, body: Value, payload: string | null, taking: Taking): Promise<Received> {
  const counts = { taken: 0, repeats: 0, passedOver: 0 };
  const readings = readHook(profile, body);
  // Of many events in a body it is kept with none: each would keep it.
  const kept = payload !== null && payload.length * readings.length > KEPT_BODIES ? null : payload;
  for (const reading of readings) {
    if (reading.as === 'event') {
      const took = await taking.event(cameOf(profile, reading.event, kept, taking));
      if (took.as === 'unreleased') return { ...counts, unreleased: true };
      if (took.as === 'taken') counts.taken++;
      else if (took.as === 'repeat') counts.repeats++;
      else counts.passedOver++;
      continue;
    }
    counts.passedOver++;
    if (reading.as === 'sign') await taking.sign(reading.sign);
    if (reading.as === 'unreadable') await taking.unreadable(`the mapping does not fit, ${reading.field}: ${reading.reason}`);
  }
  return { ...counts, unreleased: false };
}

/** An event of a webhook in our words. In a room everybody who writes has a conversation of their own, and is answered there. */
function cameOf(profile: HookProfile, event: HookEvent, payload: string | null, { secrets, until }: Taking): Came {
  const { room, pictures, sender, ...rest } = event;
  return {
    ...rest,
    ...(room === undefined || room === sender ? { sender } : { sender: `${room} ${sender}`, recipient: room }),
    pictures: pictures.flatMap((p) => fileAddress(profile, p, secrets) ?? []),
    headers: (address) => fileHeaders(profile, address, secrets),
    payload,
    until,
  };
}
