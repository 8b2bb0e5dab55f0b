import type { TextProblem } from '@primrose/core';

/** Mistakes in the text of a rehearsal, each with its line. */
export function TextProblems({ problems }: { readonly problems: readonly TextProblem[] }) {
  if (problems.length === 0) return null;
  return (
    <ul className="alarm" role="alert">
      {problems.map((p, i) => (
        <li key={i}>
          line {p.line}: {p.message}
        </li>
      ))}
    </ul>
  );
}
