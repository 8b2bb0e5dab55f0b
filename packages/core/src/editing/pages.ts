import { isChatPart, isInputPart, isOutputPart, PAGE_COLUMNS, type Page, type PagePart } from '../document/pages.js';
import type { BotDocument, Flow } from '../document/schema.js';
import { typeName } from '../document/shapes.js';
import { formOfType } from '../pages/inputs.js';
import type { PageProposal } from '../pages/plan.js';
import { calledFlows, referencesOf } from '../engine/refers.js';
import { freeId, idOf } from './nodes.js';
import { withValueAt } from './references.js';

/** Edits one page; the document stays where there is none of this name. */
export function changePage(document: BotDocument, id: string, change: (page: Page) => Page): BotDocument {
  const page = document.pages?.[id];
  return page ? { ...document, pages: { ...document.pages, [id]: change(page) } } : document;
}

/** Adds a page over a flow: with an input for each that it takes, and an output for each that it gives. */
export function addPage(
  document: BotDocument,
  title: string,
  flowId: string,
): { readonly document: BotDocument; readonly page: string } {
  const { takes = {}, gives = {} } = document.flows[flowId] ?? {};
  const id = freeId(document.pages ?? {}, idOf(title) || 'page');
  const parts: PagePart[] = [
    ...Object.entries(takes).map(([input, type]): PagePart => ({ input, as: formOfType(type) })),
    ...Object.keys(gives).map((output): PagePart => ({ output })),
  ];
  return { document: { ...document, pages: { ...document.pages, [id]: { title, flow: flowId, parts } } }, page: id };
}

/** Adds a search page over a knowledge base: a question, an answer with its sources, and the passages. `profile` composes the answer where one is named. */
export function addSearchPage(
  document: BotDocument,
  base: string,
  profile: string | undefined,
): { readonly document: BotDocument; readonly page: string } {
  const title = `Search ${base.replaceAll('-', ' ')}`;
  const page = freeId(document.pages ?? {}, `search-${base}`);
  const flow = freeId(document.flows, `search-${base}`);
  const found: Flow = {
    title,
    takes: { question: { type: 'text', name: 'Question' } },
    gives: { answer: { type: 'text?', name: 'Answer' }, passages: { type: 'list?', name: 'Passages' }, sources: 'list?' },
    begin: 'look',
    nodes: {
      look: {
        kind: 'lookup',
        in: base,
        before: false,
        asks: '{{ flow.question }}',
        most: 8,
        into: 'flow.sources',
        answer: 'flow.answer',
        ...(profile === undefined ? {} : { uses: profile }),
        exits: { found: 'list', 'not-covered': 'nothing' },
      },
      list: {
        kind: 'set',
        title: 'Where it stands',
        sets: [
          {
            into: 'flow.passages',
            to: '{{ flow.sources.map(p, {"document": p.title, "heading": p.heading, "passage": p.quote}) }}',
          },
        ],
        exits: { done: 'done' },
      },
      nothing: {
        kind: 'set',
        title: 'Not covered',
        sets: [{ into: 'flow.answer', to: 'The documents do not answer this.' }],
        exits: { done: 'done' },
      },
      done: { kind: 'end', ends: 'flow' },
    },
  };
  const parts: PagePart[] = [
    { input: 'question', as: 'text', wide: 12 },
    { output: 'answer', sources: 'sources', wide: 12 },
    { output: 'passages', as: 'table', hides: true, wide: 12 },
  ];
  return {
    document: {
      ...document,
      flows: { ...document.flows, [flow]: found },
      pages: { ...document.pages, [page]: { title, flow, button: 'Search', parts } },
    },
    page,
  };
}

/** Puts a proposed page with its flows into a document. */
export function withProposal(document: BotDocument, { id, page, flows }: PageProposal): BotDocument {
  return { ...document, flows: { ...document.flows, ...flows }, pages: { ...document.pages, [id]: page } };
}

/** Adds a part behind another one, or at the end. */
export function addPart(page: Page, part: PagePart, behind?: number): Page {
  const at = behind === undefined ? page.parts.length : behind + 1;
  return { ...page, parts: [...page.parts.slice(0, at), part, ...page.parts.slice(at)] };
}

/** Moves a part by some places; it stays within the page. */
export function movePart(page: Page, at: number, by: number): Page {
  const part = page.parts[at];
  const to = Math.max(0, Math.min(page.parts.length - 1, at + by));
  if (!part || to === at) return page;
  const rest = page.parts.filter((_, i) => i !== at);
  return { ...page, parts: [...rest.slice(0, to), part, ...rest.slice(to)] };
}

/** Makes a part some columns wide, within what a page has. */
export function widenPart(page: Page, at: number, wide: number): Page {
  const most = Math.max(2, Math.min(PAGE_COLUMNS, Math.round(wide)));
  return { ...page, parts: page.parts.map((p, i) => (i === at ? { ...p, wide: most } : p)) };
}

export function removePart(page: Page, at: number): Page {
  return { ...page, parts: page.parts.filter((_, i) => i !== at) };
}

