import type { OutsideMode, SimulatedEvent, SimulationClock, Speaker } from '@primrose/contract';
import {
  eventOf,
  firedBy,
  firstNameOf,
  isHookSample,
  keptEvent,
  type BotDocument,
  type Firing,
  type IncomingEvent,
} from '@primrose/core';
import { Refused } from '../base/refused.js';
import { ownColumn } from '../store/columns.js';

/** What a simulation is set to, as it is stored. */
export interface SimulationSettings {
  readonly speaker: Speaker;
  readonly clock: SimulationClock | null;
  /** Only what somebody chose; the rest is as usual. */
  readonly outside: Readonly<Record<string, OutsideMode>>;
  readonly samples: readonly string[];
  /** Left out in settings of older versions. */
  readonly rows?: 'practice' | 'real';
}

export const USUAL: SimulationSettings = {
  speaker: { visitor: null, name: null, channel: 'simulator', language: null, zone: null, buttons: true },
  clock: null,
  outside: {},
  samples: [],
};

export const settingsColumn = ownColumn<SimulationSettings>('settings', 'speaker', 'outside');

/** Where calls go when nobody has said: to the stand-in where there is one, else to samples. Never for real. */
export function usualMode(connection: string, present: ReadonlyMap<string, string>): OutsideMode {
  return present.has(connection) ? 'stand-in' : 'samples';
}

/** The moment at which a simulation is now. */
export function momentOf(clock: SimulationClock | null, now: Date): Date {
  if (clock === null) return now;
  const at = Date.parse(clock.at);
  return new Date(clock.runs ? at + (now.getTime() - Date.parse(clock.set)) : at);
}

/** A start that is set off, by its mapping. Refused where the bot has none of this name, or what came does not fill in its inputs. */
function firedIn(document: BotDocument, firing: Firing, at: string): IncomingEvent {
  const { event, problems } = firedBy(document, firing, at);
  if (!event) throw new Refused('no-start', { start: firing.start ?? '' });
  if (problems.length > 0) throw new Refused('inputs-missing', { problems });
  return event;
}

/** Only what is there. */
function known({ body, row, before, given }: Extract<SimulatedEvent, { type: 'fire' }>): Omit<Firing, 'start'> {
  return {
    ...(body === undefined ? {} : { body }),
    ...(row === undefined ? {} : { row }),
    ...(before === undefined ? {} : { before }),
    ...(given === undefined ? {} : { given }),
  };
}

/** What comes in, said by whoever speaks at the simulation's own moment. */
export function eventIn(event: SimulatedEvent, settings: SimulationSettings, document: BotDocument, now: Date): IncomingEvent {
  const { speaker } = settings;
  const base = {
    at: momentOf(settings.clock, now).toISOString(),
    channel: speaker.channel,
    ...(speaker.name === null ? {} : { name: speaker.name, firstName: firstNameOf(speaker.name) ?? speaker.name }),
    ...(speaker.zone === null ? {} : { zone: speaker.zone }),
    ...(speaker.email ? { email: speaker.email, signedIn: true } : {}),
  };
  switch (event.type) {
    case 'open':
    case 'hand-back':
      return { type: event.type, ...base };
    case 'start':
      return { type: 'start', ...base, start: event.start };
    case 'fire':
      return firedIn(document, { start: event.start, ...known(event) }, base.at);
    case 'sample': {
      const hook = document.samples && Object.hasOwn(document.samples, event.sample) ? document.samples[event.sample] : undefined;
      if (hook && isHookSample(hook)) return firedIn(document, { start: hook.came, sample: event.sample }, base.at);
      const kept = keptEvent(document.samples, event.sample);
      if (!kept) throw new Refused('no-kept-event', { sample: event.sample });
      return { ...base, ...eventOf(kept) };
    }
    case 'message': {
      const { text, choice, pictures, files } = event;
      return {
        type: 'message',
        ...base,
        ...(text === undefined ? {} : { text }),
        ...(choice === undefined ? {} : { choice }),
        ...(pictures === undefined ? {} : { pictures }),
        ...(files === undefined ? {} : { files }),
      };
    }
    default:
      return event satisfies never;
  }
}
