import { actionChanges, actionTarget, findAction } from '../../document/actions.js';
import type { BotDocument, Flow } from '../../document/schema.js';
import { type Text, type TypeDeclaration, type Value } from '../../document/shapes.js';
import { columnsOf, VISITOR, type Column, type TableDeclaration } from '../../document/tables.js';
import { fitConditions, fitValues, misfitWords, defaultsOf } from '../../tables/rows.js';
import type { TableRow } from '../../tables/rows.js';
import { ACTION_TIMEOUT_MS, actionEffect, actionGave } from '../action-call.js';
import { fittingValues } from '../calls.js';
import type { Compiler } from '../compiler.js';
import type { Effect, Result } from '../effects/registry.js';
import type { ModelTool } from '../effects/model.js';
import type { TableEffect } from '../effects/table.js';
import type { PreparedText, PreparedValue } from '../prepared.js';
import { rowValue } from '../row-value.js';
import type { Turn } from '../turn.js';
import type { Values } from '../types.js';
import { toolName, type AgentTool } from './declared.js';
import { ownTools } from './own-tools.js';
import { paramsSchema, schemaParams, typedParam, type Param } from './params.js';

/*
 * The tools of an agent, made ready once: what its model is told of each, which of its parameters the model fills in, and what
 * calling it comes to.
 */

/** What a call is to do: something outside, a flow that is to be run, or something that was computed at once. */
export type ToolStart =
  | { readonly effect: Effect }
  | { readonly flow: string; readonly values: Values }
  | { readonly gave: Value }
  | { readonly refused: string };

/** What came of a call; `rows` are versions of rows that were shown. */
export interface ToolCame {
  readonly ok: boolean;
  readonly gave: Value;
  readonly reason?: string;
  readonly rows?: Readonly<Record<string, number>>;
}

export interface ReadyTool {
  readonly name: string;
  /** What it runs, for people: `booking-office.list-sailings`, `flow notices`, `table repairs add`. */
  readonly runs: string;
  readonly about: string;
  readonly declared: AgentTool;
  readonly params: readonly Param[];
  readonly given: readonly (readonly [string, PreparedValue])[];
  /** It changes something outside. */
  readonly changes: boolean;
  readonly confirms: boolean;
  /** The question that is asked first, where the designer has written one. */
  readonly question: PreparedText | undefined;
  readonly doing: PreparedText | undefined;
  readonly wire: ModelTool;
  /** What the model gave, as people read it, for the question that is asked first. */
  readonly start: (turn: Turn, given: Values, rows: Readonly<Record<string, number>>) => ToolStart;
  readonly came: (turn: Turn, result: Result) => ToolCame;
}

/** What distinguishes one kind of tool from another. */
type Kind = Pick<ReadyTool, 'runs' | 'about' | 'changes' | 'start' | 'came'> & {
  readonly takes: readonly Param[];
  readonly called: string;
  /** Whether the visitor is asked first where nobody has said. */
  readonly asks?: boolean;
  /** Parameters that are never the model's: filled in by themselves. */
  readonly fixed?: readonly string[];
};

const nothing = (): ToolCame => ({ ok: false, gave: null, reason: 'nothing came of it' });

/** What a failed effect comes to; undefined for one that did not fail. */
function failedCame(result: Result): ToolCame | undefined {
  return result.outcome === 'failed' ? { ok: false, gave: null, reason: result.reason } : undefined;
}

/** The tools of an agent. What is switched off, or is not in the bot, is none. */
export function readyTools(tools: readonly AgentTool[], compiler: Compiler): ReadyTool[] {
  const taken = new Set<string>();
  return tools.flatMap((declared, i) => {
    if (declared.off) return [];
    return kindsOf(declared, compiler).map((kind) => {
      const name = freeName(kind.called, taken);
      return ready(declared, { kind, name, field: `/tools/${i}` }, compiler);
    });
  });
}

/** A name that a model service takes and that no other tool has: letters, digits, dashes, 64 at most. */
function freeName(wanted: string, taken: Set<string>): string {
  const base =
    wanted
      .replace(/[^A-Za-z0-9_-]+/g, '-')
      .replace(/^-+|-+$/g, '')
      .slice(0, 60) || 'tool';
  let name = base;
  for (let n = 2; taken.has(name); n++) name = `${base.slice(0, 56)}-${n}`;
  taken.add(name);
  return name;
}

