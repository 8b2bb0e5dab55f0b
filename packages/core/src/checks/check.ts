import { correctionProblems } from './corrections.js';
import { pointer, type Problem } from '../document/problem.js';
import type { BotDocument, Flow } from '../document/schema.js';
import { typeName, type FlowNode } from '../document/shapes.js';
import { VALUE_TYPES } from '../document/variables.js';
import { compileExpression, type ExpressionProblem, type Reading } from '../expressions/expression.js';
import { compileTemplate } from '../expressions/template.js';
import { variablesOf } from '../editing/references.js';
import { nearest } from '../text/nearest.js';
import type { AnyKind, Use } from '../engine/kind.js';
import { nodeKinds } from '../engine/nodes/registry.js';
import { asksVisitor, calledFlows, isStill, usesOf, waits } from '../engine/refers.js';
import { typeMistake, type TypedScopes } from '../expressions/types.js';
import { circleProblems } from './calls.js';
import { circlesOf } from './circles.js';
import { actionTexts, actionTypeProblems } from './connections.js';
import { languageProblems } from './languages.js';
import { partProblems } from './parts.js';
import { rehearsalProblems } from './rehearsals.js';
import { memoryProblems } from './memory.js';
import { pageProblems } from './pages.js';
import { startProblems } from './starts.js';
import { tableProblems } from './tables.js';

const TURN_FACTS = [
  'text',
  'reply',
  'channel',
  'language',
  'name',
  'first_name',
  'email',
  'signed_in',
  'pictures',
  'files',
  'intent',
  'failure',
];
const CLOCK_FACTS = ['now', 'today', 'tomorrow', 'time', 'weekday', 'zone', 'staffed'];

interface Names {
  /** The declared types of what can be named. */
  readonly types: TypedScopes;
  readonly known: ReadonlyMap<string, ReadonlySet<string>>;
  readonly written: ReadonlySet<string>;
}

/** What a text may name: scopes, their variables, and names that only some fields know. */
export interface Scope {
  readonly roots: readonly string[];
  readonly fields: ReadonlyMap<string, ReadonlySet<string>>;
}

/** All that is wrong (error) or doubtful (warning) in a bot, in document order. Works on any document that `readDocument` took. */
export function checkBot(document: BotDocument): Problem[] {
  const problems: Problem[] = [];
  for (const key of ['begins', 'unmatched'] as const) {
    const flow = document[key];
    if (flow === undefined || flow in document.flows) continue;
    problems.push({
      code: 'unknown-flow',
      severity: 'error',
      field: `/${key}`,
      facts: suggest(flow, Object.keys(document.flows)),
    });
  }
  const everWritten = new Set(Object.values(document.flows).flatMap(writes));
  problems.push(...declaredTypes(document), ...partProblems(document), ...actionProblems(document, everWritten));
  problems.push(
    ...tableProblems(document),
    ...memoryProblems(document),
    ...startProblems(document),
    ...pageProblems(document),
    ...rehearsalProblems(document),
  );
  for (const id of Object.keys(document.flows)) problems.push(...checkFlow(document, id, everWritten));
  return [...problems, ...circleProblems(document), ...languageProblems(document)];
}

function suggest(name: string, known: Iterable<string>): { name: string; suggestion: string | null } {
  return { name, suggestion: nearest(name, known) ?? null };
}

/** Variables of a flow that its nodes read; what a variable is called inside it. */
function readsOf(flow: Flow): ReadonlySet<string> {
  const read = Object.values(flow.nodes).flatMap((n) => [...variablesOf(n).reads]);
  return new Set(read.flatMap((r) => (r.startsWith('flow.') ? [r.slice('flow.'.length)] : [])));
}

function writes(flow: Flow): string[] {
  return Object.values(flow.nodes).flatMap((n) => usesOf(n).flatMap((u) => (u.as === 'target' ? [u.text] : [])));
}

