import type { Value } from '../../document/shapes.js';
import type { Effect, Performed, Result } from '../effects/registry.js';
import type { ToolCall } from '../effects/model.js';
import { MAX_DEPTH } from '../enter.js';
import type { Outcome } from '../compiled.js';
import { spokenEvent } from '../event.js';
import type { Turn } from '../turn.js';
import type { Values, Walking } from '../types.js';
import { buttonsOf, questionOf } from './asking-first.js';
import { awaitEffects, type Deadline } from './awaiting.js';
import { fencedValue } from './fence.js';
import { speaksOf } from './likeness.js';
import type { Memo, OpenCall } from './memo.js';
import { readCall } from './params.js';
import { FINISH, type ReadyAgent } from './ready.js';
import type { ReadyTool, ToolCame } from './tools.js';
import type { CallOutcome } from './work.js';

/*
 * The calls that a model asks for: read, checked, confirmed where it matters, run, and answered. What depends on nothing runs
 * together; flows and what has to be confirmed come after that, one by one.
 */

/** So many calls of one answer are run; the model is told of the others that they were not. */
const MOST_AT_ONCE = 8;
/** The same call with the same parameters is made so often in one turn. */
const MOST_ALIKE = 2;
/** A tool whose parameters are wrong so often in a row ends the work. */
const MOST_REFUSED = 2;

/** Where calls are settled: the agent at work. */
export interface Desk {
  readonly turn: Turn;
  readonly agent: ReadyAgent;
  readonly deadline: Deadline;
  memo: Memo;
}

/** What calls came to: an outcome of the node, the parameters of `finish`, or nothing but to go on. */
export type Settled =
  | { readonly outcome: Outcome }
  | { readonly finish: Readonly<Record<string, Value>> }
  | { readonly stopped: 'calls' | 'circle'; readonly most: number; readonly used: number }
  | { readonly failed: string }
  | undefined;

interface Begun {
  readonly call: OpenCall;
  readonly tool: ReadyTool;
  readonly effect: Effect;
}

/** Takes the calls of one answer. Those that can be run at once are; the others are kept as open. */
export function* takeCalls(desk: Desk, calls: readonly ToolCall[]): Walking<Settled> {
  const begun: Begun[] = [];
  const open: OpenCall[] = [];
  let finish: Readonly<Record<string, Value>> | undefined;
  for (const [i, call] of calls.entries()) {
    const { agent } = desk;
    if (call.name === FINISH && agent.finish) {
      const read = readCall(agent.finish, call.given, desk.turn.language);
      if (read.ok) finish = read.values;
      answer(desk, call, {
        runs: FINISH,
        given: read.ok ? read.values : {},
        outcome: read.ok ? 'done' : 'refused',
        ...(read.ok ? {} : { reason: read.reason }),
      });
      if (!read.ok && refuse(desk, FINISH)) return { failed: `the parameters of ${FINISH} were wrong again: ${read.reason}` };
      continue;
    }
    const tool = agent.byName.get(call.name);
    if (i >= MOST_AT_ONCE) {
      answer(desk, call, {
        runs: tool?.runs ?? call.name,
        given: {},
        outcome: 'not-run',
        reason: `at most ${MOST_AT_ONCE} tools are run at once`,
      });
      continue;
    }
    const taken = take(desk, call, tool);
    if (taken === undefined) continue;
    if ('stopped' in taken || 'failed' in taken) return taken;
    if (taken.confirm || 'flow' in (tool?.declared ?? {})) open.push(taken);
    else if (tool) begun.push(...start(desk, taken, tool));
  }
  yield* runTogether(desk, begun);
  if (finish) return { finish };
  desk.memo = { ...desk.memo, open };
  return yield* settleOpen(desk);
}

/** Reads a call and fills in what is fixed. Undefined where the model was answered already. */
function take(
  desk: Desk,
  call: ToolCall,
  tool: ReadyTool | undefined,
):
  | OpenCall
  | { readonly stopped: 'calls' | 'circle'; readonly most: number; readonly used: number }
  | { readonly failed: string }
  | undefined {
  const { turn, agent } = desk;
  if (!tool) {
    const known = [...agent.byName.keys(), ...(agent.finish ? [FINISH] : [])];
    const reason = `there is no tool "${call.name.slice(0, 80)}"; there are ${known.join(', ') || 'none'}`;
    answer(desk, call, { runs: call.name.slice(0, 100), given: {}, outcome: 'refused', reason });
    return refuse(desk, call.name) ? { failed: reason } : undefined;
  }
  const read = readCall(tool.params, call.given, turn.language);
  if (!read.ok) {
    answer(desk, call, { runs: tool.runs, given: {}, outcome: 'refused', reason: read.reason });
    return refuse(desk, tool.name) ? { failed: `the parameters of ${tool.name} were wrong again: ${read.reason}` } : undefined;
  }
  desk.memo = { ...desk.memo, refused: desk.memo.refused.filter((t) => t !== tool.name) };
  const fixed = tool.given.map(([key, source]): [string, Value] => [
    key,
    turn.value(`/tools/${tool.name}/given/${key}`, source, undefined, true),
  ]);
  const given: Values = { ...read.values, ...Object.fromEntries(fixed.filter(([, v]) => v !== null)) };
  const used = (desk.memo.calls[tool.name] ?? 0) + 1;
  const { most } = tool.declared;
  if (most !== undefined && used > most) {
    answer(desk, call, { runs: tool.runs, given, outcome: 'not-run', reason: `it may be called ${most} times in a turn` });
    return used > most + 1 ? { stopped: 'calls', most, used } : counted(desk, tool.name, used);
  }
  const alike = `${tool.name} ${JSON.stringify(given)}`;
  const seen = (desk.memo.seen[alike] ?? 0) + 1;
  desk.memo = { ...desk.memo, seen: { ...desk.memo.seen, [alike]: seen } };
  if (seen > MOST_ALIKE) {
    answer(desk, call, {
      runs: tool.runs,
      given,
      outcome: 'repeated',
      reason: 'it was called with the same parameters before, and came to the same',
    });
    return seen > MOST_ALIKE + 1 ? { stopped: 'circle', most: MOST_ALIKE, used: seen } : undefined;
  }
  counted(desk, tool.name, used);
  return { id: call.id, tool: tool.name, given, confirm: mustConfirm(desk, tool) };
}

