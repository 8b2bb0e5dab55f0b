import type { IndexPart } from '@primrose/core';

/** So many passages before and behind the one that is cited are shown with it. */
const AROUND = 2;

const decoder = new TextDecoder();
const MARKS: Readonly<Record<string, string>> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' };
const escaped = (text: string): string => text.replace(/[&<>"']/g, (c) => MARKS[c] ?? '');

const STYLE = `
:root { color-scheme: light dark; --paper: #fbf8ef; --ink: #17301f; --soft: #45574a; --mark: #fbeebb; --edge: #f2d449; }
@media (prefers-color-scheme: dark) { :root { --paper: #131a16; --ink: #efead9; --soft: #bfc5b3; --mark: #453c1c; --edge: #f0d25a; } }
body { max-width: 42rem; margin: 2rem auto; padding: 0 1rem; background: var(--paper); color: var(--ink); font: 1.05rem/1.6 Georgia, serif; }
h1 { font-size: 1.5rem; font-weight: 500; line-height: 1.3; } h2 { font: 600 .9rem/1.4 system-ui, sans-serif; margin: 1.6rem 0 .3rem; }
p { margin: .3rem 0; } .away { color: var(--soft); } .note { font: .8rem/1.4 system-ui, sans-serif; color: var(--soft); }
#cited { border-inline-start: 4px solid var(--edge); padding-inline-start: .7rem; }
mark { background: var(--mark); color: inherit; }`;

const WORDS: Readonly<Record<string, { readonly page: string; readonly gone: string }>> = {
  en: { page: 'page', gone: 'This passage is not here any more.' },
  de: { page: 'Seite', gone: 'Diese Stelle gibt es hier nicht mehr.' },
  es: { page: 'página', gone: 'Este pasaje ya no está aquí.' },
  fr: { page: 'page', gone: 'Ce passage n’est plus ici.' },
};

function page(language: string, title: string, body: string): string {
  return `<!doctype html><html lang="${escaped(language)}"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width,initial-scale=1"><title>${escaped(title)}</title><style>${STYLE}</style></head><body><main>${body}</main></body></html>`;
}

/** The page of a passage in its surroundings, the passage marked; `place` counts from 1. Nothing of the document is run. */
export function passagePage(part: IndexPart | undefined, place: number): string {
  const about = part?.documents[0];
  if (!part || !about || place < 1 || place > part.lengths.length) {
    const { gone } = WORDS['en'] ?? { gone: '' };
    return page('en', 'Not here', `<p>${escaped(gone)}</p>`);
  }
  const words = WORDS[about.language.split('-')[0] ?? ''] ?? WORDS['en'];
  const shown: string[] = [];
  let heading: string | undefined;
  for (let i = Math.max(0, place - 1 - AROUND); i < Math.min(part.lengths.length, place + AROUND); i++) {
    const own = part.headings[part.headingOf[i] ?? 0] ?? '';
    const number = part.pageOf[i] ?? 0;
    if (own !== heading && own !== '') shown.push(`<h2>${escaped(own)}</h2>`);
    heading = own;
    const text = escaped(decoder.decode(part.texts.subarray(part.textAt[i], part.textAt[i + 1])));
    const cited = i === place - 1;
    if (cited && number > 0) shown.push(`<p class="note">${words?.page ?? 'page'} ${number}</p>`);
    shown.push(cited ? `<p id="cited"><mark>${text}</mark></p>` : `<p class="away">${text}</p>`);
  }
  return page(about.language, about.title, `<h1>${escaped(about.title)}</h1>${shown.join('')}`);
}
