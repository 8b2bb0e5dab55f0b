import { Fragment } from 'react';

/** `flow.travel_day` as people call it: travel day; likewise where one function is put around it. */
export function plainName(expression: string): string {
  const trimmed = expression.trim();
  const path = /^(?:[a-zA-Z]+\()?\s*([a-z_]+(?:\.[a-z0-9_]+)+)(?:,[^,]*)?\)?$/.exec(trimmed)?.[1];
  return path === undefined ? trimmed : (path.split('.').at(-1) ?? path).replaceAll('_', ' ');
}

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