function ready(
  declared: AgentTool,
  { kind, name, field }: { kind: Kind; name: string; field: string },
  compiler: Compiler,
): ReadyTool {
  const given = compiler.fields(declared.given);
  const fixed = new Set([...given.map(([key]) => key), ...(kind.fixed ?? [])]);
  const params = kind.takes.filter((p) => !fixed.has(p.name));
  const about = declared.about ?? kind.about;
  const { confirm } = declared;
  return {
    name,
    runs: kind.runs,
    about,
    declared,
    params,
    given,
    changes: kind.changes,
    confirms: confirm === undefined ? (kind.asks ?? kind.changes) : confirm !== false,
    question: confirm === undefined || typeof confirm === 'boolean' ? undefined : compiler.text(`${field}/confirm`, confirm),
    doing: declared.while === undefined ? undefined : compiler.text(`${field}/while`, declared.while),
    wire: { name, about, takes: paramsSchema(params) },
    start: kind.start,
    came: kind.came,
  };
}

function kindsOf(declared: AgentTool, compiler: Compiler): Kind[] {
  if ('runs' in declared) return listOf(actionTool(declared.runs, declared, compiler));
  if ('lookup' in declared) return listOf(lookupTool(declared.lookup, declared, compiler.document));
  if ('table' in declared) return listOf(tableTool(declared, compiler.document));
  if ('notice' in declared) return [noticeTool(declared, compiler.document)];
  if ('flow' in declared) return listOf(flowTool(declared.flow, declared, compiler.document));
  if ('mcp' in declared) return mcpTools(declared, compiler.document);
  return [ownTool(declared, compiler.document)];
}

const listOf = <T>(one: T | undefined): T[] => (one === undefined ? [] : [one]);

type Described = Pick<AgentTool, 'deduced'>;

/** Typed parameters, each with what the designer says of it for this agent. */
function typed(document: BotDocument, takes: Readonly<Record<string, TypeDeclaration>>, { deduced = {} }: Described): Param[] {
  return Object.entries(takes).map(([name, type]) => typedParam(document, name, type, deduced[name]));
}

function actionTool(runs: string, declared: AgentTool, compiler: Compiler): Kind | undefined {
  const found = findAction(compiler.document, runs);
  const prepared = compiler.action(runs);
  const method = found && actionTarget(found.action)?.method;
  if (!found || !prepared || method === undefined) return undefined;
  return {
    runs,
    called: toolName(declared),
    about: found.action.about ?? found.id.replaceAll('-', ' '),
    changes: actionChanges(found.action),
    takes: typed(compiler.document, found.action.takes ?? {}, declared),
    start: (turn, given) => {
      const asked = actionEffect(turn, prepared, given, ACTION_TIMEOUT_MS);
      return asked.ok ? { effect: asked.effect } : { refused: asked.reason };
    },
    came: (turn, result) => {
      const failed = failedCame(result);
      if (failed || result.outcome !== 'answered') return failed ?? nothing();
      const { status, body } = result;
      if (status < 200 || status >= 300) turn.kept.answered(prepared, status);
      if (status < 200 || status >= 300) return { ok: false, gave: body, reason: `the service answered with status ${status}` };
      const gave = actionGave(turn, prepared, body);
      return gave.ok ? { ok: true, gave: gave.value } : { ok: false, gave: body, reason: gave.reason };
    },
  };
}

const DEFAULT_PASSAGES = 3;

function lookupTool(base: string, declared: AgentTool, document: BotDocument): Kind | undefined {
  const found = document.knowledge?.[base];
  if (!found) return undefined;
  return {
    runs: `lookup ${base}`,
    called: toolName(declared),
    about: found.about ?? `looks something up in ${base.replaceAll('-', ' ')}`,
    changes: false,
    takes: typed(document, { question: { type: 'text', about: 'what is to be looked up, as a question' } }, declared),
    start: (turn, { question }) => ({
      effect: {
        type: 'lookup',
        path: turn.effectPath(),
        base,
        question: typeof question === 'string' ? question : '',
        most: DEFAULT_PASSAGES,
        language: turn.language,
      },
    }),
    came: (_turn, result) => {
      if (result.outcome !== 'looked-up') return nothing();
      if (!result.covered) return { ok: true, gave: { covered: false, passages: [] } };
      return {
        ok: true,
        gave: {
          covered: true,
          passages: result.passages.map(({ number, title, heading, quote }) => ({ number, title, heading, quote })),
        },
      };
    },
  };
}

const MOST_FOUND = 20;
const FIND_ABOUTS = {
  find: 'finds rows in',
  add: 'adds a row to',
  change: 'changes a row of',
  put: 'adds a row to or changes it in',
  remove: 'removes a row from',
};

