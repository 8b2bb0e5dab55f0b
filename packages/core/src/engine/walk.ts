import type { CompiledNode } from './compiler.js';
import type { Left, Outcome, Running, Walking } from './kind.js';
import type { Turn } from './turn.js';
import type { Completed, Effect, Values } from './types.js';

/** Node runs after which a turn that never waits is cut. */
export const MAX_NODE_RUNS = 200;
/** Flows that may be under way inside each other. */
export const MAX_DEPTH = 20;

/** Runs nodes until the turn waits for the visitor or no flow is under way any more. */
export function* walk(turn: Turn): Walking<void> {
  while (turn.waiting === null && turn.frame) {
    if (turn.nodeRuns >= MAX_NODE_RUNS) {
      turn.problem('loop-cut', { runs: MAX_NODE_RUNS });
      turn.frames = [];
      turn.left = { values: {}, failed: true };
      return;
    }
    const node = currentNode(turn);
    if (!node) continue;
    if (turn.stepping) yield* pauseBefore(turn, node);
    yield* runNode(turn, node);
  }
}

/** Runs the node on top of the stack and nothing after it. */
export function* runAlone(turn: Turn): Walking<void> {
  const node = currentNode(turn);
  if (node) yield* runNode(turn, node);
}

/** Waits until somebody says that the turn is to go on; they may have changed variables meanwhile. */
export function* pauseBefore(turn: Turn, node: CompiledNode): Walking<void> {
  const path = `${turn.nextPlace}/step`;
  const [came] = yield* perform(turn, [{ type: 'step', path, flow: node.flow, node: node.id }]);
  if (came?.outcome === 'go-on' && came.set) turn.setByHand(came.set);
}

/** Asks for effects and waits until all of them have come; results in the order of the effects. Others that come are not ours. */
export function* perform(turn: Turn, effects: readonly Effect[]): Walking<Completed['result'][]> {
  const came = new Map<string, Completed['result']>();
  const mine = new Set(effects.map((e) => e.path));
  let asked = effects;
  while (came.size < mine.size) {
    for (const { path, result } of yield { effects: asked, said: turn.takeSaid() }) if (mine.has(path)) came.set(path, result);
    asked = [];
  }
  return effects.map((e) => came.get(e.path) ?? { outcome: 'failed', code: 'unknown-outcome', reason: 'nothing came back' });
}

/** Begins a flow above those under way. */
export function enter(turn: Turn, flowId: string, values: Values): void {
  const flow = turn.bot.flows.get(flowId);
  if (!flow?.begin) {
    turn.problem('no-way-on', { flow: flowId });
    return;
  }
  turn.begin(flowId, flow.begin, values);
  turn.showFrame(flow);
}

/** The node to run now. Where an edit took it away, the flow starts again with its values kept, once. */
export function currentNode(turn: Turn): CompiledNode | undefined {
  const { frame } = turn;
  if (!frame) return undefined;
  const node = turn.bot.flows.get(frame.flow)?.nodes.get(frame.node);
  if (!node) restart(turn, frame.node);
  return node;
}

export function restart(turn: Turn, gone: string): void {
  const { frame } = turn;
  if (!frame) return;
  turn.nodeRuns++;
  turn.problem('node-gone', { flow: frame.flow, node: gone });
  const { begin, nodes } = turn.bot.flows.get(frame.flow) ?? {};
  if (begin === undefined || !nodes?.has(begin) || begin === gone) {
    leave(turn, true);
    return;
  }
  turn.frames.pop();
  enter(turn, frame.flow, frame.values);
}

function* runNode(turn: Turn, node: CompiledNode): Walking<void> {
  turn.nodeRuns++;
  const place = turn.openStep(node.flow, node.id, node.kind);
  turn.tell(place, 'begins');
  if (node.passesBy !== undefined) {
    settle(turn, node, { exit: node.passesBy, note: 'off' });
  } else {
    const running = node.run(turn);
    settle(turn, node, isWalking(running) ? yield* running : running);
  }
  turn.tell(place, 'ends');
}

function isWalking(running: Running): running is Walking<Outcome> {
  return Symbol.iterator in running;
}

/** Moves on by what a node came to. An exit that leads nowhere ends the flow. */
export function settle(turn: Turn, node: CompiledNode, outcome: Outcome): void {
  if ('wait' in outcome) {
    turn.waiting = outcome.wait;
    return;
  }
  if ('calls' in outcome) {
    callFlow(turn, node, outcome.calls, outcome.values);
    return;
  }
  if ('ends' in outcome) {
    turn.closeStep(undefined, outcome.ends);
    if (outcome.ends === 'conversation') {
      turn.over = true;
      turn.frames = [];
    } else leave(turn, outcome.ends === 'failed');
    return;
  }
  turn.closeStep(outcome.exit, outcome.note);
  const next = node.exits[outcome.exit];
  const { frame } = turn;
  if (next !== undefined && frame) {
    frame.node = next;
    return;
  }
  turn.problem('no-way-on', { exit: outcome.exit });
  leave(turn, outcome.exit === 'failed');
}

function callFlow(turn: Turn, node: CompiledNode, flow: string, values: Values): void {
  turn.closeStep(undefined, `calls ${flow}`);
  if (turn.depth >= MAX_DEPTH) turn.problem('too-deep', { flow, most: MAX_DEPTH });
  const { length } = turn.frames;
  if (turn.depth < MAX_DEPTH) enter(turn, flow, values);
  if (turn.frames.length === length) settle(turn, node, { exit: 'failed' });
}

/** Leaves the flow on top. The node that called it goes on; where it is gone, its flow starts again. */
function leave(turn: Turn, failed: boolean): void {
  const left: Left = { values: turn.frame?.values ?? {}, failed };
  const gone = turn.leave();
  turn.left = left;
  const { frame } = turn;
  turn.showFrame(frame && turn.bot.flows.get(frame.flow));
  // What came between is over: the node that waited runs again, so an ask asks again.
  if (gone?.interrupts) return;
  const caller = currentNode(turn);
  if (!caller) return;
  turn.nodeRuns++;
  turn.openStep(caller.flow, caller.id, caller.kind);
  if (caller.back) settle(turn, caller, caller.back(turn, left));
  else restart(turn, caller.id);
}
