import type { Db } from './database.js';

/** The place of a passage: its index, and where it stands in it. */
export interface PassagePlace {
  readonly index: string;
  readonly place: number;
}

/** An index of which some passages have no vector yet. */
export interface IndexToRead {
  readonly id: string;
  readonly passages: number;
  /** So many of its passages have one, from the first on. */
  readonly read: number;
}

/** The index that is read next: of those that were used last the one with the fewest passages. Those that nobody used since a moment wait. */
export async function nextToRead(db: Db, language: string, since: Date): Promise<IndexToRead | undefined> {
  const row: { id: string; passages: number; vectors: number } | undefined = await db('indexed')
    .where({ language })
    .whereRaw('vectors < passages')
    .where('used_at', '>=', since)
    .orderByRaw('DATE(used_at) DESC, passages, id')
    .first('id', 'passages', 'vectors');
  return row && { id: row.id, passages: row.passages, read: row.vectors };
}

/** Stores vectors of an index, and how far it is read. */
export async function savePassageVectors(
  db: Db,
  id: string,
  vectors: readonly { readonly place: number; readonly vector: Int8Array }[],
  read: number,
): Promise<void> {
  if (vectors.length > 0)
    await db('passage_vectors')
      .insert(vectors.map(({ place, vector }) => ({ index_id: id, place, vector: Buffer.from(vector.buffer) })))
      .onConflict(['index_id', 'place'])
      .ignore();
  await db('indexed').where({ id }).where('vectors', '<', read).update({ vectors: read });
}

/** The vectors of some passages, by `index place`; those without one are left out. */
export async function passageVectors(db: Db, places: readonly PassagePlace[]): Promise<ReadonlyMap<string, Int8Array>> {
  if (places.length === 0) return new Map();
  const rows: { index_id: string; place: number; vector: Buffer }[] = await db('passage_vectors')
    .whereIn(
      ['index_id', 'place'],
      places.map((p) => [p.index, p.place]),
    )
    .select('index_id', 'place', 'vector');
  return new Map(rows.map((r) => [`${r.index_id} ${r.place}`, Int8Array.from(r.vector)]));
}
