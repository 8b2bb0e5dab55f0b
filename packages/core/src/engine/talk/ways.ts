import { nodeKinds } from '../nodes/registry.js';
import type { WayOut } from '../../understanding/cues/ways-out.js';
import type { Turn } from '../turn.js';
import type { Waiting, Way } from '../types.js';
import { enter } from '../enter.js';
import { runAgain } from './correct.js';
import type { OpenFrame } from './trail.js';
import { listed } from './words.js';
import { beginWish, comeBackTo, leadBack, opensOnly, sayingOf, startOf } from './wishes.js';

/*
 * Ways out that stand open everywhere: leaving it, one question back, from the start, the last answer once more, what the bot can
 * do, a person, and thanks. Where the bot has an intent for one of them, its flow is begun instead.
 */

const MOST_SAYINGS = 4;

/** The flow that gives the conversation to a person: that of the intent for it, else one that does nothing else; undefined without. */
export function personFlow(turn: Turn): string | undefined {
  const { intents = {}, flows } = turn.bot.document;
  const asked = Object.values(intents).find((i) => i.ready === 'a-person')?.starts;
  if (asked !== undefined && flows[asked]?.begin) return asked;
  return Object.entries(flows).find(([, flow]) => {
    const first = flow.begin === undefined ? undefined : flow.nodes[flow.begin];
    return first && !first.off && nodeKinds.get(first.kind)?.toPerson === true;
  })?.[0];
}

/** The way to a person, to be offered; none where there is no flow for it. */
export function personOffer(turn: Turn): { readonly says: string; readonly way: Way }[] {
  return personFlow(turn) === undefined ? [] : [{ says: turn.talk.words('person'), way: { to: 'person' } }];
}

/** Begins the flow that gives the conversation to a person; false where there is none. */
export function toPerson(turn: Turn): boolean {
  const flow = personFlow(turn);
  if (flow === undefined) return false;
  const { length } = turn.frames;
  turn.waiting = null;
  enter(turn, flow, {});
  const added = turn.frames.length > length ? turn.frame : undefined;
  if (added && length > 0) added.interrupts = true;
  return added !== undefined;
}

/** Examples of what can be said, as one text: the intents that are nearest first. */
export function sayings(turn: Turn): string {
  const all = Object.entries(turn.bot.document.intents ?? {})
    .filter(([, i]) => i.ready === undefined && i.needs === undefined && i.starts !== undefined)
    .map(([id]) => id);
  const near = (turn.heard?.intents ?? []).map((h) => h.intent).filter((id) => all.includes(id));
  const ids = [...new Set([...near, ...all])].slice(0, MOST_SAYINGS);
  const said = ids.flatMap((id) => sayingOf(turn, id) ?? []);
  return listed(said, turn.language);
}

/** Goes a way out; false where something else is to be made of the message. */
export function goWayOut(turn: Turn, way: WayOut, waiting: Waiting | null): boolean {
  const own = ownIntent(turn, way, waiting);
  if (own) return own();
  turn.talk.took('way-out', way);
  switch (way) {
    case 'never-mind':
      return leaveIt(turn, waiting);
    case 'back':
      return goBack(turn, waiting);
    case 'start-over':
      return startOver(turn);
    case 'again':
      return sayAgain(turn, waiting);
    case 'help':
      turn.say(sayings(turn) === '' ? turn.talk.words('can-do-nothing') : turn.talk.words('can-do', sayings(turn)));
      return comeBack(turn, waiting);
    case 'a-person':
      if (toPerson(turn)) return true;
      turn.say(turn.talk.words('no-person'));
      return comeBack(turn, waiting);
    case 'thanks':
      turn.say(turn.talk.words('welcome'));
      return comeBack(turn, waiting);
    case 'goodbye':
      turn.say(turn.talk.words('goodbye'));
      turn.talk.dropLater();
      turn.clear();
      return true;
    default:
      return way satisfies never;
  }
}

