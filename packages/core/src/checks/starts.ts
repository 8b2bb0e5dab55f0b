import { pointer, type Problem } from '../document/problem.js';
import type { BotDocument } from '../document/schema.js';
import type { Start } from '../document/starts.js';
import { typeName, type Value } from '../document/shapes.js';
import { asksVisitor } from '../engine/refers.js';
import { compileExpression } from '../expressions/expression.js';
import { compileTemplate } from '../expressions/template.js';
import { CAME_NAMES } from '../starts/given.js';
import { isCron } from '../starts/cron.js';
import { nearest } from '../text/nearest.js';
import { isZone } from '../understanding/calendar.js';

/** What is wrong in the starts: flows that are not there or ask somebody, inputs, times, tables, expressions. */
export function startProblems(document: BotDocument): Problem[] {
  return Object.entries(document.starts ?? {}).flatMap(([id, start]) => oneStart(document, id, start));
}

type At = (code: string, path: readonly (string | number)[], facts: Problem['facts']) => Problem;

function oneStart(document: BotDocument, id: string, start: Start): Problem[] {
  const at: At = (code, path, facts) => {
    return { code, severity: 'error', field: pointer(['starts', id, ...path]), facts: { start: id, ...facts } };
  };
  const flows = Object.keys(document.flows);
  if (!Object.hasOwn(document.flows, start.flow))
    return [at('unknown-flow', ['flow'], { name: start.flow, suggestion: nearest(start.flow, flows) ?? null })];
  const asks = asksVisitor(document, start.flow);
  return [
    ...(asks ? [at('start-asks', ['flow'], { flow: start.flow, ...asks })] : []),
    ...('given' in start ? givenProblems(document, start, at) : []),
    ...ownProblems(document, start, at),
  ];
}

function givenProblems(document: BotDocument, start: Exclude<Start, { by: 'call' }>, at: At): Problem[] {
  const takes = document.flows[start.flow]?.takes ?? {};
  const { given } = start;
  if (given === undefined) return [];
  const needed = Object.entries(takes).filter(([name, type]) => {
    const optional = typeName(type).endsWith('?') || (typeof type === 'object' && type.value !== undefined);
    return !optional && !(name in given);
  });
  return [
    ...needed.map(([name]) => at('not-given', ['given'], { name, action: start.flow })),
    ...Object.keys(given)
      .filter((name) => !(name in takes))
      .map((name) =>
        at('unknown-input', ['given', name], { name, action: start.flow, suggestion: nearest(name, Object.keys(takes)) ?? null }),
      ),
    ...Object.entries(given).flatMap(([name, value]) =>
      textsIn(value).flatMap((text) =>
        templateProblems(text, [...CAME_NAMES[start.by], 'clock', 'settings'], at, ['given', name]),
      ),
    ),
  ];
}

function textsIn(value: Value): string[] {
  if (typeof value === 'string') return [value];
  if (value === null || typeof value !== 'object') return [];
  return Object.values(value).flatMap((v) => textsIn(v));
}

function templateProblems(text: string, roots: readonly string[], at: At, path: readonly string[]): Problem[] {
  const compiled = compileTemplate(text);
  if (!compiled.ok) {
    const { code, message, start, end } = compiled.problem;
    return [at(code, path, { message, start, end, near: text.slice(start, end).slice(0, 40), suggestion: null })];
  }
  return compiled.value.reads
    .filter((r) => !roots.includes(r.root))
    .map((r) =>
      at('unknown-name', path, { name: r.root, suggestion: nearest(r.root, roots) ?? null, start: r.start, end: r.end }),
    );
}

function ownProblems(document: BotDocument, start: Start, at: At): Problem[] {
  switch (start.by) {
    case 'hook': {
      const compiled = start.repeats === undefined ? undefined : compileExpression(start.repeats);
      if (!compiled || compiled.ok) return [];
      const { code, message, start: from, end } = compiled.problem;
      return [
        at(code, ['repeats'], { message, start: from, end, near: (start.repeats ?? '').slice(from, end), suggestion: null }),
      ];
    }
    case 'schedule': {
      const zone = start.zone ?? document.zone;
      return [
        ...(isCron(start.at) ? [] : [at('bad-cron', ['at'], { name: start.at })]),
        ...(isZone(zone) ? [] : [at('unknown-zone', ['zone'], { zone })]),
      ];
    }
    case 'row': {
      const tables = Object.keys(document.tables ?? {});
      if (tables.includes(start.table)) return [];
      return [at('unknown-table', ['table'], { name: start.table, suggestion: nearest(start.table, tables) ?? null })];
    }
    case 'call':
      return [];
    default:
      return start satisfies never;
  }
}
