import type { Value } from '../../document/shapes.js';
import { sameValue } from '../../document/merge.js';
import { findNames } from '../../understanding/amounts.js';
import { createValueFinder, type FoundValue } from '../../understanding/recognise.js';
import { rankRoles, type RoleModel } from '../../understanding/roles.js';
import { normalise, tokensOf, understoodPart } from '../../understanding/words.js';
import { isKnown } from '../../expressions/functions.js';
import type { CompiledNode } from '../compiled.js';
import type { Turn } from '../turn.js';
import type { Slot } from './flow-talk.js';
import type { OpenFrame } from './trail.js';

/*
 * Which of the values in a message belong to which of the values that a flow takes or asks for.
 */

/** A value for a slot. `may` are all the slots that it could be for, where that cannot be told. */
export interface Filling {
  readonly value: Value;
  readonly slot: Slot | undefined;
  readonly may: readonly Slot[];
  /** The words of it. */
  readonly text: string;
}

/** A role is told from another by its surroundings where it is so much likelier (natural logarithm). */
const TELLS = 0.6;

const finders = new WeakMap<Turn['bot'], Map<string, ReturnType<typeof createValueFinder>>>();

/** The finder of some kinds of value, made once for a bot. */
function finderOf(turn: Turn, entities: readonly string[]): ReturnType<typeof createValueFinder> {
  const all = finders.get(turn.bot) ?? new Map<string, ReturnType<typeof createValueFinder>>();
  finders.set(turn.bot, all);
  const key = entities.join(' ');
  const found = all.get(key) ?? createValueFinder(turn.bot.document, entities);
  all.set(key, found);
  return found;
}

const foundIn = new WeakMap<Turn, Map<string, FoundValue[]>>();

/** The values of some kinds in a text; a turn looks at the same words several times, and finds them once. */
function foundOnce(turn: Turn, entities: readonly string[], said: string): readonly FoundValue[] {
  const all = foundIn.get(turn) ?? new Map<string, FoundValue[]>();
  foundIn.set(turn, all);
  const { day = '', language } = turn.answerSetting;
  const key = `${language} ${day} ${entities.join(' ')}\n${said}`;
  const known = all.get(key) ?? finderOf(turn, entities)(said, turn.answerSetting);
  all.set(key, known);
  return known;
}

/** The values in a text of the kinds that some slots take; what was found with its spelling mended is among them. */
export function valuesFor(turn: Turn, text: string, slots: readonly Slot[]): FoundValue[] {
  const said = understoodPart(text);
  const names = introduced(turn, said, slots);
  const entities = [...new Set(slots.map((s) => s.entity))].filter((e) => e !== 'text' && e !== 'yes_no').sort();
  if (entities.length === 0) return names;
  const own = foundOnce(turn, entities, said);
  const heard = (turn.heard?.values ?? []).filter(
    (v) => entities.includes(v.entity) && said.slice(v.from, v.to) === v.text && !own.some((o) => o.from < v.to && v.from < o.to),
  );
  return [...own, ...heard, ...names].filter((v) => !isPronoun(v, said) && !isWithout(v, said)).sort((a, b) => a.from - b.from);
}

/** "One" that stands for a thing and is no number: "the red one", "a good one?" */
function isPronoun({ entity, text, from, to }: FoundValue, said: string): boolean {
  if (entity !== 'number' || text.toLowerCase() !== 'one') return false;
  const before = said.slice(0, from).trim();
  const alone = before === '' || /(?:^|\s)(?:for|only|just|it|be|than|with|or|and)$/i.test(before);
  return !alone && !/^\s+\p{L}/u.test(said.slice(to));
}

/** A thing that is said to be none: "without a car", "ohne Auto". */
function isWithout({ from }: FoundValue, said: string): boolean {
  return /(?:^|\s)(?:without(?: an?| the| my)?|kein(?:e[nrms]?)?|ohne(?: ein(?:en|e)?)?|sin(?: el| la| un| una)?|sans(?: le| la| un| une)?)\s+$/iu.test(
    said.slice(0, from),
  );
}

