import type { Bound, Statement, Transaction } from './hot.js';

/*
 * A conversation's row is where everything meets: whoever adds to a conversation updates that row first, which numbers what is
 * added and says whether it may be. Row and additions are sent in one piece with their COMMIT, as one compound statement: a
 * turn takes two such pieces, where statement after statement it took nine.
 */

/** In the additions of a move: the last number in the conversation, its own lines counted. */
export const LAST_NUMBER = 'last_number';

export interface Move {
  readonly conversationId: string;
  /** What has to be there before. */
  readonly before?: readonly Statement[];
  /** The UPDATE of the conversation's row. Where it matches none, nothing is stored at all. */
  readonly gate: Statement;
  readonly additions: readonly Statement[];
}

export interface Moved {
  /** The last number in the conversation. */
  readonly last: number;
  /** The number of the newest event. */
  readonly newest: number;
}

/** Makes a move as the end of a transaction; undefined when the conversation did not let it. */
export async function move(hot: Transaction, wanted: Move): Promise<Moved | undefined> {
  const { conversationId, before = [], gate, additions } = wanted;
  const sql = `BEGIN NOT ATOMIC
    DECLARE ${LAST_NUMBER}, newest_event BIGINT;
    ${before.map(one).join('')}${one(gate)}
    IF ROW_COUNT() = 1 THEN
      SELECT last_seq, last_event INTO ${LAST_NUMBER}, newest_event FROM conversations WHERE id = ?;
      ${additions.map(one).join('')}
      COMMIT;
      SELECT ${LAST_NUMBER} AS last, newest_event AS newest;
    ELSE
      ROLLBACK;
    END IF;
  END`;
  const valuesOf = (statements: readonly Statement[]): Bound[] => statements.flatMap((s) => s.values);
  const values = [...valuesOf([...before, gate]), conversationId, ...valuesOf(additions)];
  return hot.last<Moved>({ sql, values });
}

function one({ sql }: Statement): string {
  return `${sql};\n`;
}
