import type { ToolCall } from '@primrose/core';

/** The tools that a model asked for, a line each, with the parameters as it wrote them. */
export function WantedCalls({ calls }: { readonly calls: readonly ToolCall[] }) {
  if (calls.length === 0) return null;
  return (
    <div className="wanted">
      {calls.map((c, i) => (
        <p key={i} className="req">
          {c.name} {c.given}
        </p>
      ))}
    </div>
  );
}
