import { sameValue } from '../../document/merge.js';
import { core, saysNothing } from '../../understanding/cues/cue.js';
import { behindBut, correcting, followingUp, isQuestion, pointsBack, unpointed } from '../../understanding/cues/steering.js';
import { wayOut, type WayOut } from '../../understanding/cues/ways-out.js';
import { polarityOf } from '../../understanding/cues/yes-no.js';
import { waysToPart } from '../../understanding/parting.js';
import { MATCH_FROM, matchFrom } from '../../understanding/listener.js';
import { matchOption, normalise } from '../../understanding/words.js';
import { isKnown } from '../../expressions/functions.js';
import type { Hearing, Reading } from '../compiled.js';
import type { UnderstandResult } from '../effects/understand.js';
import { choiceIn, wordsIn } from '../event.js';
import type { Turn } from '../turn.js';
import type { OfferedWay, Waiting, Walking } from '../types.js';
import { arrive, currentNode, pauseBefore, restart, settle, wouldHear, type CompiledNode } from '../walk.js';
import { comforts } from './comfort.js';
import {
  applyChanges,
  askAnew,
  askWhich,
  asSaid,
  changesIn,
  correctionIn,
  inWords,
  nameOf,
  repick,
  retext,
  runAgain,
  type Change,
  type Changes,
} from './correct.js';
import { followUpIn, goOnFromPast, type FollowUp } from './follow.js';
import { factAnswered, keepStated, noticed, takesMemory, type Noticed } from './memory.js';
import { askWhatWasMeant, helpAfterMisses } from './misses.js';
import { askedSlot, fillings, heldIn, valuesFor, wordsBeside } from './read.js';
import { clipped } from './turn-talk.js';
import { twoWishes } from './two.js';
import { understandWords } from './understand.js';
import { goWayOut, toPerson } from './ways.js';
import { beginWish, EXACT_FROM, isCourtesy, isDenied, opensOnly, startOf, valuesOf, wantedOf, type Wanted } from './wishes.js';

/*
 * How a message is taken. In this order: a button; a way that the bot offered; somebody in distress; a way out; two wishes; a
 * correction; the answer to what is asked, or another wish, whichever it states better; a follow-up; a miss.
 */

/** What is asked counts for so much more where a message asks something, and not the question's answer. */
const QUESTION_BONUS = 0.15;
/** A wish that a bot listens for is none where its words are just one of these answers. */
const SURE_ANSWER = 0.97;
/** From here on words are the answer rather than once more the wish whose flow asks. */
const ALIKE_ANSWER = 0.8;
/** From here on words are the answer rather than a follow-up that asks nothing. */
const PLAIN_ANSWER = 0.9;
/** What words deny is known from this score on. */
const DENIED_FROM = 0.1;
/** What is less sure is no answer, even where it is nothing else. */
const LEAST_ANSWER = 0.46;
/** So many words may stand beside values that are known already. */
const MOST_BESIDE = 1;
/** A message of so many words is not parted before it is read as a correction. */
const FEW_WORDS = 6;

/**
 * Takes a message: gives it to whoever it is for, and leaves the turn ready to walk on. `anew` where it begins a conversation, so
 * that nothing of one before counts.
 */
export function* takeMessage(turn: Turn, anew: boolean): Walking<void> {
  const { waiting } = turn;
  // What is asked about facts when a conversation ends is answered after it.
  const offered = anew ? turn.talk.offered.filter((o) => o.way.to === 'fact') : turn.talk.offered;
  const text = wordsIn(turn.event);
  const pressedWay = offered.find((o) => o.id === choiceIn(turn.event));
  const waits = !anew && waiting !== null && turn.frame !== undefined;
  if (anew) turn.talk.forget();
  yield* understandAll(turn, pressedWay !== undefined);
  const node = waits ? currentNode(turn) : undefined;
  if (waits) turn.showFrame(turn.frame && turn.bot.flows.get(turn.frame.flow));
  const way = pressedWay ?? wayMeant(turn, offered, text, waiting, node);
  const states = noticed(turn, text);
  // Who says more than how long it counts says something else about themselves: "my wife and I always bring the dog".
  const saysMore = way?.way.to === 'fact' && way !== pressedWay && states.facts.length > 0;
  if (way && !saysMore && goWay(turn, way, !waits)) return;
  if (!waits) return yield* takeFresh(turn, text, anew, states);
  if (!node?.hear) {
    turn.waiting = null;
    return yield* restart(turn);
  }
  if (turn.stepping) yield* pauseBefore(turn, node);
  yield* takeAt(turn, node, waiting, text, states);
}

