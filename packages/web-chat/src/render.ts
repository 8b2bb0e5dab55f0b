import type { ChatLine } from '@primrose/contract';

type Block = ChatLine['message']['blocks'][number];
type Inline = Extract<Block, { type: 'paragraph' }>['inside'][number];

/** An element with attributes and children; text children are never read as HTML. */
export function el<K extends keyof HTMLElementTagNameMap>(
  tag: K,
  attributes: Readonly<Record<string, string>> = {},
  ...children: (Node | string)[]
): HTMLElementTagNameMap[K] {
  const element = document.createElement(tag);
  for (const [name, value] of Object.entries(attributes)) element.setAttribute(name, value);
  element.append(...children);
  return element;
}

function inline(part: Inline): Node | string {
  switch (part.type) {
    case 'text':
      return part.text;
    case 'code':
      return el('code', {}, part.text);
    case 'strong':
      return el('strong', {}, ...part.inside.map(inline));
    case 'emphasis':
      return el('em', {}, ...part.inside.map(inline));
    case 'link':
      return el('a', { href: part.to, target: '_blank', rel: 'noopener noreferrer' }, ...part.inside.map(inline));
    case 'image':
      return el('img', { src: part.from, alt: part.alt, loading: 'lazy', referrerpolicy: 'no-referrer' });
    case 'break':
      return el('br');
  }
}

/** A block of a message as an element. */
export function block(part: Block): Node {
  switch (part.type) {
    case 'paragraph':
      return el('p', {}, ...part.inside.map(inline));
    case 'heading':
      return el('p', { class: 'heading' }, ...part.inside.map(inline));
    case 'list':
      return el(
        part.ordered ? 'ol' : 'ul',
        part.ordered ? { start: String(part.start) } : {},
        ...part.items.map((item) => el('li', {}, ...item.map(block))),
      );
    case 'quote':
      return el('blockquote', {}, ...part.blocks.map(block));
    case 'code':
      return el('pre', {}, part.text);
    case 'rule':
      return el('hr');
  }
}

const SVG = 'http://www.w3.org/2000/svg';

/** A small picture from path data in a square box, drawn in the colour of the text. */
export function icon(size: number, path: string, box = 16): SVGSVGElement {
  const svg = document.createElementNS(SVG, 'svg');
  const line = document.createElementNS(SVG, 'path');
  svg.setAttribute('viewBox', `0 0 ${box} ${box}`);
  svg.setAttribute('width', String(size));
  svg.setAttribute('height', String(size));
  svg.setAttribute('aria-hidden', 'true');
  line.setAttribute('d', path);
  svg.append(line);
  return svg;
}

/** A five-petalled flower as path data in a 25 by 25 box. */
export const FLOWER =
  'M12.5 1.6L13.0 1.4L13.5 1.1L14.0 0.9L14.5 0.9L14.9 1.0L15.4 1.3L15.8 1.5L16.2 1.8L16.6 2.2L16.9 2.6L17.2 3.0L17.5 3.5L17.6 4.0L17.7 4.6L17.4 5.7L18.4 5.1L19.0 5.0L19.5 5.0L20.1 5.1L20.6 5.2L21.0 5.4L21.5 5.7L21.9 6.0L22.3 6.3L22.6 6.6L22.9 7.1L23.1 7.5L23.0 8.1L22.9 8.6L22.9 9.1L23.2 9.5L23.6 9.9L24.0 10.3L24.1 10.8L24.1 11.3L24.1 11.8L24.0 12.3L23.8 12.7L23.6 13.2L23.3 13.6L23.0 14.0L22.6 14.4L22.2 14.8L21.6 15.0L20.5 15.1L21.3 15.8L21.6 16.3L21.8 16.9L21.9 17.4L21.9 17.9L21.9 18.4L21.8 18.9L21.6 19.4L21.4 19.9L21.2 20.3L20.9 20.7L20.5 21.0L20.0 21.1L19.4 21.2L18.9 21.3L18.6 21.7L18.4 22.3L18.1 22.7L17.7 23.0L17.3 23.2L16.8 23.3L16.3 23.3L15.8 23.3L15.3 23.2L14.8 23.1L14.3 22.9L13.8 22.7L13.3 22.4L12.9 21.9L12.5 20.9L12.1 21.9L11.7 22.4L11.2 22.7L10.7 22.9L10.2 23.1L9.7 23.2L9.2 23.3L8.7 23.3L8.2 23.3L7.7 23.2L7.3 23.0L6.9 22.7L6.6 22.3L6.4 21.7L6.1 21.3L5.6 21.2L5.0 21.1L4.5 21.0L4.1 20.7L3.8 20.3L3.6 19.9L3.4 19.4L3.2 18.9L3.1 18.4L3.1 17.9L3.1 17.4L3.2 16.9L3.4 16.3L3.7 15.8L4.5 15.1L3.4 15.0L2.8 14.8L2.4 14.4L2.0 14.0L1.7 13.6L1.4 13.2L1.2 12.7L1.0 12.3L0.9 11.8L0.9 11.3L0.9 10.8L1.0 10.3L1.4 9.9L1.8 9.5L2.1 9.1L2.1 8.6L2.0 8.1L1.9 7.5L2.1 7.1L2.4 6.6L2.7 6.3L3.1 6.0L3.5 5.7L4.0 5.4L4.4 5.2L4.9 5.1L5.5 5.0L6.0 5.0L6.6 5.1L7.6 5.7L7.3 4.6L7.4 4.0L7.5 3.5L7.8 3.0L8.1 2.6L8.4 2.2L8.8 1.8L9.2 1.5L9.6 1.3L10.1 1.0L10.5 0.9L11.0 0.9L11.5 1.1L12.0 1.4Z';
