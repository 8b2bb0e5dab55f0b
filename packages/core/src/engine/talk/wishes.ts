import type { Value } from '../../document/shapes.js';
import { denies, mayPoint, pointsBack } from '../../understanding/cues/steering.js';
import { polarityOf } from '../../understanding/cues/yes-no.js';
import type { HeardIntent } from '../../understanding/listener.js';
import { phrasesOf } from '../../understanding/teaching.js';
import { normalise } from '../../understanding/words.js';
import { fittingValues } from '../calls.js';
import type { Turn } from '../turn.js';
import type { Values } from '../types.js';
import { enter, MAX_DEPTH } from '../enter.js';
import { asAsked, fillings, wordsBeside } from './read.js';
import type { OpenFrame } from './trail.js';
import { quoted, wishWords } from './turn-talk.js';

/*
 * Wishes: which intent a message may begin, with which values its flow begins, and how it comes above what is under way.
 */

/** Everyday wishes that come along with something else, and are none beside it: "neither, thanks". */
const COURTESIES: ReadonlySet<string | undefined> = new Set(['hello', 'thanks', 'yes', 'no']);

/** True for an intent that is mere courtesy beside something else. */
export function isCourtesy(turn: Turn, intent: string | undefined): boolean {
  return intent !== undefined && COURTESIES.has(turn.bot.document.intents?.[intent]?.ready);
}

/** A phrase to the letter is its intent, whatever else it may say. */
export const EXACT_FROM = 0.96;

/** Where a wish may begin: in place of all that is under way, or above it. */
export type Place = 'fresh' | 'between';

/** The flow that an intent may begin here; undefined where it may not, with the reason noted. */
export function startOf(turn: Turn, intent: string, place: Place): string | undefined {
  const { intents = {}, flows } = turn.bot.document;
  const known = Object.hasOwn(intents, intent) ? intents[intent] : undefined;
  if (!known) return undefined;
  if (known.starts === undefined || !flows[known.starts]?.begin) {
    turn.passedOver(intent, 'starts-nothing');
    return undefined;
  }
  if (known.needs !== undefined && turn.context(known.needs) === undefined) {
    turn.passedOver(intent, 'no-context');
    turn.problem('no-context', { intent, context: known.needs });
    return undefined;
  }
  if (place === 'fresh' || (known.interrupts !== false && turn.may('between'))) return known.starts;
  turn.passedOver(intent, 'stays');
  return undefined;
}

/** An intent that a message means, with the flow that it begins here. */
export interface Wanted {
  readonly heard: HeardIntent;
  readonly flow: string;
}

/** The likeliest intent that is sure enough and may begin here. What a visitor denies is none. */
export function wantedOf(
  turn: Turn,
  text: string,
  intents: readonly HeardIntent[],
  { from, place }: { from: number; place: Place },
): Wanted | undefined {
  for (const heard of intents) {
    if (heard.score < from || isOnlyPolite(turn, text, heard) || isOnlyValues(turn, text, heard, place)) continue;
    if (isDenied(turn, text, heard.intent)) {
      turn.passedOver(heard.intent, 'denied');
      continue;
    }
    const flow = startOf(turn, heard.intent, place);
    if (flow !== undefined) return { heard, flow };
  }
  return undefined;
}

/** A greeting or thanks that was understood in words which only agree or refuse: "sounds good" greets nobody. */
function isOnlyPolite(turn: Turn, text: string, { intent, score }: HeardIntent): boolean {
  const ready = turn.bot.document.intents?.[intent]?.ready;
  if (ready !== 'hello' && ready !== 'thanks' && ready !== 'goodbye') return false;
  return score < EXACT_FROM && polarityOf(text, turn.language)?.whole === true;
}

/** Nothing but figures begins nothing, and nothing but values comes between nothing. */
function isOnlyValues(turn: Turn, text: string, { score }: HeardIntent, place: Place): boolean {
  if (!/\p{L}{2}/u.test(text)) return true;
  return (
    place === 'between' && !opensOnly(turn) && score < EXACT_FROM && wordsBeside(text, turn.heard?.values ?? []).length === 0
  );
}

