import { fileTypeFromBuffer } from 'file-type';

/*
 * What a file is, by what stands in it and not by what is said of it.
 */

/** Pictures that are taken, shown to visitors and handed to models. */
export const PICTURES = ['image/png', 'image/jpeg', 'image/gif', 'image/webp'] as const;
/** Files that are read by what stands in them. */
const READABLE: readonly string[] = [
  'application/pdf',
  'application/vnd.openxmlformats-officedocument.wordprocessingml.document',
  'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  'application/epub+zip',
];
const TEXTS: Readonly<Record<string, string>> = {
  txt: 'text/plain',
  md: 'text/markdown',
  csv: 'text/csv',
  json: 'application/json',
  log: 'text/plain',
};
/** So much of a text is read, in characters. */
const TEXT_SIZE = 20_000;

export type Media =
  | { readonly ok: true; readonly type: string; readonly picture: boolean; readonly text?: string }
  | { readonly ok: false; readonly reason: string };

/** What a file is: a picture, a text, or a PDF; anything else, and what only says that it is one of these, is refused. */
export async function mediaOf(bytes: Uint8Array, name: string, declared: string): Promise<Media> {
  if (bytes.length === 0) return { ok: false, reason: 'it is empty' };
  // Of a file that breaks off nobody can say what it is.
  const found = await fileTypeFromBuffer(bytes).then(
    (type) => type?.mime,
    () => undefined,
  );
  const said = declared.split(';')[0]?.trim().toLowerCase() ?? '';
  if (found !== undefined) {
    const picture = (PICTURES as readonly string[]).includes(found);
    if (!picture && !READABLE.includes(found))
      return { ok: false, reason: `it is ${found}, and only pictures, texts, PDF, DOCX, XLSX and EPUB are taken` };
    if (said.startsWith('image/') && !picture) return { ok: false, reason: `it is said to be ${said}, and is ${found}` };
    return { ok: true, type: found, picture };
  }
  if (said.startsWith('image/') || said === 'application/pdf')
    return { ok: false, reason: `it is said to be ${said}, and what is in it is none` };
  const text = textIn(bytes);
  if (text === undefined) return { ok: false, reason: 'it is neither a picture nor a text nor a PDF' };
  const ending = /\.([a-z0-9]+)$/i.exec(name)?.[1]?.toLowerCase() ?? '';
  return {
    ok: true,
    type: (Object.hasOwn(TEXTS, ending) ? TEXTS[ending] : undefined) ?? 'text/plain',
    picture: false,
    text: text.slice(0, TEXT_SIZE),
  };
}

/** Bytes as UTF-8 text; undefined where they are none. */
function textIn(bytes: Uint8Array): string | undefined {
  try {
    const text = new TextDecoder('utf-8', { fatal: true }).decode(bytes);
    // eslint-disable-next-line no-control-regex
    return /[\u0000-\u0008\u000e-\u001f]/.test(text) ? undefined : text;
  } catch {
    return undefined;
  }
}
