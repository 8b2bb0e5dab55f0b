import { sameValue } from '../../document/merge.js';
import type { Value } from '../../document/shapes.js';
import { polarityOf } from '../../understanding/cues/yes-no.js';
import { isKnown } from '../../expressions/functions.js';
import { correctionOf, saysWrong, type Correcting } from '../../understanding/cues/steering.js';
import { normalise, tokensOf } from '../../understanding/words.js';
import type { Turn } from '../turn.js';
import type { Passed, Walking } from '../types.js';
import { arrive, settle, wouldHear } from '../walk.js';
import { askedSlot, fillings, heldIn, valuesFor, wordsBeside, type Filling } from './read.js';
import type { FlowTalk, Slot } from './flow-talk.js';
import { readsAny } from './slots.js';
import type { OpenFrame } from './trail.js';
import { clipped } from './turn-talk.js';
import { dayInWords } from './words.js';

/*
 * Corrections: a message that changes a value which was known. The value is replaced, and the flow goes on from the first node
 * that depends on it: what was made of it is made anew, and nothing else is asked twice. What was done outside is not undone.
 */

/** A new value for a slot. */
export interface Change {
  readonly slot: Slot;
  readonly value: Value;
  /** The words of it. */
  readonly text?: string;
}

/** Changes that a message makes to one run of a flow: values that were known, and values that were not. */
export interface Changes {
  readonly frame: OpenFrame;
  readonly known: readonly Change[];
  readonly fresh: readonly Change[];
  /** What is given for the question that waits. */
  readonly answers?: Change | undefined;
  /** Values of which it cannot be told what they are for. */
  readonly unclear: readonly Filling[];
}

/** Looks through the flows under way, the one on top first, for the first whose values a message changes. */
export function changesIn(turn: Turn, text: string, corrects: Correcting | undefined): Changes | undefined {
  for (const frame of turn.frames.toReversed()) {
    // What only opens the conversation asks for nothing yet.
    if (!frame.wish && !frame.trail.some((p) => p.heard) && !askedSlot(turn, frame)) continue;
    const asked = frame === turn.frame && turn.waiting ? askedSlot(turn, frame) : undefined;
    const to = corrects && corrects.to !== '' ? asSaid(text, corrects.to) : text;
    const inWholeKinds = fillings(turn, to, { frame, asked: corrects ? undefined : asked, not: corrects?.not });
    const found = corrects && inWholeKinds.length === 0 ? bareTime(turn, frame, to) : inWholeKinds;
    const known: Change[] = [];
    const fresh: Change[] = [];
    const unclear: Filling[] = [];
    let answers: Change | undefined;
    for (const filling of found) {
      // "No" may be a word for nothing, but it corrects nothing by itself.
      if (filling.slot !== asked && polarityOf(filling.text, turn.language)?.whole) continue;
      const slot = filling.slot ?? (corrects ? lastAsked(turn, frame, filling.may, asked) : undefined);
      if (!slot) unclear.push(filling);
      else if (slot === asked && !isKnown(heldIn(turn, frame, slot.target)))
        answers ??= { slot, value: filling.value, text: filling.text };
      else if (!isKnown(heldIn(turn, frame, slot.target))) fresh.push({ slot, value: filling.value, text: filling.text });
      else if (!sameValue(heldIn(turn, frame, slot.target), filling.value))
        known.push({ slot, value: filling.value, text: filling.text });
    }
    const open = unclear.map((f) => ({ ...f, may: f.may.filter((s) => !sameValue(heldIn(turn, frame, s.target), f.value)) }));
    if (known.length + fresh.length + open.length > 0 || answers) return { frame, known, fresh, answers, unclear: open };
  }
  return undefined;
}

/** A number alone that puts a known time right: "make it 10". None where the flow has another place for a number. */
function bareTime(turn: Turn, frame: OpenFrame, said: string): Filling[] {
  const flow = turn.bot.flows.get(frame.flow);
  const slots = flow?.talk.slots ?? [];
  const [slot, ...more] = slots.filter((s) => s.entity === 'time' && isKnown(heldIn(turn, frame, s.target)));
  if (!slot || more.length > 0 || slots.some((s) => s.entity === 'number')) return [];
  const [number, ...others] = valuesFor(turn, said, [{ target: slot.target, entity: 'number' }]);
  if (!number || others.length > 0 || wordsBeside(said, [number]).length > 0) return [];
  const value = slot.node === undefined ? undefined : flow?.nodes.get(slot.node)?.valueIn?.(turn, number.text);
  return value === undefined ? [] : [{ slot, value, may: [slot], text: number.text }];
}

