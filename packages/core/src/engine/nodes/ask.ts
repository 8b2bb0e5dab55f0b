import { z } from 'zod';
import { expression, name, nodeBase, target, text, type Value } from '../../document/shapes.js';
import { sampleText } from '../../document/texts.js';
import { isKnown, textOf } from '../../expressions/functions.js';
import { ANSWER_KINDS, readAnswer, readEntity, readListed, type Answer, type AnswerKind } from '../../understanding/answers.js';
import { saysNothing } from '../../understanding/cues/cue.js';
import { asksForSomething, isBareAnswer, isQuestion } from '../../understanding/cues/steering.js';
import { polarityHere, polarityOf } from '../../understanding/cues/yes-no.js';
import { compilePattern } from '../../understanding/recognise.js';
import { wordingsOf } from '../../understanding/wordings.js';
import { normalise, understoodPart } from '../../understanding/words.js';
import { nearest } from '../../text/nearest.js';
import type { Hearing, Outcome } from '../compiled.js';
import type { Compiler } from '../compiler.js';
import { wordsIn, type IncomingEvent } from '../event.js';
import { factFor, usesFact } from '../facts.js';
import { defineKind, wordUses, type Use } from '../kind.js';
import { dayInWords } from '../talk/words.js';
import type { Turn } from '../turn.js';

/** A value that is not taken, and what the visitor is told of it. */
const refusal = z.strictObject({ when: expression, says: text });

const schema = z.strictObject({
  kind: z.literal('ask'),
  ...nodeBase,
  says: text,
  expects: name,
  /** Which of two days is meant where both could be: one in the past, or one to come. A day on the other side is not taken. */
  wants: z.enum(['past', 'future']).optional(),
  into: target,
  /** Values that are not taken; `answer` is the value. */
  refuses: z.array(refusal).max(20).optional(),
  /** Whatever they say is the answer, even what sounds like another wish. */
  whatever: z.boolean().optional(),
  again: text.optional(),
  tries: z.number().int().min(0).max(9).optional(),
});
type Ask = z.infer<typeof schema>;

const DEFAULT_TRIES = 2;
/** From here on an answer is not compared with each wording of an entity. */
const MANY_WORDINGS = 300;
/** So many values of an entity are told where an answer was none of them. */
const FEW_VALUES = 8;
/** A question of so many words is none that tells something. */
const LONG_QUESTION = 8;
const ANSWER_LOCALS = ['answer'];

function isBuiltIn(expects: string): expects is AnswerKind {
  return (ANSWER_KINDS as readonly string[]).includes(expects);
}

/** Reads what is said as an answer of the kind that a node expects. */
function readerOf(node: Ask, compiler: Compiler): (turn: Turn, said: string) => Answer {
  const { languages, entities } = compiler.document;
  const entity = entities?.[node.expects];
  const pattern = entity?.pattern === undefined ? undefined : compilePattern(entity.pattern);
  const wordings = entity?.values && wordingsOf(entity, languages);
  const many = wordings !== undefined && wordings.size > MANY_WORDINGS ? wordings : undefined;
  const ready = many ? {} : readyOptions(node.expects, languages, (l) => compiler.options(node.expects, l));
  const named = /(?:^|[._])(?:\w*name|nombre|vorname|nom)$/.test(node.into);
  return (turn, said) => {
    const setting = { at: turn.at, zone: turn.zone, language: turn.language, day: turn.day, wants: node.wants };
    if (node.expects === 'text') {
      const asksFor = asksForSomething(sampleText(node.says, turn.language), turn.language);
      return readText(said, turn.language, { whatever: node.whatever === true, named, asksFor });
    }
    if (isBuiltIn(node.expects)) return readAnswer(node.expects, said, setting);
    if (many) return readListed(said, many);
    if (!pattern) return readEntity(said, ready[turn.language] ?? []);
    const matcher = pattern.matcher(understoodPart(said));
    return matcher.find() ? { value: matcher.group() ?? '', by: 'as written' } : undefined;
  };
}