/** True where words deny an intent; one whose own phrases deny something, as "we are not coming", is meant by them. */
export function isDenied(turn: Turn, text: string, intent: string): boolean {
  if (!turn.may('wishes') || !denies(text, turn.language)) return false;
  const known = turn.bot.document.intents?.[intent];
  if (!known) return false;
  const said = normalise(text);
  return !phrasesOf(known, turn.bot.document.languages).some((p) => denies(p.text, p.language) || normalise(p.text) === said);
}

/** The values with which a flow begins: those of a message by their roles, and those of the context that its intent needs. */
export function valuesOf(turn: Turn, text: string, { heard, flow }: Wanted): Values {
  const { roles, unmarked = [], intent } = heard;
  const needs = turn.bot.document.intents?.[intent]?.needs;
  const marked = Object.fromEntries(Object.entries(roles).filter(([role]) => !unmarked.includes(role)));
  const carried = needs === undefined ? {} : (turn.context(needs) ?? {});
  const takes = turn.bot.document.flows[flow]?.takes ?? {};
  const taken = Object.entries({ ...roles, ...carried, ...marked }).filter(([name]) => Object.hasOwn(takes, name));
  const values: Record<string, Value> = { ...fittingValues(turn, flow, taken) };
  const compiled = turn.bot.flows.get(flow);
  for (const slot of compiled?.talk.slots ?? []) {
    const name = slot.target.slice('flow.'.length);
    const found = turn.heard?.values.find((v) => v.entity === slot.entity && v.value === values[name]);
    if (compiled && found && slot.target.startsWith('flow.')) values[name] = asAsked(turn, slot, compiled.nodes, found);
  }
  for (const [name, value] of Object.entries(askedValues(turn, text, flow, values))) values[name] ??= value;
  return values;
}

/** The values of a text for what a flow asks, beside those that it has. */
function askedValues(turn: Turn, text: string, flow: string, has: Values): Record<string, Value> {
  const frame: OpenFrame = { flow, node: '', values: { ...has }, reached: [], trail: [], wrote: {} };
  const values: Record<string, Value> = {};
  const used = new Set(Object.values(has).map((v) => JSON.stringify(v)));
  for (const { value, slot } of fillings(turn, text, { frame })) {
    const name = slot?.target.startsWith('flow.') ? slot.target.slice('flow.'.length) : undefined;
    if (name !== undefined && !used.has(JSON.stringify(value))) values[name] ??= value;
  }
  return values;
}

/** A wish that is about to begin. */
export interface Beginning {
  readonly flow: string;
  readonly values: Values;
  readonly text: string;
  readonly intent?: string | undefined;
  readonly place: Place;
}

/** Begins the flow of a wish, in place of what is under way or above it; false where it cannot. */
export function beginWish(turn: Turn, { flow, values, text, intent, place }: Beginning): boolean {
  if (place === 'between' && turn.depth >= MAX_DEPTH) {
    if (intent !== undefined) turn.passedOver(intent, 'too-deep');
    return false;
  }
  const pointed = turn.may('follow-ups') ? meantBy(turn, { flow, values, text, intent, place }) : undefined;
  if (place === 'fresh') turn.clear();
  const { length } = turn.frames;
  const below = place === 'between' && opensOnly(turn) ? turn.frame : undefined;
  if (below && turn.waiting) below.waited = turn.waiting;
  turn.waiting = null;
  enter(turn, flow, { ...pointed?.values, ...values });
  const frame = turn.frames.length > length ? turn.frame : undefined;
  if (!frame) return false;
  if (place === 'between') frame.interrupts = true;
  if (pointed && pointed.means.length > 0) frame.means = pointed.means;
  const everyday = intent !== undefined && turn.bot.document.intents?.[intent]?.ready !== undefined;
  if (!everyday) frame.wish = { text: wishWords(text), turn: turn.talk.turn, ...(intent === undefined ? {} : { intent }) };
  turn.view.turn['text'] = text;
  return true;
}

/** True where all that is under way is how the bot begins, and nobody has answered it yet: it only opens the conversation. */
export function opensOnly(turn: Turn): boolean {
  const [first, ...more] = turn.frames;
  if (!first || more.length > 0 || first.flow !== turn.bot.document.begins || first.wish) return false;
  const node = turn.bot.flows.get(first.flow)?.nodes.get(first.node);
  return node?.offers !== undefined && !first.trail.some((p) => p.heard);
}

