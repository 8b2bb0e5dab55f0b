import {
  EMPTY_MEMORY,
  historyOf,
  isOfPerson,
  togetherMemory,
  valuesTogether,
  withChanges,
  type KnownAs,
  type Memory,
  type Values,
  type VariableHistory,
  type VisitorChange,
} from '@primrose/core';
import { knownAsColumn, variableHistoryColumn, variablesColumn } from './columns.js';
import type { Hot } from './hot.js';
import { changeMemory, memoryColumn, REAL_MEMORY, type MemoryWrite } from './memories.js';

/*
 * One person who writes in several places is several visitors, each under the one that `person_id` names: a tree, so that taking
 * them for one can be undone exactly. Each keeps what was said there; together they are read.
 */

/** How a visitor is known: by a key of web chat, as a sender on a messenger, as somebody who has signed in at a web chat; or a person. */
export type VisitorKind = 'key' | 'sender' | 'signed-in' | 'person';

/** A visitor among those who are one person. */
export interface Member {
  readonly id: string;
  readonly kind: VisitorKind;
  readonly person_id: string | null;
  readonly linked_by: 'sign-in' | 'staff' | null;
  readonly variables: string;
  readonly history: string | null;
  readonly who: string | null;
  readonly memory: string | null;
}

/** So many visitors may be one person. */
export const MOST_MEMBERS = 60;
/** So far up and down the tree is looked. */
const DEEPEST = 12;

/** The ids of all visitors who are the same person as one of them, the one under whom they are known first. */
async function idsOf(hot: Hot, botId: string, visitorId: string): Promise<string[]> {
  const rows = await hot.read<{ id: string }>(
    `WITH RECURSIVE up AS (
       SELECT id, person_id, 0 AS depth FROM visitors WHERE bot_id = ? AND id = ?
       UNION ALL SELECT v.id, v.person_id, u.depth + 1 FROM visitors v JOIN up u ON v.id = u.person_id WHERE u.depth < ${DEEPEST}
     ), down AS (
       SELECT id, 0 AS depth FROM up WHERE person_id IS NULL
       UNION ALL SELECT v.id, d.depth + 1 FROM visitors v JOIN down d ON v.person_id = d.id WHERE d.depth < ${DEEPEST}
     ) SELECT id, MIN(depth) AS depth FROM down GROUP BY id ORDER BY depth, id LIMIT ${MOST_MEMBERS + 1}`,
    [botId, visitorId],
  );
  return rows.map((r) => r.id);
}

/**
 * All visitors who are the same person as one of them, the one under whom they are known first. With `lock` nobody changes any of
 * them until the transaction is over; their rows are locked in the order of their ids, everywhere.
 */
export async function membersOf(hot: Hot, botId: string, visitorId: string, lock = false): Promise<Member[]> {
  const ids = await idsOf(hot, botId, visitorId);
  if (ids.length === 0) return [];
  const rows = await hot.read<Member>(
    `SELECT v.id, v.kind, v.person_id, v.linked_by, v.variables, v.history, v.who, m.memory FROM visitors v
     LEFT JOIN memories m ON m.bot_id = v.bot_id AND m.realm = '' AND m.kind = 'visitor' AND m.holder = v.id
     WHERE v.bot_id = ? AND v.id IN (${ids.map(() => '?').join(', ')}) ORDER BY v.id${lock ? ' FOR UPDATE' : ''}`,
    [botId, ...ids],
  );
  return rows.sort((a, b) => ids.indexOf(a.id) - ids.indexOf(b.id));
}

/** The changes that led to what a visitor keeps; of values from before changes were kept, the values. */
export function historyIn({ history, variables }: Pick<Member, 'history' | 'variables'>): VariableHistory {
  return history === null ? historyOf(variablesColumn.read(variables)) : variableHistoryColumn.read(history);
}

export const memoryIn = ({ memory }: Pick<Member, 'memory'>): Memory =>
  memory === null ? EMPTY_MEMORY : memoryColumn.read(memory);

/** Who a visitor is by a sign-in of theirs; undefined where nobody has vouched, staff who took them for somebody included. */
export function vouchedFor(members: readonly Member[], visitorId: string): KnownAs | undefined {
  let at = members.find((m) => m.id === visitorId);
  for (let step = 0; at && step < DEEPEST; step++) {
    if (at.kind === 'person' && at.who !== null) return knownAsColumn.read(at.who);
    if (at.kind !== 'signed-in' && at.linked_by !== 'sign-in') return undefined;
    at = members.find((m) => m.id === at?.person_id);
  }
  return undefined;
}

/**
 * Applies changes to the kept variables of a visitor, in the order in which they were made; only inside a transaction. What is emptied is
 * emptied wherever the person has said it.
 */
export async function changeVariables(
  hot: Hot,
  { botId, visitorId, at }: { readonly botId: string; readonly visitorId: string; readonly at: Date },
  changes: readonly VisitorChange[],
): Promise<void> {
  const emptied = changes.filter((c) => c.op === 'set' && c.value === null);
  const members = await membersOf(hot, botId, visitorId, true);
  for (const member of members) {
    const history = historyIn(member);
    const own = member.id === visitorId ? changes : emptied.filter((c) => Object.hasOwn(history, c.name));
    if (own.length === 0) continue;
    const after = withChanges(history, own, at.toISOString());
    const values = Object.entries(valuesTogether([after])).filter(([, value]) => value !== null);
    await hot.write('UPDATE visitors SET variables = ?, history = ? WHERE id = ?', [
      JSON.stringify(Object.fromEntries(values)),
      JSON.stringify(after),
      member.id,
    ]);
  }
}

/** Applies changes to what is kept about a visitor; what is about the whole person, wherever they have said it. Only inside a transaction. */
export async function changeMemoryOfVisitor(
  hot: Hot,
  { botId, visitorId }: { readonly botId: string; readonly visitorId: string },
  write: MemoryWrite,
): Promise<void> {
  const place = (visitor: string) => ({ botId, realm: REAL_MEMORY, of: { visitor } });
  const shared = write.changes.filter(isOfPerson);
  if (shared.length > 0)
    for (const member of await membersOf(hot, botId, visitorId, true))
      if (member.id !== visitorId && member.memory !== null)
        await changeMemory(hot, place(member.id), { many: write.many, at: write.at, changes: shared });
  await changeMemory(hot, place(visitorId), write);
}

/** What is kept of a person, from what each of the visitors that they are has said. */
export function keptTogether(members: readonly Member[], many: (about: string) => boolean): { values: Values; memory: Memory } {
  const values = Object.entries(valuesTogether(members.map(historyIn))).filter(([, value]) => value !== null);
  return { values: Object.fromEntries(values), memory: togetherMemory(members.map(memoryIn), many) };
}
