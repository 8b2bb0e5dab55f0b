import type { Db } from './database.js';

/** What an encoder made of a text, by the hash of encoder and text. */
export interface StoredVector {
  readonly hash: string;
  readonly vector: Float32Array;
}

/** Rows of one statement: two kilobytes each. */
const AT_ONCE = 500;

/** The vectors that are stored of some hashes. */
export async function loadVectors(db: Db, hashes: readonly string[], now: Date): Promise<StoredVector[]> {
  const found: StoredVector[] = [];
  for (let i = 0; i < hashes.length; i += AT_ONCE) {
    const some = hashes.slice(i, i + AT_ONCE);
    const rows: { text_hash: string; vector: Buffer }[] = await db('vectors')
      .whereIn('text_hash', some)
      .select('text_hash', 'vector');
    if (rows.length > 0)
      await db('vectors')
        .whereIn(
          'text_hash',
          rows.map((r) => r.text_hash),
        )
        .update({ used_at: now });
    for (const { text_hash: hash, vector } of rows) {
      const bytes = Uint8Array.from(vector);
      found.push({ hash, vector: new Float32Array(bytes.buffer, 0, bytes.length / 4) });
    }
  }
  return found;
}

/** Stores vectors; those that are stored already stay. */
export async function saveVectors(db: Db, vectors: readonly StoredVector[], now: Date): Promise<void> {
  for (let i = 0; i < vectors.length; i += AT_ONCE) {
    const rows = vectors.slice(i, i + AT_ONCE).map(({ hash, vector }) => ({
      text_hash: hash,
      vector: Buffer.from(vector.buffer, vector.byteOffset, vector.byteLength),
      used_at: now,
    }));
    await db('vectors').insert(rows).onConflict().ignore();
  }
}
