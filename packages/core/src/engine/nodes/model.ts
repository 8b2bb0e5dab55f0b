import { z } from 'zod';
import type { BotDocument, ModelProfile } from '../../document/schema.js';
import { duration, id, name, nodeBase, target, template, typeDeclaration, type Value } from '../../document/shapes.js';
import { plainText, readMarkdown } from '../../text/markdown.js';
import { nearest } from '../../text/nearest.js';
import { answerSchema, countFields, MOST_FIELDS, type AnswerFields } from '../model-answer.js';
import type { Outcome } from '../compiled.js';
import type { FailureCode } from '../effects/effect.js';
import { failureSays } from '../failure-words.js';
import { onTranscript, type ModelEffect, type ModelMessage, type ModelResult } from '../effects/model.js';
import { defineKind, type Exit, type Found, type Use } from '../kind.js';
import { askModel, profileSettings, roomOf, timeoutOf, tooLong, type Answered, type Asked } from '../prompt/ask-model.js';
import { askedAgain, NONE_OF_THEM, readWanted, waysPart, waySchema, type Wanted } from '../prompt/wanted.js';
import {
  joined,
  momentPart,
  partProblems,
  partUses,
  picturesIn,
  placesOf,
  preparedParts,
  promptPart,
  recalledPlaces,
  writtenParts,
  type WrittenPart,
} from '../prompt/parts.js';
import {
  KNOWN,
  readyRecall,
  recall,
  recallDeclaration,
  recallsOf,
  recallUses,
  SAID_BEFORE,
  type Recalled,
} from '../prompt/recall.js';
import { fitMessages } from '../prompt/trim.js';
import type { Turn } from '../turn.js';
import type { Values, Walking } from '../types.js';

/** A way that a model may choose, and when. */
const way = z.strictObject({ about: z.string().min(1).max(500) });

const schema = z.strictObject({
  kind: z.literal('model'),
  ...nodeBase,
  /** The model profile. */
  uses: z.string(),
  parts: z.array(promptPart).max(40),
  /** The fields of the answer; without them it is text. */
  gives: z.record(name, typeDeclaration).optional(),
  /** Ways among which it chooses, each an exit; `none-of-them` always is one. */
  ways: z.record(id, way).optional(),
  /** Where the answer is kept: its text, its fields, or the way that was chosen. */
  into: target.optional(),
  /** False: the model is not told date, weekday, time and zone. */
  clock: z.boolean().optional(),
  /** The answer is text and is said as it is, sentence by sentence where the channel can. */
  aloud: z.boolean().optional(),
  /** The answer is text without marks: what a model marks up all the same is taken out. */
  plain: z.boolean().optional(),
  /** Pictures that it is shown: a template that gives a list of addresses. */
  pictures: template.optional(),
  /** How much of the past it is shown. */
  recall: recallDeclaration.optional(),
  timeout: duration.optional(),
});
type ModelNode = z.infer<typeof schema>;

const MOST_WAYS = 20;

function checks(node: ModelNode, document: BotDocument): Found[] {
  const profiles = Object.keys(document.models ?? {});
  const ways = Object.keys(node.ways ?? {});
  const found: Found[] = [];
  const add = (code: string, field: string, facts: Found['facts'] = {}) => found.push({ code, severity: 'error', field, facts });
  if (!profiles.includes(node.uses))
    add('unknown-model', '/uses', { name: node.uses, suggestion: nearest(node.uses, profiles) ?? null });
  if (node.aloud && (node.gives !== undefined || node.ways !== undefined)) add('aloud-fields', '/aloud');
  if (node.plain && node.gives !== undefined) add('plain-fields', '/plain');
  if (node.into === undefined && node.aloud !== true && node.ways === undefined) add('answer-nowhere', '/into');
  if (node.gives !== undefined && countFields(node.gives) > MOST_FIELDS) add('too-many-fields', '/gives', { most: MOST_FIELDS });
  if (node.ways !== undefined && ways.length === 0) add('no-ways', '/ways');
  if (ways.length > MOST_WAYS) add('too-many-ways', '/ways', { most: MOST_WAYS });
  for (const taken of ways.filter((w) => RESERVED.includes(w))) add('reserved-way', `/ways/${taken}`, { name: taken });
  return [...found, ...partProblems(node.parts)];
}

const RESERVED: readonly string[] = ['done', 'failed', NONE_OF_THEM];

