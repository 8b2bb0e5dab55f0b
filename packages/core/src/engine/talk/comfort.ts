import { distressIn } from '../../understanding/cues/distress.js';
import { wayOut } from '../../understanding/cues/ways-out.js';
import { waysToPart } from '../../understanding/parting.js';
import type { Turn } from '../turn.js';
import { personOffer, toPerson } from './ways.js';

/** True where part of a message asks for a person, whatever else it says: "this is useless, let me talk to somebody". */
function asksForPerson(text: string, language: string): boolean {
  return waysToPart(text, language)
    .flat()
    .some((part) => wayOut(part.text, language) === 'a-person');
}

/**
 * Says that it is sorry to somebody who is angry or in distress, and opens the way to a person; goes it at once where they ask for
 * one. True where that is all.
 */
export function comforts(turn: Turn, text: string): boolean {
  if (!turn.may('tone')) return false;
  const cue = distressIn(text, turn.language, turn.bot.document.upset);
  if (cue === undefined) return false;
  const goes = turn.talk.offered.some((o) => o.way.to === 'person') || asksForPerson(text, turn.language);
  turn.talk.took('distress', cue);
  turn.talk.misses = 0;
  if (goes && toPerson(turn)) return true;
  const person = personOffer(turn);
  if (person.length === 0) turn.say(turn.talk.words('sorry-alone'));
  else turn.say(turn.talk.words('sorry'), turn.talk.offer(person));
  return person.length > 0;
}