function counted(desk: Desk, tool: string, used: number): undefined {
  desk.memo = { ...desk.memo, calls: { ...desk.memo.calls, [tool]: used } };
}

/** Notes that a tool was called wrongly; true where that has been so often that the work ends. */
function refuse(desk: Desk, tool: string): boolean {
  desk.memo = { ...desk.memo, refused: [...desk.memo.refused, tool] };
  return desk.memo.refused.filter((t) => t === tool).length >= MOST_REFUSED;
}

/** Whether the visitor is asked first: by the tool, and always where something that was read talks the model into it. */
function mustConfirm(desk: Desk, tool: ReadyTool): boolean {
  const { declared } = tool;
  if ('flow' in declared) {
    const unasked = desk.turn.bot.flows.get(declared.flow)?.talk.changesUnasked() ?? false;
    return declared.confirm === undefined ? unasked : tool.confirms;
  }
  return tool.confirms || (tool.changes && isTalkedInto(desk.memo, tool));
}

/** True where what a tool gave since the visitor spoke last speaks of this tool: nobody but the visitor may ask for it. */
function isTalkedInto({ transcript }: Memo, tool: ReadyTool): boolean {
  const from = transcript.findLastIndex((m) => m.role === 'user');
  const runs = tool.runs.split('.').at(-1) ?? '';
  return transcript
    .slice(from + 1)
    .some((m) => m.role === 'tool' && [tool.name, runs].some((name) => speaksOf(m.content, { name, about: tool.about })));
}

/** Begins a call that nobody has to confirm. What is computed at once, or refused, is answered here. */
function start(desk: Desk, call: OpenCall, tool: ReadyTool): Begun[] {
  const ran = tool.start(desk.turn, call.given, desk.memo.rows);
  if ('effect' in ran) return [{ call, tool, effect: placed(desk, ran.effect) }];
  const wire = { id: call.id, name: tool.name };
  if ('gave' in ran) answer(desk, wire, { runs: tool.runs, given: call.given, outcome: 'done', gave: ran.gave });
  else if ('refused' in ran) answer(desk, wire, { runs: tool.runs, given: call.given, outcome: 'refused', reason: ran.refused });
  return [];
}

/** Effects that run together have places of their own, though none of them is recorded yet. */
function placed(desk: Desk, effect: Effect): Effect {
  const number = desk.turn.record.reserve();
  return { ...effect, path: number };
}

function* runTogether(desk: Desk, begun: readonly Begun[]): Walking<void> {
  if (begun.length === 0) return;
  const { turn, agent, deadline } = desk;
  const lines = agent.node.shows
    ? begun.flatMap((b) => (b.tool.doing ? [turn.wording(b.tool.doing, { call: b.call.given })] : []))
    : [];
  const doing = lines.length > 0 ? { doing: lines.join(' ') } : {};
  const effects = begun.map((b) => b.effect);
  const came = yield* awaitEffects(turn, deadline, { effects, ...doing, mayGiveUp: !begun.some((b) => b.tool.changes) });
  begun.forEach((b, i) => settleEffect(desk, b, came[i]));
}

function settleEffect(desk: Desk, { call, tool, effect }: Begun, result: Result | undefined): void {
  const wire = { id: call.id, name: tool.name };
  if (!result) {
    answer(desk, wire, {
      runs: tool.runs,
      given: call.given,
      outcome: 'failed',
      reason: 'it took longer than there is time',
      effect: effect.path,
    });
    return;
  }
  desk.turn.recordEffect({ request: effect, result } as Performed);
  const came = tool.came(desk.turn, result);
  if (came.rows) desk.memo = { ...desk.memo, rows: newestRows({ ...desk.memo.rows, ...came.rows }) };
  answer(desk, wire, { runs: tool.runs, given: call.given, effect: effect.path, ...cameItem(came) });
}

