import { deserialize, serialize } from 'node:v8';
import type { ClassifierData } from '@primrose/core';
import type { Db } from './database.js';

/** Larger ones do not fit into one statement of a server with its usual settings; they are trained again. */
const MOST_BYTES = 8_000_000;
const DAY_MS = 86_400_000;

/** A classifier by what it was trained from; undefined where none is kept. Throws where it cannot be read. */
export async function loadClassifier(db: Db, key: string, now: Date): Promise<ClassifierData | undefined> {
  const row: { trained: Buffer; used_at: Date } | undefined = await db('classifiers')
    .where({ training_key: key })
    .first('trained', 'used_at');
  if (!row) return undefined;
  if (now.getTime() - row.used_at.getTime() > DAY_MS)
    await db('classifiers').where({ training_key: key }).update({ used_at: now });
  // Written by this service only, in the serialisation of Node, which reads what older versions wrote.
  return deserialize(row.trained) as ClassifierData;
}

export async function saveClassifier(db: Db, key: string, classifier: ClassifierData, now: Date): Promise<void> {
  const trained = serialize(classifier);
  if (trained.length > MOST_BYTES) return;
  await db('classifiers').insert({ training_key: key, trained, at: now, used_at: now }).onConflict().ignore();
}
