import type { MapActs } from './acts.js';
import { rememberCopied } from './copied.js';

/** What can be done with several marked nodes at once. */
export function MarkedBar({ marked, acts }: { readonly marked: readonly string[]; readonly acts: MapActs }) {
  const copy = () => {
    const text = acts.copy(marked);
    rememberCopied(text);
    void navigator.clipboard.writeText(text).catch(() => undefined);
  };
  const button = (label: string, onClick: () => void) => (
    <button className="btn btn-outline-secondary btn-sm" type="button" onClick={onClick}>
      {label}
    </button>
  );
  return (
    <section className="markedbar" aria-label="Marked nodes">
      <b>{marked.length} marked</b>
      {button('Copy', copy)}
      {button('Cut', () => {
        copy();
        acts.remove(marked);
      })}
      {button('Duplicate', () => acts.duplicate(marked))}
      {button('Off or on', () => acts.toggleOff(marked))}
      {button('Take out as a flow…', () => acts.cutOut(marked))}
      {button('Delete', () => acts.remove(marked))}
      <span className="spring" />
      <button className="bare" type="button" aria-label="Mark nothing" onClick={() => acts.mark([])}>
        ×
      </button>
    </section>
  );
}