/** The problems of one flow. `everWritten` are the variables that any flow of the bot sets. */
function checkFlow(document: BotDocument, flowId: string, everWritten: ReadonlySet<string>): Problem[] {
  const flow = document.flows[flowId];
  if (!flow) return [];
  const problems: Problem[] = [];
  const ids = Object.keys(flow.nodes);
  if (flow.begin === undefined || !(flow.begin in flow.nodes)) {
    const facts = flow.begin === undefined ? { name: null, suggestion: null } : suggest(flow.begin, ids);
    problems.push({
      code: ids.length === 0 ? 'empty-flow' : 'no-begin',
      severity: 'error',
      flow: flowId,
      field: '/begin',
      facts,
    });
  }
  for (const key of ['takes', 'gives'] as const)
    problems.push(...typeProblems(document, flow[key] ?? {}, `/${key}`).map((p) => ({ ...p, flow: flowId })));
  for (const name of Object.keys(flow.gives ?? {})) {
    if (name in (flow.takes ?? {}) || writes(flow).includes(`flow.${name}`)) continue;
    problems.push({ code: 'never-given', severity: 'warning', flow: flowId, field: `/gives/${name}`, facts: { name } });
  }
  const names = namesOf(document, flow, everWritten);
  const variables = names.known.get('flow') ?? new Set<string>();
  const reads = readsOf(flow);
  const place = { document, flow, variables, reads, asksVisitor: (called: string) => asksVisitor(document, called) };
  for (const [nodeId, node] of Object.entries(flow.nodes)) {
    const kind = nodeKinds.get(node.kind);
    if (!kind) continue;
    const found = [
      ...exitProblems(kind, node, ids),
      ...textProblems(node, names, document),
      ...(kind.checks?.(node, place) ?? []),
    ];
    problems.push(...found.map((p) => ({ ...p, flow: flowId, node: nodeId })));
  }
  return [...problems, ...walkProblems(document, flow, flowId)];
}

/** What is declared outside of flows with a type that nothing is: variables, what contexts carry, what actions take and give. */
function declaredTypes(document: BotDocument): Problem[] {
  const { variables = {}, contexts = {}, connections = {} } = document;
  return [
    ...Object.entries(variables).flatMap(([scope, table]) => typeProblems(document, table, `/variables/${scope}`)),
    ...Object.entries(contexts).flatMap(([name, c]) => typeProblems(document, c.carries ?? {}, `/contexts/${name}/carries`)),
    ...Object.entries(connections).flatMap(([name, { actions }]) =>
      Object.entries(actions).flatMap(([id, a]) => [
        ...typeProblems(document, a.takes ?? {}, `/connections/${name}/actions/${id}/takes`),
        ...typeProblems(document, a.types ?? {}, `/connections/${name}/actions/${id}/types`),
      ]),
    ),
  ];
}

/** What is wrong in the templates of actions. An action knows what it takes; of variables those that every flow has. */
function actionProblems(document: BotDocument, everWritten: ReadonlySet<string>): Problem[] {
  const anywhere = namesOf(document, { nodes: {} }, everWritten);
  const known = new Map([...anywhere.known].filter(([root]) => root !== 'flow'));
  const names = { ...anywhere, known };
  return Object.entries(document.connections ?? {}).flatMap(([connection, { actions }]) =>
    Object.entries(actions).flatMap(([id, action]) => [
      ...actionTypeProblems(connection, id, action),
      ...actionTexts(document, connection, id, action).flatMap(({ path, use }) =>
        expressionProblems(use, names).map((p) => ({ ...p, field: pointer(path) + use.field })),
      ),
    ]),
  );
}

/** Declarations whose type is neither a built-in one nor one of the bot's entities. */
function typeProblems(document: BotDocument, table: NonNullable<Flow['takes']>, at: string): Problem[] {
  const known = [...VALUE_TYPES, ...Object.keys(document.entities ?? {})];
  return Object.entries(table).flatMap(([name, declaration]): Problem[] => {
    const type = typeName(declaration).replace(/\?$/, '');
    if (known.includes(type)) return [];
    const facts = { name, type, suggestion: nearest(type, known) ?? null, known };
    return [{ code: 'unknown-type', severity: 'error', field: `${at}/${name}`, facts }];
  });
}

function exitProblems(kind: AnyKind, node: FlowNode, ids: readonly string[]): Problem[] {
  if (kind.still) return [];
  const exits = kind.exits(node);
  const links = node.exits ?? {};
  const problems: Problem[] = [];
  const seen = new Set<string>();
  for (const { name } of exits) {
    const field = `/exits/${name}`;
    if (seen.has(name)) problems.push({ code: 'duplicate-exit', severity: 'error', field, facts: { exit: name } });
    seen.add(name);
    const to = links[name];
    if (to === undefined)
      problems.push({ code: 'dangling-exit', severity: node.off ? 'warning' : 'error', field, facts: { exit: name } });
    else if (!ids.includes(to))
      problems.push({ code: 'unknown-node', severity: 'error', field, facts: { exit: name, ...suggest(to, ids) } });
  }
  for (const name of Object.keys(links).filter((l) => !seen.has(l))) {
    problems.push({ code: 'unknown-exit', severity: 'error', field: `/exits${pointer([name])}`, facts: suggest(name, seen) });
  }
  return problems;
}

