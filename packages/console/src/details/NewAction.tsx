import { idOf, METHODS, type BotDocument } from '@primrose/core';
import { useState, type FormEvent } from 'react';
import { useDraftHandle } from '../draft/context.js';

/** Describes a first version of an action: where it is, and how it is asked. The rest is written afterwards. */
export function NewAction({ onMade }: { readonly onMade: (runs: string) => void }) {
  const { document, edit } = useDraftHandle();
  const connections = Object.keys(document.connections ?? {});
  const [connection, setConnection] = useState(connections[0] ?? '');
  const [address, setAddress] = useState('');
  const [name, setName] = useState('');
  const [method, setMethod] = useState<(typeof METHODS)[number]>('get');
  const [path, setPath] = useState('/');
  const [at, id] = [idOf(connection), idOf(name)];
  const taken = document.connections?.[at]?.actions[id] !== undefined;
  const make = (event: FormEvent) => {
    event.preventDefault();
    if (at === '' || id === '' || taken) return;
    edit((d) => withAction(d, at, id, address, { [method]: path }));
    onMade(`${at}.${id}`);
  };
  return (
    <form className="branchbox" onSubmit={make} aria-label="New action">
      <label>
        Connection
        <input className="form-control" list="connections" value={connection} onChange={(e) => setConnection(e.target.value)} />
        <datalist id="connections">
          {connections.map((c) => (
            <option key={c} value={c} />
          ))}
        </datalist>
      </label>
      {!connections.includes(at) && (
        <label>
          Its address
          <input
            className="form-control code"
            placeholder="https://office.example"
            value={address}
            onChange={(e) => setAddress(e.target.value)}
          />
        </label>
      )}
      <label>
        Name of the action
        <input className="form-control" value={name} onChange={(e) => setName(e.target.value)} />
      </label>
      <div className="addressfield">
        <select
          className="form-select"
          aria-label="Method"
          value={method}
          onChange={(e) => setMethod(e.target.value as (typeof METHODS)[number])}
        >
          {METHODS.map((m) => (
            <option key={m} value={m}>
              {m.toUpperCase()}
            </option>
          ))}
        </select>
        <input className="form-control code" aria-label="Path" value={path} onChange={(e) => setPath(e.target.value)} />
      </div>
      {taken && (
        <p className="mistake" role="alert">
          This connection has an action of that name. Choose it above, or write another name.
        </p>
      )}
      <button className="btn btn-outline-secondary btn-sm" type="submit" disabled={at === '' || id === '' || taken}>
        Make the action
      </button>
    </form>
  );
}

function withAction(document: BotDocument, connection: string, id: string, address: string, action: object): BotDocument {
  const before = document.connections?.[connection] ?? { ...(address === '' ? {} : { address }), actions: {} };
  const made = { ...before, actions: { ...before.actions, [id]: action } };
  return { ...document, connections: { ...document.connections, [connection]: made } };
}
