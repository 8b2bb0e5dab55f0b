import { pointer, type Problem } from '../document/problem.js';
import { MOST_FACT_KINDS } from '../document/memory.js';
import type { BotDocument } from '../document/schema.js';
import { wordsInOneLanguage } from '../engine/kind.js';
import { compileTemplate } from '../expressions/template.js';
import { nearest } from '../text/nearest.js';

const FACT_TYPES = ['yes_no', 'text'];

/** What is wrong in what a bot keeps in mind. */
export function memoryProblems(document: BotDocument): Problem[] {
  const { memory } = document;
  if (!memory) return [];
  const kinds = Object.entries(memory.facts ?? {});
  const known = [...FACT_TYPES, ...Object.keys(document.entities ?? {})];
  const profiles = Object.keys(document.models ?? {});
  const variables = flowVariables(document);
  const problem = (
    code: string,
    at: readonly (string | number)[],
    facts: Problem['facts'],
    severity: Problem['severity'] = 'error',
  ): Problem => {
    return { code, severity, field: pointer(['memory', ...at]), facts };
  };
  const suggest = (name: string, among: readonly string[]) => ({ name, suggestion: nearest(name, among) ?? null });
  return [
    ...(memory.by !== undefined && !profiles.includes(memory.by)
      ? [problem('unknown-model', ['by'], suggest(memory.by, profiles))]
      : []),
    ...(kinds.length > MOST_FACT_KINDS
      ? [problem('too-many-facts', ['facts'], { count: kinds.length, most: MOST_FACT_KINDS })]
      : []),
    ...kinds.flatMap(([about, kind]): Problem[] => {
      const at = ['facts', about];
      const type = kind.type ?? 'yes_no';
      const unheard = kind.words === undefined && kind.fills === undefined && !hasRemember(document);
      return [
        ...(known.includes(type)
          ? []
          : [problem('unknown-type', [...at, 'type'], { ...suggest(type, known), name: about, type, known })]),
        ...(kind.fills ?? []).flatMap((name, i) =>
          variables.has(name)
            ? []
            : [problem('fills-nothing', [...at, 'fills', i], { fact: about, ...suggest(name, [...variables]) })],
        ),
        ...(unheard ? [problem('fact-unheard', at, { name: about }, 'warning')] : []),
        ...(['says', 'used'] as const).flatMap((key) => textProblems(document, [...at, key], kind[key], problem)),
      ];
    }),
  ];
}

type Make = (code: string, at: readonly (string | number)[], facts: Problem['facts']) => Problem;

/** A text of a fact names its value and nothing else. */
function textProblems(
  document: BotDocument,
  at: readonly string[],
  text: string | string[] | Record<string, string | string[]> | undefined,
  problem: Make,
): Problem[] {
  if (text === undefined) return [];
  return wordsInOneLanguage(text).flatMap(([language, words]): Problem[] => {
    if (language !== '' && !document.languages.includes(language))
      return [problem('unknown-language', [...at, language], { language, known: document.languages.join(', ') })];
    const compiled = compileTemplate(words);
    if (!compiled.ok) return [problem('template-open', at, { message: compiled.problem.message })];
    const other = compiled.value.reads.find((r) => r.root !== 'value');
    return other
      ? [problem('fact-names', at, { name: other.field === undefined ? other.root : `${other.root}.${other.field}` })]
      : [];
  });
}

/** The variables of all flows: what they take, and what their nodes ask for. */
function flowVariables({ flows }: BotDocument): ReadonlySet<string> {
  return new Set(
    Object.values(flows).flatMap((flow) => [
      ...Object.keys(flow.takes ?? {}),
      ...Object.values(flow.nodes).flatMap((n) =>
        typeof n['into'] === 'string' && n['into'].startsWith('flow.') ? [n['into'].slice('flow.'.length)] : [],
      ),
    ]),
  );
}

/** A model can propose facts: in the background, or by the tool of an agent. */
function hasRemember({ memory, flows }: BotDocument): boolean {
  if (memory?.by !== undefined) return true;
  const tools = Object.values(flows).flatMap((f) =>
    Object.values(f.nodes).flatMap((n) => (Array.isArray(n['tools']) ? (n['tools'] as unknown[]) : [])),
  );
  return tools.some((t) => t !== null && typeof t === 'object' && (t as { own?: unknown }).own === 'memory');
}
