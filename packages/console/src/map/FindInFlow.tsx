import { find, findables, type BotDocument } from '@primrose/core';
import { useEffect, useMemo, useState } from 'react';

interface FindInFlowProps {
  readonly document: BotDocument;
  readonly flowId: string;
  readonly onFound: (nodes: readonly string[]) => void;
  readonly onGo: (node: string) => void;
  readonly onClose: () => void;
}

/** Finds nodes of the flow by their words; Enter goes from one to the next. */
export function FindInFlow({ document, flowId, onFound, onGo, onClose }: FindInFlowProps) {
  const [typed, setTyped] = useState('');
  const [at, setAt] = useState(-1);
  const flow = document.flows[flowId];
  const all = useMemo(
    () => (flow ? findables({ ...document, flows: { [flowId]: flow } }).filter((f) => f.what === 'node') : []),
    [document, flow, flowId],
  );
  const found = useMemo(() => find(all, typed, 500).flatMap((h) => h.node ?? []), [all, typed]);
  useEffect(() => onFound(found), [found, onFound]);
  const go = (step: number) => {
    const next = (Math.max(at, step > 0 ? -1 : 0) + step + found.length) % Math.max(1, found.length);
    const node = found[next];
    if (node === undefined) return;
    setAt(next);
    onGo(node);
  };
  return (
    <div className="findbar" role="search">
      <label htmlFor="find-in-flow" className="visually-hidden">
        Find in flow
      </label>
      <input
        id="find-in-flow"
        className="form-control"
        autoFocus
        autoComplete="off"
        placeholder="Words of a node"
        value={typed}
        onChange={(e) => {
          setTyped(e.target.value);
          setAt(-1);
        }}
        onKeyDown={(e) => {
          if (e.key === 'Enter') go(e.shiftKey ? -1 : 1);
          if (e.key === 'Escape') onClose();
        }}
      />
      <span className="note" role="status">
        {typed === '' ? '' : found.length === 0 ? 'not in this flow' : `${at < 0 ? '' : `${at + 1} of `}${found.length}`}
      </span>
      <button className="bare" type="button" aria-label="Close find" onClick={onClose}>
        ×
      </button>
    </div>
  );
}
