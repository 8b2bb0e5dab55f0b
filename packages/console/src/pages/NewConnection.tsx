import { idOf, type Connection } from '@primrose/core';
import { useState, type FormEvent } from 'react';
import { invalidate } from '../api.js';
import { useDraftHandle } from '../draft/context.js';

/** A connection that is not there yet: a name, an address, and how we show ourselves. */
export function NewConnection() {
  const { document, edit, flush } = useDraftHandle();
  const [name, setName] = useState('');
  const [address, setAddress] = useState('');
  const [auth, setAuth] = useState<'none' | 'bearer' | 'basic'>('none');
  const id = idOf(name);
  const taken = id !== '' && document.connections?.[id] !== undefined;
  const add = (event: FormEvent) => {
    event.preventDefault();
    if (id === '' || taken) return;
    const made: Connection = {
      ...(address.trim() === '' ? {} : { address: address.trim() }),
      ...(auth === 'none' ? {} : { auth }),
      actions: {},
    };
    edit((d) => ({ ...d, connections: { ...d.connections, [id]: made } }));
    setName('');
    setAddress('');
    void flush().then(() => invalidate('listConnections'));
  };
  return (
    <form className="newconnection" onSubmit={add} aria-label="A new connection">
      <div className="fld">
        <label htmlFor="new-connection">A new connection: its name</label>
        <input
          id="new-connection"
          className="form-control"
          value={name}
          placeholder="model service"
          onChange={(e) => setName(e.target.value)}
        />
      </div>
      <div className="fld grow">
        <label htmlFor="new-address">Address of a model service, an API or an MCP server</label>
        <input
          id="new-address"
          className="form-control code"
          value={address}
          placeholder="https://example.org/v1"
          onChange={(e) => setAddress(e.target.value)}
        />
      </div>
      <div className="fld">
        <label htmlFor="new-auth">Secret</label>
        <select id="new-auth" className="form-select" value={auth} onChange={(e) => setAuth(e.target.value as 'none')}>
          <option value="none">wants none</option>
          <option value="bearer">bearer token</option>
          <option value="basic">name and password</option>
        </select>
      </div>
      <button className="btn btn-outline-secondary" type="submit" disabled={id === '' || taken}>
        Add
      </button>
      {taken && <p className="mistake">There is a connection {id} already.</p>}
    </form>
  );
}
