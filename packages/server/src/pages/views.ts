import {
  formOf,
  formOfType,
  inWords,
  isChatPart,
  isInputPart,
  isOutputPart,
  keptNow,
  legibleColours,
  makingsOf,
  mayStayEmpty,
  outputsNow,
  PAGE_COLUMNS,
  readMarkdown,
  shownAs,
  sourcesIn,
  asMarkdown,
  fileOf,
  type BotDocument,
  type InputPart,
  type OutputNow,
  type Page,
  type PageRun,
  type ResultDocument,
  type TypeDeclaration,
  type Value,
  type Values,
} from '@primrose/core';
import type { PageOutput, PageOutputVersion, PageResult, ShownPage, ShownPart } from '@primrose/contract';
import type { RanPage } from '../store/pages.js';
import { withoutTexts } from './sent.js';
import { NEVER_BEGAN, pageValues, reasonsColumn, type ResultRow } from '../store/pages.js';

const BUTTON: Readonly<Record<string, string>> = { en: 'Go', de: 'Los', es: 'Adelante', fr: 'C’est parti' };
const MOST_CHOICES = 200;

/** A page as visitors see it. Throws on nothing that a document can hold; parts for what its flow has not are left out. */
export function shownPage(document: BotDocument, page: Page): ShownPage {
  const flow = document.flows[page.flow];
  const makings = makingsOf(document, page.flow);
  const language = document.languages[0] ?? 'en';
  const parts = page.parts.flatMap((part): ShownPart[] => {
    const wide = part.wide ?? (isInputPart(part) && part.as !== 'long-text' && part.as !== 'choices' ? 6 : PAGE_COLUMNS);
    if (isInputPart(part)) {
      const type = flow?.takes?.[part.input];
      if (type === undefined) return [];
      return [{ ...shownInput(document, part, type), wide }];
    }
    if (isOutputPart(part)) {
      const type = flow?.gives?.[part.output];
      const making = makings.get(part.output);
      if (type === undefined || !making) return [];
      return [
        {
          output: part.output,
          as: formOf(document, page, part.output),
          label: labelOf(part.label, part.output, type),
          help: part.help ?? null,
          hides: part.hides ?? false,
          from: [...making.inputs, ...making.outputs],
          wide,
        },
      ];
    }
    if (isChatPart(part)) return [{ chat: true, label: part.label ?? '', help: part.help ?? null, wide }];
    if ('text' in part) return [{ blocks: readMarkdown(part.text), wide }];
    return [{ picture: part.picture, alt: part.alt, wide }];
  });
  return {
    title: page.title,
    about: page.about ?? null,
    button: page.button ?? BUTTON[language.split('-')[0] ?? 'en'] ?? 'Go',
    language,
    colours: legibleColours(page.colours ?? {}),
    logo: page.logo ?? null,
    examples: (page.examples ?? []).map((e) => ({ title: e.title, inputs: { ...e.inputs } })),
    parts,
  };
}

function labelOf(label: string | undefined, name: string, type: TypeDeclaration | undefined): string {
  return label ?? (typeof type === 'object' ? type.name : undefined) ?? inWords(name);
}

function shownInput(document: BotDocument, part: InputPart, type: TypeDeclaration) {
  return {
    input: part.input,
    as: part.as,
    label: labelOf(part.label, part.input, type),
    help: part.help ?? (typeof type === 'object' ? (type.about ?? null) : null),
    of: part.as === 'choice' || part.as === 'choices' ? choicesOf(document, part, type) : [],
    needed: !mayStayEmpty(type),
    first: part.first ?? (typeof type === 'object' ? (type.value ?? null) : null),
  };
}

/** What can be chosen: as the part says, else as the type does, else the values of its entity with their words. */
function choicesOf(document: BotDocument, { of }: InputPart, type: TypeDeclaration): { value: string; says: string }[] {
  const declared = of ?? (typeof type === 'object' ? type.one_of : undefined);
  if (declared) return declared.map((value) => ({ value, says: value }));
  const name = (typeof type === 'string' ? type : (type.of ?? type.type)).replace(/\?$/, '');
  const values = document.entities?.[name]?.values ?? {};
  const [language = 'en'] = document.languages;
  return Object.entries(values)
    .slice(0, MOST_CHOICES)
    .map(([value, words]) => {
      const list = Array.isArray(words) ? words : (words[language] ?? Object.values(words)[0] ?? []);
      return { value, says: list[0] ?? inWords(value) };
    });
}

/** A run as the core knows it. */
export function pageRun(row: RanPage): PageRun {
  const kept = row.kept === null ? {} : pageValues.read(row.kept);
  const reasons = row.reasons === null ? {} : reasonsColumn.read(row.reasons);
  const never = reasons[NEVER_BEGAN];
  const at = row.at.toISOString();
  if (never !== undefined) return { id: row.id, part: row.part, at, state: 'failed', reason: never, kept, reasons: {} };
  return { id: row.id, part: row.part, at, state: stateOf(row), reason: row.reason, kept, reasons };
}

function stateOf({ waits, outcome, kept }: RanPage): PageRun['state'] {
  if (waits === 1) return 'waiting';
  // A run whose record is over its time is told by what is kept of it.
  if (outcome === null) return kept === null ? 'running' : 'done';
  if (outcome === 'aside' || outcome === 'failed') return 'failed';
  return outcome;
}

