import type { CompiledNode as Compiled, Hearing, Left, Outcome, Running } from './compiled.js';
import type { Effect, EffectName, EffectOf, Result, ResultOf } from './effects/registry.js';
import { typeOf } from './effects/registry.js';
import { enter, MAX_DEPTH } from './enter.js';
import { proposeFrom } from './facts.js';
import { leftAsBefore } from './talk/trail.js';
import { beginLater, comeBackTo, type Place } from './talk/wishes.js';
import type { Turn } from './turn.js';
import type { Values, Waiting, Walking } from './types.js';

export type CompiledNode = Compiled<Turn>;

/** Node runs after which a turn that never waits is cut. */
export const MAX_NODE_RUNS = 200;

/** Runs nodes until the turn waits for the visitor or no flow is under way any more. */
export function* walk(turn: Turn): Walking<void> {
  while (turn.waiting === null && !turn.resting) {
    if (!turn.frame && !beginNext(turn, 'fresh')) return;
    if (turn.nodeRuns >= MAX_NODE_RUNS || turn.record.full) {
      if (turn.record.full) turn.problem('turn-too-large', { size: turn.record.size, runs: turn.nodeRuns });
      else turn.problem('loop-cut', { runs: MAX_NODE_RUNS });
      turn.frames = [];
      turn.left = { values: {}, failed: true };
      return;
    }
    if (isBehind(turn)) return void turn.leave();
    const node = currentNode(turn);
    if (!node) {
      yield* restart(turn);
      continue;
    }
    // Between two nodes a turn rests only where it is made to; it does not before its first, so that each turn gets on.
    if (turn.record.place !== '' && turn.mayRest(false)) {
      turn.resting = true;
      return;
    }
    if (turn.stepping) yield* pauseBefore(turn, node);
    yield* runNode(turn, node);
  }
}

/** True where a run that makes one output alone has come behind what makes it. */
function isBehind({ making, frames, frame, isBranch }: Turn): boolean {
  return making !== undefined && !isBranch && frames.length === 1 && frame !== undefined && !making.region.has(frame.node);
}

/** Begins a wish that waits for its turn; false where none does, or in a branch, which serves none. */
function beginNext(turn: Turn, place: Place): boolean {
  return turn.talk.hasLater && !turn.isBranch && beginLater(turn, place);
}

/** Runs the node on top of the stack and nothing after it. */
export function* runAlone(turn: Turn): Walking<void> {
  const node = currentNode(turn);
  if (node) yield* runNode(turn, node);
}

/** Waits until somebody says that the turn is to go on; they may have changed variables meanwhile. */
export function* pauseBefore(turn: Turn, node: CompiledNode): Walking<void> {
  const path = turn.record.pausePath();
  const came = yield* perform(turn, { type: 'step', path, flow: node.flow, node: node.id });
  if (came.set) turn.setByHand(came.set);
}

/** Asks for one effect and waits until it has come. */
export function* perform<T extends EffectName>(turn: Turn, effect: EffectOf<T> & { readonly type: T }): Walking<ResultOf<T>> {
  const [came] = yield* performAll(turn, [effect]);
  return came as ResultOf<T>;
}

/** Asks for effects and waits until all of them have come; results in the order of the effects. Others that come are not ours. */
export function* performAll(turn: Turn, effects: readonly Effect[]): Walking<Result[]> {
  const came = new Map<string, Result>();
  const mine = new Set(effects.map((e) => e.path));
  let asked = effects;
  while (came.size < mine.size) {
    for (const { path, result } of yield { effects: asked, said: turn.record.takeSaid() })
      if (mine.has(path)) came.set(path, result);
    asked = [];
  }
  return effects.map((e) => came.get(e.path) ?? typeOf(e).failed('unknown-outcome', 'nothing came back'));
}

/** The node to run now; undefined where an edit took it away. */
export function currentNode(turn: Turn): CompiledNode | undefined {
  const { frame } = turn;
  return frame && turn.bot.flows.get(frame.flow)?.nodes.get(frame.node);
}

/** Where an edit took the node away that is to run, the flow starts again with its values kept, once; else it has failed. */
export function* restart(turn: Turn): Walking<void> {
  const next = yield* restartFlow(turn);
  if (next) yield* settle(turn, next.node, next.outcome);
}

function* restartFlow(turn: Turn): Walking<Settling | undefined> {
  const { frame } = turn;
  if (!frame) return undefined;
  const gone = frame.node;
  turn.nodeRuns++;
  turn.problem('node-gone', { flow: frame.flow, node: gone });
  const { begin, nodes } = turn.bot.flows.get(frame.flow) ?? {};
  if (begin === undefined || !nodes?.has(begin) || begin === gone) return yield* leave(turn, true);
  turn.frames.pop();
  enter(turn, frame.flow, frame.values);
  return undefined;
}