function namesOf(document: BotDocument, flow: Flow, everWritten: ReadonlySet<string>): Names {
  const { session = {}, visitor = {}, settings = {} } = document.variables ?? {};
  const local = writes(flow).flatMap((t) => (t.startsWith('flow.') ? [t.slice(5)] : []));
  const known = new Map<string, ReadonlySet<string>>([
    ['flow', new Set([...Object.keys(flow.takes ?? {}), ...local])],
    ['session', new Set(Object.keys(session))],
    ['visitor', new Set(Object.keys(visitor))],
    ['settings', new Set(Object.keys(settings))],
    ['turn', new Set(TURN_FACTS)],
    ['clock', new Set(CLOCK_FACTS)],
    ['context', new Set(Object.keys(document.contexts ?? {}))],
    ['facts', new Set(Object.keys(document.memory?.facts ?? {}))],
  ]);
  const valued = (table: typeof session, scope: string) =>
    Object.entries(table).flatMap(([key, type]) =>
      typeof type !== 'string' && type.value !== undefined ? [`${scope}.${key}`] : [],
    );
  const declared = (table: Flow['takes'] = {}) =>
    Object.fromEntries(Object.entries(table).map(([name, type]) => [name, typeName(type).replace(/\?$/, '')]));
  const types = {
    flow: { ...anyOf(known.get('flow')), ...writtenTypes(flow), ...declared(flow.takes) },
    session: declared(session),
    visitor: declared(visitor),
    settings: declared(settings),
  };
  return { types, known, written: new Set([...everWritten, ...valued(session, 'session'), ...valued(visitor, 'visitor')]) };
}

const anyOf = (names: Iterable<string> = []) => Object.fromEntries([...names].map((name) => [name, 'any']));

/** What nodes write into variables of the flow, where one kind of value is all that is ever written. */
function writtenTypes(flow: Flow): Record<string, string> {
  const found = new Map<string, Set<string>>();
  for (const node of Object.values(flow.nodes)) {
    const types = nodeKinds.get(node.kind)?.types?.(node) ?? {};
    for (const use of usesOf(node)) {
      if (use.as !== 'target' || !use.text.startsWith('flow.')) continue;
      const name = use.text.slice('flow.'.length);
      found.set(name, (found.get(name) ?? new Set<string>()).add(types[use.text] ?? 'any'));
    }
  }
  const sure = [...found].flatMap(([name, types]) => (types.size === 1 ? [[name, [...types][0] ?? 'any'] as const] : []));
  return Object.fromEntries(sure);
}

/** What the texts of a flow may name, for completion and for checking while typing. */
export function scopeOf(document: BotDocument, flow: Flow, locals: readonly string[] = []): Scope {
  const { known } = namesOf(document, flow, new Set());
  return { roots: [...known.keys(), ...locals], fields: known };
}

function textProblems(node: FlowNode, names: Names, document: BotDocument): Problem[] {
  return usesOf(node).flatMap((use) => useProblems(use, names, document, node));
}

function useProblems(use: Use, names: Names, document: BotDocument, node: FlowNode): Problem[] {
  const at = { field: use.field };
  if (use.as === 'target') return targetProblems(use, names);
  if (use.as === 'words' && use.text.trim() === '')
    return [{ code: 'empty-text', severity: node.off ? 'warning' : 'error', ...at, facts: {} }];
  const { language } = use;
  if (language !== undefined && !document.languages.includes(language))
    return [{ code: 'unknown-language', severity: 'warning', ...at, facts: { language, known: document.languages } }];
  return expressionProblems(use, names);
}

/** What is wrong in the expressions of a text: it cannot be read, names what is not there, or uses values as what they are not. */
function expressionProblems(use: Use, names: Names): Problem[] {
  const compiled = use.as === 'expression' ? compileExpression(use.text) : compileTemplate(use.text);
  if (!compiled.ok) {
    const facts = expressionFacts(compiled.problem, use.text);
    return [{ code: compiled.problem.code, severity: 'error', field: use.field, facts }];
  }
  const { value } = compiled;
  const parts = 'expressions' in value ? value.expressions : [{ source: use.text, start: 0 }];
  const mistakes = parts.flatMap(({ source, start }): Problem[] => {
    const message = typeMistake(source, names.types);
    const facts = {
      message: message ?? '',
      start,
      end: start + source.length,
      near: source.trim().slice(0, 40),
      suggestion: null,
    };
    return message === undefined ? [] : [{ code: 'expression-type', severity: 'warning', field: use.field, facts }];
  });
  return [...value.reads.flatMap((r) => readingProblems(r, use, names)), ...mistakes];
}

