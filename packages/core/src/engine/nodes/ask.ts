import { z } from 'zod';
import { name, nodeBase, target, text } from '../../document/shapes.js';
import { isKnown } from '../../expressions/functions.js';
import { ANSWER_KINDS, readAnswer, readEntity, readListed, type Answer, type AnswerKind } from '../../understanding/answers.js';
import { SURE_FROM } from '../../understanding/listener.js';
import { compilePattern } from '../../understanding/recognise.js';
import { wordingsOf } from '../../understanding/wordings.js';
import { understoodPart } from '../../understanding/words.js';
import { nearest } from '../../text/nearest.js';
import type { Hearing, Outcome } from '../compiled.js';
import { wordsIn } from '../event.js';
import { defineKind, sampleText, wordUses } from '../kind.js';
import type { Turn } from '../turn.js';

const schema = z.strictObject({
  kind: z.literal('ask'),
  ...nodeBase,
  says: text,
  expects: name,
  /** Which of two days is meant where both could be: one in the past, or one to come. */
  wants: z.enum(['past', 'future']).optional(),
  into: target,
  again: text.optional(),
  tries: z.number().int().min(0).max(9).optional(),
});

const DEFAULT_TRIES = 2;
/** From here on an answer is not compared with each wording of an entity. */
const MANY_WORDINGS = 300;

function isBuiltIn(expects: string): expects is AnswerKind {
  return (ANSWER_KINDS as readonly string[]).includes(expects);
}

/**
 * Asks for a value until it is understood: `answered`, or `gave-up` after `tries` more questions. Passed over when the
 * value is known, but only the first time a run of the flow comes by: led back to it, the bot does ask again.
 */
export const ask = defineKind<z.infer<typeof schema>>({
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
    const entity = compiler.document.entities?.[node.expects];
    const pattern = entity?.pattern === undefined ? undefined : compilePattern(entity.pattern);
    const wordings = entity?.values && wordingsOf(entity, compiler.document.languages);
    const many = wordings !== undefined && wordings.size > MANY_WORDINGS ? wordings : undefined;
    const ready = many ? {} : readyOptions(node.expects, compiler.document.languages, (l) => compiler.options(node.expects, l));
    const read = (turn: Turn, said: string): Answer => {
      const setting = { at: turn.at, zone: turn.zone, language: turn.language, day: turn.day, wants: node.wants };
      if (isBuiltIn(node.expects)) return readAnswer(node.expects, said, setting);
      if (many) return readListed(said, many);
      if (!pattern) return readEntity(said, ready[turn.language] ?? []);
      const matcher = pattern.matcher(understoodPart(said));
      return matcher.find() ? { value: matcher.group() ?? '', by: 'as written' } : undefined;
    };
    return {
      run: (turn): Outcome => {
        const { frame } = turn;
        const first = frame !== undefined && !frame.reached.includes(turn.frame?.node ?? '');
        if (frame && first) frame.reached.push(frame.node);
        if (first && isKnown(turn.read(node.into))) return { exit: 'answered', note: 'already known' };
        turn.say(turn.wording(says));
        return { wait: { tries: 0 } };
      },
      hear: (turn, event, waiting): Hearing => {
        const answer = read(turn, wordsIn(event));
        const take = (of: NonNullable<Answer>): Outcome => {
          turn.write(node.into, of.value);
          return { exit: 'answered', note: of.by };
        };
        // Any words are a text, so an intent that is all but certain comes first there.
        if (answer) return node.expects === 'text' ? { missed: () => take(answer), from: SURE_FROM } : take(answer);
        return {
          missed: () => {
            if (waiting.tries >= tries) return { exit: 'gave-up' };
            turn.say(turn.wording(again));
            return { wait: { tries: waiting.tries + 1 } };
          },
        };
      },
    };
  },
});

function readyOptions<T>(
  expects: string,
  languages: readonly string[],
  options: (language: string) => T | undefined,
): Readonly<Record<string, T | undefined>> {
  return isBuiltIn(expects) ? {} : Object.fromEntries(languages.map((l) => [l, options(l)]));
}
