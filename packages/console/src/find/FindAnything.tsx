import { find, findables, type BotDocument, type Hit } from '@primrose/core';
import { useDocumentHits } from './documents.js';
import { useId, useMemo, useState, type KeyboardEvent } from 'react';
import { Modal } from 'react-bootstrap';
import { useNavigate } from 'react-router';

interface FindAnythingProps {
  readonly bot: string;
  readonly document: BotDocument;
  readonly onClose: () => void;
}

/** Where something that was found is edited. */
function placeOf({ what, name, flow, node, of, id }: Hit): string {
  if (flow !== undefined) return `map/${flow}${node === undefined ? '' : `/${node}`}`;
  switch (what) {
    case 'intent':
      return `understanding/intent/${name}`;
    case 'phrase':
      return `understanding/intent/${of}`;
    case 'entity':
      return `understanding/entity/${name}`;
    case 'context':
      return `understanding/context/${name}`;
    case 'action':
      return 'actions';
    case 'model':
      return 'models';
    case 'knowledge':
      return `knowledge/${name}`;
    case 'document':
      return `knowledge/${of}/${id ?? ''}`;
    case 'page':
      return `pages/${id ?? ''}`;
    case 'rehearsal':
      return `rehearsals/${name}`;
    case 'sample':
      return 'actions';
    default:
      return 'settings';
  }
}

/** The words around the place that was found. */
function Snippet({ hit }: { readonly hit: Hit }) {
  const { text, at } = hit;
  if (!at) return <>{text.slice(0, 80)}</>;
  const [start, length] = at;
  const from = Math.max(0, start - 24);
  return (
    <>
      {from > 0 && '…'}
      {text.slice(from, start)}
      <u>{text.slice(start, start + length)}</u>
      {text.slice(start + length, start + length + 60)}
    </>
  );
}

/** Finds anything of the bot while one types: flows, nodes, intents, phrases, values, actions, documents. */
export function FindAnything({ bot, document, onClose }: FindAnythingProps) {
  const [typed, setTyped] = useState('');
  const [at, setAt] = useState(0);
  const id = useId();
  const navigate = useNavigate();
  const all = useMemo(() => findables(document), [document]);
  const own = useMemo(() => find(all, typed), [all, typed]);
  const inDocuments = useDocumentHits(bot, document, typed);
  const hits = [...own, ...inDocuments];
  const chosen = hits[Math.min(at, hits.length - 1)];
  const go = (hit: Hit) => {
    onClose();
    void navigate(`/bots/${bot}/${placeOf(hit)}`);
  };
  const onKey = (event: KeyboardEvent) => {
    if (event.key === 'ArrowDown') setAt((n) => Math.min(n + 1, hits.length - 1));
    else if (event.key === 'ArrowUp') setAt((n) => Math.max(n - 1, 0));
    else if (event.key === 'Enter' && chosen) go(chosen);
    else return;
    event.preventDefault();
  };
  return (
    <Modal show onHide={onClose} aria-label="Find anything" className="findany" scrollable>
      <Modal.Body>
        <input
          autoFocus
          autoComplete="off"
          spellCheck={false}
          role="combobox"
          aria-label="Find anything in the bot"
          aria-expanded="true"
          aria-controls={`${id}-list`}
          aria-activedescendant={chosen ? `${id}-${hits.indexOf(chosen)}` : undefined}
          placeholder="Find anything: words, names, values"
          value={typed}
          onKeyDown={onKey}
          onChange={(e) => {
            setTyped(e.target.value);
            setAt(0);
          }}
        />
        <ul role="listbox" id={`${id}-list`} aria-label="Found">
          {hits.map((hit, i) => (
            <li
              key={i}
              id={`${id}-${i}`}
              role="option"
              aria-selected={hit === chosen}
              className={hit === chosen ? 'on' : ''}
              ref={(element) => {
                if (hit === chosen) element?.scrollIntoView({ block: 'nearest' });
              }}
              onClick={() => go(hit)}
            >
              <span className="caps note">{hit.what}</span>
              <b>{hit.name}</b>
              <span className="where">
                {hit.flow !== undefined && hit.what === 'node' && <i>{document.flows[hit.flow]?.title ?? hit.flow} </i>}
                <Snippet hit={hit} />
              </span>
            </li>
          ))}
          {typed.trim() !== '' && hits.length === 0 && (
            <li role="presentation" className="note">
              Nothing in this bot holds these words.
            </li>
          )}
        </ul>
      </Modal.Body>
    </Modal>
  );
}