/** Of some slots the one that is asked now, or that was answered just before; undefined where neither is among them. */
function lastAsked(turn: Turn, frame: OpenFrame, may: readonly Slot[], asked: Slot | undefined): Slot | undefined {
  const last = frame.trail.findLast((p) => p.heard)?.node;
  const before = may.find((s) => s.node !== undefined && s.node === last);
  if (before) return before;
  const known = may.filter((s) => isKnown(heldIn(turn, frame, s.target)));
  if (asked && may.includes(asked) && known.length === 0) return asked;
  return known.length === 1 ? known[0] : undefined;
}

/** What follows from new values: where the flow goes on, which values are given up, and which things chosen may stay. */
interface Consequence {
  /** The place in the trail from which the flow goes on; undefined where nothing that ran depends on the values. */
  readonly from: number | undefined;
  readonly cleared: readonly string[];
  readonly changed: ReadonlySet<string>;
}

function consequenceOf(talk: FlowTalk, frame: OpenFrame, targets: readonly string[], asks: ReadonlySet<string>): Consequence {
  const given = new Set(targets);
  const changed = new Set(targets);
  const cleared: string[] = [];
  let from: number | undefined;
  frame.trail.forEach(({ node }, at) => {
    const depends = talk.nodes.get(node);
    if (!depends || asks.has(node)) return;
    const own = depends.assigns.filter((a) => readsAny(a.reads, changed) && !changed.has(a.target) && !given.has(a.target));
    const others = depends.reads.filter((r) => !depends.assigns.some((a) => a.target === r && changed.has(r)));
    if (own.length === 0 && !readsAny(others, changed)) return;
    from ??= at;
    for (const { target } of own) {
      if (frame.wrote[target] !== node) continue;
      changed.add(target);
      cleared.push(target);
    }
  });
  return { from, cleared, changed };
}

/** Says what a value is in words: a day as people say it, a listed one by its word. */
export function inWords(turn: Turn, target: string, value: Value): string {
  const word = turn.words.value(target, value);
  if (typeof word === 'string' && /^\d{4}-\d{2}-\d{2}$/.test(word)) return dayInWords(word, turn.language);
  return typeof word === 'string' ? word : JSON.stringify(word);
}

/** A change as the bot repeats it: a number in the words of the visitor, as it says nothing without its unit. */
function saidAs(turn: Turn, { slot, value, text }: Change): string {
  return typeof value === 'number' && text !== undefined ? text : inWords(turn, slot.target, value);
}

/**
 * Puts new values in the place of known ones and goes on from where they matter. A value that its question does not take stays as
 * it was, and the visitor is told why; so does one behind which something was done outside.
 */
export function applyChanges(turn: Turn, frame: OpenFrame, changes: readonly Change[]): void {
  const { waiting } = turn;
  turn.onlyUpTo(frame);
  turn.waiting = null;
  const flow = turn.bot.flows.get(frame.flow);
  if (!flow) return;
  const taken = changes
    .map((c) => inSameHalf(turn, frame, c))
    .filter(({ slot, value }) => {
      const node = slot.node === undefined ? undefined : flow.nodes.get(slot.node);
      const before = heldIn(turn, frame, slot.target);
      const why = node?.refuses?.(turn, value);
      if (why !== undefined) turn.say(why);
      return why === undefined && !sameValue(before, value);
    });
  const of = (list: readonly Change[]): string => list.map((c) => nameOf(c.slot)).join(', ');
  const asks = new Set(taken.flatMap((c) => c.slot.node ?? []));
  const targets = taken.map((c) => c.slot.target);
  const { from, cleared, changed } = consequenceOf(flow.talk, frame, targets, asks);
  const again = from === undefined ? [] : frame.trail.slice(from);
  if (again.some((p) => p.did)) {
    turn.talk.took('correction', `${of(taken)}, which stands`);
    turn.talk.leadWith(turn.talk.words('stands-while-asking'));
    runAgain(turn, waiting);
    return;
  }
  turn.talk.took('correction', of(changes));
  const before = new Map(taken.map((c) => [c.slot.target, heldIn(turn, frame, c.slot.target)]));
  for (const { slot, value } of taken) {
    turn.write(slot.target, value);
    if (slot.node !== undefined) frame.wrote[slot.target] = slot.node;
  }
  const waits = askedSlot(turn, frame);
  const asksOn = from === undefined && waiting !== null && !targets.includes(waits?.target ?? '');
  const replaces = taken.filter((c) => asksOn || isKnown(before.get(c.slot.target)));
  if (replaces.length > 0) turn.talk.leadWith(turn.talk.words('corrected', replaces.map((c) => saidAs(turn, c)).join(', ')));
  giveUp(turn, frame, cleared);
  const asked = askedSlot(turn, frame);
  if (asked && targets.includes(asked.target)) frame.reached = frame.reached.filter((r) => r !== frame.node);
  if (from !== undefined) goOnFrom(turn, frame, again, from, changed);
}

