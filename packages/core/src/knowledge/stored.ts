import { z } from 'zod';
import type { IndexPart } from './part.js';

/** What is stored of a part besides its arrays. */
const head = z.object({
  version: z.literal(1),
  documents: z.array(z.object({ id: z.string(), title: z.string(), language: z.string() })),
  headings: z.array(z.string()),
  terms: z.string(),
  sizes: z.array(z.int()),
});

const WIDE = ['documentOf', 'headingOf', 'placeOf', 'pageOf', 'textAt', 'within', 'starts', 'posted'] as const;
const BETWEEN = '\n';

/** A part as bytes: a line of JSON with its length before it, then the arrays one behind the other, the wide ones first. */
export function encodePart(part: IndexPart): Uint8Array {
  const sizes = [...WIDE.map((name) => part[name].length), part.lengths.length, part.counts.length, part.texts.length];
  const { documents, headings } = part;
  const about: z.infer<typeof head> = {
    version: 1,
    documents: [...documents],
    headings: [...headings],
    terms: part.terms.join(BETWEEN),
    sizes,
  };
  const json = new TextEncoder().encode(JSON.stringify(about));
  const from = aligned(4 + json.length);
  const wide = sizes.slice(0, WIDE.length + 1).reduce((sum, n) => sum + n * 4, 0);
  const bytes = new Uint8Array(from + wide + part.counts.length + part.texts.length);
  new DataView(bytes.buffer).setUint32(0, json.length, true);
  bytes.set(json, 4);
  let at = from;
  const put = (list: Uint32Array | Float32Array | Uint8Array) => {
    bytes.set(new Uint8Array(list.buffer, list.byteOffset, list.byteLength), at);
    at += list.byteLength;
  };
  for (const name of WIDE) put(part[name]);
  put(part.lengths);
  put(part.counts);
  put(part.texts);
  return bytes;
}

const aligned = (n: number): number => Math.ceil(n / 4) * 4;

/** A part from its bytes; undefined where they are none, or of another version. The bytes are used as they are. */
export function decodePart(stored: Uint8Array): IndexPart | undefined {
  // Arrays of four bytes have to begin at a multiple of four.
  const bytes = stored.byteOffset % 4 === 0 ? stored : stored.slice();
  try {
    const length = new DataView(bytes.buffer, bytes.byteOffset).getUint32(0, true);
    const about = head.parse(JSON.parse(new TextDecoder().decode(bytes.subarray(4, 4 + length))));
    let at = bytes.byteOffset + aligned(4 + length);
    const end = bytes.byteOffset + bytes.byteLength;
    const room = (n: number): number => {
      const from = at;
      at += n;
      if (at > end) throw new Error('it is cut off');
      return from;
    };
    const size = (i: number) => about.sizes[i] ?? 0;
    const wide = WIDE.map((name, i) => [name, new Uint32Array(bytes.buffer, room(size(i) * 4), size(i))] as const);
    const lengths = new Float32Array(bytes.buffer, room(size(WIDE.length) * 4), size(WIDE.length));
    const counts = new Uint8Array(bytes.buffer, room(size(WIDE.length + 1)), size(WIDE.length + 1));
    const texts = new Uint8Array(bytes.buffer, room(size(WIDE.length + 2)), size(WIDE.length + 2));
    const terms = about.terms === '' ? [] : about.terms.split(BETWEEN);
    const arrays = Object.fromEntries(wide) as Pick<IndexPart, (typeof WIDE)[number]>;
    return { documents: about.documents, headings: about.headings, terms, ...arrays, lengths, counts, texts };
  } catch {
    return undefined;
  }
}
