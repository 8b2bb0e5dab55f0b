import { fitsType } from '../document/variables.js';
import { typeName, type Value } from '../document/shapes.js';
import { MATCH_FROM, type HeardIntent } from '../understanding/listener.js';
import type { CompiledNode } from './compiler.js';
import type { Hearing, Walking } from './kind.js';
import type { Turn } from './turn.js';
import type { Values, Waiting } from './types.js';
import { currentNode, enter, MAX_DEPTH, pauseBefore, perform, restart, runAlone, settle } from './walk.js';

/**
 * Gives the event to whoever it is for: staff while they answer, the node that waits, then an intent that may interrupt,
 * then unmatched handling. Where nothing waits, an intent begins its flow.
 */
export function* hear(turn: Turn): Walking<void> {
  const { event, bot } = turn;
  if (event.type === 'start') return yield* startAt(turn);
  if (event.type === 'hand-back') return handBack(turn);
  if (turn.handed && event.type === 'message' && !turn.over) return;
  turn.handBack();
  if (event.type === 'open') return startFlow(turn, bot.document.begins, {});
  yield* understand(turn);
  const { waiting } = turn;
  const fresh = turn.over || turn.turns === 0;
  if (fresh || waiting === null || !turn.frame) return startByIntent(turn, fresh);
  turn.waiting = null;
  turn.showFrame(bot.flows.get(turn.frame.flow));
  const node = currentNode(turn);
  if (node && turn.stepping) yield* pauseBefore(turn, node);
  if (node?.hear) return offer(turn, node, node.hear, waiting);
  if (node) restart(turn, turn.frame.node);
}

/** Begins at a node, as if the conversation had come there with the variables given. An ask there asks, whatever is known. */
function* startAt(turn: Turn): Walking<void> {
  const { start } = turn.event;
  turn.frames = [];
  turn.waiting = null;
  turn.over = false;
  turn.handBack();
  if (!start) return;
  for (const scope of ['session', 'visitor'] as const)
    for (const [name, value] of Object.entries(start.variables[scope])) turn.write(`${scope}.${name}`, value);
  turn.begin(start.flow, start.node, start.variables.flow);
  turn.frame?.reached.push(start.node);
  turn.showFrame(turn.bot.flows.get(start.flow));
  if (!start.only) return;
  yield* runAlone(turn);
  const { waiting } = turn;
  if (waiting === null || (turn.event.text ?? '') === '') return;
  yield* understand(turn);
  turn.waiting = null;
  const node = currentNode(turn);
  if (node?.hear) offer(turn, node, node.hear, waiting);
}

/** Begins a flow with nothing else under way. */
function startFlow(turn: Turn, flow: string, values: Values): void {
  turn.frames = [];
  turn.waiting = null;
  turn.over = false;
  enter(turn, flow, values);
}

/** Staff hand the conversation back: the node that handed it over goes on. */
function handBack(turn: Turn): void {
  const { waiting, frame } = turn;
  if (!turn.handed || waiting === null || !frame) return;
  turn.handBack();
  turn.waiting = null;
  turn.showFrame(turn.bot.flows.get(frame.flow));
  const node = currentNode(turn);
  if (node?.hear) offer(turn, node, node.hear, waiting);
  else if (node) restart(turn, frame.node);
}

function* understand(turn: Turn): Walking<void> {
  const { event, bot, language } = turn;
  const text = event.text ?? '';
  const pressed = turn.waiting?.choices?.some((c) => c.id === event.choice) ?? false;
  if (!bot.listens || text.trim() === '' || pressed) return;
  const [came] = yield* perform(turn, [{ type: 'understand', path: 'heard', text, language, at: event.at, zone: turn.zone }]);
  if (came?.outcome !== 'understood') return;
  turn.heard = { intents: came.intents, values: came.values };
}

/** Nothing waits for this message: an intent begins its flow; else the flow for what was not understood. */
function startByIntent(turn: Turn, fresh: boolean): void {
  const { begins, unmatched } = turn.bot.document;
  turn.frames = [];
  const heard = wish(turn, MATCH_FROM, false);
  const flow = heard && turn.bot.document.intents?.[heard.intent]?.starts;
  if (heard && flow !== undefined) {
    turn.took(heard.intent, 'begins');
    startFlow(turn, flow, takenValues(turn, heard, flow));
  } else startFlow(turn, fresh ? begins : (unmatched ?? begins), {});
}

/** Offers the message to the node that waits. What it has no use for may be an intent that comes between. */
function offer(turn: Turn, node: CompiledNode, asks: NonNullable<CompiledNode['hear']>, waiting: Waiting): void {
  const place = turn.openStep(node.flow, node.id, node.kind);
  turn.tell(place, 'begins');
  const hearing: Hearing = asks(turn, turn.event, waiting);
  if (!('missed' in hearing)) settle(turn, node, hearing);
  else if (!interrupted(turn, hearing.from ?? MATCH_FROM)) settle(turn, node, hearing.missed());
  turn.tell(place, 'ends');
}

/** Begins the flow of an intent above the one that waits, or fills the one that waits; false where no intent may. */
function interrupted(turn: Turn, from: number): boolean {
  const heard = wish(turn, from, true);
  const flow = heard && turn.bot.document.intents?.[heard.intent]?.starts;
  const { frame } = turn;
  if (!heard || flow === undefined || !frame || turn.depth >= MAX_DEPTH) return false;
  const values = takenValues(turn, heard, flow);
  if (flow === frame.flow) {
    if (Object.keys(heard.roles).length === 0) return false;
    turn.took(heard.intent, 'fills');
    turn.closeStep(undefined, `filled in by ${heard.intent}`);
    for (const [name, value] of Object.entries(values)) turn.write(`flow.${name}`, value);
    frame.reached = frame.reached.filter((r) => r !== frame.node);
    return true;
  }
  turn.took(heard.intent, 'interrupts');
  turn.closeStep(undefined, `${heard.intent} came between`);
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
    if (score < from || known?.starts === undefined || !flows[known.starts]?.begin) return false;
    if (known.needs !== undefined && turn.context(known.needs) === undefined) {
      turn.problem('no-context', { intent, context: known.needs });
      return false;
    }
    return !between || known.interrupts === true;
  });
}

/** What a flow takes from a message, and else from the context that its intent needs; a declared value stands in for neither. */
function takenValues(turn: Turn, { intent, roles }: HeardIntent, flowId: string): Record<string, Value> {
  const { document } = turn.bot;
  const needs = document.intents?.[intent]?.needs;
  const carried = needs === undefined ? {} : (turn.context(needs) ?? {});
  const values: Record<string, Value> = {};
  for (const [name, type] of Object.entries(document.flows[flowId]?.takes ?? {})) {
    const value = roles[name] ?? carried[name] ?? (typeof type === 'object' ? type.value : undefined) ?? null;
    if (value === null) continue;
    if (fitsType(document, type, value)) values[name] = value;
    else turn.problem('wrong-type', { name, flow: flowId, type: typeName(type).replace(/\?$/, ''), value });
  }
  return values;
}
