import type { BotDocument } from '../document/schema.js';
import type { Value } from '../document/shapes.js';
import { textOf } from '../expressions/functions.js';
import { statedIn } from '../understanding/cues/remembering.js';
import { holdsSecrets } from './never.js';
import { speaksOfAny, wordsFor } from './telling.js';

/*
 * The door that every fact passes which a model brings up, whichever way it does.
 */

/** Why a fact is not kept: of no kind, empty, never kept, an order to the bot, of no value that there is, or nothing the visitor has said. */
export type NotKept = 'no-kind' | 'empty' | 'never' | 'order' | 'no-value' | 'not-said';

export type Admitted = { readonly ok: true; readonly value: Value } | { readonly ok: false; readonly why: NotKept };

interface BroughtUp {
  readonly about: string;
  readonly says: string;
  readonly value: Value;
}

/** Whether a fact may be kept, and as which value. `said` is what the visitor has said; a kind with words has to be spoken of there. */
export function admitted(
  { memory, entities }: Pick<BotDocument, 'memory' | 'entities'>,
  { about, says, value }: BroughtUp,
  { languages, said }: { readonly languages: readonly string[]; readonly said: string },
): Admitted {
  const no = (why: NotKept): Admitted => ({ ok: false, why });
  const kind = Object.hasOwn(memory?.facts ?? {}, about) ? memory?.facts?.[about] : undefined;
  if (!kind) return no('no-kind');
  if (says.trim() === '') return no('empty');
  if (languages.some((l) => holdsSecrets(says, wordsFor(memory?.never, l)))) return no('never');
  if (languages.some((l) => statedIn(says, l).orders)) return no('order');
  const words = languages.flatMap((l) => wordsFor(kind.words, l));
  if (words.length > 0 && !speaksOfAny(said, words)) return no('not-said');
  const type = kind.type ?? 'yes_no';
  if (type === 'yes_no') return { ok: true, value: value !== false && !/^(?:no|false|nein|non|0)$/i.test(textOf(value)) };
  const values = entities?.[type]?.values;
  if (values) return Object.hasOwn(values, textOf(value)) ? { ok: true, value } : no('no-value');
  return { ok: true, value: says };
}