function exits(node: ModelNode): Exit[] {
  const failed: Exit = { name: 'failed', about: 'no answer, or one that does not fit', way: 'aside' };
  if (node.ways === undefined) return [{ name: 'done', about: 'it answered as asked' }, failed];
  const ways = Object.entries(node.ways).map(([name, { about }]): Exit => ({ name, about }));
  return [...ways, { name: NONE_OF_THEM, about: 'none of these ways', way: 'aside' }, failed];
}

/** What failed is named, so that a flow can go by it: the field of the answer as well, where it was one. */
function failed(turn: Turn, node: ModelNode, reason: string, code: FailureCode = 'bad-answer', field = ''): Outcome {
  const where: Values = field === '' ? {} : { field };
  turn.view.turn['failure'] = { model: node.uses, reason, says: failureSays(code, turn.language), ...where };
  turn.problem('model-failed', { model: node.uses, reason });
  return { exit: 'failed', note: field === '' ? reason : `${field}: ${reason}` };
}

/** A prompt as it is sent. */
interface Prompt {
  readonly instructions: readonly WrittenPart[];
  readonly inputs: readonly WrittenPart[];
  readonly pictures: readonly string[];
  readonly recalled: Recalled;
}

/** What was asked before on the same matter: it is shown again, with what is wrong in the answer. */
interface Before {
  readonly messages: readonly ModelMessage[];
  readonly says: string;
}