/** What stands before a name where one is asked for. */
const LEADS_TO_NAME = /^(?:(?:it|that)(?:['’]s|s| is)|i(?:['’]m|m| am)|this is|ich bin|soy|es|c['’]est|je suis)\s+(?=\S)/iu;

/** A question whose answer is a text: whatever is said, the name of somebody, or something that a bare yes does not tell. */
interface TextQuestion {
  readonly whatever: boolean;
  readonly named: boolean;
  readonly asksFor: boolean;
}

/**
 * Any words are a text. A name is none of those that only agree, refuse or sigh, and who introduces themselves gives it alone; what
 * is asked for by "what" or "where" is no bare yes and no greeting.
 */
function readText(said: string, language: string, { whatever, named, asksFor }: TextQuestion): Answer {
  const setting = { at: '', zone: 'UTC', language };
  if (whatever) return readAnswer('text', said, setting);
  if (named && (saysNothing(said, language) || polarityHere(said, language)?.whole === true)) return undefined;
  if (asksFor && (saysNothing(said, language) || isBareAnswer(said, language))) return undefined;
  const person = readAnswer('person', said, setting);
  const introduced = person?.by === 'introduced as a name' && typeof person.value === 'string';
  const { length } = normalise(said).split(' ');
  // "My name is Isla": at most four words lead to a name or follow it.
  if (introduced && (named || length <= String(person.value).split(' ').length + 4)) return person;
  const tidy = named
    ? said
        .trim()
        .replace(LEADS_TO_NAME, '')
        .replace(/[\s.,;!]+$/, '')
    : said;
  return readAnswer('text', tidy, setting);
}

/** How sure it is that words are the answer, and not something else that touches on it. */
function surenessOf(node: Ask, said: string, language: string): number {
  const { length } = normalise(said).split(' ');
  const question = isQuestion(said, language);
  if (node.whatever) return 1;
  if (node.expects === 'text') return question ? (length <= LONG_QUESTION ? 0.45 : 0.6) : length <= 3 ? 0.96 : 0.84;
  if (node.expects === 'yes_no') return polarityOf(said, language)?.whole === true ? 1 : question ? 0.4 : 0.7;
  if (question) return length <= 2 ? 0.9 : 0.5;
  return length <= 4 ? 0.98 : length <= 8 ? 0.85 : 0.7;
}

/** Why a value is not taken: a condition that holds, or a day on the wrong side of today. */
function refuserOf(node: Ask, compiler: Compiler): (turn: Turn, value: Value) => string | undefined {
  const conditions = (node.refuses ?? []).map((r, i) => ({
    field: `/refuses/${i}/when`,
    when: compiler.expression(r.when),
    says: compiler.text(`/refuses/${i}/says`, r.says),
  }));
  return (turn, value) => {
    const locals = { answer: value };
    const met = conditions.find((c) => turn.evaluate(c.field, c.when, locals) === true);
    if (met) return turn.wording(met.says, { answer: turn.words.value(node.into, value) });
    if (node.wants === undefined || node.expects !== 'date' || typeof value !== 'string') return undefined;
    const today = textOf(turn.view.clock['today'] ?? null);
    if (node.wants === 'future' && value < today) return turn.talk.words('past-day', dayInWords(value, turn.language));
    if (node.wants === 'past' && value > today) return turn.talk.words('future-day', dayInWords(value, turn.language));
    return undefined;
  };
}

/**
 * Asks for a value until it is understood: `answered`, or `gave-up` after `tries` more questions. Passed over when the
 * value is known, but only the first time a run of the flow comes by: led back to it, the bot does ask again.
 */
export const ask = defineKind<Ask>({
  kind: 'ask',
  band: 'visitor',
  about: 'ask for a value and wait',
  waits: true,
  schema,
  blank: () => ({ says: '', expects: 'text', into: 'flow.answer' }),
  exits: () => [
    { name: 'answered', about: 'the value is known' },
    { name: 'gave-up', about: 'no answer that fits', way: 'aside' },
  ],
  prose: (node, language) => ({ text: sampleText(node.says, language) }),
  uses: (node) => [
    ...wordUses(node.says, '/says'),
    ...wordUses(node.again, '/again'),
    ...(node.refuses ?? []).flatMap((r, i): Use[] => [
      { field: `/refuses/${i}/when`, as: 'expression', text: r.when, locals: ANSWER_LOCALS },
      ...wordUses(r.says, `/refuses/${i}/says`).map((use) => ({ ...use, locals: ANSWER_LOCALS })),
    ]),
    // It is passed over when its value is known, so it reads what it writes.
    { field: '/into', as: 'target', text: node.into, reads: true },
  ],
  refers: (node) => [{ to: 'entity', name: node.expects, field: '/expects' }],
  types: (node) => ({ [node.into]: node.expects }),
  checks: (node, { document }) => {
    const known = [...ANSWER_KINDS, ...Object.keys(document.entities ?? {})];
    if (known.includes(node.expects)) return [];
    const suggestion = nearest(node.expects, known) ?? null;
    return [{ code: 'unknown-entity', severity: 'error', field: '/expects', facts: { name: node.expects, suggestion } }];
  },
  prepare: (node, compiler) => {
    const says = compiler.text('/says', node.says);
    const again = node.again === undefined ? says : compiler.text('/again', node.again);
    const tries = node.tries ?? DEFAULT_TRIES;
    const read = readerOf(node, compiler);
    const refuses = refuserOf(node, compiler);
    const few = fewValues(compiler, node.expects);
    const askedAgain = (turn: Turn): string => {
      if (!turn.may('misses')) return turn.wording(says);
      const among =
        few.length > 0
          ? ` ${turn.talk.words('one-of', few.map((id) => textOf(turn.words.value(node.into, id))).join(', '))}`
          : '';
      return `${turn.talk.words('missed')} ${turn.wording(says)}${among}`;
    };
    const refused = (turn: Turn, why: string): Outcome => {
      turn.say(`${why} ${turn.wording(says)}`);
      return { wait: { tries: 0 } };
    };
    return {
      asks: (turn) => turn.wording(says),
      refuses,
      valueIn: (turn, said) => read(turn, said)?.value,
      run: (turn): Outcome => {
        const { frame } = turn;
        const first = frame !== undefined && !frame.reached.includes(turn.frame?.node ?? '');
        if (frame && first) frame.reached.push(frame.node);
        const value = turn.read(node.into);
        if (first && isKnown(value)) {
          const why = refuses(turn, value);
          return why === undefined ? { exit: 'answered', note: 'already known' } : refused(turn, why);
        }
        const fact = first && node.into.startsWith('flow.') ? factFor(turn, node.into.slice('flow.'.length)) : undefined;
        if (fact && isOfKind(node.expects, fact.value, compiler) && refuses(turn, fact.value) === undefined) {
          turn.write(node.into, fact.value);
          usesFact(turn, fact, node.into);
          return { exit: 'answered', note: 'kept in mind' };
        }
        turn.say(turn.wording(says));
        return { wait: { tries: 0 } };
      },
      hear: (turn, event, waiting): Hearing => {
        const said = wordsIn(event);
        // A picture without words answers where any words would.
        if (node.expects === 'text' && said.trim() === '' && sentAlong(event)) {
          turn.write(node.into, turn.talk.words('see-picture'));
          return { exit: 'answered', note: 'a picture or a file' };
        }
        const answer = read(turn, said);
        const take = (of: NonNullable<Answer>): Outcome => {
          const why = refuses(turn, of.value);
          if (why !== undefined) return refused(turn, why);
          turn.write(node.into, of.value);
          return { exit: 'answered', note: of.by };
        };
        return {
          reads: answer && { sure: surenessOf(node, said, turn.language), as: answer.by, take: () => take(answer) },
          missed: () => {
            if (waiting.tries >= tries) return { exit: 'gave-up' };
            turn.say(node.again === undefined ? askedAgain(turn) : turn.wording(again));
            return { wait: { tries: waiting.tries + 1 } };
          },
        };
      },
    };
  },
});

/** A picture or a file came along. */
function sentAlong(event: IncomingEvent): boolean {
  return event.type === 'message' && (event.pictures?.length ?? 0) + (event.files?.length ?? 0) > 0;
}

/** A value that is kept is of the kind that is asked for. */
function isOfKind(expects: string, value: Value, { document }: Compiler): boolean {
  if (expects === 'yes_no') return typeof value === 'boolean';
  if (expects === 'number') return typeof value === 'number';
  const values = document.entities?.[expects]?.values;
  return typeof value === 'string' && (values === undefined || Object.hasOwn(values, value));
}

/** The values of a list entity where they are few enough to be told. */
function fewValues({ document }: Compiler, expects: string): readonly string[] {
  const values = Object.keys(document.entities?.[expects]?.values ?? {});
  return values.length <= FEW_VALUES ? values : [];
}

function readyOptions<T>(
  expects: string,
  languages: readonly string[],
  options: (language: string) => T | undefined,
): Readonly<Record<string, T | undefined>> {
  return isBuiltIn(expects) ? {} : Object.fromEntries(languages.map((l) => [l, options(l)]));
}
