import { setField, type Making, type PartDeclaration } from '@primrose/core';
import { Link } from 'react-router';
import { useDraftHandle } from '../draft/context.js';

/** The nodes that make an output, each to be opened on the Map; the prompts and the profile of those that ask a model can be changed here. */
export function MakerPrompts({ making }: { readonly making: Making }) {
  const { document, bot } = useDraftHandle();
  return (
    <div className="makers">
      <h4>Made by</h4>
      {making.begin === undefined && (
        <p className="note">No node writes it yet. Let one of the flow keep its answer under this name.</p>
      )}
      {making.makers.map(({ flow, node }) => {
        const n = document.flows[flow]?.nodes[node];
        if (!n) return null;
        return (
          <div key={`${flow}/${node}`} className="maker">
            <Link to={`/bots/${bot}/map/${flow}/${node}`}>
              {document.flows[flow]?.title ?? flow}: {n.title ?? node}
            </Link>
            <span className="note"> {n.kind}</span>
            <Prompt flow={flow} node={node} />
          </div>
        );
      })}
    </div>
  );
}

function Prompt({ flow, node }: { readonly flow: string; readonly node: string }) {
  const { document, edit } = useDraftHandle();
  const n = document.flows[flow]?.nodes[node];
  const uses = n?.['uses'];
  const parts = n?.['parts'];
  if (!n || typeof uses !== 'string') return null;
  const set = (field: string, value: unknown) => edit((d) => setField(d, flow, node, field, value));
  const told = Array.isArray(parts) ? (parts as PartDeclaration[]) : [];
  return (
    <>
      <label className="fld">
        <span>Model profile</span>
        <select className="form-select" value={uses} onChange={(e) => set('uses', e.target.value)}>
          {!Object.hasOwn(document.models ?? {}, uses) && <option value={uses}>{uses || 'none chosen'}</option>}
          {Object.keys(document.models ?? {}).map((m) => (
            <option key={m}>{m}</option>
          ))}
        </select>
      </label>
      {told.map((p, i) =>
        p.input === true ? null : (
          <label className="fld" key={i}>
            <span>{p.part}</span>
            <textarea
              className="form-control"
              rows={Math.min(8, 1 + Math.ceil(p.says.length / 44))}
              value={p.says}
              onChange={(e) =>
                set(
                  'parts',
                  told.map((q, j) => (i === j ? { ...q, says: e.target.value } : q)),
                )
              }
            />
          </label>
        ),
      )}
    </>
  );
}