/** Understands what was said, unless a button was pressed or the node takes whatever is said. */
function* understandAll(turn: Turn, pressedWay: boolean): Walking<void> {
  const { event, bot } = turn;
  const text = wordsIn(event);
  const pressed = turn.waiting?.choices?.some((c) => c.id === choiceIn(event)) ?? false;
  if (!bot.listens || text.trim() === '' || pressed || pressedWay) return;
  const plainly = yield* understandWords(turn, text, 'heard');
  const pointed = yield* withoutPointing(turn, text, plainly);
  const came = yield* withoutGreeting(turn, text, pointed);
  const { intents, values, learning, mended, language: spoken, why } = came;
  const more = { mended, language: spoken, why };
  const told = Object.fromEntries(Object.entries(more).filter(([, v]) => v !== undefined));
  const from = matchFrom(bot.document);
  turn.heard = { intents, values, ...told, ...(learning ? { learning } : {}), ...(from === MATCH_FROM ? {} : { from }) };
  if (spoken !== undefined) turn.speakAs(spoken);
}

/** A greeting before a wish is none: "hey, can you get me to Tarn Holm" is understood without it. */
function* withoutGreeting(turn: Turn, text: string, whole: UnderstandResult): Walking<UnderstandResult> {
  const [top] = whole.intents;
  const words = core(text, turn.language);
  if (!top || !isCourtesy(turn, top.intent) || words === normalise(text) || words.split(' ').length < 3) return whole;
  const rest = asSaid(text, words);
  const came = yield* understandWords(turn, rest, 'heard/rest');
  const [best] = came.intents;
  const other = best !== undefined && best.intent !== top.intent;
  return other ? { ...whole, intents: came.intents, ...(came.why ? { why: came.why } : {}) } : whole;
}

/** Words that point at what was named say little of the wish itself: "book that one" is understood as "book", where that is surer. */
function* withoutPointing(turn: Turn, text: string, plainly: UnderstandResult): Walking<UnderstandResult> {
  const points = turn.talk.past.length > 0 && turn.may('follow-ups') && pointsBack(text, turn.language);
  const rest = points ? unpointed(text) : '';
  if (rest === '' || rest === normalise(text)) return plainly;
  const came = yield* understandWords(turn, rest, 'heard/pointing');
  const surer = (came.intents[0]?.score ?? 0) > (plainly.intents[0]?.score ?? 0);
  return surer ? { ...plainly, intents: came.intents, ...(came.why ? { why: came.why } : {}) } : plainly;
}

/** The way that the bot offered and that words take: its own words, or a yes to the only one. */
function wayMeant(
  turn: Turn,
  offered: readonly OfferedWay[],
  text: string,
  waiting: Waiting | null,
  node: CompiledNode | undefined,
): OfferedWay | undefined {
  if (offered.length === 0 || text.trim() === '') return undefined;
  const match = matchOption(
    text,
    offered.map((o) => ({ id: o.id, words: [o.says] })),
  );
  const own = waiting?.choices?.some((c) => normalise(c.says) === normalise(text)) ?? false;
  const asked = waiting ? wouldHear(turn, node, waiting, text) : undefined;
  const answers = asked && 'missed' in asked ? (asked.reads?.sure ?? 0) : 0;
  if (match && !own && (match.by === 'words' || (match.by !== 'slip' && answers < PLAIN_ANSWER)))
    return offered.find((o) => o.id === match.id);
  const [only, ...more] = offered;
  const agrees = polarityOf(text, turn.language);
  if (!only || (more.length > 0 && only.way.to !== 'anew') || !agrees?.agrees || !agrees.whole || own) return undefined;
  return answers > 0 ? undefined : only;
}