/** A time without its half of the day is in the half of the one that it replaces: "at eight" for 19:00 is 20:00. */
function inSameHalf(turn: Turn, frame: OpenFrame, change: Change): Change {
  const { slot, value, text = '' } = change;
  const before = heldIn(turn, frame, slot.target);
  if (slot.entity !== 'time' || typeof value !== 'string' || typeof before !== 'string') return change;
  const [hour, later] = [Number(value.slice(0, 2)), before >= '12:00'];
  if (!later || hour === 0 || hour >= 12 || /(?:^|\D)0\d|[ap]\.?m|morning|früh|morgens|mañana|matin/iu.test(text)) return change;
  return { ...change, value: `${hour + 12}${value.slice(2)}` };
}

/** Empties what was made of a value that has changed; what somebody had chosen is kept in mind, in case it is offered again. */
function giveUp(turn: Turn, frame: OpenFrame, cleared: readonly string[]): void {
  const flow = turn.bot.flows.get(frame.flow);
  const means: Value[] = [];
  for (const target of cleared) {
    const by = frame.wrote[target];
    const node = by === undefined ? undefined : flow?.nodes.get(by);
    const safe = by === undefined || flow?.talk.confirms.has(by) !== true;
    if (node?.waits && safe) means.push(turn.read(target));
    turn.write(target, null);
  }
  if (means.length > 0) frame.means = means;
}

/** Takes the run back to a node of its way; what is known is passed over from there, and what was decided stays where it may. */
function goOnFrom(turn: Turn, frame: OpenFrame, again: readonly Passed[], from: number, changed: ReadonlySet<string>): void {
  const flow = turn.bot.flows.get(frame.flow);
  const first = again[0]?.node;
  if (!flow || first === undefined) return;
  const anew = new Set(again.map((p) => p.node));
  frame.trail = frame.trail.slice(0, from);
  frame.reached = frame.reached.filter((r) => !anew.has(r));
  const staying = again.filter(({ node, heard }) => {
    const slot = flow.talk.slots.some((s) => s.node === node);
    const depends = readsAny(flow.talk.nodes.get(node)?.reads ?? [], changed);
    return heard && !slot && !depends && !flow.talk.confirms.has(node);
  });
  frame.stays = Object.fromEntries(staying.map((p) => [p.node, p.exit]));
  turn.goTo(first);
}

/** Runs the node that waited once more: it asks again. */
export function runAgain(turn: Turn, waiting: Turn['waiting']): void {
  turn.waiting = null;
  if (waiting === null || turn.frame === undefined) return;
  if (!turn.frame.reached.includes(turn.frame.node)) turn.frame.reached.push(turn.frame.node);
}

/** The name of a slot as it is written in the sheet. */
export const nameOf = (slot: Slot): string => slot.target.slice(slot.target.indexOf('.') + 1);

/** Asks which of several values a new one is for; the question that waits goes on waiting. */
export function askWhich(turn: Turn, frame: OpenFrame, { value, may }: Filling): void {
  const flow = turn.bot.flows.get(frame.flow);
  const ways = may.map((slot) => {
    const asks = slot.node === undefined ? undefined : flow?.nodes.get(slot.node)?.asks?.(turn);
    return {
      says: clipped(asks ?? nameOf(slot).replaceAll('_', ' ')),
      way: { to: 'correct', target: slot.target, value } as const,
    };
  });
  const [first] = may;
  const words = first ? inWords(turn, first.target, value) : '';
  turn.talk.took('correction', `${may.map(nameOf).join(' or ')}, asked which`);
  turn.say(turn.talk.words('which-one', words), turn.talk.offer(ways));
}

