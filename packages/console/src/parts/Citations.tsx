import type { Citation } from '@primrose/core';

/** Where something stands that was said: numbered, each with its quote to open. */
export function Citations({ cites }: { readonly cites: readonly Citation[] | undefined }) {
  if (!cites || cites.length === 0) return null;
  return (
    <div className="cites">
      {cites.map((c) => (
        <details key={c.number}>
          <summary>
            [{c.number}] {c.title}
            {c.heading && ` › ${c.heading}`}
          </summary>
          <p dir="auto">{c.quote}</p>
        </details>
      ))}
    </div>
  );
}
