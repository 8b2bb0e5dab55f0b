import { sameValue } from '../../document/merge.js';
import { memoryWish } from '../../understanding/cues/remembering.js';
import { kindsMeant, statedFacts, type Fact, type Proposal, type Stating } from '../../memory/index.js';
import { escapeMarkdown } from '../../text/markdown.js';
import { factWords } from '../facts.js';
import { wordsIn } from '../event.js';
import type { Turn } from '../turn.js';
import type { Waiting } from '../types.js';
import { currentNode } from '../walk.js';
import { applyChanges } from './correct.js';
import { comeBack } from './ways.js';
import { dayInWords } from './words.js';

/*
 * What visitors say of themselves is kept as the designer allows, they are asked how long it counts, told what is known, and
 * what they want forgotten is gone.
 */

/** What a message says of who says it, once for a turn. */
export interface Noticed {
  readonly facts: readonly Stating[];
  /** It says nothing besides. */
  readonly alone: boolean;
  readonly refused?: 'no-kind' | 'never' | 'order';
}

const NOTHING: Noticed = { facts: [], alone: false };

/** Finds what a message states of its visitor; nothing of it is kept yet. */
export function noticed(turn: Turn, text: string): Noticed {
  if (!turn.memory.keepsFacts || !turn.may('memory') || text.trim() === '') return NOTHING;
  if (memoryWish(text, turn.language)) return NOTHING;
  return statedFacts(text, turn.bot.document, turn.language, turn.heard?.values ?? []);
}

/**
 * A message that is about what is kept: it asks for it, has something forgotten, or states nothing but a fact. True where it is seen to
 * with that.
 */
export function takesMemory(turn: Turn, text: string, { facts, alone, refused }: Noticed, waiting: Waiting | null): boolean {
  if (!turn.may('memory')) return false;
  const wish = memoryWish(text, turn.language);
  const done = (of: string): true => {
    turn.talk.took('memory', of);
    turn.talk.misses = 0;
    return comeBack(turn, waiting);
  };
  if (wish?.wants === 'knows') {
    const keeps =
      turn.memory.keepsFacts || turn.bot.recalls || Object.keys(turn.bot.document.variables?.visitor ?? {}).length > 0;
    if (keeps) tellAll(turn);
    else turn.say(turn.talk.words('keeps-nothing'));
    return done('what is known');
  }
  if (wish?.wants === 'forget-all') {
    forgetAll(turn);
    return done('forget everything');
  }
  if (wish?.wants === 'forget') return forgets(turn, wish.what) && done('forget');
  if (refused && turn.memory.keepsFacts) {
    turn.memory.notes.push({ did: 'refused', says: text.slice(0, 240), why: refused });
    turn.say(refused === 'never' ? turn.talk.words('keeps-never') : turn.talk.words('keeps-only', kindsInWords(turn)));
    return done('not kept');
  }
  if (!alone || facts.some((f) => f.lasts !== 'always')) return false;
  keepStated(turn, facts, waiting);
  return done('a fact');
}

function kindsInWords(turn: Turn): string {
  return Object.values(turn.bot.document.memory?.facts ?? {})
    .map((k) => k.about)
    .slice(0, 8)
    .join(', ');
}

/** Keeps what was stated, and has it asked about where it is not plain for how long. What is plain is said back. */
export function keepStated(turn: Turn, facts: readonly Stating[], waiting: Waiting | null): void {
  const before = turn.frame;
  for (const { about, says, value, by, lasts, ends, denies } of facts) {
    const kind = turn.bot.document.memory?.facts?.[about];
    const known = turn.memory.factsAbout(about);
    const same = known.find((f) => sameValue(f.value, value));
    if (denies) {
      const gone = same ? turn.memory.forget(about, same.id) : [];
      if (gone.length > 0) turn.say(`${turn.talk.words('forgot')}${gone.map((f) => factWords(turn, f)).join(' ')}`.trim());
      continue;
    }
    if (ends && kind?.many === true) {
      const meant = kindsMeant(says, turn.bot.document, turn.language, known).filter((m) => m.id !== undefined);
      const gone = meant.flatMap((m) => turn.memory.forget(m.about, m.id));
      if (gone.length > 0) turn.say(turn.talk.words('forgot', gone.map((f) => f.says).join('; ')));
      continue;
    }
    // That something is not so is worth keeping only where it was so, or always is not.
    if (value === false && known.length === 0 && lasts !== 'always') continue;
    const counts = lasts ?? (kind?.lasts === 'always' || kind?.lasts === 'now' ? kind.lasts : undefined);
    if (same && (counts !== 'always' || same.lasts === 'always')) {
      if (counts === 'always') turn.say(turn.talk.words('same-already', says));
      continue;
    }
    if (counts === undefined) {
      // Until they have said, it counts for now.
      turn.memory.keep({ about, says, value, by, lasts: 'now' });
      turn.memory.propose({ about, says, value, by });
      continue;
    }
    const fact = turn.memory.keep({ about, says, value, by, lasts: counts });
    if (counts === 'always') turn.say(`${turn.talk.words('keeps-fact')}${factWords(turn, fact)}`.trim());
    else if (waiting === null && before === undefined) turn.say(`${turn.talk.words('keeps-now')}${factWords(turn, fact)}`.trim());
  }
  turn.refreshFacts();
  for (const { about, value, denies } of facts) if (!denies) putRight(turn, about, value);
}

