import type { AgentNode } from './declared.js';
import type { Compiler } from '../compiler.js';
import type { ModelTool } from '../effects/model.js';
import type { Template } from '../../expressions/template.js';
import { preparedParts } from '../prompt/parts.js';
import { readyRecall, type ReadyRecall } from '../prompt/recall.js';
import { classesIn, type DeclaredWords, type EffectClass } from '../../honesty/index.js';
import { normalise } from '../../understanding/words.js';
import type { BotDocument } from '../../document/schema.js';
import { paramsSchema, typedParam, type Param } from './params.js';
import { readyTools, type ReadyTool } from './tools.js';

/*
 * An agent made ready once: its prompt, its tools, and what it is told by Primrose itself.
 */

/** The tool by which an agent says that it is done, and hands on what it is to give. */
export const FINISH = 'finish';

export interface ReadyAgent {
  readonly node: AgentNode;
  readonly document: BotDocument;
  readonly parts: ReturnType<typeof preparedParts>;
  readonly pictures: Template | undefined;
  readonly recall: ReadyRecall | undefined;
  readonly tools: readonly ReadyTool[];
  readonly byName: ReadonlyMap<string, ReadyTool>;
  /** What it hands on with `finish`; undefined where it has no such tool. */
  readonly finish: readonly Param[] | undefined;
  readonly wire: readonly ModelTool[];
  /** Words by which tools and actions are claimed, by language. */
  readonly declared: (language: string) => readonly DeclaredWords[];
}

export function readyAgent(node: AgentNode, compiler: Compiler): ReadyAgent {
  const { document } = compiler;
  const tools = readyTools(node.tools ?? [], compiler);
  const finish = finishParams(node, document);
  return {
    node,
    document,
    parts: preparedParts(node.parts, compiler),
    pictures: node.pictures === undefined ? undefined : compiler.template(node.pictures),
    recall: readyRecall(node.recall, compiler),
    tools,
    byName: new Map(tools.map((t) => [t.name, t])),
    finish,
    wire: [...tools.map((t) => t.wire), ...(finish ? [finishTool(node, finish)] : [])],
    declared: (language) => declaredWords(document, tools, language),
  };
}

function finishParams({ gives, stays }: AgentNode, document: BotDocument): readonly Param[] | undefined {
  if (gives === undefined && stays !== true) return undefined;
  const how = {
    name: 'how',
    needed: false,
    schema: {
      enum: ['done', 'other'],
      description: 'done: the task is done; other: the visitor wants something that is not your task',
    },
    type: undefined,
    read: (value: unknown) =>
      value === 'done' || value === 'other'
        ? ({ ok: true, value } as const)
        : ({ ok: false, reason: 'it is neither done nor other' } as const),
  };
  return [...Object.entries(gives ?? {}).map(([name, type]) => typedParam(document, name, type, undefined)), how];
}

function finishTool({ gives }: AgentNode, params: readonly Param[]): ModelTool {
  const about = gives
    ? 'hands in the result and ends your task; call it once everything that is asked for is known'
    : 'ends the conversation with you: call it when the visitor needs nothing more, or wants something that is not your task';
  return { name: FINISH, about, takes: paramsSchema(params) };
}

/** The designer's own words for what tools and actions do, each with the kind of doing that it is. */
function declaredWords(document: BotDocument, tools: readonly ReadyTool[], language: string): DeclaredWords[] {
  const of = (name: string, about: string, claims: Readonly<Record<string, readonly string[]>> | undefined): DeclaredWords[] => {
    const words = claims?.[language] ?? claims?.[language.split('-')[0] ?? ''] ?? [];
    return words.length === 0 ? [] : [{ effect: effectOf(name, about), words }];
  };
  return [
    ...tools.flatMap((t) => of(t.name, t.about, t.declared.claims)),
    ...Object.values(document.connections ?? {}).flatMap(({ actions }) =>
      Object.entries(actions).flatMap(([id, a]) => of(id, a.about ?? '', a.claims)),
    ),
  ];
}

function effectOf(name: string, about: string): EffectClass {
  const [first] = classesIn(normalise(`${name.replaceAll('-', ' ')} ${about}`));
  return first ?? 'done';
}
