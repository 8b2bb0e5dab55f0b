import type { ChatLine } from '@primrose/contract';
import { block, el } from './render.js';
import type { Words } from './words.js';

/** A line that somebody else than the visitor said, as it stands in the log. */
export function theirs(line: ChatLine, words: Words): HTMLElement {
  const by = line.who === 'staff' ? [el('small', {}, line.by ?? words.person)] : [];
  const said = line.message.blocks.map(block);
  return el('div', { class: `theirs ${line.who}`, dir: 'auto' }, ...by, ...said, ...sources(line, words));
}

/** A line of the visitor's own. */
export function mine(line: ChatLine): HTMLElement {
  return el('div', { class: 'mine', dir: 'auto' }, ...line.message.blocks.map(block));
}

/** Where it stands: the passages that an answer cites, each to be opened. */
function sources({ message: { cites = [] } }: ChatLine, words: Words): HTMLElement[] {
  if (cites.length === 0) return [];
  const each = cites.map((c) => {
    const page = c.page === undefined ? '' : `, p. ${c.page}`;
    const title = `[${c.number}] ${c.title}${c.heading === '' ? '' : ` › ${c.heading}`}${page}`;
    const open =
      c.address === undefined ? [] : [el('a', { href: c.address, target: '_blank', rel: 'noopener' }, words.openDocument)];
    return el('details', {}, el('summary', {}, title), el('p', {}, c.quote), ...open);
  });
  return [el('div', { class: 'sources', role: 'group', 'aria-label': words.sources }, ...each)];
}
