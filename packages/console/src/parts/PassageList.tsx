import type { FoundPassage } from '@primrose/core';

/** Passages that a question found, by rank, each with where it stands and its score. */
export function PassageList({ passages }: { readonly passages: readonly FoundPassage[] }) {
  return (
    <ol className="passages">
      {passages.map((p) => (
        <li key={p.number}>
          <b>[{p.number}]</b> {p.title}
          {p.heading && ` › ${p.heading}`} <span className="note">{p.score.toFixed(2)}</span>
          <p dir="auto">{p.quote}</p>
        </li>
      ))}
    </ol>
  );
}
