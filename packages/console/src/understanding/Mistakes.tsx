import { problemSentence } from '@primrose/core';
import { useDraftHandle, useProblems } from '../draft/context.js';

/** What is wrong with a part of the draft, below it. */
export function Mistakes({ field }: { readonly field: string }) {
  const { document } = useDraftHandle();
  const problems = useProblems(document).filter((p) => p.field?.startsWith(field));
  return problems.map((p, i) => (
    <p key={i} className={`mistake${p.severity === 'warning' ? ' mild' : ''}`}>
      {problemSentence(p)}
    </p>
  ));
}
