import { sameValue } from '../../document/merge.js';
import type { Value } from '../../document/shapes.js';
import { core } from '../../understanding/cues/cue.js';
import { correcting, followingUp, goesBack, isQuestion } from '../../understanding/cues/steering.js';
import type { Turn } from '../turn.js';
import type { PastWish } from '../types.js';
import { fillings, valuesFor, wordsBeside } from './read.js';
import type { FlowTalk } from './flow-talk.js';
import { readsAny } from './slots.js';
import type { OpenFrame } from './trail.js';
import { personOffer } from './ways.js';
import { beginWish, startOf, type Place } from './wishes.js';

/*
 * Follow-ups: the question before with one thing changed. "And on Sunday?", "and back?", "same to Port Anselm", "and cats?"
 */

/** A wish can be gone on from for so many turns. */
const LASTS_TURNS = 6;
const FEW_WORDS = 4;
/** An intent that is nearest, though not sure enough, is what a short follow-up is about from this score on. */
const NEAR_FROM = 0.2;

/** A message that goes on from a wish: with which values that is asked again, or with which words. */
export interface FollowUp {
  readonly past: PastWish;
  readonly values: Readonly<Record<string, Value>>;
  readonly text: string;
  readonly changed: readonly string[];
  /** It says nothing but what has changed: "and on Sunday?" */
  readonly plain: boolean;
}

/** Reads a message as a follow-up to the wish that was seen to last; undefined where it is none. */
export function followUpIn(turn: Turn, text: string): FollowUp | undefined {
  const past = turn.talk.past.find((p) => turn.talk.turn - p.ended <= LASTS_TURNS);
  if (!past || !turn.may('follow-ups')) return undefined;
  const flow = turn.bot.flows.get(past.flow);
  if (!flow) return undefined;
  const slots = flow.talk.slots.filter((s) => s.target.startsWith('flow.'));
  const inputs = Object.fromEntries(
    slots.flatMap((s) => {
      const name = s.target.slice('flow.'.length);
      const value = past.values[name];
      return value === undefined ? [] : [[name, value] as const];
    }),
  );
  const again = (values: Readonly<Record<string, Value>>, plain: boolean): FollowUp | undefined => {
    const changed = Object.keys(values).filter((n) => !sameValue(values[n], inputs[n]));
    const kept = Object.entries(inputs).filter(([n]) => !madeOf(flow.talk, n, changed));
    return changed.length === 0
      ? undefined
      : { past, values: { ...Object.fromEntries(kept), ...values }, text: past.text, changed, plain };
  };
  if (goesBack(text, turn.language)) {
    const turned = swapped(inputs, slots);
    if (turned) return again(turned, true);
  }
  const marked = followingUp(text, turn.language);
  const corrects = correcting(text, turn.language);
  const found = valuesFor(turn, text, slots);
  const rest = wordsBeside(text, found);
  const bare = found.length > 0 && rest.length === 0;
  const said = marked ?? (corrects?.sure ? corrects.to : undefined);
  const steers = marked !== undefined || corrects !== undefined;
  if (found.length > 0 && (bare || (steers && rest.length <= FEW_WORDS))) {
    const frame: OpenFrame = { flow: past.flow, node: '', values: { ...inputs }, reached: [], trail: [], wrote: {} };
    const filled = fillings(turn, text, { frame, not: corrects?.not });
    const values = Object.fromEntries(
      filled.flatMap(({ slot, may, value }) => {
        const last = slot ?? may.toReversed().find((s) => inputs[s.target.slice('flow.'.length)] !== undefined) ?? may.at(-1);
        return last ? [[last.target.slice('flow.'.length), value] as const] : [];
      }),
    );
    return again(
      values,
      rest.length === 0 ||
        (marked !== undefined && rest.length === 1 && isQuestion(text, turn.language)) ||
        (said !== undefined && rest.every((w) => !said.split(' ').includes(w))),
    );
  }
  return marked !== undefined && slots.length === 0 ? inWords(turn, text, marked, past) : undefined;
}

/** True for a value that the flow made of one that has changed: "after 13:15" is nothing to another day. */
function madeOf({ nodes }: FlowTalk, name: string, changed: readonly string[]): boolean {
  const target = `flow.${name}`;
  const others = new Set(changed.filter((n) => n !== name).map((n) => `flow.${n}`));
  return [...nodes.values()].some((n) => n.assigns.some((a) => a.target === target && readsAny(a.reads, others)));
}

/** A follow-up to something that is answered by its words alone: the new words, with those before where they say too little. */
function inWords(turn: Turn, text: string, marked: string, past: PastWish): FollowUp | undefined {
  const rest = core(marked, turn.language);
  const { length } = rest.split(' ');
  if (rest === '' || length > FEW_WORDS) return undefined;
  const near = turn.heard?.intents.find((h) => h.intent === past.intent)?.score ?? 0;
  const [best] = turn.heard?.intents ?? [];
  if (best && best.intent !== past.intent && best.score > Math.max(near, 0.5)) return undefined;
  const words = near >= NEAR_FROM ? text : `${rest}? ${past.text}`;
  return { past, values: {}, text: words, changed: [rest], plain: false };
}

/** The two values of one kind that a wish was about, the other way round. */
function swapped(
  inputs: Readonly<Record<string, Value>>,
  slots: readonly { readonly target: string; readonly entity: string }[],
): Record<string, Value> | undefined {
  const kinds = new Set(slots.map((s) => s.entity));
  for (const kind of kinds) {
    const [one, other, ...more] = slots.filter((s) => s.entity === kind).map((s) => s.target.slice('flow.'.length));
    if (one === undefined || other === undefined || more.length > 0) continue;
    const [a, b] = [inputs[one], inputs[other]];
    if (a !== undefined && b !== undefined && kind !== 'date' && kind !== 'time') return { [one]: b, [other]: a };
  }
  return undefined;
}

/** Asks again what was asked before, with what has changed. What was done for it outside stands, and the visitor is told so. */
export function goOnFromPast(turn: Turn, { past, values, text, changed }: FollowUp, place: Place): boolean {
  const flow = past.intent === undefined ? past.flow : startOf(turn, past.intent, place);
  if (flow === undefined) return false;
  if (past.did) {
    const said = Object.entries(values)
      .filter(([n]) => changed.includes(n))
      .map(([n, v]) => turn.words.inFlow(past.flow, n, v));
    turn.talk.took('correction', `${changed.join(', ')}, which stands`);
    const anew = { says: turn.talk.words('anew', said.join(', ')), way: { to: 'anew', flow, values, text } as const };
    turn.say(turn.talk.words('stands'), turn.talk.offer([anew, ...personOffer(turn)]));
    return true;
  }
  turn.talk.took('follow-up', `turn ${past.turn}: ${changed.join(', ')}`);
  if (past.intent !== undefined) turn.took(past.intent, 'follows', values);
  return beginWish(turn, { flow, values, text, intent: past.intent, place });
}
