import { z } from 'zod';
import type { BotDocument, ModelProfile } from '../../document/schema.js';
import { duration, durationMs, name, nodeBase, target, template, typeDeclaration, type Value } from '../../document/shapes.js';
import { textOf } from '../../expressions/functions.js';
import { compileTemplate } from '../../expressions/template.js';
import { nearest } from '../../text/nearest.js';
import { estimateTokens } from '../../text/tokens.js';
import { answerSchema, readModelAnswer, type AnswerFields } from '../model-answer.js';
import type { Outcome } from '../compiled.js';
import type { FailureCode } from '../effects/effect.js';
import { failureSays } from '../failure-words.js';
import type { ModelEffect, ModelResult, PromptPart } from '../effects/model.js';
import { wordsIn } from '../event.js';
import { defineKind, type Found, type Use } from '../kind.js';
import type { Turn } from '../turn.js';
import type { Walking } from '../types.js';
import { perform } from '../walk.js';

const part = z.strictObject({
  part: z.string().min(1).max(60),
  says: template,
  /** It holds what others wrote, and is no instruction. */
  input: z.boolean().optional(),
});

const schema = z.strictObject({
  kind: z.literal('model'),
  ...nodeBase,
  /** The model profile. */
  uses: z.string(),
  parts: z.array(part),
  /** The fields of the answer; without them it is text. */
  gives: z.record(name, typeDeclaration).optional(),
  into: target,
  /** False: the model is not told date, weekday, time and zone. */
  clock: z.boolean().optional(),
  /** The answer is text and is said as it is, sentence by sentence where the channel can. */
  aloud: z.boolean().optional(),
  timeout: duration.optional(),
});
type ModelNode = z.infer<typeof schema>;

const DEFAULT_TIMEOUT_MS = 30_000;
const PART_GAP = '\n\n';

/** Where the parts of one message stand in it. */
function placesOf(list: readonly { readonly part: string; readonly text: string }[], message: number): PromptPart[] {
  let from = 0;
  return list.map(({ part, text }) => {
    const place = { part, message, from, to: from + text.length, tokens: estimateTokens(text) };
    from += text.length + PART_GAP.length;
    return place;
  });
}

function checks(node: ModelNode, document: BotDocument): Found[] {
  const profiles = Object.keys(document.models ?? {});
  const found: Found[] = [];
  if (!profiles.includes(node.uses)) {
    const facts = { name: node.uses, suggestion: nearest(node.uses, profiles) ?? null };
    found.push({ code: 'unknown-model', severity: 'error', field: '/uses', facts });
  }
  if (node.parts.every((p) => p.says.trim() === ''))
    found.push({ code: 'empty-prompt', severity: 'error', field: '/parts', facts: {} });
  if (node.aloud && node.gives !== undefined) found.push({ code: 'aloud-fields', severity: 'error', field: '/aloud', facts: {} });
  node.parts.forEach((p, i) => {
    const compiled = compileTemplate(p.says);
    const trusts = !p.input && compiled.ok && compiled.value.reads.some((r) => r.root === 'turn' && r.field === 'text');
    if (trusts)
      found.push({ code: 'words-as-instruction', severity: 'warning', field: `/parts/${i}/says`, facts: { part: p.part } });
  });
  return found;
}

/** The moment as a model is told it. */
function clockLine(turn: Turn): string {
  const { weekday, today, time, zone } = turn.view.clock;
  const [day, date, hour, place] = [weekday, today, time, zone].map((v) => textOf(v ?? null));
  return `It is ${day}, ${date}, ${hour}, in the time zone ${place}.`;
}

function failed(turn: Turn, node: ModelNode, reason: string, code: FailureCode = 'bad-answer'): Outcome {
  turn.view.turn['failure'] = { model: node.uses, reason, says: failureSays(code, turn.language) };
  turn.problem('model-failed', { model: node.uses, reason });
  return { exit: 'failed', note: reason };
}

