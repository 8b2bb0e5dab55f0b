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
            {c.page !== undefined && `, page ${c.page}`}
          </summary>
          <p dir="auto">{c.quote}</p>
          {c.address !== undefined && (
            <a href={c.address} target="_blank" rel="noreferrer">
              in its surroundings
            </a>
          )}
        </details>
      ))}
    </div>
  );
}