const MOST_ROWS = 300;

function newestRows(rows: Readonly<Record<string, number>>): Readonly<Record<string, number>> {
  const all = Object.entries(rows);
  return all.length > MOST_ROWS ? Object.fromEntries(all.slice(-MOST_ROWS)) : rows;
}

function cameItem({ ok, gave, reason }: ToolCame): { outcome: CallOutcome; gave: Value; reason?: string } {
  return { outcome: ok ? 'done' : 'failed', gave, ...(reason === undefined ? {} : { reason }) };
}

/** Settles open calls until one has to wait: for a yes, or for a flow. */
export function* settleOpen(desk: Desk): Walking<Settled> {
  for (;;) {
    const [call] = desk.memo.open;
    if (!call) return undefined;
    const tool = desk.agent.byName.get(call.tool);
    if (!tool) {
      closeFirst(desk, { runs: call.tool, outcome: 'refused', reason: 'there is no such tool any more' });
      continue;
    }
    if (call.confirm) {
      if (mayAsk(desk.turn)) return { outcome: askFirst(desk, tool, call) };
      closeFirst(desk, {
        runs: tool.runs,
        outcome: 'refused',
        reason: 'it has to be confirmed, and nobody is there who could say yes',
      });
      continue;
    }
    const ran = tool.start(desk.turn, call.given, desk.memo.rows);
    if ('flow' in ran) {
      if (desk.turn.depth >= MAX_DEPTH) {
        closeFirst(desk, { runs: tool.runs, outcome: 'refused', reason: `flows are called more than ${MAX_DEPTH} deep` });
        continue;
      }
      desk.memo = { ...desk.memo, waits: 'flow' };
      note(desk, call, { runs: tool.runs, outcome: 'began' });
      return { outcome: { calls: ran.flow, values: ran.values } };
    }
    desk.memo = { ...desk.memo, open: desk.memo.open.slice(1) };
    if ('effect' in ran) yield* runTogether(desk, [{ call, tool, effect: placed(desk, ran.effect) }]);
    else start(desk, call, tool);
  }
}

/** Somebody is there who can be asked: it is a conversation, and no branch of it. */
function mayAsk(turn: Turn): boolean {
  return turn.event.type !== 'fired' && spokenEvent(turn.event) !== undefined && !turn.isBranch;
}

/** Asks the visitor whether a call is to be made. */
export function askFirst(desk: Desk, tool: ReadyTool, call: OpenCall): Outcome {
  const { turn } = desk;
  const says = questionOf(turn, tool, call.given);
  const choices = buttonsOf(turn);
  turn.say(says, choices);
  desk.memo = { ...desk.memo, waits: 'confirmation' };
  turn.record.work({ did: 'asked-first', call: call.id, tool: tool.name, says });
  return { wait: { tries: 0, choices: choices.map((c) => ({ ...c, exit: '' })) } };
}

/** Answers the first open call and takes it off the list. */
export function closeFirst(desk: Desk, item: Omit<CallItem, 'given'>, corrected = false): void {
  const [call, ...rest] = desk.memo.open;
  desk.memo = { ...desk.memo, open: rest, waits: 'nothing' };
  if (call) answer(desk, { id: call.id, name: call.tool }, { ...item, given: call.given }, corrected);
}

interface CallItem {
  readonly runs: string;
  readonly given: Readonly<Record<string, Value>>;
  readonly outcome: CallOutcome;
  readonly reason?: string;
  readonly effect?: string;
  readonly gave?: Value;
}

/** Notes a call in the sheet without answering the model yet. */
function note(desk: Desk, call: OpenCall, item: Omit<CallItem, 'given'>): void {
  desk.turn.record.work({ did: 'called', call: call.id, tool: call.tool, given: call.given, ...item });
}

/** Answers the model, and notes in the sheet what became of its call. */
export function answer(
  desk: Desk,
  call: { readonly id: string; readonly name: string },
  item: CallItem,
  withGiven = false,
): void {
  const { outcome, reason, gave } = item;
  const told: Value = {
    ...(outcome === 'done' ? {} : { not_done: TOLD[outcome] ?? outcome }),
    ...(reason === undefined ? {} : { reason }),
    ...(withGiven ? { with: item.given } : {}),
    ...(gave === undefined || gave === null ? (outcome === 'done' ? { done: true } : {}) : { result: gave }),
  };
  const content = fencedValue(call.name, told);
  desk.memo = { ...desk.memo, transcript: [...desk.memo.transcript, { role: 'tool', call: call.id, content }] };
  desk.turn.record.work({ did: 'called', call: call.id, tool: call.name.slice(0, 100), ...item });
}

/** What a model is told of a call that was not made. */
const TOLD: Readonly<Partial<Record<CallOutcome, string>>> = {
  failed: 'it was tried and failed',
  refused: 'it was not tried',
  declined: 'the visitor was asked and said no',
  'answered-otherwise': 'the visitor was asked and said neither yes nor no; see what they said',
  repeated: 'it was not run again',
  'not-run': 'it was not run',
};