/** What is being made, by output: provisional values and words. */
export type Live = ReadonlyMap<string, { readonly writing?: string; readonly value?: Value; readonly begun: boolean }>;

export interface Viewed {
  readonly document: BotDocument;
  readonly page: Page;
  readonly row: ResultRow;
  readonly runs: readonly RanPage[];
  readonly place: number | null;
  readonly by: string | null;
  readonly share: string | null;
  readonly live: Live;
}

/** A result with all that has come of it. */
export function resultView({ document, page, row, runs, place, by, share, live }: Viewed): PageResult {
  const ran = runs.map(pageRun);
  const last = ran.at(-1);
  const open = ran.find((r) => r.state === 'running') ?? ran.find((r) => r.state === 'waiting');
  return {
    id: row.id,
    page: row.page,
    stage: row.stage,
    at: row.at.toISOString(),
    inputs: withoutTexts(pageValues.read(row.inputs)),
    state: open?.state ?? last?.state ?? 'waiting',
    place: open?.state === 'waiting' ? place : null,
    reason: last?.state === 'failed' ? (last.reason ?? Object.values(last.reasons)[0] ?? null) : null,
    outputs: outputsNow(document, page, ran).map((o) => outputView(document, page, o, live)),
    runs: ran.map(({ id, part, at, state }) => ({ id, part, at, state })),
    by,
    share,
    tokens: runs.reduce((sum, r) => sum + r.tokens, 0),
    price: runs.reduce((sum, r) => sum + r.price, 0),
  };
}

function outputView(document: BotDocument, page: Page, now: OutputNow, live: Live): PageOutput {
  const { output, reason, staleBy } = now;
  const form = formOf(document, page, output);
  const label = page.parts.filter(isOutputPart).find((p) => p.output === output)?.label ?? inWords(output);
  const view = (v: OutputNow['versions'][number]): PageOutputVersion => ({
    run: v.run,
    at: v.at,
    value: v.value,
    shown: shownAs(form, v.value, label),
    sources: sourcesIn(v.sources, v.value),
  });
  const versions = now.versions.map(view);
  const base = { output, reason, staleBy: [...staleBy], versions };
  const under = live.get(output);
  if (now.state !== 'making' || !under) return { ...base, state: now.state, writing: null };
  if (under.value !== undefined && under.value !== null && under.value !== '') {
    const value = { run: '', at: now.versions.at(-1)?.at ?? new Date(0).toISOString(), value: under.value, sources: null };
    return { ...base, state: 'ready', writing: null, versions: [...versions, view(value)] };
  }
  return { ...base, state: under.begun ? 'making' : 'waiting', writing: under.writing ?? null };
}

/** What came of a page, as files are written of it: the newest of each output that has a value, or one alone. */
export function resultDocument(
  { document, page, row, runs }: Pick<Viewed, 'document' | 'page' | 'row' | 'runs'>,
  only: { readonly output?: string | undefined; readonly run?: string | undefined; readonly inputs: boolean },
): ResultDocument {
  const outputs = outputsNow(document, page, runs.map(pageRun)).filter(
    (o) => only.output === undefined || o.output === only.output,
  );
  const parts = new Map(page.parts.filter(isOutputPart).map((p) => [p.output, p]));
  const gives = document.flows[page.flow]?.gives ?? {};
  return {
    title: page.title,
    at: row.at.toISOString(),
    inputs: only.inputs ? inputWords(document, page, pageValues.read(row.inputs)) : [],
    sections: outputs.flatMap((o) => {
      const version = only.run === undefined ? o.versions.at(-1) : o.versions.find((v) => v.run === only.run);
      if (!version) return [];
      const { value } = version;
      const title = labelOf(parts.get(o.output)?.label, o.output, gives[o.output]);
      return [{ title, form: formOf(document, page, o.output), value, sources: sourcesIn(version.sources, value) }];
    }),
  };
}

/** What was filled in, each under its label. */
export function inputWords(document: BotDocument, page: Page, inputs: Values): (readonly [string, string])[] {
  const takes = document.flows[page.flow]?.takes ?? {};
  const parts = new Map(page.parts.filter(isInputPart).map((p) => [p.input, p]));
  return Object.entries(inputs).flatMap(([name, value]) => {
    if (value === null || value === '') return [];
    const part = parts.get(name) ?? { input: name, as: formOfType(takes[name] ?? 'text') };
    const choices = takes[name] === undefined ? [] : choicesOf(document, part, takes[name]);
    const words = (v: Value): string => choices.find((c) => c.value === v)?.says ?? fileOf(v)?.name ?? plain(v);
    const said = Array.isArray(value) ? (value as readonly Value[]).map(words).join(', ') : words(value);
    return [[labelOf(part.label, name, takes[name]), said] as const];
  });
}

function plain(value: Value): string {
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  return asMarkdown(value);
}

/** What the variables of a page's flow hold by its runs. */
export function valuesNow(row: ResultRow, runs: readonly RanPage[]): Values {
  return keptNow(pageValues.read(row.inputs), runs.map(pageRun));
}