/** The type of ours that a column's values have. */
function columnType({ type, of, about }: Column): { declaration: TypeDeclaration; about: string | undefined } {
  const named = of.length > 0 ? `one of: ${of.join(', ')}` : '';
  const words = [about, named].filter((w) => w !== '').join('; ');
  const plain = type === 'one_of' || type === 'moment' ? 'text' : type;
  return { declaration: `${plain}?`, about: words === '' ? undefined : words };
}

function tableTool(declared: Extract<AgentTool, { table: string }>, document: BotDocument): Kind | undefined {
  const { table: name, does } = declared;
  const table = document.tables?.[name];
  if (!table) return undefined;
  const columns = columnsOf(table).filter((c) => c.type !== 'visitor');
  const abouts = declared.deduced ?? {};
  const params = columns.map((c) => {
    const { declaration, about } = columnType(c);
    const needed = (does === 'add' || does === 'put') && c.needed && c.default === null;
    const param = typedParam(document, c.name, declaration, abouts[c.name] ?? about);
    return { ...param, needed };
  });
  const row = typedParam(document, 'row', 'text', abouts['row'] ?? 'the id of a row that was found before');
  return {
    runs: `table ${name} ${does}`,
    called: toolName(declared),
    about: `${FIND_ABOUTS[does]} ${table.title ?? name}${table.about === undefined ? '' : `: ${table.about}`}`,
    changes: does !== 'find',
    takes: does === 'change' ? [row, ...params] : does === 'remove' ? [row] : params,
    start: (turn, given, rows) => tableStart(turn, { declared, table, document }, given, rows),
    came: (_turn, result) => tableCame(table, result),
  };
}

interface TableSetting {
  readonly declared: Extract<AgentTool, { table: string }>;
  readonly table: TableDeclaration;
  readonly document: BotDocument;
}

function tableStart(
  turn: Turn,
  { declared, table, document }: TableSetting,
  given: Values,
  rows: Readonly<Record<string, number>>,
): ToolStart {
  const { table: name, does } = declared;
  const { row, ...held } = given;
  const one = does === 'change' || does === 'remove';
  const id = typeof row === 'string' ? row : '';
  const version = rows[id];
  if (one && version === undefined)
    return { refused: `there is no row "${id}" that was found before; find it first and give its id` };
  const columns = columnsOf(table);
  const mine = columns.filter((c) => c.type === 'visitor').map((c): [string, Value] => [c.name, VISITOR]);
  const base = { type: 'table', path: turn.effectPath(), table: name, does, limit: MOST_FOUND, fresh: {} } as const;
  if (does === 'find') {
    const asked = Object.entries(held).map(([column, value]) => {
      const loose = columns.find((c) => c.name === column)?.type === 'text';
      return { column, relation: loose ? ('contains' as const) : ('is' as const), value };
    });
    const fitted = fitConditions(document, table, [
      ...asked,
      ...mine.map(([column, value]) => ({ column, relation: 'is' as const, value })),
    ]);
    if (!fitted.ok) return { refused: misfitWords(name, fitted.misfits) };
    return { effect: { ...base, where: fitted.conditions, values: {} } satisfies TableEffect };
  }
  const written = does === 'add' || does === 'put' ? { ...Object.fromEntries(mine), ...held } : held;
  const fitted = fitValues(document, table, written);
  if (!fitted.ok) return { refused: misfitWords(name, fitted.misfits) };
  const fresh = does === 'add' || does === 'put' ? defaultsOf(table, turn.at, turn.zone) : {};
  const only = one && version !== undefined ? { row: { id, version } } : {};
  return { effect: { ...base, where: [], values: does === 'remove' ? {} : fitted.values, fresh, ...only } satisfies TableEffect };
}

function tableCame(table: TableDeclaration, result: Result): ToolCame {
  const failed = failedCame(result);
  if (failed) return failed;
  const versions = (rows: readonly TableRow[]) => Object.fromEntries(rows.map((r) => [r.id, r.version]));
  const shown = (rows: readonly TableRow[]): Value => rows.map((r) => withoutVersion(rowValue(table, r)));
  if (result.outcome === 'conflict') {
    const held = result.row ? [result.row] : [];
    return { ok: false, gave: shown(held), reason: result.reason, rows: versions(held) };
  }
  if (result.outcome === 'rows')
    return { ok: true, gave: { rows: shown(result.rows), more: result.more }, rows: versions(result.rows) };
  if (result.outcome !== 'stored') return nothing();
  if (result.count === 0) return { ok: false, gave: null, reason: 'there is no such row any more' };
  return { ok: true, gave: { rows: shown(result.rows) }, rows: versions(result.rows) };
}