const NAME_TARGETS = /(?:^|[._])(?:\w*name|nombre|vorname|nom)$/;

/** A name that somebody introduces, for a text that is asked as a name. */
function introduced(turn: Turn, said: string, slots: readonly Slot[]): FoundValue[] {
  const slot = slots.find((s) => s.entity === 'text' && NAME_TARGETS.test(s.target));
  const [name] = slot
    ? findNames(said, turn.language).filter((n) => NAMING.test(said.slice(Math.max(0, n.from - 24), n.from)))
    : [];
  return slot && name ? [{ ...name, entity: 'text', text: said.slice(name.from, name.to) }] : [];
}

/** Words that introduce nothing but a name. */
const NAMING = /(?:name(?:’s|'s| is)?|called|call me|heiße|heisse|ist|llamo|nombre es|appelle|nom est)\s*$/iu;

/** Words before a value that say where something begins, and where it ends. */
const FROM =
  /(?:^|\s)(?:from|leaving|departing|starting|out of|since|von|ab|aus|desde|de|saliendo de|depuis|du)(?: the| el| la| den| dem| der| le)?\s*$/iu;
const TO =
  /(?:^|\s)(?:to|towards|into|until|till|arriving at|going to|back to|for|nach|bis|zu|zum|zur|hasta|hacia|a|al|para|vers|à|jusqu'à|pour)(?: the| el| la| den| dem| der| le)?\s*$/iu;
const FROM_NAMES = /from|origin|start|depart|leav|pick|begin|source|first|von|ab|desde|origen|salida|depart/;
const TO_NAMES = /to(_|$)|dest|arriv|end|return|until|drop|target|last|till|nach|bis|hasta|llegada/;

/** Of two slots or more the one that the words before a value name, by what begins and what ends. */
function byPreposition(text: string, value: FoundValue, slots: readonly Slot[]): Slot | undefined {
  const before = text.slice(Math.max(0, value.from - 40), value.from);
  const [first, ...rest] = slots;
  const last = rest.at(-1);
  if (first === undefined || last === undefined) return undefined;
  const named = (names: RegExp): Slot | undefined => slots.find((s) => names.test(s.target.slice(s.target.indexOf('.') + 1)));
  if (FROM.test(before)) return named(FROM_NAMES) ?? first;
  if (TO.test(before)) return named(TO_NAMES) ?? last;
  return undefined;
}

/** Of slots those that the words around a value make likelier than all others; undefined where no phrase tells. */
function byPhrases(text: string, value: FoundValue, slots: readonly Slot[], models: readonly RoleModel[]): Slot | undefined {
  const [best, next] = rankRoles(text, value, models);
  if (!best || best.count === 0 || (next && best.likely - next.likely < TELLS)) return undefined;
  return slots.find((s) => s.target === `flow.${best.role}`);
}

export interface Filled {
  readonly frame: OpenFrame;
  /** The slot that is asked for now, if one is. */
  readonly asked?: Slot | undefined;
  /** The words that are denied: "not Friday". */
  readonly not?: string | undefined;
}

/** Which slots of a run of a flow the values of a text are for. */
export function fillings(turn: Turn, text: string, { frame, asked, not }: Filled): Filling[] {
  const flow = turn.bot.flows.get(frame.flow);
  const slots = flow?.talk.slots ?? [];
  if (!flow || slots.length === 0) return [];
  const found = valuesFor(turn, text, slots);
  const denied = not === undefined ? [] : valuesFor(turn, not, slots);
  const taken = new Set<string>();
  const alone = (v: FoundValue): boolean => found.filter((f) => f.entity === v.entity).length === 1;
  return found
    .filter((v) => !denied.some((d) => d.entity === v.entity && sameValue(d.value, v.value)))
    .map((v): Filling => {
      const may = slots.filter(
        (s) => s.entity === v.entity && !taken.has(s.target) && (s.entity !== 'text' || NAME_TARGETS.test(s.target)),
      );
      const slot = slotFor(turn, text, v, { may, frame, asked, denied, roles: flow.talk.roles(), alone: alone(v) });
      if (slot) taken.add(slot.target);
      return { value: asAsked(turn, slot, flow.nodes, v), slot, may, text: v.text };
    });
}

/** A day as its question takes it: "Monday" is the one before where that is asked, and the one to come elsewhere. */
export function asAsked(
  turn: Turn,
  slot: Slot | undefined,
  nodes: ReadonlyMap<string, CompiledNode<Turn>>,
  { value, text }: { readonly value: Value; readonly text: string },
): Value {
  if (slot?.entity !== 'date' || slot.node === undefined) return value;
  return nodes.get(slot.node)?.valueIn?.(turn, text) ?? value;
}

interface Candidates {
  readonly may: readonly Slot[];
  readonly frame: OpenFrame;
  readonly asked: Slot | undefined;
  readonly denied: readonly FoundValue[];
  readonly roles: readonly RoleModel[];
  /** It is the only value of its kind in the message. */
  readonly alone: boolean;
}

function slotFor(
  turn: Turn,
  text: string,
  v: FoundValue,
  { may, frame, asked, denied, roles, alone }: Candidates,
): Slot | undefined {
  const [only, ...others] = may;
  if (others.length === 0) return only;
  if (asked && may.includes(asked) && alone) return byPreposition(text, v, may) ?? asked;
  const held = (s: Slot): Value => heldIn(turn, frame, s.target);
  const wrong = may.filter((s) => denied.some((d) => sameValue(held(s), d.value)));
  if (wrong.length === 1) return wrong[0];
  const told = byPreposition(text, v, may) ?? byPhrases(text, v, may, roles);
  if (told) return told;
  if (asked && may.includes(asked)) return asked;
  const unknown = may.filter((s) => !isKnown(held(s)));
  return unknown.length > 0 && asked === undefined && denied.length === 0 && unknown.length === may.length
    ? unknown[0]
    : undefined;
}

const SMALL = new Set(
  (
    'morning afternoon evening tonight early late around morgens mittags nachmittags abends fruh spat manana tarde noche matin soir ' +
    'the a an to from on in at by for of with and or is it that then there please yes no ok well so hm hmm oh my our i we ' +
    'der die das den dem ein eine einen einem nach von vom am um in im mit für und oder bitte dann zu zum ja nein also ' +
    'el la los las un una a al de del en con para y o por favor entonces si no pues ' +
    'le la les un une des a au de du en avec pour et ou s il vous plait oui non'
  )
    .split(' ')
    .map(normalise),
);

/** The words of a text that say something beside some values. */
export function wordsBeside(text: string, found: readonly { readonly from: number; readonly to: number }[]): string[] {
  const tokens = tokensOf(text).filter((t) => !SMALL.has(t.word) && !found.some((f) => t.from < f.to && f.from < t.to));
  return tokens.map((t) => t.word);
}

/** What a variable holds for a run of a flow. */
export function heldIn(turn: Turn, frame: OpenFrame, target: string): Value {
  return target.startsWith('flow.') ? (frame.values[target.slice('flow.'.length)] ?? null) : turn.read(target);
}

/** The node at which a run of a flow stands. */
export function nodeOf(turn: Turn, frame: OpenFrame | undefined): CompiledNode<Turn> | undefined {
  return frame && turn.bot.flows.get(frame.flow)?.nodes.get(frame.node);
}

/** The slot that a run of a flow asks for now. */
export function askedSlot(turn: Turn, frame: OpenFrame): Slot | undefined {
  return turn.bot.flows.get(frame.flow)?.talk.slots.find((s) => s.node === frame.node);
}
