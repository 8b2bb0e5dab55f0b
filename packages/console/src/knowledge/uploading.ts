import { MOST_DOCUMENT_BYTES } from '@primrose/contract';
import { FORM_ENDINGS, idOf, type BotDocument, type DocumentForm, type KnowledgeDocument } from '@primrose/core';
import { useRef, useState } from 'react';
import { errorText, invalidate } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { putPart } from '../draft/parts.js';

/** A file on its way: `sent` is the share of it that has gone, from 0 to 1. */
export interface Upload {
  readonly id: number;
  readonly name: string;
  readonly sent: number;
  readonly state: 'waiting' | 'sending' | 'done' | 'failed';
  readonly problem?: string;
}

const ENDINGS: Readonly<Record<string, DocumentForm>> = {
  ...Object.fromEntries(Object.entries(FORM_ENDINGS).map(([form, ending]) => [ending, form as DocumentForm])),
  markdown: 'markdown',
  htm: 'html',
  xhtml: 'html',
};
/** What a file chooser offers. */
export const ACCEPTED = Object.keys(ENDINGS)
  .map((e) => `.${e}`)
  .join(',');
/** So many files are sent at once. */
const AT_ONCE = 2;

/** Puts a document into a base, or takes it out. */
export function putDocument(document: BotDocument, base: string, id: string, value: KnowledgeDocument | undefined): BotDocument {
  const present = document.knowledge?.[base] ?? { documents: {} };
  const { [id]: _old, ...rest } = present.documents;
  return putPart(document, 'knowledge', base, { ...present, documents: value ? { ...present.documents, [id]: value } : rest });
}

/** The form of a file by its name; undefined for one that is not read. */
export function formOf(name: string): DocumentForm | undefined {
  return ENDINGS[name.split('.').at(-1)?.toLowerCase() ?? ''];
}

/** A name that no document of the base has yet. */
function freeId(document: BotDocument, base: string, title: string): string {
  const wanted = idOf(title) || 'document';
  const taken = document.knowledge?.[base]?.documents ?? {};
  for (let n = 1; ; n++) {
    const id = n === 1 ? wanted : `${wanted}-${n}`;
    if (!Object.hasOwn(taken, id)) return id;
  }
}

/** Sends a file, telling how much of it has gone. */
function send(bot: string, file: Blob, onSent: (share: number) => void): Promise<string> {
  return new Promise((resolve, reject) => {
    // The only way in which a browser tells how much of a body has gone.
    const request = new XMLHttpRequest();
    request.open('POST', `/api/bots/${encodeURIComponent(bot)}/contents`);
    request.setRequestHeader('content-type', 'application/octet-stream');
    request.setRequestHeader('x-primrose', 'client');
    request.upload.onprogress = (e) => e.lengthComputable && onSent(e.loaded / e.total);
    request.onerror = () => reject(new Error('The service did not answer. Try again.'));
    request.onload = () => {
      const answer = JSON.parse(request.responseText || '{}') as { hash?: string; detail?: string };
      if (request.status < 300 && answer.hash !== undefined) resolve(answer.hash);
      else reject(new Error(answer.detail ?? `The service answered ${request.status}.`));
    };
    request.send(file);
  });
}

/** Files that are put into a base one by one, each with how far it is. One that fails leaves the others alone. */
export function useUploads(base: string | undefined) {
  const { bot, edit, flush } = useDraftHandle();
  const [uploads, setUploads] = useState<readonly Upload[]>([]);
  const count = useRef(0);
  const set = (id: number, change: Partial<Upload>) =>
    setUploads((all) => all.map((u) => (u.id === id ? { ...u, ...change } : u)));

  const one = async (id: number, file: File, into: string, replaces: string | undefined): Promise<void> => {
    const form = formOf(file.name);
    if (!form) return set(id, { state: 'failed', problem: `it is read by its ending, which is none of ${ACCEPTED}` });
    if (file.size > MOST_DOCUMENT_BYTES)
      return set(id, { state: 'failed', problem: `it is larger than ${MOST_DOCUMENT_BYTES / 1_000_000} MB; split it up` });
    set(id, { state: 'sending' });
    try {
      const content = await send(bot, file, (sent) => set(id, { sent }));
      const title = file.name.replace(/\.[^.]+$/, '');
      edit((d) => {
        const present = replaces === undefined ? undefined : d.knowledge?.[into]?.documents[replaces];
        const { text: _text, ...kept } = present ?? { title };
        return putDocument(d, into, replaces ?? freeId(d, into, title), { ...kept, form, content });
      });
      set(id, { state: 'done', sent: 1 });
    } catch (error) {
      set(id, { state: 'failed', problem: errorText(error) });
    }
  };

  const add = async (files: readonly File[], replaces?: string): Promise<void> => {
    if (base === undefined) return;
    const queued = files.map((file) => ({ file, id: ++count.current }));
    setUploads((all) => [
      ...all.filter((u) => u.state !== 'done'),
      ...queued.map(({ file, id }): Upload => ({ id, name: file.name, sent: 0, state: 'waiting' })),
    ]);
    const left = [...queued];
    const work = async () => {
      for (let next = left.shift(); next; next = left.shift()) await one(next.id, next.file, base, replaces);
    };
    await Promise.all(Array.from({ length: AT_ONCE }, work));
    await flush();
    invalidate('listDocuments', 'listPassages');
  };
  return { uploads, add, forget: () => setUploads([]) };
}
