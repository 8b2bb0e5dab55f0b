import { fileOf, type DocumentForm, type Value, type Values } from '@primrose/core';
import { Recent } from '../base/recent.js';
import { Refused } from '../base/refused.js';
import type { FilePlace, Files } from '../files/files.js';
import { formOfFile } from '../knowledge/lookups.js';
import type { Indexer } from '../knowledge/indexer.js';
import type { FileRow } from '../store/files.js';

/** So much of what stands in a file is given to a flow as text; lookups search all of it. */
const TEXT_SIZE = 60_000;
const KEPT_TEXTS = 50;

/** The ids of files of ours among values. */
export function fileIds(values: Values, publicUrl: string): string[] {
  const start = `${publicUrl}/files/`;
  return Object.values(values).flatMap((v) => {
    const { address } = fileOf(v) ?? {};
    return address?.startsWith(start) ? [address.slice(start.length, start.length + 36)] : [];
  });
}

/** Files for inputs of pages: kept like all others, with what stands in them as text. */
export class SentFiles {
  readonly #files: Files;
  readonly #indexer: Indexer;
  readonly #texts = new Recent<string>(KEPT_TEXTS);

  constructor(files: Files, indexer: Indexer) {
    this.#files = files;
    this.#indexer = indexer;
  }

  /** Keeps a file for an input; what stands in it goes to the flow, and not back to its sender. Refused where it is too large, of another kind than is taken, or cannot be read. */
  async keep(bytes: Uint8Array, told: { name: string; declared: string }, place: FilePlace): Promise<Value & object> {
    const { id, picture, name, type, size, address } = await this.#files.keep(bytes, told, place);
    if (!picture) await this.#textOf({ id, name, type, bytes });
    return { name, type, size, address };
  }

  /** Values with files as they are kept, whatever was said of them. Refused where a file is not its sender's. */
  async settled(values: Values, isTheirs: (row: FileRow) => boolean): Promise<Values> {
    const settled: Record<string, Value> = {};
    for (const [name, value] of Object.entries(values)) settled[name] = await this.#settle(value, isTheirs);
    return settled;
  }

  async #settle(value: Value, isTheirs: (row: FileRow) => boolean): Promise<Value> {
    const file = fileOf(value);
    if (!file) return value;
    const row = await this.#files.at(file.address);
    if (!row || !isTheirs(row)) throw new Refused('no-such-file', {});
    const { id, name, type, size } = row;
    const text = type.startsWith('image/') ? undefined : await this.#textOf({ id, name, type, bytes: row.bytes });
    return { name, type, size, address: file.address, ...(text === undefined ? {} : { text }) };
  }

  async #textOf({
    id,
    name,
    type,
    bytes,
  }: {
    id: string;
    name: string;
    type: string;
    bytes: Uint8Array;
  }): Promise<string | undefined> {
    const known = this.#texts.get(id);
    if (known !== undefined) return known;
    const form: DocumentForm | undefined = formOfFile(name, type);
    if (form === undefined) return undefined;
    const { text } = await this.#indexer.do('text', { bytes, form, most: TEXT_SIZE });
    this.#texts.set(id, text);
    return text;
  }
}

/** Values as they are shown: of files all but what stands in them. */
export function withoutTexts(values: Values): Record<string, Value> {
  return Object.fromEntries(
    Object.entries(values).map(([name, value]): [string, Value] => {
      const file = fileOf(value);
      if (file?.text === undefined) return [name, value];
      const { text: _text, ...rest } = file;
      return [name, rest];
    }),
  );
}
