import { findAction } from '../document/actions.js';
import type { BotDocument } from '../document/schema.js';
import { sizeOf } from '../document/size.js';
import type { Value } from '../document/shapes.js';
import type { Deed } from '../honesty/index.js';
import { wellFormed } from '../text/well-formed.js';
import { isCall, type Performed } from './effects/registry.js';
import { changedSomething } from './talk/trail.js';

/*
 * What a conversation remembers of what was done in it, for holding the words of agents against it.
 */

/** So many of each sort are remembered, the newest, and of each so much, in characters of JSON. */
const MOST_DONE = 20;
const MOST_READ = 6;
const GIVEN_SIZE = 1000;
const GAVE_SIZE = 3000;

const TABLE_ACTS = { add: 'adds', put: 'adds', change: 'changes', remove: 'removes', find: 'reads' } as const;

function short(given: Value, gave: Value): Pick<Deed, 'given' | 'gave'> {
  return { given: cut(given, GIVEN_SIZE), gave: cut(gave, GAVE_SIZE) };
}

/** A value, or the beginning of it as text where it is too long: what stands there is only looked for. */
function cut(value: Value, most: number): Value {
  const size = sizeOf(value);
  if (size <= most) return value;
  return size === Infinity ? null : wellFormed(JSON.stringify(value).slice(0, most));
}

/** What a call did or read, where it succeeded; undefined for one that failed, or of which nobody knows. */
export function deedOf(document: BotDocument, performed: Performed): Deed | undefined {
  const { result } = performed;
  if (result.outcome === 'failed' || result.outcome === 'conflict') return undefined;
  if (isCall('action', performed)) return actionDeed(document, performed);
  if (isCall('table', performed)) {
    const { table, does, values, where } = performed.request;
    const rows = 'rows' in performed.result ? performed.result.rows.map((r) => r.values) : [];
    if (does !== 'find' && rows.length === 0) return undefined;
    const given = does === 'find' ? where.map((c) => ({ ...c })) : values;
    return {
      name: `table ${table} ${does}`,
      about: document.tables?.[table]?.title ?? table,
      acts: TABLE_ACTS[does],
      ...short(given, rows),
    };
  }
  if (isCall('notice', performed)) {
    const { to, text } = performed.request;
    return { name: 'notice', about: 'sends a message', acts: 'sends', ...short({ to, text }, null) };
  }
  if (isCall('mcp', performed)) {
    const { connection, tool, given, changes } = performed.request;
    if (performed.result.outcome !== 'gave' || performed.result.wrong) return undefined;
    const about = document.connections?.[connection]?.tools?.[tool]?.about ?? '';
    return { name: tool, about, acts: changes ? 'changes' : 'reads', ...short(given, performed.result.content) };
  }
  return undefined;
}

const METHOD_ACTS: Readonly<Record<string, Deed['acts']>> = {
  GET: 'reads',
  POST: 'adds',
  PUT: 'changes',
  PATCH: 'changes',
  DELETE: 'removes',
};

function actionDeed(
  document: BotDocument,
  performed: Extract<Performed, { readonly request: { readonly type: 'action' } }>,
): Deed | undefined {
  const { request, result } = performed;
  if (result.outcome !== 'answered' || result.status >= 300) return undefined;
  if (request.changes && !changedSomething(performed)) return undefined;
  const { connection, action, method, target, query, body } = request;
  const about = findAction(document, `${connection}.${action}`)?.action.about ?? '';
  return { name: action, about, acts: METHOD_ACTS[method] ?? 'changes', ...short({ target, query, body }, result.body) };
}

/** Remembered deeds with one more: those that are too old go. */
export function withDeed(deeds: readonly Deed[], deed: Deed): readonly Deed[] {
  const sort = (d: Deed) => (d.acts === 'reads' ? 'read' : 'done');
  const mine = deeds.filter((d) => sort(d) === sort(deed));
  const over = mine.length + 1 - (sort(deed) === 'read' ? MOST_READ : MOST_DONE);
  const gone = new Set(mine.slice(0, Math.max(0, over)));
  return [...deeds.filter((d) => !gone.has(d)), deed];
}