/** Goes a way that the bot offered; false where it does not lead anywhere any more. */
function goWay(turn: Turn, { way, says }: OfferedWay, fresh: boolean): boolean {
  turn.talk.took('offer', says);
  turn.talk.misses = 0;
  const place = fresh ? 'fresh' : 'between';
  switch (way.to) {
    case 'person':
      return toPerson(turn);
    case 'wish': {
      const flow = startOf(turn, way.intent, place);
      if (flow === undefined) return false;
      turn.waiting = null;
      turn.meant(way.text, way.intent);
      return beginWish(turn, { flow, values: way.values, text: way.text, intent: way.intent, place });
    }
    case 'fact':
      factAnswered(turn, way.proposal, way.lasts);
      return true;
    case 'anew':
      turn.waiting = null;
      return beginWish(turn, { flow: way.flow, values: way.values, text: way.text, place });
    case 'correct': {
      const frame = turn.frames.findLast((f) => turn.bot.flows.get(f.flow)?.talk.slots.some((s) => s.target === way.target));
      const slot = frame && turn.bot.flows.get(frame.flow)?.talk.slots.find((s) => s.target === way.target);
      if (!frame || !slot) return false;
      applyChanges(turn, frame, [{ slot, value: way.value }]);
      return true;
    }
    default:
      return way satisfies never;
  }
}

/** Takes a message while a node waits. */
function* takeAt(turn: Turn, node: CompiledNode, waiting: Waiting, text: string, states: Noticed): Walking<void> {
  const hearing: Hearing = node.hear ? yield* arrive(node.hear(turn, turn.event, waiting)) : { missed: () => ({ exit: '' }) };
  if (!('missed' in hearing)) {
    turn.talk.took('button');
    return yield* answer(turn, node, hearing);
  }
  if (text.trim() === '') return yield* missed(turn, node, hearing, waiting);
  const reads = readsAt(turn, { node, waiting, text, reads: hearing.reads });
  const from = matchFrom(turn.bot.document);
  const exact = reads !== undefined && reads.sure >= 1;
  if (!exact && takesMemory(turn, text, reads && reads.sure >= PLAIN_ANSWER ? { ...states, alone: false } : states, waiting))
    return;
  if (states.facts.length > 0) keepStated(turn, states.facts, waiting);
  if (!exact) {
    if (steers(turn, text, { waiting, node, sure: reads?.sure ?? 0 })) return;
    if (goesOnFromBetween(turn, text, reads?.sure ?? 0)) return;
    const parted = waysToPart(text, turn.language).length > 0 && normalise(text).split(' ').length > FEW_WORDS;
    if (!parted && (yield* corrects(turn, text, reads, from))) return;
    if (yield* twoWishes(turn, text, { node, waiting, from })) return;
    if (parted && (yield* corrects(turn, text, reads, from))) return;
    if (!reads && givesValues(turn, text)) return;
  }
  if (opensOnly(turn) && (reads?.sure ?? 0) < PLAIN_ANSWER && denied(turn, text)) {
    turn.waiting = waiting;
    return;
  }
  const question = isQuestion(text, turn.language);
  const wanted = bestWish(turn, text, from);
  const score = wanted ? wanted.heard.score + (question ? QUESTION_BONUS : 0) : 0;
  if (reads) turn.talk.considered('answer', reads.as, reads.sure);
  if (wanted) turn.talk.considered('question-between', wanted.heard.intent, wanted.heard.score);
  const courtesy = isCourtesy(turn, wanted?.heard.intent);
  // Who says in other words what they are about already, tells what was asked: "the ramp jams" where a repair is written down.
  const alike =
    reads !== undefined &&
    wanted?.flow === turn.frame?.flow &&
    (reads.own === true || (!question && wanted !== undefined && reads.sure >= ALIKE_ANSWER));
  if (reads && reads.sure >= LEAST_ANSWER && (exact || courtesy || alike || reads.sure >= score || reads.sure >= SURE_ANSWER)) {
    turn.talk.took('answer', node.id);
    for (const h of turn.heard?.intents ?? []) if (h.score >= from) turn.passedOver(h.intent, 'answered');
    const more = valuesBeside(turn, text);
    const outcome = yield* arrive(reads.take());
    fillsAhead(turn, more);
    return yield* answer(turn, node, outcome);
  }
  if (wanted && interrupts(turn, node, wanted, text)) return;
  const changes = turn.may('corrections') ? changesIn(turn, text, undefined) : undefined;
  if (changes && takesChanges(turn, changes)) return;
  const follow = followUpIn(turn, text);
  const underWay = turn.frames.some((f) => f.flow === follow?.past.flow);
  if (follow && !underWay && begins(turn, follow)) return;
  if (wanted && wanted.flow === turn.frame?.flow) {
    turn.talk.took('answer', node.id);
    turn.passedOver(wanted.heard.intent, 'fills-nothing');
    return runAgain(turn, waiting);
  }
  if (denied(turn, text)) return runAgain(turn, waiting);
  if (opensOnly(turn) && acknowledges(turn, text)) {
    turn.waiting = waiting;
    return;
  }
  if (onlyStates(turn, states)) return runAgain(turn, waiting);
  yield* missed(turn, node, hearing, waiting);
}

