import type { Problem } from '../document/problem.js';
import type { BotDocument } from '../document/schema.js';
import type { FlowNode } from '../document/shapes.js';
import { textOf } from '../expressions/functions.js';
import { changeFlow, changeNode, linkExit, removeNodes } from './nodes.js';
import { valueAt, withValueAt } from './references.js';

/** What would mend a problem: words for a button, and the document with it done. */
export interface Fix {
  readonly label: string;
  readonly apply: (document: BotDocument) => BotDocument;
}

type Fixer = (problem: Located, document: BotDocument) => Fix | undefined;

/** A problem of a node, which is where most fixes are known. */
interface Located extends Problem {
  readonly flow: string;
  readonly node: string;
  readonly field: string;
}

const meantBy = (p: Problem): string | undefined => {
  const { suggestion } = p.facts;
  return typeof suggestion === 'string' && suggestion !== '' ? suggestion : undefined;
};

const onNode = ({ flow, node }: Located, label: string, change: (n: FlowNode) => FlowNode): Fix => {
  return { label, apply: (document) => changeNode(document, flow, node, change) };
};

/** The suggestion in place of the characters at fault. */
const writeMeant: Fixer = (p, document) => {
  const meant = meantBy(p);
  const { start, end } = p.facts;
  const text = valueAt(document.flows[p.flow]?.nodes[p.node], p.field);
  if (meant === undefined || typeof text !== 'string') return undefined;
  if (p.code === 'template-open') return onNode(p, `Write ${meant}`, (n) => withValueAt(n, p.field, text + meant));
  if (typeof start !== 'number' || typeof end !== 'number') return undefined;
  return onNode(p, `Write ${meant}`, (n) => withValueAt(n, p.field, text.slice(0, start) + meant + text.slice(end)));
};

/** The suggestion in place of the whole field. */
const chooseMeant: Fixer = (p) => {
  const meant = meantBy(p);
  return meant === undefined ? undefined : onNode(p, `Choose ${meant}`, (n) => withValueAt(n, p.field, meant));
};

const leadMeant: Fixer = (p) => {
  const exit = textOf(p.facts['exit'] ?? p.facts['name'] ?? null);
  const meant = meantBy(p);
  if (meant !== undefined && p.code === 'unknown-node')
    return { label: `Lead it to ${meant}`, apply: (d) => linkExit(d, p.flow, p.node, exit, meant) };
  return { label: 'Take the link away', apply: (d) => linkExit(d, p.flow, p.node, exit, undefined) };
};

/** A key of a table under another name, or without it. */
const renameKey: Fixer = (p) => {
  const name = textOf(p.facts['name'] ?? null);
  const meant = meantBy(p);
  const table = p.field.slice(0, p.field.lastIndexOf('/'));
  const change = (n: FlowNode) => {
    const entries = Object.entries((valueAt(n, table) ?? {}) as Readonly<Record<string, unknown>>);
    const kept = entries.flatMap(([key, v]) => (key !== name ? [[key, v]] : meant === undefined ? [] : [[meant, v]]));
    return withValueAt(n, table, Object.fromEntries(kept) as unknown);
  };
  return onNode(p, meant === undefined ? `Remove ${name}` : `Call it ${meant}`, change);
};

/** The variable's name as suggested, else the variable declared. */
const declare: Fixer = (p) => {
  const meant = meantBy(p);
  if (meant !== undefined) return onNode(p, `Write ${meant}`, (n) => withValueAt(n, p.field, meant));
  const [scope = '', own = ''] = textOf(p.facts['name'] ?? null).split('.');
  if (scope !== 'session' && scope !== 'visitor') return undefined;
  return {
    label: `Declare ${scope}.${own} as text`,
    apply: (d) => ({ ...d, variables: { ...d.variables, [scope]: { ...d.variables?.[scope], [own]: 'text?' } } }),
  };
};

const FIXERS: Readonly<Record<string, Fixer>> = {
  'unknown-name': writeMeant,
  'expression-syntax': writeMeant,
  'expression-function': writeMeant,
  'template-open': writeMeant,
  undeclared: declare,
  'unknown-entity': chooseMeant,
  'unknown-action': chooseMeant,
  'unknown-model': chooseMeant,
  'unknown-knowledge': chooseMeant,
  'unknown-flow': chooseMeant,
  'unknown-intent': chooseMeant,
  'unknown-node': leadMeant,
  'unknown-exit': leadMeant,
  'unknown-input': renameKey,
  'unknown-output': renameKey,
  'not-carried': renameKey,
  unreachable: ({ flow, node }) => ({ label: 'Remove the node', apply: (d) => removeNodes(d, flow, [node]) }),
  'no-cases': ({ flow, node }) => ({ label: 'Remove the branch', apply: (d) => removeNodes(d, flow, [node]) }),
};

/** What would mend a problem, where that is known; undefined where a person has to decide. */
export function fixFor(problem: Problem, document: BotDocument): Fix | undefined {
  const { flow, node, field = '' } = problem;
  if (problem.code === 'no-begin' && flow !== undefined) return beginFix(flow, document);
  if (flow === undefined || node === undefined) return undefined;
  return FIXERS[problem.code]?.({ ...problem, flow, node, field }, document);
}

function beginFix(flow: string, document: BotDocument): Fix | undefined {
  const [first] = Object.keys(document.flows[flow]?.nodes ?? {});
  if (first === undefined) return undefined;
  return { label: `Begin with ${first}`, apply: (d) => changeFlow(d, flow, (f) => ({ ...f, begin: first })) };
}
