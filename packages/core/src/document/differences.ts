import { nodeKinds } from '../engine/nodes/registry.js';
import { sameValue } from './merge.js';
import type { BotDocument, Flow } from './schema.js';
import type { FlowNode, Value } from './shapes.js';

/**
 * One thing in which two documents differ. `part` says what it is; `name` is its own name (a flow, a node, a variable, a
 * field such as `says/en`, an exit). A value that is left out means that there is nothing.
 */
export interface Difference {
  readonly kind: 'added' | 'removed' | 'changed';
  readonly part:
    | 'bot'
    | 'variable'
    | 'entity'
    | 'intent'
    | 'context'
    | 'connection'
    | 'model'
    | 'knowledge'
    | 'table'
    | 'start'
    | 'page'
    | 'sample'
    | 'rehearsal'
    | 'flow'
    | 'node'
    | 'field'
    | 'link';
  readonly name: string;
  readonly flow?: string;
  readonly node?: string;
  /** How the node reads on the Map: its title, else its id. */
  readonly title?: string;
  readonly before?: Value;
  readonly after?: Value;
}

type Table = Readonly<Record<string, unknown>>;
type Where = Pick<Difference, 'flow' | 'node' | 'title'>;

const isTable = (value: unknown): value is Table => value !== null && typeof value === 'object' && !Array.isArray(value);

/** What is different, in the order of the document: the bot itself, then its tables, then flow by flow and node by node. */
export function compareDocuments(before: BotDocument, after: BotDocument): Difference[] {
  const tables = [
    'variables',
    'entities',
    'intents',
    'contexts',
    'connections',
    'models',
    'knowledge',
    'tables',
    'starts',
    'pages',
    'samples',
    'rehearsals',
    'flows',
  ];
  return [
    ...fieldDifferences(without(before, tables), without(after, tables), 'bot', {}),
    ...(['session', 'visitor', 'settings'] as const).flatMap((scope) =>
      tableDifferences(before.variables?.[scope], after.variables?.[scope], 'variable', (name) => `${scope}.${name}`),
    ),
    ...tableDifferences(before.entities, after.entities, 'entity'),
    ...tableDifferences(before.intents, after.intents, 'intent'),
    ...tableDifferences(before.contexts, after.contexts, 'context'),
    ...tableDifferences(before.connections, after.connections, 'connection'),
    ...tableDifferences(before.models, after.models, 'model'),
    ...documentDifferences(before, after),
    ...tableDifferences(before.tables, after.tables, 'table'),
    ...tableDifferences(before.starts, after.starts, 'start'),
    ...tableDifferences(before.pages, after.pages, 'page'),
    ...tableDifferences(before.samples, after.samples, 'sample'),
    ...tableDifferences(before.rehearsals, after.rehearsals, 'rehearsal'),
    ...flowDifferences(before, after),
  ];
}

function without(source: Table, keys: readonly string[]): Table {
  return Object.fromEntries(Object.entries(source).filter(([key]) => !keys.includes(key)));
}

function names(before: Table | undefined, after: Table | undefined): string[] {
  return [...new Set([...Object.keys(before ?? {}), ...Object.keys(after ?? {})])];
}

function values(before: unknown, after: unknown): Pick<Difference, 'before' | 'after'> {
  return {
    ...(before === undefined ? {} : { before: before as Value }),
    ...(after === undefined ? {} : { after: after as Value }),
  };
}

function kindOf(before: unknown, after: unknown): Difference['kind'] {
  if (before === undefined) return 'added';
  return after === undefined ? 'removed' : 'changed';
}

/** Whole entries of a table: an entity, a variable, a connection. */
function tableDifferences(
  before: Table | undefined,
  after: Table | undefined,
  part: Difference['part'],
  named: (name: string) => string = (name) => name,
): Difference[] {
  return names(before, after)
    .filter((key) => !sameValue(before?.[key], after?.[key]))
    .map((key) => {
      const kind = kindOf(before?.[key], after?.[key]);
      return { kind, part, name: named(key), ...values(before?.[key], after?.[key]) };
    });
}

/** Fields of one thing, down to the single value; a list counts as one. */
function fieldDifferences(before: unknown, after: unknown, part: 'bot' | 'field', where: Where, path = ''): Difference[] {
  if (sameValue(before, after)) return [];
  if (isTable(before) && isTable(after)) {
    return names(before, after).flatMap((key) =>
      fieldDifferences(before[key], after[key], part, where, path === '' ? key : `${path}/${key}`),
    );
  }
  return [{ kind: kindOf(before, after), part, name: path, ...where, ...values(before, after) }];
}