/** A message of which nothing else was understood than what it states of its visitor: that was seen to. */
function onlyStates(turn: Turn, { facts, alone }: Noticed): boolean {
  if (facts.length === 0 || (!alone && turn.messages.length === 0)) return false;
  turn.talk.took('memory', 'a fact');
  turn.talk.misses = 0;
  if (turn.messages.length === 0) turn.say(turn.talk.words('nothing-to-leave'));
  return true;
}

interface Asking {
  readonly node: CompiledNode;
  readonly waiting: Waiting;
  readonly text: string;
  readonly reads: Reading | undefined;
}

/**
 * What the node that waits makes of a message, once its values are told apart: of several the one that is for it, and none where
 * they are all for something else, as "from Kelpwick" where the port of arrival is asked, or the 20 of "20 May" for a number.
 */
function readsAt(turn: Turn, { node, waiting, text, reads }: Asking): Reading | undefined {
  const { frame } = turn;
  const asked = frame && askedSlot(turn, frame);
  if (!reads || !frame || !asked || asked.entity === 'text' || asked.entity === 'yes_no' || !turn.may('corrections'))
    return reads;
  // One word that answers the question is its answer, whatever else it may be a value of.
  if (!normalise(text).includes(' ')) return reads;
  const found = fillings(turn, text, { frame, asked });
  if (found.length === 0) return reads;
  const own = found.find((f) => f.slot === asked);
  if (!own) return found.some((f) => f.slot === undefined && f.may.includes(asked)) ? reads : undefined;
  if (found.length === 1) return reads;
  const hearing = wouldHear(turn, node, waiting, own.text);
  return hearing && 'missed' in hearing && hearing.reads ? { ...hearing.reads, sure: reads.sure } : reads;
}

/** Goes on from what has just come between, where a message says nothing but what is otherwise: "and on Sunday?" */
function goesOnFromBetween(turn: Turn, text: string, sure: number): boolean {
  if (sure >= PLAIN_ANSWER && !isQuestion(text, turn.language)) return false;
  const follow = followUpIn(turn, text);
  if (!follow?.plain || follow.past.ended !== turn.talk.turn - 1 || follow.past.flow === turn.frame?.flow) return false;
  return begins(turn, follow);
}

/** A message that is nothing but values: they are taken for what they are for. */
function givesValues(turn: Turn, text: string): boolean {
  const changes = turn.may('corrections') ? changesIn(turn, text, undefined) : undefined;
  if (!changes) return knownAlready(turn, text);
  const slots = turn.bot.flows.get(changes.frame.flow)?.talk.slots ?? [];
  const found = valuesFor(turn, text, slots);
  return wordsBeside(text, found).length === 0 && takesChanges(turn, changes);
}

/** A message that is nothing but values which are known as they are: the bot says so, and asks again. */
function knownAlready(turn: Turn, text: string): boolean {
  const { frame, waiting } = turn;
  const same = frame
    ? fillings(turn, text, { frame }).filter((f) => f.slot && sameValue(heldIn(turn, frame, f.slot.target), f.value))
    : [];
  const words = wordsBeside(correcting(text, turn.language)?.to ?? text, []);
  const said = same.flatMap((f) => wordsBeside(f.text, []));
  if (!frame || same.length === 0 || words.filter((w) => !said.includes(w)).length > MOST_BESIDE) return false;
  const [first] = same;
  turn.talk.misses = 0;
  turn.talk.took('correction', `${same.flatMap((f) => (f.slot ? [nameOf(f.slot)] : [])).join(', ')}, as it was`);
  if (first?.slot) turn.talk.leadWith(turn.talk.words('same-already', inWords(turn, first.slot.target, first.value)));
  runAgain(turn, waiting);
  return true;
}

