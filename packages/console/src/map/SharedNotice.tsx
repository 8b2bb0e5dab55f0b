import { pointAtCopy, type SharedReference } from '@primrose/core';
import { useDraftHandle } from '../draft/context.js';

interface SharedNoticeProps {
  readonly flowId: string;
  readonly shared: readonly SharedReference[];
  /** What is left of the list after one was given its own. */
  readonly onChange: (shared: readonly SharedReference[]) => void;
}

/** After pasting: what the copies still share with the originals, each with a way to give them their own. */
export function SharedNotice({ flowId, shared, onChange }: SharedNoticeProps) {
  const { edit } = useDraftHandle();
  const repoint = (some: readonly SharedReference[]) => {
    edit((d) => some.reduce((made, reference) => pointAtCopy(made, flowId, reference), d));
    onChange(shared.filter((s) => !some.includes(s)));
  };
  return (
    <section className="sharednotice" aria-label="What the copies share">
      <header>
        <b>The copies still mean the original here</b>
        <span className="spring" />
        {shared.length > 1 && (
          <button className="btn btn-outline-secondary btn-sm" type="button" onClick={() => repoint(shared)}>
            Point all at the copies
          </button>
        )}
        <button className="bare" type="button" aria-label="Keep them as they are" onClick={() => onChange([])}>
          ×
        </button>
      </header>
      <ul>
        {shared.map((s) => (
          <li key={`${s.what}/${s.name}`}>
            <span>
              {s.what === 'flow' ? 'calls the flow ' : 'keeps its value as '}
              <code>{s.name}</code>
              <span className="note"> in {s.nodes.join(', ')}</span>
            </span>
            <button className="btn btn-outline-secondary btn-sm" type="button" onClick={() => repoint([s])}>
              Use {s.copy} instead
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
