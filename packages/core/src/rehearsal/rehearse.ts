import { durationMs, type Value } from '../document/shapes.js';
import type { Expectation, Firing, Rehearsal, RehearsedTurn } from '../document/rehearsals.js';
import type { BotDocument } from '../document/schema.js';
import { firedBy } from '../starts/firing.js';
import { manyOf, memoryOf, PracticeMemories } from '../memory/index.js';
import { PracticeTables } from '../tables/practice.js';
import { beginTurn, openSession, waitingAt } from '../engine/advance.js';
import { drive, everyPerformer, type Performers } from '../engine/drive.js';
import { practiceSignIn } from '../engine/effects/sign-in.js';
import { typeOf, type Completed, type Effect, type Result } from '../engine/effects/registry.js';
import { choiceIn, firstNameOf, type EventOf, type IncomingEvent, type VariableValues } from '../engine/event.js';
import type { Mind } from '../engine/mind.js';
import type { TurnSheet } from '../engine/sheet.js';
import type { CompiledBot } from '../engine/turn.js';
import type { Session } from '../engine/types.js';
import { normalise } from '../understanding/words.js';
import { missesOf, type Miss } from './expect.js';
import { eventOf, keptEvent, noSample, sampleFor, type Samples } from './samples.js';

/** One turn as it was rehearsed: its record, what it missed, and which samples answered. */
export interface TurnOutcome {
  readonly sheet: TurnSheet;
  readonly misses: readonly Miss[];
  readonly samples: readonly string[];
  readonly waitsAt: { readonly flow: string; readonly node: string } | null;
}

export interface RehearsalOutcome {
  readonly rehearsal: string;
  readonly passed: boolean;
  readonly turns: readonly TurnOutcome[];
}

/** How long after the turn before a turn comes, where a rehearsal does not say. */
const BETWEEN_TURNS_MS = 10_000;

/**
 * Runs one kept conversation against a bot. Nothing outside is called: samples answer, and what none answers fails. The
 * first turn is at the rehearsal's own clock, else at `at` (ISO 8601, UTC). It goes on after a miss, so that all of
 * them are told; only a button that is not there ends it.
 */
export async function rehearse(
  bot: CompiledBot,
  id: string,
  rehearsal: Rehearsal,
  mind: Mind,
  at: string,
): Promise<RehearsalOutcome> {
  const { clock = at, turns } = rehearsal;
  let { visitor = {} } = rehearsal;
  const many = manyOf(bot.document);
  const memories = new PracticeMemories();
  const known = visitor.facts === undefined ? undefined : memoryOf(visitor.facts, bot.document, clock);
  let session = openSession(bot, visitor.kept ?? {}, visitor.language, known);
  let moment = Date.parse(clock);
  const outcomes: TurnOutcome[] = [];
  const tables = new PracticeTables(bot.document, rehearsal.rows);
  for (const [i, turn] of turns.entries()) {
    if (i > 0) moment += turn.after === undefined ? BETWEEN_TURNS_MS : durationMs(turn.after);
    const now = new Date(moment).toISOString();
    const fired = turn.fires && firedIn(bot.document, turn.fires, now);
    visitor = signedInBy(turn, visitor);
    const event = fired?.event ?? eventIn(bot, session, visitor, turn, now);
    const first = [turn.samples ?? [], rehearsal.samples ?? []];
    // A run has a state of its own; the conversation beside it goes on as it was.
    const before = fired ? openSession(bot, {}) : session;
    const ran = await runTurn(bot, before, event, { mind, samples: bot.document.samples ?? {}, first, tables, memories });
    memories.change(ran.memoryChanges, many);
    const pressed = fired ? fired.misses : pressMiss(session, turn, event);
    if (!fired) session = ran.session;
    outcomes.push({
      sheet: ran.sheet,
      misses: [
        ...pressed,
        ...unsampled(turn.expects, ran.sheet),
        ...(turn.expects ? missesOf(turn.expects, ran.sheet, ran.session, tables) : []),
      ],
      samples: ran.used,
      waitsAt: waitingAt(ran.session),
    });
    if (pressed.length > 0) break;
  }
  return { rehearsal: id, passed: outcomes.every((o) => o.misses.length === 0), turns: outcomes };
}

/** What comes in with a start that is set off; what of it does not fit is a miss. */
function firedIn(
  document: BotDocument,
  firing: Firing,
  at: string,
): { readonly event: EventOf<'fired'>; readonly misses: readonly Miss[] } {
  const { event, problems } = firedBy(document, firing, at);
  const misses = problems.map(({ input, reason }): Miss => {
    return { kind: 'came-in', expected: `What came should fill in “${input}”`, found: `it ${reason}` };
  });
  if (event) return { event, misses };
  const named = firing.page === undefined ? `start “${firing.start ?? ''}”` : `page “${firing.page}”`;
  const none: Miss = { kind: 'came-in', expected: `There should be a ${named}`, found: 'there is none' };
  return { event: { type: 'fired', at, by: 'hand', flow: '', given: {} }, misses: [none] };
}

type RehearsedVisitor = NonNullable<Rehearsal['visitor']>;

/** Who speaks from a turn on. */
function signedInBy({ 'signs-in': as }: RehearsedTurn, visitor: RehearsedVisitor): RehearsedVisitor {
  if (!as) return visitor;
  const first = firstNameOf(as.name);
  return { ...visitor, ...as, ...(first ? { first_name: first } : {}), signed_in: true };
}