/** The likeliest wish of a message that may come between. */
function bestWish(turn: Turn, text: string, from: number): Wanted | undefined {
  return wantedOf(turn, text, turn.heard?.intents ?? [], { from, place: 'between' });
}

/** Comes to what an answer comes to. */
function* answer(turn: Turn, node: CompiledNode, outcome: Exclude<Hearing, { missed: unknown }>): Walking<void> {
  turn.waiting = null;
  turn.talk.misses = 0;
  turn.nodeRuns++;
  const place = turn.record.open(node.flow, node.id, node.kind);
  turn.record.tell(place, 'begins');
  turn.answered();
  yield* settle(turn, node, outcome);
  turn.record.tell(place, 'ends');
}

/** What waits while a message comes, and how sure it is that the message answers that. */
interface Standing {
  readonly waiting: Waiting | null;
  readonly node?: CompiledNode;
  readonly sure: number;
  /** The message begins a conversation. */
  readonly anew?: boolean;
}

/** Ways out that lead nowhere while nothing was said yet. */
const NEEDS_A_BEFORE: readonly WayOut[] = ['never-mind', 'back', 'again', 'start-over', 'thanks', 'goodbye'];

/** Somebody in distress, and the ways out. */
function steers(turn: Turn, text: string, { waiting, node, sure, anew = false }: Standing): boolean {
  const { length } = turn.frames;
  if (comforts(turn, text)) {
    if (turn.frames.length === length) turn.waiting = waiting;
    return true;
  }
  const said = turn.may('ways-out') ? wayOut(text, turn.language) : undefined;
  const way = said ?? (node && sure === 0 && turnsDown(turn, text, node) ? 'never-mind' : undefined);
  if (way === undefined || (anew && NEEDS_A_BEFORE.includes(way))) return false;
  if (way === 'thanks' && sure >= 1) return false;
  turn.talk.misses = 0;
  if (way === 'never-mind' && waiting === null && bestWish(turn, text, matchFrom(turn.bot.document))) return false;
  return goWayOut(turn, way, waiting);
}

/** A refusal in full where a value is asked for: "I'd rather not". */
function turnsDown(turn: Turn, text: string, node: CompiledNode): boolean {
  const polarity = polarityOf(text, turn.language);
  return node.offers === undefined && polarity?.agrees === false && polarity.whole && core(text, turn.language).includes(' ');
}

/** A message that puts something right, by its words or by its values. */
function* corrects(turn: Turn, text: string, reads: { readonly sure: number } | undefined, from: number): Walking<boolean> {
  const correction = correctionIn(turn, text);
  if (!turn.may('corrections')) return false;
  const asked = turn.frame && askedSlot(turn, turn.frame);
  const half = polarityOf(text, turn.language);
  if (half?.whole && reads && reads.sure >= 0.9) return false;
  if (!correction?.to.includes(' ') && !changesIn(turn, text, correction) && !(reads && reads.sure > 0.9) && askAnew(turn, text))
    return true;
  const but = behindBut(text, turn.language);
  if (!correction && but === undefined && (!half || half.whole)) return false;
  const changes = changesIn(turn, text, correction);
  const other = bestWish(turn, text, Math.max(from, 0.75));
  if (other && other.flow !== turn.frame?.flow && isQuestion(text, turn.language)) return false;
  if (changes && (changes.known.length > 0 || changes.unclear.length > 0)) return takesChanges(turn, changes);
  if (changes && changes.fresh.length > 0 && !changes.answers && !(reads && reads.sure > 0.9)) return takesChanges(turn, changes);
  // "Yes, but the 09:40": whatever was offered before may be picked again.
  if (!correction && but !== undefined) return yield* repick(turn, but);
  if (!correction || (asked && changes?.answers)) return false;
  if (correction.to === '') return false;
  if (reads && reads.sure >= 0.9 && !correction.sure) return false;
  const put = (yield* repick(turn, correction.to)) || (!other && !(reads && reads.sure > 0.9) && retext(turn, text, correction));
  if (put) turn.talk.misses = 0;
  return put;
}