/** What is under way goes by what was just said: a variable that a fact fills, and that holds something else, is replaced. */
function putRight(turn: Turn, about: string, value: Fact['value']): void {
  const { frame } = turn;
  const fills = turn.bot.document.memory?.facts?.[about]?.fills ?? [];
  if (!frame || turn.bot.document.memory?.facts?.[about]?.many === true) return;
  for (const name of fills) {
    const held = frame.values[name] ?? null;
    if (held === null || sameValue(held, value)) continue;
    const slot = turn.bot.flows.get(frame.flow)?.talk.slots.find((s) => s.target === `flow.${name}`);
    if (slot) applyChanges(turn, frame, [{ slot, value }]);
    else turn.write(`flow.${name}`, value);
  }
}

/** Tells what is known about the visitor. */
function tellAll(turn: Turn): void {
  const { facts } = turn.memory;
  turn.memory.notes.push({ did: 'told' });
  const declared = Object.keys(turn.bot.document.variables?.visitor ?? {});
  const variables = declared.flatMap((name) => {
    const value = turn.read(`visitor.${name}`);
    const plain = typeof value === 'string' || typeof value === 'number';
    return plain && value !== '' ? [`- ${nameInWords(turn, name)}: ${escapeMarkdown(String(value))}`] : [];
  });
  const lines = facts.map((f) => {
    const when =
      f.lasts === 'now'
        ? turn.talk.words('fact-now')
        : turn.talk.words('fact-since', dayInWords(f.at.slice(0, 10), turn.language));
    return `- ${factWords(turn, f)} (${when.charAt(0).toLowerCase()}${when.slice(1)})`;
  });
  const all = [...lines, ...variables.slice(0, MOST_TOLD)];
  if (all.length === 0) return turn.say(turn.talk.words('knows-nothing'));
  turn.say(`${turn.talk.words('knows')}\n\n${all.join('\n')}\n\n${turn.talk.words('forget-how')}`);
}

const MOST_TOLD = 20;

/** What a variable is called: by its declaration, else by its name. */
function nameInWords(turn: Turn, name: string): string {
  const declared = turn.bot.document.variables?.visitor?.[name];
  return escapeMarkdown((typeof declared === 'object' ? declared.name : undefined) ?? name.replaceAll('_', ' '));
}

/** Forgets all facts, what was said before, and the visitor's variables. */
function forgetAll(turn: Turn): void {
  const variables = Object.keys(turn.bot.document.variables?.visitor ?? {}).filter((n) => turn.read(`visitor.${n}`) !== null);
  const had = turn.memory.kept.exchanges.length > 0 || turn.memory.kept.summary !== undefined;
  const count = turn.memory.forgetAll();
  for (const name of variables) turn.write(`visitor.${name}`, null);
  turn.refreshFacts();
  turn.say(turn.talk.words(count + variables.length > 0 || had ? 'forgot-all' : 'forgot-nothing'));
}

/** Forgets what words mean of what is known; false where they mean nothing of it. */
function forgets(turn: Turn, what: string): boolean {
  if (!turn.memory.keepsFacts) return false;
  const meant = kindsMeant(what, turn.bot.document, turn.language, turn.memory.facts);
  if (meant.length === 0) return false;
  const gone = meant.flatMap((m) => turn.memory.forget(m.about, m.id));
  turn.refreshFacts();
  turn.say(
    gone.length > 0
      ? `${turn.talk.words('forgot')}${gone.map((f) => factWords(turn, f)).join(' ')}`.trim()
      : turn.talk.words('forgot-nothing'),
  );
  return true;
}

/** Asks about a fact where nothing else is asked: for always, or only for now. */
export function askAboutFacts(turn: Turn): void {
  if (turn.resting || turn.handed || turn.isBranch || turn.event.type === 'fired' || !turn.memory.keepsFacts) return;
  if (turn.talk.hasOffers || turn.messages.length === 0 || !isFree(turn) || !turn.may('memory')) return;
  const next = turn.memory.nextToAsk();
  if (!next) return;
  const ways = (['always', 'now'] as const).map((lasts) => {
    return {
      says: turn.talk.words(lasts === 'always' ? 'always' : 'only-now'),
      way: { to: 'fact', proposal: next, lasts } as const,
    };
  });
  turn.say(`${turn.talk.words('always-or-now')}${factWords(turn, next)}`.trim(), turn.talk.offer(ways));
}

/** Nothing is asked: nothing waits, or what waits takes whatever comes; or a flow has just come to its end. */
function isFree(turn: Turn): boolean {
  if (turn.over || turn.waiting === null || turn.frames.length === 0) return true;
  if (turn.record.leftFlows.length > 0 && turn.frames.length <= 1) return true;
  const node = currentNode(turn);
  return node !== undefined && !node.asks && !node.offers && (turn.waiting.choices ?? []).length === 0;
}

/** The visitor has said how long a fact counts. */
export function factAnswered(turn: Turn, proposal: Proposal, lasts: Fact['lasts']): void {
  const fact = turn.memory.keep({ ...proposal, lasts });
  if (lasts === 'now') turn.memory.decline(proposal.about, proposal.value);
  turn.refreshFacts();
  turn.say(`${turn.talk.words(lasts === 'always' ? 'keeps-fact' : 'keeps-now')}${factWords(turn, fact)}`.trim());
}

/** Keeps what was said and answered for turns to come, where the bot recalls turns. What speaks of memory itself is left out. */
export function keepExchange(turn: Turn): void {
  if (!turn.bot.recalls || turn.resting || turn.isBranch || turn.event.type !== 'message' || turn.handed) return;
  const { notes } = turn.memory;
  if (notes.some((n) => n.did === 'forgot-all' || n.did === 'forgot' || n.did === 'told' || n.did === 'refused')) return;
  turn.memory.exchanged(wordsIn(turn.event), turn.talk.saidInTurn(turn.messages));
}
