import { problemSentence } from '../checks/wording.js';
import type { BotDocument } from '../document/schema.js';
import type { Value } from '../document/shapes.js';
import type { TurnResult, Values } from '../engine/types.js';
import { makingsOf, type Making } from './making.js';

/** What a run of a page's flow has come to. */
export interface PageOutcome {
  /** All that the variables of its flow held. */
  readonly kept: Values;
  /** Outputs that did not come, and why, as sentences. */
  readonly reasons: Readonly<Record<string, string>>;
}

const isThere = (value: Value | undefined): boolean => value !== undefined && value !== null && value !== '';

/** What a run of a page's flow came to with its last turn; of a run that made one output alone, what it was to make. */
export function pageOutcome(document: BotDocument, flow: string, part: string | undefined, result: TurnResult): PageOutcome {
  const kept = result.over?.flow === flow ? result.over.values : {};
  const makings = makingsOf(document, flow);
  const wanted =
    part === undefined ? [...makings.values()] : [...makings.values()].filter((m) => madeBy(makings, part).has(m.output));
  const missing = wanted.filter((m) => !isThere(kept[m.output]));
  const reasons = missing.flatMap((m) => {
    const reason = reasonOf(m, result);
    return reason === undefined ? [] : [[m.output, reason] as const];
  });
  return { kept, reasons: Object.fromEntries(reasons) };
}

/** The outputs that a run makes which is to make one of them: it, and those that the same nodes make. */
export function madeBy(makings: ReadonlyMap<string, Making>, part: string): ReadonlySet<string> {
  return new Set([part, ...(makings.get(part)?.together ?? [])]);
}

/** What went wrong at a node that was to make an output. */
function reasonOf({ makers, region }: Making, { sheet }: TurnResult): string | undefined {
  const at = (flow: string, node: string) => makers.some((m) => m.flow === flow && m.node === node);
  const found =
    sheet.problems.find((p) => at(p.flow, p.node)) ?? sheet.problems.find((p) => region.has(p.node) && p.code.endsWith('failed'));
  return found && problemSentence(found);
}