/** Replaces what a message changes, or asks which is meant; false where nothing of it is for sure. */
function takesChanges(turn: Turn, changes: Changes): boolean {
  const { frame, known, fresh, answers, unclear } = changes;
  const [open] = unclear;
  const all = [...known, ...fresh, ...(answers ? [answers] : [])];
  if (all.length === 0) {
    if (!open || open.may.length === 0) return false;
    if (open.may.length > 1) {
      const { waiting } = turn;
      turn.talk.misses = 0;
      askWhich(turn, frame, open);
      turn.waiting = waiting;
      return true;
    }
  }
  const only = open && open.may.length === 1 ? open.may[0] : undefined;
  const changed = [...all, ...(only && open ? [{ slot: only, value: open.value }] : [])];
  turn.talk.misses = 0;
  if (known.length + unclear.length === 0) turn.talk.took('answers', changed.map((c) => nameOf(c.slot)).join(', '));
  turn.answered();
  fills(turn, frame.flow, changed);
  applyChanges(turn, frame, changed);
  return true;
}

/** Notes the intent of the flow under way where a message means it too. */
function fills(turn: Turn, flow: string, changed: readonly Change[]): void {
  const from = matchFrom(turn.bot.document);
  const own = turn.heard?.intents.find((h) => h.score >= from && turn.bot.document.intents?.[h.intent]?.starts === flow);
  if (own) turn.took(own.intent, 'fills', Object.fromEntries(changed.map((c) => [nameOf(c.slot), c.value])));
}

/** What a message says beside the answer, for the flow in which it is given. */
function valuesBeside(turn: Turn, text: string): readonly Change[] {
  const { frame } = turn;
  const changes = frame && turn.may('corrections') ? changesIn(turn, text, undefined) : undefined;
  if (!changes || changes.frame !== frame) return [];
  return changes.fresh;
}

/** Takes what was said beside the answer, where it is not known yet: it is not asked any more. */
function fillsAhead(turn: Turn, more: readonly Change[]): void {
  const { frame } = turn;
  const filled = frame ? more.filter(({ slot }) => !isKnown(heldIn(turn, frame, slot.target))) : [];
  if (!frame || filled.length === 0) return;
  for (const { slot, value } of filled) {
    turn.write(slot.target, value);
    if (slot.node !== undefined) frame.wrote[slot.target] = slot.node;
    frame.reached = frame.reached.filter((r) => r !== slot.node);
  }
  turn.talk.tookAlso('answers', filled.map((c) => c.slot.target).join(', '));
}

/** Begins a wish above what waits; one for the flow that waits is none. */
function interrupts(turn: Turn, node: CompiledNode, { heard, flow }: Wanted, text: string): boolean {
  if (flow === turn.frame?.flow && (turn.bot.flows.get(flow)?.talk.slots.length ?? 0) > 0) return false;
  turn.nodeRuns++;
  turn.record.open(node.flow, node.id, node.kind);
  turn.record.close(undefined, `${heard.intent} came between`);
  const values = valuesOf(turn, text, { heard, flow });
  const wish = { flow, values, text, intent: heard.intent };
  // A flow that asks for no values and is wanted with other words takes its own place.
  const again = flow === turn.frame?.flow ? turn.leave() : undefined;
  const place = again && !again.interrupts ? 'fresh' : 'between';
  if (!beginWish(turn, { ...wish, place })) return false;
  turn.talk.misses = 0;
  turn.talk.took(turn.frames.length === 2 && turn.frames[0]?.waited ? 'wish' : 'question-between', heard.intent);
  turn.took(heard.intent, 'interrupts', values);
  return true;
}

/** Goes on from what was said before, above what waits. */
function begins(turn: Turn, follow: FollowUp): boolean {
  const { waiting } = turn;
  turn.talk.misses = 0;
  if (goOnFromPast(turn, follow, waiting === null ? 'fresh' : 'between')) {
    if (turn.frame === undefined || follow.past.did) turn.waiting = waiting;
    return true;
  }
  turn.waiting = waiting;
  return false;
}

/** A wish that is only denied: nothing is begun. */
function denied(turn: Turn, text: string): boolean {
  const top = turn.heard?.intents[0];
  if (!top || top.score < DENIED_FROM || !isDenied(turn, text, top.intent)) return false;
  turn.talk.took('denial', top.intent);
  turn.talk.misses = 0;
  turn.say(turn.talk.words('denied'));
  return true;
}