function withoutVersion(row: Value): Value {
  const { version: _version, ...rest } = row as Readonly<Record<string, Value>>;
  return rest;
}

const LONGEST_NOTICE = 4000;

function noticeTool(declared: Extract<AgentTool, { notice: string }>, document: BotDocument): Kind {
  const takes = {
    to: { type: 'text', about: 'the person or room that it goes to' },
    says: { type: 'text', about: 'the words of the message' },
  };
  return {
    runs: `notice${declared.notice === '' ? '' : ` ${declared.notice}`}`,
    called: toolName(declared),
    about: 'sends a message to a person or a room',
    changes: true,
    takes: typed(document, takes, declared),
    start: (turn, { to, says }) => {
      const [whom, words] = [to, says].map((v) => (typeof v === 'string' ? v.trim() : ''));
      if (!whom) return { refused: 'nobody is named to whom it should go' };
      if (!words) return { refused: 'it says nothing' };
      const on = declared.notice;
      return {
        effect: {
          type: 'notice',
          path: turn.effectPath(),
          on,
          to: whom.slice(0, 200),
          text: words.slice(0, LONGEST_NOTICE),
          links: [],
        },
      };
    },
    came: (_turn, result) => {
      const failed = failedCame(result);
      return failed ?? (result.outcome === 'queued' ? { ok: true, gave: { sent: true } } : nothing());
    },
  };
}

function flowTool(flowId: string, declared: AgentTool, document: BotDocument): Kind | undefined {
  const flow: Flow | undefined = document.flows[flowId];
  if (!flow) return undefined;
  const specialist = Object.values(flow.nodes).some((n) => n.kind === 'agent');
  return {
    runs: `${specialist ? 'specialist' : 'flow'} ${flowId}`,
    called: toolName(declared),
    about: flow.about ?? flow.title ?? flowId.replaceAll('-', ' '),
    changes: false,
    takes: typed(document, flow.takes ?? {}, declared),
    start: (turn, given) => ({ flow: flowId, values: fittingValues(turn, flowId, Object.entries(given)) }),
    came: nothing,
  };
}

const MCP_TIMEOUT_MS = 20_000;

function mcpTools(declared: Extract<AgentTool, { mcp: string }>, document: BotDocument): Kind[] {
  const { mcp: connection, only } = declared;
  const tools = Object.entries(document.connections?.[connection]?.tools ?? {});
  return tools
    .filter(([name]) => only === undefined || only.includes(name))
    .map(([tool, { about, takes, reads }]): Kind => ({
      runs: `${connection}.${tool}`,
      called: declared.name === undefined ? tool : `${declared.name}-${tool}`,
      about: about ?? tool,
      changes: reads !== true,
      takes: schemaParams(takes, declared.deduced ?? {}),
      start: (turn, given) => ({
        effect: {
          type: 'mcp',
          path: turn.effectPath(),
          connection,
          tool,
          given,
          timeoutMs: MCP_TIMEOUT_MS,
          changes: reads !== true,
        },
      }),
      came: (_turn, result) => {
        const failed = failedCame(result);
        if (failed || result.outcome !== 'gave') return failed ?? nothing();
        return result.wrong
          ? { ok: false, gave: result.content, reason: 'the tool says that it failed' }
          : { ok: true, gave: result.content };
      },
    }));
}

function ownTool(declared: Extract<AgentTool, { own: string }>, document: BotDocument): Kind {
  const { call, of, ...plain } = ownTools[declared.own];
  const own = of ? of(document) : plain;
  return {
    runs: `own ${declared.own}`,
    called: toolName(declared),
    about: own.about,
    changes: false,
    takes: typed(document, own.takes, declared),
    start: (turn, given) => {
      const came = call(turn, given);
      return came.ok ? { gave: came.gave } : { refused: came.reason };
    },
    came: nothing,
  };
}

/** The texts of tools that visitors read, with their places. */
export function toolTexts(tools: readonly AgentTool[]): { readonly field: string; readonly text: Text }[] {
  return tools.flatMap((t, i) => [
    ...(t.confirm === undefined || typeof t.confirm === 'boolean' ? [] : [{ field: `/tools/${i}/confirm`, text: t.confirm }]),
    ...(t.while === undefined ? [] : [{ field: `/tools/${i}/while`, text: t.while }]),
  ]);
}