/** The facts of an expression problem: where, what, and what might have been meant. */
export function expressionFacts(problem: ExpressionProblem, text: string) {
  const { message, start, end, suggestion = null } = problem;
  return { message, start, end, near: text.slice(start, end).slice(0, 40), suggestion };
}

function targetProblems(use: Use, names: Names): Problem[] {
  const [scope = '', name = ''] = use.text.split('.');
  const known = names.known.get(scope) ?? new Set<string>();
  if (scope === 'flow' || known.has(name)) return [];
  return [
    {
      code: 'undeclared',
      severity: 'error',
      field: use.field,
      facts: { name: use.text, scope, suggestion: nearestName(scope, name, known) },
    },
  ];
}

function nearestName(scope: string, name: string, known: Iterable<string>): string | null {
  const found = nearest(name, known);
  return found === undefined ? null : `${scope}.${found}`;
}

function readingProblems(reading: Reading, use: Use, names: Names): Problem[] {
  const { root, field: name, start, end } = reading;
  const facts = { start, end };
  if (use.locals?.includes(root)) return [];
  const fields = names.known.get(root);
  if (!fields) {
    const inScope = [...names.known].find(([, set]) => set.has(root));
    const suggestion = inScope
      ? `${inScope[0]}.${root}`
      : (nearest(root, [...names.known.keys(), ...(use.locals ?? [])]) ?? null);
    return [{ code: 'unknown-name', severity: 'error', field: use.field, facts: { name: root, suggestion, ...facts } }];
  }
  if (name === undefined) return [];
  if (!fields.has(name)) {
    return [
      {
        code: 'unknown-name',
        severity: 'error',
        field: use.field,
        facts: { name: `${root}.${name}`, suggestion: nearestName(root, name, fields), ...facts },
      },
    ];
  }
  const stored = root === 'session' || root === 'visitor';
  if (stored && !names.written.has(`${root}.${name}`)) {
    return [{ code: 'never-set', severity: 'warning', field: use.field, facts: { name: `${root}.${name}`, ...facts } }];
  }
  return [];
}

/** Nodes that no walk reaches, and loops in which nobody ever waits. */
function walkProblems(document: BotDocument, flow: Flow, flowId: string): Problem[] {
  const targets = (id: string) => Object.values(flow.nodes[id]?.exits ?? {}).filter((to) => to in flow.nodes);
  const reached = new Set<string>(flow.begin !== undefined && flow.begin in flow.nodes ? [flow.begin] : []);
  for (const id of reached) targets(id).forEach((to) => reached.add(to));
  const problems: Problem[] = [];
  for (const [id, node] of Object.entries(flow.nodes)) {
    if (reached.has(id) || isStill(node)) continue;
    problems.push({ code: 'unreachable', severity: 'warning', flow: flowId, node: id, facts: {} });
  }
  problems.push(...correctionProblems(document, flow, flowId));
  for (const loop of endlessLoops(document, flow, targets)) {
    const [first] = loop;
    problems.push({
      code: 'endless-loop',
      severity: 'warning',
      flow: flowId,
      ...(first === undefined ? {} : { node: first }),
      facts: { nodes: loop },
    });
  }
  return problems;
}

/** True for a node that waits for the visitor itself or calls a flow that does: a loop through it is no endless loop. */
function mayWait(document: BotDocument, node: FlowNode | undefined): boolean {
  if (!node || node.off) return false;
  return waits(node) || calledFlows(node).some((called) => asksVisitor(document, called) !== undefined);
}

/** One cycle per knot of nodes that can run round without waiting (depth-first search over non-waiting nodes). */
function endlessLoops(document: BotDocument, flow: Flow, targets: (id: string) => string[]): string[][] {
  const goesOn = (id: string): boolean => !mayWait(document, flow.nodes[id]);
  return circlesOf(Object.keys(flow.nodes).filter(goesOn), (id) => targets(id).filter(goesOn));
}
