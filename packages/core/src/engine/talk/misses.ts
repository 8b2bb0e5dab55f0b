import { matchFrom } from '../../understanding/listener.js';
import type { Turn } from '../turn.js';
import type { Way } from '../types.js';
import { wishWords } from './turn-talk.js';
import { personOffer, sayings } from './ways.js';
import { sayingOf, startOf, valuesOf, type Place } from './wishes.js';

/*
 * What the bot does when it does not understand: it asks what was meant where two intents are near, says what it can do after two
 * misses in a row, and offers a person after three.
 */

/** Two intents are near where they have so much of the score together, and the second so much of the first. */
const NEAR_TOGETHER = 0.55;
const NEAR_SECOND = 0.4;
const NEAR_LEAST = 0.15;

/** Asks which of two intents was meant; false where no two are near. Whoever waits goes on waiting. */
export function askWhatWasMeant(turn: Turn, text: string, place: Place): boolean {
  if (!turn.may('misses')) return false;
  const from = matchFrom(turn.bot.document);
  const { intents = {} } = turn.bot.document;
  const near = (turn.heard?.intents ?? []).filter((h) => h.score < from && intents[h.intent]?.ready === undefined);
  const [one, other] = near;
  if (!one || !other || one.score + other.score < NEAR_TOGETHER) return false;
  if (other.score < Math.max(NEAR_LEAST, one.score * NEAR_SECOND)) return false;
  const ways = [one, other].flatMap((heard): { says: string; way: Way }[] => {
    const flow = startOf(turn, heard.intent, place);
    const says = sayingOf(turn, heard.intent);
    if (flow === undefined || says === undefined) return [];
    return [
      {
        says,
        way: { to: 'wish', intent: heard.intent, text: wishWords(text), values: valuesOf(turn, text, { heard, flow }) },
      },
    ];
  });
  if (ways.length < 2) return false;
  turn.talk.considered('wish', one.intent, one.score);
  turn.talk.considered('wish', other.intent, other.score);
  turn.talk.took('miss', `${turn.talk.misses}, asked what was meant`);
  turn.say(turn.talk.words('did-you-mean'), turn.talk.offer(ways));
  return true;
}

/** Says what the bot can do, from the second miss in a row on, and from the third offers a person. Called before it asks again. */
export function helpAfterMisses(turn: Turn): void {
  if (!turn.may('misses')) return;
  const { misses } = turn.talk;
  if (misses < 2) return;
  const person = personOffer(turn);
  if (misses >= 3 && person.length > 0) {
    turn.say(turn.talk.words('offer-person'), turn.talk.offer(person));
    return;
  }
  const can = sayings(turn);
  if (can !== '') turn.say(turn.talk.words('you-can-say', can));
}
