import { z } from 'zod';
import { template, type Value } from '../../document/shapes.js';
import { textOf } from '../../expressions/functions.js';
import type { Template } from '../../expressions/template.js';
import { compileTemplate } from '../../expressions/template.js';
import { estimateTokens } from '../../text/tokens.js';
import type { Compiler } from '../compiler.js';
import type { ModelMessage, PromptPart } from '../effects/model.js';
import { wordsIn } from '../event.js';
import type { Found, Use } from '../kind.js';
import type { Turn } from '../turn.js';

/*
 * A prompt in its parts: those that instruct, and those that hold what others wrote. The two go to a model apart, the second
 * within marks, so that nobody's words count as an instruction.
 */

export const promptPart = z.strictObject({
  part: z.string().min(1).max(60),
  says: template,
  /** It holds what others wrote, and is no instruction. */
  input: z.boolean().optional(),
  /** It is left out for now. */
  off: z.boolean().optional(),
});
export type PartDeclaration = z.infer<typeof promptPart>;

const PART_GAP = '\n\n';
const MOST_PICTURES = 8;
/** A picture that stands in a request itself, in characters. */
const PICTURE_SIZE = 1_500_000;

/** A part as it is sent. */
export interface WrittenPart {
  readonly part: string;
  readonly text: string;
}

interface PreparedPart extends PartDeclaration {
  readonly field: string;
  readonly template: Template;
}

/** The uses of the parts of a prompt, for checks and completion. */
export function partUses(parts: readonly PartDeclaration[]): Use[] {
  return parts.map((p, i) => ({ field: `/parts/${i}/says`, as: 'template', text: p.says, prose: true }));
}

/** What is wrong in the parts of a prompt: nothing in them, or a visitor's words among the instructions. */
export function partProblems(parts: readonly PartDeclaration[]): Found[] {
  const found: Found[] = [];
  if (parts.every((p) => p.off === true || p.says.trim() === ''))
    found.push({ code: 'empty-prompt', severity: 'error', field: '/parts', facts: {} });
  parts.forEach((p, i) => {
    const compiled = compileTemplate(p.says);
    const trusts = !p.input && compiled.ok && compiled.value.reads.some((r) => r.root === 'turn' && r.field === 'text');
    if (trusts)
      found.push({ code: 'words-as-instruction', severity: 'warning', field: `/parts/${i}/says`, facts: { part: p.part } });
  });
  return found;
}

/** The parts of a prompt, ready to be resolved in a turn; those that are switched off are left out. */
export function preparedParts(parts: readonly PartDeclaration[], compiler: Compiler): PreparedPart[] {
  return parts.flatMap((p, i) => (p.off ? [] : [{ ...p, field: `/parts/${i}/says`, template: compiler.template(p.says) }]));
}

/** The parts as they read now: what instructs, and what others wrote. Without a part for that it is what the visitor said. */
export function writtenParts(turn: Turn, parts: readonly PreparedPart[]): { instructions: WrittenPart[]; inputs: WrittenPart[] } {
  const resolved = parts.map((p) => ({ ...p, text: turn.text(p.field, p.template) }));
  const of = (inputs: boolean) =>
    resolved.filter((p) => (p.input ?? false) === inputs).map((p) => ({ part: p.part, text: `# ${p.part}\n${p.text}` }));
  const inputs = of(true);
  if (inputs.length === 0) inputs.push({ part: 'what the visitor said', text: wordsIn(turn.event) });
  return { instructions: of(false), inputs };
}

/** Parts as one message. */
export const joined = (parts: readonly WrittenPart[]): string => parts.map((p) => p.text).join(PART_GAP);

/** Where the parts of one message stand in it. */
export function placesOf(parts: readonly WrittenPart[], message: number): PromptPart[] {
  let from = 0;
  return parts.map(({ part, text }) => {
    const place = { part, message, from, to: from + text.length, tokens: estimateTokens(text) };
    from += text.length + PART_GAP.length;
    return place;
  });
}

/** Whole messages as a part of a prompt, the first of them at `first`. */
export function recalledPlaces(messages: readonly ModelMessage[], first: number, part: string): PromptPart[] {
  return messages.map((m, i) => {
    return { part, message: first + i, from: 0, to: m.content.length, tokens: estimateTokens(m.content) };
  });
}

/** The moment as a model is told it. */
export function momentPart(turn: Turn): WrittenPart {
  const { weekday, today, time, zone } = turn.view.clock;
  const [day, date, hour, place] = [weekday, today, time, zone].map((v) => textOf(v ?? null));
  return { part: 'the moment', text: `It is ${day}, ${date}, ${hour}, in the time zone ${place}.` };
}

/** The pictures that a value names: addresses of the web, or pictures as data: addresses; with how many were left out. */
export function picturesIn(value: Value): { readonly pictures: readonly string[]; readonly left: number } {
  const named = (Array.isArray(value) ? value : [value]) as readonly Value[];
  const all = named.filter((v): v is string => typeof v === 'string' && v !== '');
  const fit = all.filter((v) => v.length <= PICTURE_SIZE && /^(?:https?:\/\/|data:image\/)/i.test(v));
  const pictures = fit.slice(0, MOST_PICTURES);
  return { pictures, left: all.length - pictures.length };
}