/** Takes a message as another pick from something that was offered before: "no wait, the 09:40". False where it is none. */
export function* repick(turn: Turn, said: string): Walking<boolean> {
  const { frame } = turn;
  const flow = frame && turn.bot.flows.get(frame.flow);
  if (!frame || !flow || said === '') return false;
  for (let at = frame.trail.length - 1; at >= 0; at--) {
    const passed = frame.trail[at];
    const node = passed?.heard ? flow.nodes.get(passed.node) : undefined;
    const offered = node?.offers?.(turn);
    if (!node || !offered || offered.length === 0) continue;
    const hearing = wouldHear(turn, node, { tries: 0, choices: offered, recalled: true }, said);
    if (
      !hearing ||
      !('missed' in hearing) ||
      !hearing.reads ||
      hearing.reads.sure < (offered.some((o) => o.value !== undefined) ? 0.6 : 0.9)
    )
      continue;
    const again = frame.trail.slice(at);
    if (again.some((p) => p.did)) return false;
    turn.talk.took('correction', node.id);
    const { waiting } = turn;
    turn.waiting = null;
    const target = flow.talk.nodes.get(node.id)?.assigns[0]?.target;
    const before = target === undefined ? null : turn.read(target);
    goOnFrom(turn, frame, again, at, new Set(target === undefined ? [] : [target]));
    delete frame.stays?.[node.id];
    turn.record.open(node.flow, node.id, node.kind);
    const outcome = yield* arrive(hearing.reads.take());
    turn.answered();
    const now = target === undefined ? null : turn.read(target);
    if (target !== undefined && sameValue(before, now) && 'exit' in outcome) turn.talk.leadWith('');
    const { cleared } = consequenceOf(
      flow.talk,
      { ...frame, trail: again.slice(1) },
      target === undefined ? [] : [target],
      new Set(),
    );
    giveUp(turn, frame, cleared);
    yield* settle(turn, node, outcome);
    if (waiting === null) turn.waiting = null;
    return true;
  }
  return false;
}

/** Takes words as another answer to the text that was asked last: "I meant Isla". False where that was no text. */
export function retext(turn: Turn, text: string, corrects: Correcting): boolean {
  const { frame } = turn;
  const flow = frame && turn.bot.flows.get(frame.flow);
  const last = frame?.trail.findLast((p) => p.heard)?.node;
  const slot = flow?.talk.slots.find((s) => s.node !== undefined && s.node === last && s.entity === 'text');
  if (!frame || !flow || !slot || corrects.to === '') return false;
  if (!corrects.sure && corrects.to.split(' ').length > 4) return false;
  const value = slot.node === undefined ? undefined : flow.nodes.get(slot.node)?.valueIn?.(turn, asSaid(text, corrects.to));
  if (value === undefined) return false;
  applyChanges(turn, frame, [{ slot, value }]);
  return true;
}

/** Normalised words as they stand in what was said. */
export function asSaid(text: string, words: string): string {
  const tokens = tokensOf(text);
  const count = words.split(' ').length;
  for (let at = tokens.length - count; at >= 0; at--) {
    const run = tokens.slice(at, at + count);
    if (run.map((t) => t.word).join(' ') === words) return text.slice(run[0]?.from ?? 0, run.at(-1)?.to ?? text.length);
  }
  return normalise(text) === words ? text : words;
}

/** Reads a message as a correction, where corrections are taken here. */
export function correctionIn(turn: Turn, text: string): Correcting | undefined {
  return turn.may('corrections') ? correctionOf(text, turn.language) : undefined;
}

const SHORTEST_NAME = 3;

/**
 * Takes words that only say what is wrong: "the day is wrong". The question whose name or words they hold is asked again, and
 * what is known besides stays. False where they name none that was answered.
 */
export function askAnew(turn: Turn, text: string): boolean {
  if (!saysWrong(text, turn.language)) return false;
  const said = new Set(tokensOf(text).map((t) => t.word));
  for (const frame of turn.frames.toReversed()) {
    const flow = turn.bot.flows.get(frame.flow);
    const named = flow?.talk.slots.filter((slot) => {
      if (slot.node === undefined || !isKnown(heldIn(turn, frame, slot.target))) return false;
      const own = nameOf(slot).split('_');
      return own.some((w) => w.length >= SHORTEST_NAME && said.has(w));
    });
    const [slot, ...more] = named ?? [];
    if (!flow || !slot || more.length > 0) continue;
    return goBackTo(turn, frame, slot);
  }
  return false;
}

/** Asks one question of a run again. */
function goBackTo(turn: Turn, frame: OpenFrame, slot: Slot): boolean {
  const node = slot.node ?? '';
  const at = frame.trail.findLastIndex((p) => p.node === node);
  const again = at < 0 ? [] : frame.trail.slice(at);
  if (again.some((p) => p.did)) {
    turn.talk.leadWith(turn.talk.words('cannot-undo'));
    runAgain(turn, turn.waiting);
    return true;
  }
  turn.onlyUpTo(frame);
  turn.waiting = null;
  turn.talk.took('correction', nameOf(slot));
  const flow = turn.bot.flows.get(frame.flow);
  const { cleared } = flow ? consequenceOf(flow.talk, frame, [slot.target], new Set([node])) : { cleared: [] };
  giveUp(turn, frame, cleared);
  turn.write(slot.target, null);
  if (at >= 0) goOnFrom(turn, frame, again, at, new Set([slot.target, ...cleared]));
  else turn.goTo(node);
  frame.reached = [...frame.reached.filter((r) => r !== node), node];
  return true;
}
