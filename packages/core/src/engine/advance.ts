import type { CompiledBot, CompiledNode } from './compiler.js';
import type { Outcome, Running } from './kind.js';
import { Turn } from './turn.js';
import type { EffectBatch, EffectResult, IncomingEvent, Observer, Session, TurnResult, Values } from './types.js';

/** Node runs after which a turn that never waits is cut. */
export const MAX_NODE_RUNS = 200;

/** The state of a conversation in which nothing has happened yet. */
export function openSession(bot: CompiledBot, visitor: Values, language?: string): Session {
  const { languages } = bot.document;
  const wanted = language?.toLowerCase();
  const own = languages.find((l) => l.toLowerCase() === wanted) ?? languages.find((l) => l === wanted?.split('-')[0]);
  return {
    language: own ?? languages[0] ?? 'en',
    frames: [],
    session: {},
    visitor,
    wordings: {},
    turns: 0,
    waiting: null,
    over: false,
  };
}

/**
 * Runs one turn. Yields batches of effects and is resumed with their results, in the same order; returns the new state,
 * what was said and the turn sheet. It performs nothing and asks no clock: the same bot, session, event and results
 * give the same turn. It throws on nothing that a document or a visitor can contain.
 */
export function* advance(
  bot: CompiledBot,
  session: Session,
  event: IncomingEvent,
  observe: Observer = () => undefined,
): Generator<EffectBatch, TurnResult, readonly EffectResult[]> {
  // Words after the end begin a new conversation: what belonged to the old one is not in it.
  const turn = new Turn(bot, session.over ? { ...session, session: {} } : session, event);
  hear(turn, observe);
  while (turn.waiting === null && turn.frame) {
    if (turn.nodeRuns >= MAX_NODE_RUNS) {
      turn.problem('loop-cut', { runs: MAX_NODE_RUNS });
      turn.frames = [];
      break;
    }
    const node = currentNode(turn);
    if (node) yield* runNode(turn, node, observe);
  }
  return { session: turn.session(), visitorChanges: turn.visitorChanges, messages: turn.messages, sheet: turn.sheet() };
}

/** Gives the event to the node that waits, or begins the flow that answers it. */
function hear(turn: Turn, observe: Observer): void {
  const { bot, event, waiting } = turn;
  if (event.type === 'open' || turn.over || waiting === null || !turn.frame) {
    const { begins, unmatched } = bot.document;
    const opening = event.type === 'open' || turn.over;
    turn.frames = [];
    turn.waiting = null;
    turn.over = false;
    enter(turn, opening ? begins : (unmatched ?? begins), {});
    return;
  }
  turn.waiting = null;
  turn.showFrame(bot.flows.get(turn.frame.flow));
  const node = currentNode(turn);
  if (!node?.hear) {
    if (node) restart(turn, turn.frame.node);
    return;
  }
  const index = turn.openStep(node.flow, node.id, node.kind);
  observe(index, 'begins');
  settle(turn, node, node.hear(turn, event, waiting));
  observe(index, 'ends');
}

function enter(turn: Turn, flowId: string, values: Values): void {
  const flow = turn.bot.flows.get(flowId);
  if (!flow?.begin) {
    turn.problem('no-way-on', { flow: flowId });
    return;
  }
  turn.begin(flowId, flow.begin, values);
  turn.showFrame(flow);
}

/** The node to run now. Where an edit took it away, the flow starts again with its values kept, once. */
function currentNode(turn: Turn): CompiledNode | undefined {
  const { frame } = turn;
  if (!frame) return undefined;
  const node = turn.bot.flows.get(frame.flow)?.nodes.get(frame.node);
  if (!node) restart(turn, frame.node);
  return node;
}

function restart(turn: Turn, gone: string): void {
  const { frame } = turn;
  if (!frame) return;
  turn.nodeRuns++;
  turn.problem('node-gone', { flow: frame.flow, node: gone });
  turn.frames.pop();
  const { begin, nodes } = turn.bot.flows.get(frame.flow) ?? {};
  const again = begin !== undefined && nodes?.has(begin) && begin !== gone;
  if (again) enter(turn, frame.flow, frame.values);
}

function* runNode(turn: Turn, node: CompiledNode, observe: Observer): Generator<EffectBatch, void, readonly EffectResult[]> {
  turn.nodeRuns++;
  const index = turn.openStep(node.flow, node.id, node.kind);
  observe(index, 'begins');
  if (node.passesBy !== undefined) {
    settle(turn, node, { exit: node.passesBy, note: 'off' });
  } else {
    const running = node.run(turn);
    settle(turn, node, isGenerator(running) ? yield* running : running);
  }
  observe(index, 'ends');
}

function isGenerator(running: Running): running is Exclude<Running, Outcome> {
  return Symbol.iterator in running;
}

/** Moves on by what a node came to. An exit that leads nowhere ends the flow. */
function settle(turn: Turn, node: CompiledNode, outcome: Outcome): void {
  if ('wait' in outcome) {
    turn.closeStep(undefined, undefined);
    turn.waiting = outcome.wait;
    return;
  }
  if ('ends' in outcome) {
    turn.closeStep(undefined, outcome.ends);
    if (outcome.ends === 'conversation') turn.over = true;
    turn.frames = outcome.ends === 'conversation' ? [] : turn.frames.slice(0, -1);
    turn.showFrame(turn.frame && turn.bot.flows.get(turn.frame.flow));
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
  turn.frames.pop();
  turn.showFrame(turn.frame && turn.bot.flows.get(turn.frame.flow));
}