/** What comes in with a turn. */
function eventIn(bot: CompiledBot, session: Session, visitor: RehearsedVisitor, turn: RehearsedTurn, at: string): IncomingEvent {
  const base = {
    at,
    channel: visitor.channel ?? 'simulator',
    ...(visitor.name === undefined ? {} : { name: visitor.name }),
    ...(visitor.first_name === undefined ? {} : { firstName: visitor.first_name }),
    ...(visitor.email === undefined ? {} : { email: visitor.email }),
    ...(visitor.signed_in === undefined ? {} : { signedIn: visitor.signed_in }),
    ...(visitor.zone === undefined ? {} : { zone: visitor.zone }),
  };
  if (turn.starts) {
    const [flow = '', node = ''] = turn.starts.node.split('/');
    return { type: 'start', ...base, start: { flow, node, variables: byScope(turn.starts.values ?? {}) } };
  }
  if (turn['hands-back']) return { type: 'hand-back', ...base, ...(turn['hands-back'] === 'closes' ? { closes: true } : {}) };
  if (turn.says !== undefined) return { type: 'message', ...base, text: turn.says };
  if (turn.presses !== undefined) {
    const pressed = choiceBy(session, turn.presses);
    return { type: 'message', ...base, text: pressed?.says ?? turn.presses, ...(pressed ? { choice: pressed.id } : {}) };
  }
  const kept = turn.sends === undefined ? undefined : keptEvent(bot.document.samples, turn.sends);
  if (kept) return { ...base, ...eventOf(kept) };
  return { type: turn['signs-in'] && !turn.opens ? 'signed-in' : 'open', ...base };
}

/** Values by their full names (`flow.day`) sorted into scopes. */
export function byScope(values: Readonly<Record<string, Value>>): VariableValues {
  const of = (scope: string) =>
    Object.fromEntries(
      Object.entries(values).flatMap(([key, v]) =>
        key.startsWith(`${scope}.`) ? [[key.slice(scope.length + 1), v] as const] : [],
      ),
    );
  return { flow: of('flow'), session: of('session'), visitor: of('visitor') };
}

/** The button that bears these words, or this id. */
function choiceBy(session: Session, wanted: string) {
  const choices = [...(session.waiting?.choices ?? []), ...(session.talk?.offers ?? [])];
  return choices.find((c) => c.id === wanted) ?? choices.find((c) => normalise(c.says) === normalise(wanted));
}

function pressMiss(session: Session, turn: RehearsedTurn, event: IncomingEvent): Miss[] {
  if (turn.presses === undefined || choiceIn(event) !== undefined) return [];
  const there = (session.waiting?.choices ?? []).map((c) => c.says).join(', ');
  const expected = `There should be a button “${turn.presses}” to press`;
  return [{ kind: 'came-in', expected, found: there === '' ? 'there are no buttons' : `there are ${there}` }];
}

/** A call that no sample answered is a miss, unless the turn expects the failure in so many words: nobody would see it else. */
function unsampled(expected: Expectation | undefined, { effects }: TurnSheet): Miss[] {
  if (expected?.effects !== undefined) return [];
  return effects.flatMap(({ request, result }): Miss[] => {
    if (result.outcome !== 'failed' || result.code !== 'no-sample') return [];
    const what = typeOf(request).spoken(request);
    return [{ kind: 'came-in', expected: `A sample should answer ${what}`, found: 'none does; keep one' }];
  });
}

interface Setting {
  readonly mind: Mind;
  readonly samples: Samples;
  readonly first: readonly (readonly string[])[];
  readonly tables: PracticeTables;
  readonly memories: PracticeMemories;
}

/** One turn, every effect answered at once. Time passes only where nothing else is left to come. */
async function runTurn(
  bot: CompiledBot,
  session: Session,
  event: IncomingEvent,
  { mind, samples, first, tables, memories }: Setting,
) {
  const used: string[] = [];
  const timers: Completed[] = [];
  const sampled = (effect: Effect): Result => {
    const kept = sampleFor(samples, effect, first);
    if (kept) used.push(kept.sample);
    return kept?.result ?? noSample(effect);
  };
  const performers: Performers = {
    ...everyPerformer(sampled),
    ...mind,
    table: (effect) => tables.perform(effect),
    // Nothing is drawn in a rehearsal; that it would be is what counts.
    draw: () => ({ outcome: 'drawn', address: 'https://pictures.invalid/rehearsed.png', media: 'image/png', size: 1 }),
    recall: ({ key }) => ({ outcome: 'recalled', memory: memories.of(key) }),
    // Nothing is sent from a rehearsal; that it would be is what counts.
    notice: () => ({ outcome: 'queued', notice: 'rehearsed' }),
    'sign-in': practiceSignIn,
    step: () => ({ outcome: 'go-on' }),
    timer: ({ path }) => {
      timers.push({ path, result: { outcome: 'elapsed' } });
      return new Promise(() => undefined);
    },
  };
  // Time passes only when nothing else can come: what is looked up elsewhere comes before it.
  const idle = (open: readonly Effect[]) => (open.every((e) => e.type === 'timer') ? timers.shift() : undefined);
  const { result } = await drive(beginTurn(bot, session, event), { performers, idle });
  return { session: result.session, sheet: result.sheet, memoryChanges: result.memoryChanges, used };
}
