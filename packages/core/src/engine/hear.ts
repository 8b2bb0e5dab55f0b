import type { Value } from '../document/shapes.js';
import { fittingValues } from './calls.js';
import { wordsIn, type StartAt } from './event.js';
import { makingOf } from '../pages/making.js';
import type { OneOutput } from './one-output.js';
import { takeMessage } from './talk/take.js';
import type { Turn } from './turn.js';
import type { Values, Walking } from './types.js';
import { enter } from './enter.js';
import { SIGN_IN } from './nodes/sign-in-name.js';
import type { Hearing } from './compiled.js';
import { arrive, currentNode, restart, runAlone, settle, type CompiledNode } from './walk.js';

/**
 * Gives the event to whoever it is for: staff while they answer, the node that waits, then an intent that may interrupt,
 * then unmatched handling. Where nothing waits, an intent begins its flow. What rested goes on by the walk.
 */
export function* hear(turn: Turn): Walking<void> {
  const { incoming, bot } = turn;
  switch (incoming.type) {
    case 'go-on':
      turn.making = madeAlone(turn);
      return turn.showFrame(turn.frame && bot.flows.get(turn.frame.flow));
    case 'fired':
      if (incoming.part !== undefined) return makeAlone(turn, incoming.flow, incoming.part, incoming.given);
      return startFlow(turn, incoming.flow, fittingValues(turn, incoming.flow, takenOf(turn, incoming.flow, incoming.given)));
    case 'start':
      return yield* startAt(turn, incoming.start);
    case 'hand-back':
      return incoming.closes ? close(turn) : yield* handBack(turn);
    case 'signed-in':
      return yield* signedIn(turn);
    case 'open':
      turn.handBack();
      return startFlow(turn, bot.document.begins, {});
    case 'message':
      return yield* hearMessage(turn);
    default:
      return incoming satisfies never;
  }
}

function* hearMessage(turn: Turn): Walking<void> {
  if (turn.handed && !turn.over) return;
  turn.handBack();
  yield* takeMessage(turn, turn.over || turn.turns === 0);
}

/** Begins at a node, as if the conversation had come there with the variables given. An ask there asks, whatever is known. */
function* startAt(turn: Turn, start: StartAt): Walking<void> {
  turn.frames = [];
  turn.waiting = null;
  turn.over = false;
  turn.handBack();
  for (const scope of ['session', 'visitor'] as const)
    for (const [name, value] of Object.entries(start.variables[scope])) turn.write(`${scope}.${name}`, value);
  turn.begin(start.flow, start.node, start.variables.flow);
  turn.frame?.reached.push(start.node);
  turn.showFrame(turn.bot.flows.get(start.flow));
  if (!start.only) return;
  yield* runAlone(turn);
  const { waiting } = turn;
  if (waiting === null || wordsIn(turn.event) === '') return;
  yield* takeMessage(turn, false);
}

/** What of a flow is made alone by what the turn is about; undefined where all of it is. */
function madeAlone({ event, bot }: Turn): OneOutput | undefined {
  return event.type === 'fired' && event.part !== undefined ? makingOf(bot.document, event.flow, event.part) : undefined;
}

/** Makes one output of a flow anew, from what its variables held: it begins where that output is made, and ends behind it. */
function makeAlone(turn: Turn, flow: string, output: string, values: Values): void {
  const making = madeAlone(turn);
  if (making?.begin === undefined) return turn.problem('nothing-makes', { flow, output });
  turn.making = making;
  turn.begin(flow, making.begin, values);
  turn.showFrame(turn.bot.flows.get(flow));
}

/** Begins a flow with nothing else under way. */
function startFlow(turn: Turn, flow: string, values: Values): void {
  turn.frames = [];
  turn.waiting = null;
  turn.over = false;
  enter(turn, flow, values);
}

/** Staff close the conversation: nothing of it goes on, and what is said next begins anew. */
function close(turn: Turn): void {
  turn.clear();
  turn.handBack();
  // What was to be come to after the rest is over as well.
  turn.talk.dropLater();
  turn.over = true;
}

/** Staff hand the conversation back: the node that handed it over goes on. */
function* handBack(turn: Turn): Walking<void> {
  const { waiting, frame } = turn;
  if (!turn.handed || waiting === null || !frame) return;
  turn.handBack();
  turn.waiting = null;
  turn.showFrame(turn.bot.flows.get(frame.flow));
  const node = currentNode(turn);
  yield* goesOn(turn, node, node?.hear?.(turn, turn.event, waiting));
}

/** The visitor has signed in beside the talk: the node that asked for it goes on; where none did, nothing is said. */
function* signedIn(turn: Turn): Walking<void> {
  const { waiting } = turn;
  const node = currentNode(turn);
  if (turn.handed || turn.over || waiting === null || node?.kind !== SIGN_IN || !node.hear) return;
  turn.waiting = null;
  turn.showFrame(turn.frame && turn.bot.flows.get(turn.frame.flow));
  yield* goesOn(turn, node, node.hear(turn, turn.event, waiting));
}

/** A node that waited goes on by what it heard, or runs anew where that was nothing for it. */
function* goesOn(turn: Turn, node: CompiledNode | undefined, heard: Hearing | Walking<Hearing> | undefined): Walking<void> {
  const hearing = heard && (yield* arrive(heard));
  if (!node || !hearing || 'missed' in hearing) return yield* restart(turn);
  turn.nodeRuns++;
  const place = turn.record.open(node.flow, node.id, node.kind);
  turn.record.tell(place, 'begins');
  yield* settle(turn, node, hearing);
  turn.record.tell(place, 'ends');
}

/** Of some values those that a flow takes. */
function takenOf(turn: Turn, flowId: string, values: Values): [string, Value][] {
  const takes = turn.bot.document.flows[flowId]?.takes ?? {};
  return Object.entries(values).filter(([name]) => Object.hasOwn(takes, name));
}