/** Asks a model for a text, for fields that are checked, or which of some ways it is. Instructions and inputs go to it apart. */
export const model = defineKind<ModelNode>({
  kind: 'model',
  band: 'outside',
  about: 'ask a model for a text, for fields, or which way it is',
  schema,
  blank: () => ({ uses: '', parts: [{ part: 'task', says: '' }], into: 'flow.answer' }),
  exits,
  prose: (node) => ({ text: node.parts.find((p) => p.says.trim() !== '')?.says ?? 'a model' }),
  uses: (node): Use[] => [
    ...partUses(node.parts),
    ...recallUses(node.recall),
    ...(node.pictures === undefined ? [] : [{ field: '/pictures', as: 'template', text: node.pictures } as const]),
    ...(node.into === undefined ? [] : [{ field: '/into', as: 'target', text: node.into } as const]),
  ],
  recalls: recallsOf,
  keepsWords: true,
  refers: (node) => [{ to: 'model', name: node.uses, field: '/uses' }],
  checks: (node, { document }) => checks(node, document),
  prepare: (node, compiler) => {
    const { document } = compiler;
    const parts = preparedParts(node.parts, compiler);
    const recalls = readyRecall(node.recall, compiler);
    const pictures = node.pictures === undefined ? undefined : compiler.template(node.pictures);
    const fields: AnswerFields | undefined = node.gives && { gives: node.gives, document };
    const wanted: Wanted = { fields, ways: node.ways && Object.keys(node.ways) };
    const schemaOf = node.ways ? waySchema(node.ways, fields && answerSchema(fields)) : fields && answerSchema(fields);
    const form = schemaOf
      ? [
          ...(node.ways ? [waysPart(node.ways)] : []),
          {
            part: 'the form of the answer',
            text: `Answer with one JSON object and nothing else. Its JSON Schema:\n${JSON.stringify(schemaOf)}`,
          },
        ]
      : [];
    const written = (turn: Turn): Omit<Prompt, 'recalled'> => {
      const { instructions, inputs } = writtenParts(turn, parts);
      const told = node.clock === false ? [] : [momentPart(turn)];
      const shown = pictures ? picturesIn(turn.value('/pictures', { template: pictures }, undefined, true)) : undefined;
      if (shown && shown.left > 0) turn.problem('pictures-left', { count: shown.left });
      return { instructions: [...instructions, ...told, ...form], inputs, pictures: shown?.pictures ?? [] };
    };
    const first = ({ instructions, inputs, pictures: shown, recalled }: Prompt): readonly ModelMessage[] => [
      { role: 'system', content: joined(instructions) },
      ...recalled.said,
      ...(recalled.known === '' ? [] : [{ role: 'user', content: recalled.known } as const]),
      { role: 'user', content: joined(inputs), ...(shown.length > 0 ? { pictures: shown } : {}) },
    ];
    const request =
      (turn: Turn, prompt: Prompt) =>
      (id: string, of: ModelProfile, instead: string | undefined): Asked => {
        const { recalled, instructions, inputs } = prompt;
        const fitted = fitMessages(first(prompt), { most: roomOf(of), besides: 0, recalled: recalled.said.length });
        if (!fitted.fits) return { refused: tooLong(id, fitted.tokens, of) };
        const old = fitted.recalled;
        const known = recalled.known === '' ? [] : fitted.messages.slice(1 + old, 2 + old);
        const effect: ModelEffect = {
          type: 'model',
          path: turn.effectPath(),
          ...profileSettings(id, of),
          messages: fitted.messages,
          ...(schemaOf ? { schema: schemaOf } : {}),
          timeoutMs: timeoutOf(node, of),
          estimate: fitted.tokens,
          aloud: node.aloud === true,
          parts: [
            ...placesOf(instructions, 0),
            ...recalledPlaces(fitted.messages.slice(1, 1 + old), 1, SAID_BEFORE),
            ...recalledPlaces(known, 1 + old, KNOWN),
            ...placesOf(inputs, fitted.messages.length - 1),
          ],
          ...(fitted.trimmed.length > 0 ? { trimmed: fitted.trimmed } : {}),
          ...(instead === undefined ? {} : { instead }),
        };
        return { effect };
      };
    /** The same once more, behind the answer that does not fit and what is wrong in it. */
    const again =
      (turn: Turn, { messages, says }: Before) =>
      (id: string, of: ModelProfile, instead: string | undefined): Asked => {
        const said: ModelMessage = { role: 'user', content: says };
        const fitted = fitMessages([...messages, said], { most: roomOf(of), besides: 0, recalled: 0 });
        if (!fitted.fits) return { refused: tooLong(id, fitted.tokens, of) };
        const effect: ModelEffect = {
          type: 'model',
          path: turn.effectPath(),
          ...profileSettings(id, of),
          messages: fitted.messages.slice(-1),
          ...(schemaOf ? { schema: schemaOf } : {}),
          timeoutMs: timeoutOf(node, of),
          estimate: fitted.tokens,
          aloud: false,
          ...(instead === undefined ? {} : { instead }),
        };
        return { effect: onTranscript(effect, fitted.messages.slice(0, -1)) };
      };
    const settleText = (turn: Turn, { text, stopped }: ModelResult & { outcome: 'written' }): Outcome => {
      const answer = node.plain ? plainText(readMarkdown(text.trim())).trim() : text.trim();
      if (answer === '') return failed(turn, node, 'its answer is empty');
      if (node.into !== undefined) turn.write(node.into, answer);
      if (node.aloud) turn.say(answer);
      return { exit: 'done', ...(stopped === 'length' ? { note: 'cut at the most it may write' } : {}) };
    };
    const settleWanted = (
      turn: Turn,
      { way: chosen, fields: held }: { way?: string; fields?: Value },
      repaired: boolean,
    ): Outcome => {
      const kept = held ?? chosen;
      if (node.into !== undefined && kept !== undefined) turn.write(node.into, kept);
      if (chosen !== undefined) turn.record.chose(chosen);
      return { exit: chosen ?? 'done', ...(repaired ? { note: 'asked again, as the first answer did not fit' } : {}) };
    };
    return {
      run: function* (turn): Walking<Outcome> {
        const shown = written(turn);
        const recalled = yield* recall(turn, recalls);
        const prompt: Prompt = { ...shown, recalled };
        let asked: Answered = yield* askModel(turn, node.uses, request(turn, prompt));
        for (const repaired of [false, true]) {
          const { result } = asked;
          if (!result) return failed(turn, node, 'nothing came back', 'unknown-outcome');
          if (result.outcome === 'failed') return failed(turn, node, result.reason, result.code);
          if (!repaired) keepsUnderKey(turn, prompt, result.text);
          if (!schemaOf) return settleText(turn, result);
          const read = readWanted(result.text, wanted, turn.language);
          if (read.ok) return settleWanted(turn, read, repaired);
          const cut = result.stopped === 'length' ? '; it was cut at the most it may write' : '';
          const reason = `${read.reason}${cut}`;
          if (repaired || !asked.effect) {
            turn.problem('model-answer', { model: node.uses, field: read.field, reason });
            return failed(turn, node, reason, 'bad-answer', read.field);
          }
          const answered: ModelMessage = { role: 'assistant', content: result.text };
          const before = { messages: [...asked.effect.messages, answered], says: askedAgain(read.field, read.reason) };
          asked = yield* askModel(turn, node.uses, again(turn, before));
        }
        return failed(turn, node, 'its answer is not what was asked for');
      },
    };
  },
});

/** What was asked and answered is kept for turns to come, where a key says under what. */
function keepsUnderKey(turn: Turn, { inputs, recalled: { key } }: Prompt, answer: string): void {
  const asked = inputs.map((p) => p.text.replace(/^# .*\n/, '')).join('\n');
  if (key) turn.memory.exchanged(asked, answer, key);
}