/** Runs a node, and again where it wants to rest and the turn may not. */
function* runNode(turn: Turn, node: CompiledNode): Walking<void> {
  let again = true;
  while (again) {
    turn.nodeRuns++;
    const place = turn.record.open(node.flow, node.id, node.kind);
    turn.record.tell(place, 'begins');
    const stays = node.waits ? leftAsBefore(turn.frame) : undefined;
    const ran: Running = stays ?? (node.passesBy === undefined ? node.run(turn) : { exit: node.passesBy, note: 'off' });
    // Not by `arrive`, and an exit not by `settle`: two generators less for each node that only goes on.
    const outcome: Outcome = isWalking(ran) ? yield* ran : ran;
    if (!goAlong(turn, node, outcome)) yield* settle(turn, node, outcome);
    turn.record.tell(place, 'ends');
    again = 'rests' in outcome && !turn.resting && turn.nodeRuns < MAX_NODE_RUNS && !turn.record.full;
  }
}

/** Goes along an exit that leads somewhere, what most nodes come to; false where it is something else, and nothing was done. */
function goAlong(turn: Turn, node: CompiledNode, outcome: Outcome): boolean {
  const to = 'exit' in outcome ? node.exits[outcome.exit] : undefined;
  if (!('exit' in outcome) || to === undefined || !turn.frame) return false;
  turn.record.close(outcome.exit, outcome.note);
  turn.goOn(outcome.exit, to);
  return true;
}

/** What a message would be to a node that waits, before anything is done; undefined where that takes effects, or nothing is heard. */
export function wouldHear(turn: Turn, node: CompiledNode | undefined, waiting: Waiting, text: string): Hearing | undefined {
  const { event } = turn;
  const spoken = event.type === 'message' || event.type === 'start' ? event : undefined;
  if (!node?.hear || !spoken) return undefined;
  const { at, channel } = spoken;
  const hearing = node.hear(turn, { type: 'message', at, channel, text }, waiting);
  return isWalking(hearing) ? undefined : hearing;
}

/** What a node comes to, whether it asks for effects on the way or not. */
export function* arrive<T extends object>(running: T | Walking<T>): Walking<T> {
  return isWalking(running) ? yield* running : running;
}

function isWalking<T extends object>(running: T | Walking<T>): running is Walking<T> {
  return Symbol.iterator in running;
}

/** A node with what it came to. */
interface Settling {
  readonly node: CompiledNode;
  readonly outcome: Outcome;
}

/**
 * Moves on by what a node came to. An exit that leads nowhere ends the flow. Leaving a flow lets the node that called it come
 * to something as well, one after the other and not inside each other, so that how deep flows stand costs nothing.
 */
export function* settle(turn: Turn, node: CompiledNode, outcome: Outcome): Walking<void> {
  let next: Settling | undefined = { node, outcome };
  while (next) next = yield* settleOne(turn, next);
}

function* settleOne(turn: Turn, { node, outcome }: Settling): Walking<Settling | undefined> {
  if ('wait' in outcome) {
    turn.waiting = outcome.wait;
    return undefined;
  }
  if ('rests' in outcome) {
    turn.resting = turn.mayRest(true);
    return undefined;
  }
  if ('again' in outcome) {
    turn.record.close(undefined, outcome.again);
    return undefined;
  }
  if ('calls' in outcome) return callFlow(turn, node, outcome.calls, outcome.values);
  if ('ends' in outcome) {
    turn.record.close(undefined, outcome.ends);
    if (outcome.ends !== 'conversation') return yield* leave(turn, outcome.ends === 'failed');
    for (const frame of turn.frames) proposeFrom(turn, frame);
    turn.over = true;
    turn.frames = [];
    return undefined;
  }
  if (goAlong(turn, node, outcome)) return undefined;
  turn.record.close(outcome.exit, outcome.note);
  turn.problem('no-way-on', { exit: outcome.exit });
  return yield* leave(turn, outcome.exit === 'failed');
}

function callFlow(turn: Turn, node: CompiledNode, flow: string, values: Values): Settling | undefined {
  turn.record.close(undefined, `calls ${flow}`);
  if (turn.depth >= MAX_DEPTH) turn.problem('too-deep', { flow, most: MAX_DEPTH });
  const { length } = turn.frames;
  if (turn.depth < MAX_DEPTH) enter(turn, flow, values);
  return turn.frames.length === length ? { node, outcome: { exit: 'failed' } } : undefined;
}

/** Leaves the flow on top. The node that called it goes on; where it is gone, its flow starts again. */
function* leave(turn: Turn, failed: boolean): Walking<Settling | undefined> {
  const left: Left = { values: turn.frame?.values ?? {}, failed };
  if (turn.frame && !failed) proposeFrom(turn, turn.frame);
  const gone = turn.leave(failed);
  turn.left = left;
  const { frame } = turn;
  turn.showFrame(frame && turn.bot.flows.get(frame.flow));
  // What came between is over: the node that waited runs again, so an ask asks again.
  if (gone?.interrupts) {
    if (gone.leads !== true || !beginNext(turn, 'between')) comeBackTo(turn);
    return undefined;
  }
  const caller = currentNode(turn);
  // The walk finds that it is gone, and begins its flow again.
  if (!caller) return undefined;
  turn.nodeRuns++;
  // What the caller does now is its own time, and not that of the node by which the flow was left.
  turn.record.tell(turn.record.place, 'ends');
  const place = turn.record.open(caller.flow, caller.id, caller.kind);
  if (caller.back) {
    turn.record.tell(place, 'begins');
    const outcome = yield* arrive(caller.back(turn, left));
    turn.record.tell(place, 'ends');
    return { node: caller, outcome };
  }
  return yield* restartFlow(turn);
}
