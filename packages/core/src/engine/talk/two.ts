import { behindBut, denies, isQuestion } from '../../understanding/cues/steering.js';
import { isStrong, waysToPart, type Part } from '../../understanding/parting.js';
import type { HeardIntent } from '../../understanding/listener.js';
import type { FoundValue } from '../../understanding/recognise.js';
import { understoodPart } from '../../understanding/words.js';
import { nodeKinds } from '../nodes/registry.js';
import type { Turn } from '../turn.js';
import type { Waiting, Walking } from '../types.js';
import { arrive, settle, wouldHear, type CompiledNode } from '../walk.js';
import { changesIn } from './correct.js';
import { understandWords } from './understand.js';
import { wordsBeside } from './read.js';
import { quoted } from './turn-talk.js';
import { beginWish, EXACT_FROM, isCourtesy, isDenied, valuesOf, wantedOf, type Wanted } from './wishes.js';

/*
 * More than one wish in a message. It is parted only where each part stands for itself: it answers the question that waits, or
 * means an intent of its own; what is neither belongs to the part before it.
 */

/** A part of a message that stands for itself. */
interface Standing {
  readonly text: string;
  readonly wants?: Wanted;
  readonly values?: readonly FoundValue[];
  /** It answers what is asked. */
  readonly answers?: true;
  /** Its wish is denied. */
  readonly denied?: true;
  /** What it would be beside a part that is denied: then a wish need not be as sure. */
  readonly nearly?: Standing;
}

/** A part is a wish of its own from this score on, however little the whole message needs. */
const PART_FROM = 0.55;
/** Beside a part that is denied, what is said instead is a wish from this score on. */
const NEARLY_FROM = 0.25;
/** A message as a whole is surely one wish from this score on. */
const WHOLE_FROM = 0.8;
/** What is less sure is no wish at all. */
const LEAST_WISH = 0.1;
/** An answer in a part must be at least so sure. */
const ANSWER_FROM = 0.9;

export interface At {
  readonly node?: CompiledNode;
  readonly waiting?: Waiting;
  readonly from: number;
}

/** Serves two wishes or more, one after the other; false where a message is one. */
export function* twoWishes(turn: Turn, text: string, at: At): Walking<boolean> {
  if (!turn.may('wishes') || !turn.bot.listens || turn.heard?.learning) return false;
  const confirms = at.node !== undefined && turn.bot.flows.get(at.node.flow)?.talk.confirms.has(at.node.id) === true;
  // "Yes, but …" decides nothing.
  if (confirms && behindBut(text, turn.language) !== undefined) return false;
  const ways = waysToPart(understoodPart(text), turn.language);
  let tried = 0;
  for (const parts of ways) {
    const standing: Standing[] = [];
    const heardBefore = turn.heard;
    for (const part of parts) {
      const came = yield* understandWords(turn, part.text, `heard/${tried++}`);
      standing.push(standsFor(turn, part, came.intents, came.values, at));
    }
    turn.heard = heardBefore;
    const halves =
      standing.length === 2 && !standing.some((s) => s.answers) && !isStrong(text, turn.language) && isOneWish(turn, standing);
    if (halves) continue;
    if (confirms && onCondition(turn, text, standing)) continue;
    const wishes = joined(standing.some((s) => s.denied) ? standing.map((s) => s.nearly ?? s) : standing);
    if (wishes.length >= 2 && (yield* serve(turn, wishes, at))) return true;
    const [only] = wishes;
    if (only && wishes.length === 1 && standing.some((s) => s.denied) && (yield* serve(turn, wishes, at))) return true;
  }
  return false;
}

/** A decision beside which something may have been wanted of it, "yes, for three people": nothing is done on that. */
function onCondition(turn: Turn, text: string, parts: readonly Standing[]): boolean {
  const beside = parts.filter((p) => !p.answers);
  const decides = beside.length < parts.length;
  return decides && !isStrong(text, turn.language) && !beside.every((p) => isQuestion(p.text, turn.language));
}

/** What a part would be by itself. */
function standsFor(turn: Turn, part: Part, intents: readonly HeardIntent[], values: readonly FoundValue[], at: At): Standing {
  const text = part.text.replace(/^(?:and|but|also|oh|plus|then|und|aber|auch|y|e|pero|et|mais)[\s,]+/iu, '');
  const [top] = intents;
  const denied = denies(text, turn.language) && (!top || top.score < LEAST_WISH || isDenied(turn, text, top.intent));
  if (denied) return { text, denied };
  const before = turn.heard;
  if (before) turn.heard = { ...before, intents: [...intents], values: [...values] };
  const hearing = at.waiting ? wouldHear(turn, at.node, at.waiting, text) : undefined;
  const reads = hearing && 'missed' in hearing ? hearing.reads : undefined;
  const wants = wantedOf(turn, text, intents, { from: Math.max(at.from, PART_FROM), place: at.waiting ? 'between' : 'fresh' });
  // Nothing but values: they belong to the part beside them.
  if (wordsBeside(text, values).length === 0 && (wants?.heard.score ?? 0) < EXACT_FROM)
    return reads && reads.sure >= ANSWER_FROM ? { text, answers: true } : { text };
  if (reads && reads.sure >= ANSWER_FROM && reads.sure >= (wants?.heard.score ?? 0)) return { text, answers: true };
  if (at.waiting && !wants && changesIn(turn, text, undefined)) return { text, answers: true };
  if (wants && !isCourtesy(turn, wants.heard.intent)) return { text, wants, values };
  const nearly = wantedOf(turn, text, intents, { from: NEARLY_FROM, place: at.waiting ? 'between' : 'fresh' });
  return { text, ...(nearly ? { nearly: { text, wants: nearly } } : {}) };
}

