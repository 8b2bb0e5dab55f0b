import { fixFor, problemSentence, type Problem } from '@primrose/core';
import { Offcanvas } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { useDraftHandle } from '../draft/context.js';
import { inOrder, placeOf } from './places.js';

const HEADS = { error: 'To be mended before a release', warning: 'To be looked at' } as const;

/** All problems of the bot by severity: each leads to its place, and is fixed here where a fix is known. */
export function ProblemList({ problems, onClose }: { readonly problems: readonly Problem[]; readonly onClose: () => void }) {
  const navigate = useNavigate();
  const { bot, document, edit } = useDraftHandle();
  const line = (p: Problem, i: number) => {
    const fix = fixFor(p, document);
    return (
      <li key={i}>
        <button
          type="button"
          className="jump"
          onClick={() => {
            onClose();
            void navigate(`/bots/${bot}/${placeOf(p)}`);
          }}
        >
          <span className="note">
            {p.flow === undefined ? document.name : (document.flows[p.flow]?.title ?? p.flow)}
            {p.node === undefined || p.flow === undefined ? '' : `, ${document.flows[p.flow]?.nodes[p.node]?.title ?? p.node}`}
          </span>
          <br />
          {problemSentence(p)}
        </button>
        {fix && (
          <button type="button" className="btn btn-outline-secondary btn-sm" onClick={() => edit(fix.apply)}>
            {fix.label}
          </button>
        )}
      </li>
    );
  };
  return (
    <Offcanvas show placement="end" className="probpanel" onHide={onClose} aria-labelledby="problems">
      <Offcanvas.Header closeButton>
        <Offcanvas.Title id="problems">Problems</Offcanvas.Title>
      </Offcanvas.Header>
      <Offcanvas.Body tabIndex={0}>
        <p className="note">
          <kbd>P</kbd> leads from one to the next.
        </p>
        {(['error', 'warning'] as const).map((severity) => {
          const some = inOrder(problems).filter((p) => p.severity === severity);
          return some.length === 0 ? null : (
            <section key={severity} aria-label={HEADS[severity]}>
              <h3 className={`caps ${severity === 'error' ? 'plum' : 'soft'}`}>
                {HEADS[severity]} · {some.length}
              </h3>
              <ul>{some.map(line)}</ul>
            </section>
          );
        })}
        {problems.length === 0 && <p className="empty">Nothing is wrong.</p>}
      </Offcanvas.Body>
    </Offcanvas>
  );
}
