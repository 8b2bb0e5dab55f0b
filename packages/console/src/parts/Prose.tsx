import { plainName } from '@primrose/core';
import { Fragment } from 'react';

/** A line of a node: its words, with values set as values. */
export function Prose({ text, code = false }: { readonly text: string; readonly code?: boolean }) {
  const parts = text.split(/\{\{(.*?)\}\}/s);
  const body = parts.map((part, i) =>
    i % 2 === 1 ? (
      <span key={i} className="val">
        {plainName(part)}
      </span>
    ) : (
      <Fragment key={i}>{part.replace(/\*\*?|__/g, '')}</Fragment>
    ),
  );
  return code ? <span className="code">{body}</span> : <>{body}</>;
}
