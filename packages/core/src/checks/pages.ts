import { isChatPart, isInputPart, isOutputPart, type Page } from '../document/pages.js';
import { pointer, type Problem } from '../document/problem.js';
import type { BotDocument } from '../document/schema.js';
import { typeName } from '../document/shapes.js';
import { asksVisitor } from '../engine/refers.js';
import { mayStayEmpty, typeOfForm } from '../pages/inputs.js';
import { nearest } from '../text/nearest.js';

type At = (code: string, path: readonly (string | number)[], facts: Problem['facts'], severity?: Problem['severity']) => Problem;

/** What is wrong in the pages: flows that are not there or ask somebody, parts for what their flow neither takes nor gives. */
export function pageProblems(document: BotDocument): Problem[] {
  return Object.entries(document.pages ?? {}).flatMap(([id, page]) => onePage(document, id, page));
}

function onePage(document: BotDocument, id: string, page: Page): Problem[] {
  const at: At = (code, path, facts, severity = 'error') => {
    return { code, severity, field: pointer(['pages', id, ...path]), facts: { page: id, ...facts } };
  };
  const flow = Object.hasOwn(document.flows, page.flow) ? document.flows[page.flow] : undefined;
  if (!flow)
    return [
      at('unknown-flow', ['flow'], { name: page.flow, suggestion: nearest(page.flow, Object.keys(document.flows)) ?? null }),
    ];
  const asks = asksVisitor(document, page.flow);
  const { takes = {}, gives = {} } = flow;
  const shown = new Set(page.parts.filter(isInputPart).map((p) => p.input));
  const needed = Object.entries(takes).filter(([name, type]) => !mayStayEmpty(type) && !shown.has(name));
  return [
    ...(asks ? [at('page-asks', ['flow'], { flow: page.flow, ...asks })] : []),
    ...needed.map(([name]) => at('page-needs', ['parts'], { name, flow: page.flow })),
    ...partProblems(document, page, { takes, gives }, at),
    ...twice(page, at),
    ...(page.parts.some(isOutputPart) ? [] : [at('page-shows-nothing', ['parts'], {}, 'warning')]),
  ];
}

type Declared = Pick<Required<BotDocument['flows'][string]>, 'takes' | 'gives'>;

function partProblems(document: BotDocument, page: Page, { takes, gives }: Declared, at: At): Problem[] {
  const unknown = (code: string, path: readonly (string | number)[], name: string, known: Readonly<Record<string, unknown>>) =>
    at(code, path, { name, action: page.flow, suggestion: nearest(name, Object.keys(known)) ?? null });
  return page.parts.flatMap((part, i): Problem[] => {
    const field = ['parts', i] as const;
    if (isInputPart(part)) {
      const type = Object.hasOwn(takes, part.input) ? takes[part.input] : undefined;
      if (type === undefined) return [unknown('unknown-input', [...field, 'input'], part.input, takes)];
      const own = typeName(type).replace(/\?$/, '');
      const wanted = typeOfForm(part.as);
      const fits = own === 'any' || own === wanted || (wanted === 'text' && !Object.hasOwn(FORMED, own));
      return [
        ...(fits ? [] : [at('page-form', [...field, 'as'], { name: part.input, as: part.as, type: own, wanted })]),
        ...((part.as === 'choice' || part.as === 'choices') && part.of === undefined && !hasChoices(document, type)
          ? [at('page-no-choices', [...field, 'as'], { name: part.input })]
          : []),
      ];
    }
    if (isOutputPart(part))
      return [
        ...(Object.hasOwn(gives, part.output) ? [] : [unknown('unknown-output', [...field, 'output'], part.output, gives)]),
        ...(part.sources === undefined || Object.hasOwn(gives, part.sources)
          ? []
          : [unknown('unknown-output', [...field, 'sources'], part.sources, gives)]),
      ];
    if (isChatPart(part) && !Object.hasOwn(document.flows, part.chat)) {
      const flows = Object.keys(document.flows);
      return [at('unknown-flow', [...field, 'chat'], { name: part.chat, suggestion: nearest(part.chat, flows) ?? null })];
    }
    return [];
  });
}

/** Types that a line of text is not. */
const FORMED: Readonly<Record<string, true>> = { number: true, yes_no: true, list: true, object: true, file: true };

function hasChoices(document: BotDocument, type: Declared['takes'][string]): boolean {
  const name = typeName(type).replace(/\?$/, '');
  return (typeof type === 'object' && type.one_of !== undefined) || document.entities?.[name]?.values !== undefined;
}

/** Inputs and outputs that stand on a page twice. */
function twice({ parts }: Page, at: At): Problem[] {
  const seen = new Set<string>();
  return parts.flatMap((part, i) => {
    const key = isInputPart(part) ? `input ${part.input}` : isOutputPart(part) ? `output ${part.output}` : undefined;
    if (key === undefined || !seen.has(key)) return (key !== undefined && seen.add(key), []);
    return [at('page-twice', ['parts', i], { name: key })];
  });
}