/** Documents of knowledge bases, one by one; their texts would be too long to show and are left out. */
function documentDifferences(before: BotDocument, after: BotDocument): Difference[] {
  const listed = ({ knowledge = {} }: BotDocument): Table =>
    Object.fromEntries(
      Object.entries(knowledge).flatMap(([base, { documents, ...own }]): [string, unknown][] => [
        [base, own],
        ...Object.entries(documents).map(([id, d]): [string, unknown] => [`${base}/${id}`, d]),
      ]),
    );
  return tableDifferences(listed(before), listed(after), 'knowledge').map(({ kind, part, name }) => ({ kind, part, name }));
}

function flowDifferences(before: BotDocument, after: BotDocument): Difference[] {
  return names(before.flows, after.flows).flatMap((flow): Difference[] => {
    const [old, now] = [before.flows[flow], after.flows[flow]];
    if (old === now) return [];
    if (old && now) return insideFlow(flow, old, now);
    const { title, nodes = {} } = old ?? now ?? {};
    const count = { nodes: Object.keys(nodes).length };
    return [
      {
        kind: old ? 'removed' : 'added',
        part: 'flow',
        name: flow,
        title: title ?? flow,
        ...(old ? { before: count } : { after: count }),
      },
    ];
  });
}

function insideFlow(flow: string, before: Flow, after: Flow): Difference[] {
  const where = { flow, title: after.title ?? flow };
  return [
    ...fieldDifferences(without(before, ['nodes']), without(after, ['nodes']), 'field', where),
    ...names(before.nodes, after.nodes).flatMap((node) => nodeDifferences(flow, node, before.nodes[node], after.nodes[node])),
  ];
}

function nodeDifferences(flow: string, node: string, before: FlowNode | undefined, after: FlowNode | undefined): Difference[] {
  if (before === after) return [];
  const where = { flow, node, title: after?.title ?? before?.title ?? node };
  if (!before || !after || before.kind !== after.kind) {
    const summed = (n: FlowNode | undefined) =>
      n ? `${n.kind}: ${nodeKinds.get(n.kind)?.prose(n, 'en').text ?? ''}` : undefined;
    return [{ kind: kindOf(before, after), part: 'node', name: node, ...where, ...values(summed(before), summed(after)) }];
  }
  const links = tableDifferences(before.exits, after.exits, 'link').map((d) => ({ ...d, ...where }));
  return [...fieldDifferences(without(before, ['exits']), without(after, ['exits']), 'field', where), ...links];
}

const MAX_SHOWN = 120;

function shown(value: Value | undefined): string {
  if (value === undefined || value === null) return 'nothing';
  const text = typeof value === 'string' ? `“${value}”` : JSON.stringify(value);
  return text.length > MAX_SHOWN ? `${text.slice(0, MAX_SHOWN - 1)}…` : text;
}

function changed({ kind, before, after }: Difference, name: string): string {
  if (kind === 'added') return `${name} is now ${shown(after)}`;
  if (kind === 'removed') return `${name} is gone; it was ${shown(before)}`;
  return `${name} was ${shown(before)}, is now ${shown(after)}`;
}

function countOf(value: Value | undefined): string {
  const count = isTable(value) ? Number(value['nodes']) : 0;
  return count === 1 ? 'one node' : `${count} nodes`;
}

/** A difference in the document's words, as one line. */
export function differenceSentence(d: Difference): string {
  const at = d.flow === undefined ? '' : d.node === undefined ? `${d.flow}: ` : `${d.flow}, ${d.title ?? d.node}: `;
  switch (d.part) {
    case 'bot':
      return changed(d, `the bot’s ${d.name.replaceAll('/', ' ')}`);
    case 'variable':
    case 'entity':
    case 'intent':
    case 'context':
    case 'connection':
    case 'model':
    case 'table':
    case 'start':
    case 'page':
    case 'sample':
    case 'rehearsal':
      return d.kind === 'changed' ? `${d.part} ${d.name} changed` : `${d.part} ${d.name} ${d.kind}`;
    case 'knowledge': {
      const what = d.name.includes('/') ? 'document' : 'knowledge base';
      return d.kind === 'changed' ? `${what} ${d.name} changed` : `${what} ${d.name} ${d.kind}`;
    }
    case 'flow':
      return `flow ${d.title ?? d.name} ${d.kind}, with ${countOf(d.before ?? d.after)}`;
    case 'node':
      if (d.kind === 'changed') return `${at}was ${shown(d.before)}, is now ${shown(d.after)}`;
      return `${at}${d.kind}, ${shown(d.kind === 'added' ? d.after : d.before)}`;
    case 'field':
      return at + changed(d, d.name.replaceAll('/', ' '));
    case 'link':
      if (d.kind === 'removed') return `${at}the exit ${d.name} leads nowhere any more; it led to ${shown(d.before)}`;
      return `${at}the exit ${d.name} leads to ${shown(d.after)}${d.kind === 'changed' ? `, no longer to ${shown(d.before)}` : ''}`;
    default:
      return d.part satisfies never;
  }
}