/**
 * The whole message is surely one wish, and the other part is no question and less sure: "a passage to Tarn Holm, two adults with a
 * car". Values that the whole wish has no use for are of another one: "a soup and a table for two".
 */
function isOneWish(turn: Turn, parts: readonly Standing[]): boolean {
  const [whole] = turn.heard?.intents ?? [];
  if (!whole || whole.score < WHOLE_FROM) return false;
  const others = parts.filter((p) => p.wants && p.wants.heard.intent !== whole.intent);
  const [other] = others;
  if (!other || others.length > 1 || isQuestion(other.text, turn.language)) return false;
  const flow = turn.bot.document.intents?.[whole.intent]?.starts;
  const kinds = new Set(turn.bot.flows.get(flow ?? '')?.talk.slots.map((s) => s.entity));
  const listed = (other.values ?? []).filter((v) => turn.bot.document.entities?.[v.entity]?.values !== undefined);
  if (listed.some((v) => !kinds.has(v.entity))) return false;
  return (other.wants?.heard.score ?? 0) < whole.score;
}

/** Parts that stand for themselves, with those that do not joined to the one before; two that mean the same are one. */
function joined(parts: readonly Standing[]): Standing[] {
  const out: Standing[] = [];
  let loose = '';
  for (const part of parts) {
    if (part.denied) continue;
    const last = out.at(-1);
    const same =
      last?.wants && part.wants && last.wants.flow === part.wants.flow && last.wants.heard.intent === part.wants.heard.intent;
    if (part.wants || part.answers) {
      if (same || (last?.answers && part.answers)) out[out.length - 1] = { ...last, text: `${last.text}, ${part.text}` };
      else out.push({ ...part, text: loose === '' ? part.text : `${loose} ${part.text}` });
      loose = '';
    } else if (last) out[out.length - 1] = { ...last, text: `${last.text} ${part.text}` };
    else loose = part.text;
  }
  return out;
}

/** Serves parts in their order: the answer first, then the first wish; others are announced and wait for their turn. */
function* serve(turn: Turn, parts: readonly Standing[], { node, waiting }: At): Walking<boolean> {
  const wanted = parts.flatMap((p) => (p.wants && p.wants.flow !== turn.frame?.flow ? [{ text: p.text, ...p.wants }] : []));
  // Who answers next is a person, so what the bot can do comes before it is given away.
  const wishes = [...wanted.filter((w) => !endsWithPerson(turn, w.flow)), ...wanted.filter((w) => endsWithPerson(turn, w.flow))];
  const answers = parts.find((p) => p.answers);
  // What is answered is done before a wish that asks for more; a plain answer to a question comes before it.
  const waits = answers !== undefined && wishes.some((w) => asksForValues(turn, w.flow));
  const [first, ...later] = wishes;
  if (!first || (waiting && !answers && wishes.length === 0)) return false;
  turn.talk.misses = 0;
  if (answers && node?.hear && waiting) {
    turn.waiting = null;
    const hearing = wouldHear(turn, node, waiting, answers.text);
    const reads = hearing && 'missed' in hearing ? hearing.reads : undefined;
    if (!reads) {
      turn.waiting = waiting;
      return false;
    }
    turn.record.open(node.flow, node.id, node.kind);
    turn.answered();
    yield* settle(turn, node, yield* arrive(reads.take()));
    // What the answer itself has to say is said; what waits now is asked once the wish was seen to.
    turn.waiting = null;
  }
  if (waits && turn.frame) {
    const [next] = keepAll(turn, wishes);
    turn.frame.leads = true;
    turn.talk.took('two-wishes', parts.map((p) => quoted(p.text)).join(' / '));
    if (next) turn.say(turn.talk.words('later', quoted(next.text)));
    return true;
  }
  const [next] = keepAll(turn, later);
  const place = turn.frame ? 'between' : 'fresh';
  const values = valuesOf(turn, first.text, first);
  turn.talk.took(parts.length > 1 ? 'two-wishes' : 'wish', parts.map((p) => quoted(p.text)).join(' / '));
  turn.took(first.heard.intent, place === 'between' ? 'interrupts' : 'begins', values);
  const begun = beginWish(turn, { flow: first.flow, values, text: first.text, intent: first.heard.intent, place });
  if (begun && turn.frame && next) turn.frame.leads = true;
  if (begun && next && asksFirst(turn, first.flow)) turn.say(turn.talk.words('later', quoted(next.text)));
  return true;
}

/** Keeps wishes for later, with their values, and says which are too many to be kept; returns those that are kept. */
function keepAll<W extends Wanted & { readonly text: string }>(turn: Turn, wishes: readonly W[]): readonly W[] {
  return wishes.filter((wish) => {
    const values = valuesOf(turn, wish.text, wish);
    const kept = turn.talk.keepForLater({ text: wish.text, intent: wish.heard.intent, values });
    if (!kept) turn.say(turn.talk.words('too-many', quoted(wish.text)));
    return kept;
  });
}

/** Whether a flow gives the conversation to a person. */
function endsWithPerson(turn: Turn, flow: string): boolean {
  return Object.values(turn.bot.document.flows[flow]?.nodes ?? {}).some((n) => nodeKinds.get(n.kind)?.toPerson === true);
}

/** Whether a flow asks for values, so that it takes turns to be done with. */
function asksForValues(turn: Turn, flow: string): boolean {
  return turn.bot.flows.get(flow)?.talk.slots.some((s) => s.node !== undefined) ?? false;
}

/** Whether a flow may ask something before it is done: then what comes after it is announced. */
function asksFirst(turn: Turn, flow: string): boolean {
  return [...(turn.bot.flows.get(flow)?.nodes.values() ?? [])].some((n) => n.waits);
}