/** Asks a model for a text, or for fields that are checked. Instructions and inputs go to it apart. */
export const model = defineKind<ModelNode>({
  kind: 'model',
  band: 'outside',
  about: 'ask a model for a text or for fields',
  schema,
  blank: () => ({ uses: '', parts: [{ part: 'task', says: '' }], into: 'flow.answer' }),
  exits: () => [
    { name: 'done', about: 'it answered as asked' },
    { name: 'failed', about: 'no answer, or one that does not fit', way: 'aside' },
  ],
  prose: (node) => ({ text: node.parts.find((p) => p.says.trim() !== '')?.says ?? 'a model' }),
  uses: (node): Use[] => [
    ...node.parts.map((p, i) => ({ field: `/parts/${i}/says`, as: 'template', text: p.says, prose: true }) as const),
    { field: '/into', as: 'target', text: node.into },
  ],
  refers: (node) => [{ to: 'model', name: node.uses, field: '/uses' }],
  checks: (node, { document }) => checks(node, document),
  prepare: (node, compiler) => {
    const { document } = compiler;
    const profile = document.models?.[node.uses];
    const parts = node.parts.map((p, i) => ({ ...p, field: `/parts/${i}/says`, template: compiler.template(p.says) }));
    const fields = node.gives && { gives: node.gives, document };
    const timeoutMs = node.timeout === undefined ? DEFAULT_TIMEOUT_MS : durationMs(node.timeout);
    const request = (turn: Turn, of: ModelProfile): ModelEffect => {
      const resolved = parts.map((p) => ({ ...p, text: turn.text(p.field, p.template) }));
      const told = node.clock === false ? [] : [clockLine(turn)];
      const schemaOf = fields && answerSchema(fields);
      const asked = schemaOf
        ? [`Answer with one JSON object and nothing else. Its JSON Schema:\n${JSON.stringify(schemaOf)}`]
        : [];
      const written = (inputs: boolean) =>
        resolved.filter((p) => (p.input ?? false) === inputs).map((p) => ({ part: p.part, text: `# ${p.part}\n${p.text}` }));
      const instructions = [
        ...written(false),
        ...told.map((text) => ({ part: 'the moment', text })),
        ...asked.map((text) => ({ part: 'the form of the answer', text })),
      ];
      const inputs = written(true);
      if (inputs.length === 0) inputs.push({ part: 'what the visitor said', text: wordsIn(turn.event) });
      const [system, content] = [instructions, inputs].map((list) => list.map((p) => p.text).join(PART_GAP)) as [string, string];
      return {
        type: 'model',
        path: turn.effectPath(),
        profile: node.uses,
        connection: of.connection,
        model: of.model,
        messages: [
          { role: 'system', content: system },
          { role: 'user', content },
        ],
        ...(schemaOf ? { schema: schemaOf } : {}),
        ...(of.temperature === undefined ? {} : { temperature: of.temperature }),
        ...(of.most === undefined ? {} : { most: of.most }),
        timeoutMs,
        estimate: estimateTokens(system) + estimateTokens(content),
        aloud: node.aloud === true,
        parts: [...placesOf(instructions, 0), ...placesOf(inputs, 1)],
      };
    };
    const settle = (turn: Turn, result: ModelResult): Outcome => {
      if (result.outcome === 'failed') return failed(turn, node, result.reason, result.code);
      const answer = fields ? fromFields(turn, node, fields, result) : result.text.trim();
      if (answer === undefined || answer === '') return failed(turn, node, 'its answer is not what was asked for');
      turn.write(node.into, answer);
      if (node.aloud) turn.say(result.text.trim());
      return { exit: 'done', ...(result.stopped === 'length' ? { note: 'cut at the most it may write' } : {}) };
    };
    return {
      run: function* (turn): Walking<Outcome> {
        if (!profile) return failed(turn, node, `there is no model profile "${node.uses}" in this bot`);
        const effect = request(turn, profile);
        const came = yield* perform(turn, effect);
        turn.recordEffect({ request: effect, result: came });
        return settle(turn, came);
      },
    };
  },
});

/** The checked fields of an answer; undefined, with an entry in the sheet, where they do not fit. */
function fromFields(
  turn: Turn,
  node: ModelNode,
  fields: AnswerFields,
  result: ModelResult & { outcome: 'written' },
): Value | undefined {
  const read = readModelAnswer(result.text, fields, turn.language);
  if (read.ok) return read.value;
  const cut = result.stopped === 'length' ? '; it was cut at the most it may write' : '';
  turn.problem('model-answer', { model: node.uses, field: read.field, reason: `${read.reason}${cut}` });
  return undefined;
}