/** Nothing was understood while a node waits. */
function* missed(
  turn: Turn,
  node: CompiledNode,
  hearing: Extract<Hearing, { missed: unknown }>,
  waiting: Waiting,
): Walking<void> {
  turn.talk.misses++;
  if (turn.talk.misses === 1 && wordsIn(turn.event) !== '' && askWhatWasMeant(turn, wordsIn(turn.event), 'between')) {
    turn.waiting = waiting;
    return;
  }
  turn.talk.took('miss', String(turn.talk.misses));
  turn.waiting = null;
  turn.nodeRuns++;
  const place = turn.record.open(node.flow, node.id, node.kind);
  turn.record.tell(place, 'begins');
  if (saysNothing(wordsIn(turn.event), turn.language)) turn.talk.misses = Math.max(0, turn.talk.misses - 1);
  helpAfterMisses(turn);
  const outcome = yield* arrive(hearing.missed());
  // It offers the same once more: without a word nobody knows that it was not understood.
  const same = 'exit' in outcome && node.exits[outcome.exit] === node.id;
  if (same && turn.may('misses')) turn.talk.leadWith(turn.talk.words('missed'));
  yield* settle(turn, node, outcome);
  turn.record.tell(place, 'ends');
}

/** Takes a message while nothing waits: a wish begins its flow, or goes on from one before; else it was not understood. */
function* takeFresh(turn: Turn, text: string, fresh: boolean, states: Noticed): Walking<void> {
  const { begins: first, unmatched } = turn.bot.document;
  const from = matchFrom(turn.bot.document);
  turn.waiting = null;
  if (text.trim() !== '') {
    if (takesMemory(turn, text, states, null)) return;
    if (states.facts.length > 0) keepStated(turn, states.facts, null);
    if (steers(turn, text, { waiting: null, sure: 0, anew: fresh })) return;
    if (yield* twoWishes(turn, text, { from })) return;
    const wanted = wantedOf(turn, text, turn.heard?.intents ?? [], { from, place: 'fresh' });
    const follow = fresh ? undefined : followUpIn(turn, text);
    if (wanted) turn.talk.considered('wish', wanted.heard.intent, wanted.heard.score);
    if (follow) turn.talk.considered('follow-up', clipped(follow.past.text));
    if (follow && followsRather(turn, text, follow, wanted) && begins(turn, follow)) return;
    if (wanted && !(acknowledging(turn, text) && wanted.heard.score < EXACT_FROM)) {
      const values = valuesOf(turn, text, wanted);
      turn.took(wanted.heard.intent, 'begins', values);
      turn.talk.took('wish', wanted.heard.intent);
      turn.talk.misses = 0;
      beginWish(turn, { flow: wanted.flow, values, text, intent: wanted.heard.intent, place: 'fresh' });
      return;
    }
    if (denied(turn, text) || (!fresh && acknowledges(turn, text))) return;
    if (onlyStates(turn, states)) return;
    if (!fresh) {
      turn.talk.misses++;
      if (turn.talk.misses === 1 && askWhatWasMeant(turn, text, 'fresh')) return;
      turn.talk.took('miss', String(turn.talk.misses));
      helpAfterMisses(turn);
    }
  }
  turn.clear();
  const flow = fresh ? first : (unmatched ?? first);
  beginWish(turn, { flow, values: {}, text, place: 'fresh' });
  delete turn.frame?.wish;
}

/** Words that only agree, refuse or sigh, where nothing was asked. */
function acknowledging(turn: Turn, text: string): boolean {
  return saysNothing(text, turn.language) || polarityOf(text, turn.language)?.whole === true;
}

function acknowledges(turn: Turn, text: string): boolean {
  if (turn.bot.document.unmatched === undefined || !turn.may('misses') || !acknowledging(turn, text)) return false;
  turn.talk.took('answer', 'to nothing');
  turn.talk.misses = 0;
  turn.say(turn.talk.words('nothing-to-leave'));
  return true;
}

/** Whether a message goes on from a wish before rather than begins one: not where it states another one in full. */
function followsRather(turn: Turn, text: string, follow: FollowUp, wanted: Wanted | undefined): boolean {
  const follows = followingUp(text, turn.language) !== undefined;
  const steers = follows || correcting(text, turn.language)?.sure === true;
  if (!wanted || (follow.plain && steers)) return true;
  if (wanted.heard.intent !== follow.past.intent && wanted.flow !== follow.past.flow) return false;
  return follows || (normalise(text).split(' ').length <= 4 && Object.keys(follow.values).length > 0);
}
