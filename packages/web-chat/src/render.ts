import type { ChatLine } from '@primrose/contract';

type Block = ChatLine['message']['blocks'][number];
type Inline = Extract<Block, { type: 'paragraph' }>['inside'][number];

/** An element with attributes and children; text children are never read as HTML. */
export function el<K extends keyof HTMLElementTagNameMap>(tag: K, attributes: Readonly<Record<string, string>> = {}, ...children: (Node | string)[]): HTMLElementTagNameMap[K] {
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
      return el(part.ordered ? 'ol' : 'ul', part.ordered ? { start: String(part.start) } : {}, ...part.items.map((item) => el('li', {}, ...item.map(block))));
    case 'quote':
      return el('blockquote', {}, ...part.blocks.map(block));
    case 'code':
      return el('pre', {}, part.text);
    case 'rule':
      return el('hr');
  }
}

const SVG = 'http://www.w3.org/2000/svg';

/** A small picture from path data, drawn in the colour of the text. */
export function icon(size: number, path: string): SVGSVGElement {
  const svg = document.createElementNS(SVG, 'svg');
  const line = document.createElementNS(SVG, 'path');
  svg.setAttribute('viewBox', '0 0 16 16');
  svg.setAttribute('width', String(size));
  svg.setAttribute('height', String(size));
  svg.setAttribute('aria-hidden', 'true');
  line.setAttribute('d', path);
  svg.append(line);
  return svg;
}

/** A five-petalled flower as path data in a 16 by 16 box. */
export const FLOWER = Array.from({ length: 5 }, (_, i) => {
  const angle = (i * 72 - 90) * (Math.PI / 180);
  const x = 8 + 4 * Math.cos(angle);
  const y = 8 + 4 * Math.sin(angle);
  return `M${(x - 3.2).toFixed(2)} ${y.toFixed(2)}a3.2 3.2 0 1 0 6.4 0a3.2 3.2 0 1 0-6.4 0z`;
}).join('');
