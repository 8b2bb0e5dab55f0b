import type { Value } from '../document/shapes.js';
import { MATCH_FROM, matchFrom, type HeardIntent } from '../understanding/listener.js';
import { fittingValues } from './calls.js';
import { choiceIn, wordsIn, type StartAt } from './event.js';
import type { PassedOver } from './sheet.js';
import type { Turn } from './turn.js';
import type { Values, Waiting, Walking } from './types.js';
import {
  arrive,
  currentNode,
  enter,
  MAX_DEPTH,
  pauseBefore,
  perform,
  restart,
  runAlone,
  settle,
  type CompiledNode,
} from './walk.js';

/**
 * Gives the event to whoever it is for: staff while they answer, the node that waits, then an intent that may interrupt,
 * then unmatched handling. Where nothing waits, an intent begins its flow. What rested goes on by the walk.
 */
export function* hear(turn: Turn): Walking<void> {
  const { incoming, bot } = turn;
  switch (incoming.type) {
    case 'go-on':
      return turn.showFrame(turn.frame && bot.flows.get(turn.frame.flow));
    case 'fired':
      return startFlow(turn, incoming.flow, fittingValues(turn, incoming.flow, takenOf(turn, incoming.flow, incoming.given)));
    case 'start':
      return yield* startAt(turn, incoming.start);
    case 'hand-back':
      return yield* handBack(turn);
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
  yield* understand(turn);
  const { waiting } = turn;
  const fresh = turn.over || turn.turns === 0;
  if (fresh || waiting === null || !turn.frame) return startByIntent(turn, fresh);
  turn.waiting = null;
  turn.showFrame(turn.bot.flows.get(turn.frame.flow));
  const node = currentNode(turn);
  if (node && turn.stepping) yield* pauseBefore(turn, node);
  if (node?.hear) return yield* offer(turn, node, node.hear, waiting);
  yield* restart(turn);
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
  yield* understand(turn);
  turn.waiting = null;
  const node = currentNode(turn);
  if (node?.hear) yield* offer(turn, node, node.hear, waiting);
}

/** Begins a flow with nothing else under way. */
function startFlow(turn: Turn, flow: string, values: Values): void {
  turn.frames = [];
  turn.waiting = null;
  turn.over = false;
  enter(turn, flow, values);
}

/** Staff hand the conversation back: the node that handed it over goes on. */
function* handBack(turn: Turn): Walking<void> {
  const { waiting, frame } = turn;
  if (!turn.handed || waiting === null || !frame) return;
  turn.handBack();
  turn.waiting = null;
  turn.showFrame(turn.bot.flows.get(frame.flow));
  const node = currentNode(turn);
  if (node?.hear) yield* offer(turn, node, node.hear, waiting);
  else yield* restart(turn);
}

function* understand(turn: Turn): Walking<void> {
  const { event, bot, language, at } = turn;
  const text = wordsIn(event);
  const pressed = turn.waiting?.choices?.some((c) => c.id === choiceIn(event)) ?? false;
  if (!bot.listens || text.trim() === '' || pressed) return;
  const {
    intents,
    values,
    learning,
    mended,
    language: spoken,
    why,
  } = yield* perform(turn, {
    type: 'understand',
    path: 'heard',
    text,
    language,
    at,
    zone: turn.zone,
    ...(turn.day === undefined ? {} : { day: turn.day }),
  });
  const more = { mended, language: spoken, why };
  const told = Object.fromEntries(Object.entries(more).filter(([, v]) => v !== undefined));
  const from = matchFrom(bot.document);
  turn.heard = { intents, values, ...told, ...(learning ? { learning } : {}), ...(from === MATCH_FROM ? {} : { from }) };
  if (spoken !== undefined) turn.speakAs(spoken);
}

/** Nothing waits for this message: an intent begins its flow; else the flow for what was not understood. */
function startByIntent(turn: Turn, fresh: boolean): void {
  const { begins, unmatched } = turn.bot.document;
  turn.frames = [];
  const heard = wish(turn, matchFrom(turn.bot.document), false);
  const flow = heard && turn.bot.document.intents?.[heard.intent]?.starts;
  if (heard && flow !== undefined) {
    const values = takenValues(turn, heard, flow);
    turn.took(heard.intent, 'begins', values);
    startFlow(turn, flow, values);
  } else startFlow(turn, fresh ? begins : (unmatched ?? begins), {});
}

/** Offers the message to the node that waits. What it has no use for may be an intent that comes between. */
function* offer(turn: Turn, node: CompiledNode, asks: NonNullable<CompiledNode['hear']>, waiting: Waiting): Walking<void> {
  turn.nodeRuns++;
  const place = turn.record.open(node.flow, node.id, node.kind);
  turn.record.tell(place, 'begins');
  const hearing = yield* arrive(asks(turn, turn.event, waiting));
  if (!('missed' in hearing)) {
    if (turn.heard?.took === undefined) passOver(turn, 'answered');
    yield* settle(turn, node, hearing);
  } else if (!interrupted(turn, hearing.from ?? matchFrom(turn.bot.document)))
    yield* settle(turn, node, yield* arrive(hearing.missed()));
  turn.record.tell(place, 'ends');
}

/** Notes of all intents that are sure enough why the bot goes by none of them. */
function passOver(turn: Turn, why: PassedOver): void {
  const from = matchFrom(turn.bot.document);
  for (const { intent, score } of turn.heard?.intents ?? []) if (score >= from) turn.passedOver(intent, why);
}

/** Begins the flow of an intent above the one that waits, or fills the one that waits; false where no intent may. */
function interrupted(turn: Turn, from: number): boolean {
  const heard = wish(turn, from, true);
  const flow = heard && turn.bot.document.intents?.[heard.intent]?.starts;
  const { frame } = turn;
  if (!heard || flow === undefined || !frame) return false;
  if (turn.depth >= MAX_DEPTH) {
    turn.passedOver(heard.intent, 'too-deep');
    return false;
  }
  const values = takenValues(turn, heard, flow);
  if (flow === frame.flow) {
    if (Object.keys(heard.roles).length === 0) {
      turn.passedOver(heard.intent, 'fills-nothing');
      return false;
    }
    turn.took(heard.intent, 'fills', values);
    turn.record.close(undefined, `filled in by ${heard.intent}`);
    for (const [name, value] of Object.entries(values)) turn.write(`flow.${name}`, value);
    frame.reached = frame.reached.filter((r) => r !== frame.node);
    return true;
  }
  turn.took(heard.intent, 'interrupts', values);
  turn.record.close(undefined, `${heard.intent} came between`);
  const { length } = turn.frames;
  enter(turn, flow, values);
  const added = turn.frames.length > length ? turn.frame : undefined;
  if (added) added.interrupts = true;
  return true;
}

/** The likeliest intent, if it may begin a flow here: sure enough, its context open, and allowed to come between. */
function wish(turn: Turn, from: number, between: boolean): HeardIntent | undefined {
  const { intents = {}, flows } = turn.bot.document;
  return turn.heard?.intents.find(({ intent, score }) => {
    const known = intents[intent];
    if (score < from || known === undefined) return false;
    if (known.starts === undefined || !flows[known.starts]?.begin) {
      turn.passedOver(intent, 'starts-nothing');
      return false;
    }
    if (known.needs !== undefined && turn.context(known.needs) === undefined) {
      turn.passedOver(intent, 'no-context');
      turn.problem('no-context', { intent, context: known.needs });
      return false;
    }
    if (!between || known.interrupts === true) return true;
    turn.passedOver(intent, 'stays');
    return false;
  });
}

/** What a flow takes from a message, and else from the context that its intent needs; what no phrase marks gives way to that. */
function takenValues(turn: Turn, { intent, roles, unmarked = [] }: HeardIntent, flowId: string): Values {
  const needs = turn.bot.document.intents?.[intent]?.needs;
  const marked = Object.fromEntries(Object.entries(roles).filter(([role]) => !unmarked.includes(role)));
  const carried = needs === undefined ? {} : (turn.context(needs) ?? {});
  return fittingValues(turn, flowId, takenOf(turn, flowId, { ...roles, ...carried, ...marked }));
}

/** Of some values those that a flow takes. */
function takenOf(turn: Turn, flowId: string, values: Values): [string, Value][] {
  const takes = turn.bot.document.flows[flowId]?.takes ?? {};
  return Object.entries(values).filter(([name]) => Object.hasOwn(takes, name));
}