/** What words that point at something mean for a flow: "that one" all that was talked about, "it" a listed thing of just now. */
function meantBy(turn: Turn, { flow, values, text, place }: Beginning): ReturnType<typeof pointedAt> | undefined {
  if (pointsBack(text, turn.language)) return pointedAt(turn, flow, values);
  if (place !== 'between' || opensOnly(turn) || !mayPoint(text, turn.language)) return undefined;
  const entities = turn.bot.document.entities ?? {};
  const slots = turn.bot.flows.get(flow)?.talk.slots ?? [];
  const found = pointedAt(turn, flow, values).values;
  const listed = Object.entries(found).filter(([name]) =>
    slots.some((s) => s.target === `flow.${name}` && entities[s.entity]?.values !== undefined),
  );
  return { values: Object.fromEntries(listed), means: [] };
}

/** What "that one" and "there" mean for a flow: values of what was talked about last, and things that may be offered again. */
function pointedAt(turn: Turn, flow: string, has: Values): { values: Record<string, Value>; means: Value[] } {
  const values: Record<string, Value> = {};
  const means: Value[] = [];
  const slots = turn.bot.flows.get(flow)?.talk.slots ?? [];
  const known: { readonly flow: string; readonly values: Values }[] = [...turn.talk.past, ...turn.frames.toReversed()];
  for (const past of known.slice(0, 3)) {
    means.push(...Object.values(past.values).filter((v) => v !== null && typeof v === 'object' && !Array.isArray(v)));
    const theirs = turn.bot.flows.get(past.flow)?.talk.slots ?? [];
    for (const slot of slots) {
      const name = slot.target.slice('flow.'.length);
      if (!slot.target.startsWith('flow.') || name in has || name in values) continue;
      const same = theirs.find((s) => s.target === slot.target && s.entity === slot.entity);
      const alike = theirs.filter((s) => s.entity === slot.entity);
      const single = alike.length === 1 && slots.filter((s) => s.entity === slot.entity).length === 1 ? alike[0] : undefined;
      const from = same ?? single;
      const value = from && (past.values[from.target.slice('flow.'.length)] ?? null);
      if (value !== undefined && value !== null) values[name] = value;
    }
  }
  return { values, means };
}

/** Begins the next of the wishes that wait for their turn; false where none does. */
export function beginLater(turn: Turn, place: Place): boolean {
  const next = turn.talk.nextLater();
  if (!next) return false;
  const flow = startOf(turn, next.intent, place);
  if (flow === undefined) return beginLater(turn, place);
  turn.over = false;
  turn.talk.leadWith(turn.talk.words('now-to', quoted(next.text)));
  const begun = beginWish(turn, { flow, values: next.values, text: next.text, intent: next.intent, place });
  if (begun && turn.frame && turn.talk.hasLater) turn.frame.leads = true;
  return begun;
}

/** Comes back to what waited before something came between: an opening goes on waiting, all else asks again. */
export function comeBackTo(turn: Turn): void {
  const { frame } = turn;
  if (frame?.waited) {
    turn.waiting = frame.waited;
    delete frame.waited;
  } else leadBack(turn);
}

/** Words before the question to which the bot comes back. */
export function leadBack(turn: Turn): void {
  const called = turn.frame && turn.words.calledOf(turn.frame.flow);
  turn.talk.leadQuestionWith(called === undefined ? turn.talk.words('back-to') : turn.talk.words('back-to-called', called));
}

/** How visitors could say an intent: its shortest phrase that holds no value; undefined where it has none in a language we need. */
export function sayingOf(turn: Turn, intent: string): string | undefined {
  const { intents = {}, languages } = turn.bot.document;
  const known = intents[intent];
  if (!known) return undefined;
  const all = phrasesOf(known, languages);
  const base = (l: string) => l.split('-')[0];
  const [spoken = []] = [turn.language, ...languages]
    .map((l) => all.filter((p) => base(p.language) === base(l)))
    .filter((l) => l.length > 0);
  const plain = spoken.filter((p) => p.marks.length === 0);
  const wordy = (p: { text: string }) => p.text.split(' ').length >= 3;
  const [shortest] = (plain.some(wordy) ? plain.filter(wordy) : plain.length > 0 ? plain : spoken).toSorted(
    (a, b) => a.text.length - b.text.length,
  );
  return shortest?.text;
}
