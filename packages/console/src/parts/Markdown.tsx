import type { Block, Inline } from '@primrose/core';
import type { ReactNode } from 'react';

function inline(part: Inline, key: number): ReactNode {
  switch (part.type) {
    case 'text':
      return part.text;
    case 'code':
      return <code key={key}>{part.text}</code>;
    case 'strong':
      return <strong key={key}>{part.inside.map(inline)}</strong>;
    case 'emphasis':
      return <em key={key}>{part.inside.map(inline)}</em>;
    case 'link':
      return (
        <a key={key} href={part.to} target="_blank" rel="noopener noreferrer">
          {part.inside.map(inline)}
        </a>
      );
    case 'image':
      return <img key={key} src={part.from} alt={part.alt} loading="lazy" referrerPolicy="no-referrer" />;
    case 'break':
      return <br key={key} />;
    default:
      return part satisfies never;
  }
}

function block(part: Block, key: number): ReactNode {
  switch (part.type) {
    case 'paragraph':
      return <p key={key}>{part.inside.map(inline)}</p>;
    case 'heading':
      return (
        <p key={key}>
          <strong>{part.inside.map(inline)}</strong>
        </p>
      );
    case 'list': {
      const items = part.items.map((item, i) => <li key={i}>{item.map(block)}</li>);
      return part.ordered ? (
        <ol key={key} start={part.start}>
          {items}
        </ol>
      ) : (
        <ul key={key}>{items}</ul>
      );
    }
    case 'quote':
      return <blockquote key={key}>{part.blocks.map(block)}</blockquote>;
    case 'code':
      return <pre key={key}>{part.text}</pre>;
    case 'rule':
      return <hr key={key} className="hair" />;
    default:
      return part satisfies never;
  }
}

/** Bot text as the visitor sees it; blocks come checked from the service. */
export function Markdown({ blocks }: { readonly blocks: readonly Block[] }) {
  return <>{blocks.map(block)}</>;
}