/** Flows behind a page: its own, that of its chat, and all that these call. */
export function flowsOfPage(document: BotDocument, page: Page): string[] {
  const found = new Set([page.flow, ...page.parts.filter(isChatPart).map((p) => p.chat)]);
  for (const id of found)
    Object.values(document.flows[id]?.nodes ?? {}).forEach((n) => calledFlows(n).forEach((c) => found.add(c)));
  return [...found].filter((id) => Object.hasOwn(document.flows, id));
}

/** Inputs and outputs of a page's flow that no part shows. */
export function unshown(document: BotDocument, page: Page): { readonly inputs: string[]; readonly outputs: string[] } {
  const { takes = {}, gives = {} } = document.flows[page.flow] ?? {};
  const inputs = new Set(page.parts.filter(isInputPart).map((p) => p.input));
  const outputs = new Set(
    page.parts.filter(isOutputPart).flatMap((p) => [p.output, ...(p.sources === undefined ? [] : [p.sources])]),
  );
  return { inputs: Object.keys(takes).filter((n) => !inputs.has(n)), outputs: Object.keys(gives).filter((n) => !outputs.has(n)) };
}

/** A document with a page of another one, and what could not be taken along, each with why. */
export interface CopiedPage {
  readonly document: BotDocument;
  readonly page: string;
  readonly flows: readonly string[];
  readonly left: readonly string[];
}

/**
 * Copies a page with the flows behind it, and the model profiles, connections and entities that these name, as far as the
 * document has none of the names. Knowledge, tables and secrets stay where they are, and are told.
 */
export function copyPage(into: BotDocument, from: BotDocument, id: string): CopiedPage | undefined {
  const page = from.pages?.[id];
  if (!page) return undefined;
  const taken = flowsOfPage(from, page);
  const flows: Record<string, Flow> = {};
  const names = new Map<string, string>();
  for (const flow of taken)
    names.set(flow, freeId({ ...into.flows, ...Object.fromEntries([...names.values()].map((n) => [n, true])) }, flow));
  const needs = { model: new Set<string>(), action: new Set<string>(), entity: new Set<string>() };
  const left = new Set<string>();
  for (const flow of taken) {
    const own = from.flows[flow];
    if (!own) continue;
    for (const type of Object.values({ ...own.takes, ...own.gives })) needs.entity.add(typeName(type).replace(/\?$/, ''));
    const nodes = Object.entries(own.nodes).map(([node, n]) => {
      let copy = n;
      for (const r of referencesOf(n)) {
        if (r.to === 'model' || r.to === 'action' || r.to === 'entity') needs[r.to].add(r.name);
        else if (r.to === 'flow' && r.field !== undefined) copy = withValueAt(copy, r.field, names.get(r.name) ?? r.name);
        else if (r.to === 'knowledge' && !Object.hasOwn(into.knowledge ?? {}, r.name))
          left.add(`knowledge base ${r.name}, with its documents`);
        else if (r.to === 'table' && !Object.hasOwn(into.tables ?? {}, r.name)) left.add(`table ${r.name}`);
      }
      return [node, copy] as const;
    });
    flows[names.get(flow) ?? flow] = { ...own, nodes: Object.fromEntries(nodes) };
  }
  for (const model of needs.model) {
    for (let at = from.models?.[model]?.fallback; at !== undefined && !needs.model.has(at); at = from.models?.[at]?.fallback)
      needs.model.add(at);
  }
  const only = <T>(
    all: Readonly<Record<string, T>> | undefined,
    wanted: ReadonlySet<string>,
    there: Readonly<Record<string, T>> | undefined,
  ) => Object.fromEntries(Object.entries(all ?? {}).filter(([name]) => wanted.has(name) && !Object.hasOwn(there ?? {}, name)));
  const models = only(from.models, needs.model, into.models);
  const named = new Set([
    ...Object.values(models).map((m) => m.connection),
    ...[...needs.action].map((a) => a.split('.')[0] ?? ''),
  ]);
  const connections = only(from.connections, named, into.connections);
  Object.entries(connections).forEach(([name, c]) => c.auth !== undefined && left.add(`secret of the connection ${name}`));
  const entities = only(from.entities, needs.entity, into.entities);
  const chats = (part: PagePart): PagePart => (isChatPart(part) ? { ...part, chat: names.get(part.chat) ?? part.chat } : part);
  const pageId = freeId(into.pages ?? {}, id);
  const copied: Page = { ...page, flow: names.get(page.flow) ?? page.flow, parts: page.parts.map(chats) };
  const document: BotDocument = {
    ...into,
    ...(Object.keys(models).length > 0 ? { models: { ...into.models, ...models } } : {}),
    ...(Object.keys(connections).length > 0 ? { connections: { ...into.connections, ...connections } } : {}),
    ...(Object.keys(entities).length > 0 ? { entities: { ...into.entities, ...entities } } : {}),
    flows: { ...into.flows, ...flows },
    pages: { ...into.pages, [pageId]: copied },
  };
  return { document, page: pageId, flows: Object.keys(flows), left: [...left] };
}