/** The bot's own flow for a way out, ready to be begun. */
function ownIntent(turn: Turn, way: WayOut, waiting: Waiting | null): (() => boolean) | undefined {
  const { intents = {} } = turn.bot.document;
  const [id] = Object.entries(intents).find(([, i]) => i.ready === way) ?? [];
  const place = waiting === null ? 'fresh' : 'between';
  const flow = id === undefined ? undefined : startOf(turn, id, place);
  if (id === undefined || flow === undefined || flow === turn.frame?.flow) return undefined;
  return () => {
    turn.talk.took('way-out', way);
    turn.took(id, place === 'fresh' ? 'begins' : 'interrupts');
    const text = turn.view.turn['text'];
    return beginWish(turn, { flow, values: {}, text: typeof text === 'string' ? text : '', intent: id, place });
  };
}

/** The node that waited asks again; without one there is nothing to come back to. */
export function comeBack(turn: Turn, waiting: Waiting | null): true {
  runAgain(turn, waiting);
  if (waiting !== null && !opensOnly(turn)) leadBack(turn);
  return true;
}

/** Leaves what is under way: what came between, else everything. */
function leaveIt(turn: Turn, waiting: Waiting | null): true {
  turn.talk.dropLater();
  turn.say(turn.talk.words(turn.frames.length > 0 ? 'left-it' : 'nothing-to-leave'));
  const at = turn.frames.findLastIndex((f) => f.interrupts);
  const below = at > 0 ? turn.frames[at - 1] : undefined;
  if (!below) {
    turn.clear();
    return true;
  }
  turn.onlyUpTo(below);
  turn.waiting = null;
  if (below.waited) comeBackTo(turn);
  else comeBack(turn, waiting);
  return true;
}

/** Back to the question before; what else was known stays. */
function goBack(turn: Turn, waiting: Waiting | null): true {
  const frame = frameToGoBack(turn);
  const at = frame ? frame.trail.findLastIndex((p) => p.heard) : -1;
  if (!frame || at < 0) {
    if (waiting === null) turn.say(turn.talk.words('first-question'));
    else turn.talk.leadWith(turn.talk.words('first-question'));
    runAgain(turn, waiting);
    return true;
  }
  const undone = frame.trail.slice(at);
  if (undone.some((p) => p.did)) {
    turn.talk.leadWith(turn.talk.words('cannot-undo'));
    runAgain(turn, waiting);
    return true;
  }
  turn.onlyUpTo(frame);
  turn.waiting = null;
  const first = undone[0]?.node ?? frame.node;
  const anew = new Set(undone.map((p) => p.node));
  for (const [target, node] of Object.entries(frame.wrote)) if (anew.has(node)) turn.write(target, null);
  const asked = turn.bot.flows.get(frame.flow)?.talk.slots.find((s) => s.node === first);
  frame.trail = frame.trail.slice(0, at);
  frame.reached = [...frame.reached.filter((r) => !anew.has(r) || r === first), ...(asked ? [first] : [])];
  turn.goTo(first);
  return true;
}

/** The run of a flow in which somebody answered last, from the one on top down to what came between. */
function frameToGoBack(turn: Turn): OpenFrame | undefined {
  for (const frame of turn.frames.toReversed()) {
    if (frame.trail.some((p) => p.heard)) return frame;
    if (frame.interrupts) return frame;
  }
  return turn.frame;
}

/** The flow of the wish anew with nothing known; where none is under way, the conversation from its beginning. */
function startOver(turn: Turn): true {
  const wish = turn.frames.findLast((f) => f.wish !== undefined);
  const flow = wish?.flow ?? turn.bot.document.begins;
  turn.talk.dropLater();
  turn.say(turn.talk.words('start-over'));
  const { wish: wanted } = wish ?? {};
  turn.clear();
  enter(turn, flow, {});
  if (wanted && turn.frame) turn.frame.wish = wanted;
  return true;
}

/** Says once more what was said last, with its buttons; whoever waits goes on waiting. */
function sayAgain(turn: Turn, waiting: Waiting | null): true {
  const before = turn.talk.saidBefore;
  if (before.length === 0) turn.say(turn.talk.words('nothing-said'));
  const offered = turn.talk.offered;
  const ways = offered.length > 0 ? turn.talk.offer(offered) : [];
  for (const { text, choices } of before)
    turn.say(
      text,
      choices?.map((c) => ways.find((w) => w.says === c.says) ?? c),
    );
  turn.waiting = waiting;
  return true;
}
