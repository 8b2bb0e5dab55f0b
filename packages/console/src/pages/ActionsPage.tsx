import type { ConnectionState } from '@primrose/contract';
import { useState, type FormEvent } from 'react';
import { Button, Form } from 'react-bootstrap';
import { call, errorText, invalidate, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';

/** Connections of the bot, their addresses on this installation, and what can be asked of them. */
export default function ActionsPage() {
  const { bot } = useDraftHandle();
  const connections = useCall('listConnections', { params: { bot } });
  return (
    <main className="page">
      <header>
        <h2>Actions</h2>
      </header>
      {connections.error && <p className="alarm">{errorText(connections.error)}</p>}
      {connections.data?.items.length === 0 && (
        <div className="empty">
          <p>This bot calls nothing outside yet. Connections and actions are described in its files, under doing/.</p>
        </div>
      )}
      {connections.data?.items.map((c) => (
        <ConnectionPart key={c.name} connection={c} />
      ))}
    </main>
  );
}

function ConnectionPart({ connection }: { readonly connection: ConnectionState }) {
  const { bot } = useDraftHandle();
  const [address, setAddress] = useState(connection.address ?? '');
  const [state, setState] = useState<{ text: string; bad: boolean }>();
  const save = (event: FormEvent) => {
    event.preventDefault();
    call('setConnection', {
      params: { bot, connection: connection.name },
      body: { address: address.trim() === '' ? null : address.trim() },
    })
      .then(() => {
        setState({ text: 'saved', bad: false });
        invalidate('listConnections');
      })
      .catch((error: unknown) => setState({ text: errorText(error), bad: true }));
  };
  return (
    <section>
      <h3>{connection.name}</h3>
      {connection.about !== null && (
        <p className="soft" dir="auto">
          {connection.about}
        </p>
      )}
      <Form onSubmit={save} style={{ display: 'flex', gap: 8, alignItems: 'end', margin: '8px 0 12px', maxWidth: 640 }}>
        <Form.Group controlId={`address-${connection.name}`} style={{ flex: 1 }}>
          <Form.Label className="note mb-0">Address on this installation</Form.Label>
          <Form.Control
            className="code"
            value={address}
            placeholder={connection.written ?? 'https://…'}
            onChange={(e) => setAddress(e.target.value)}
          />
        </Form.Group>
        <Button type="submit" variant="outline-secondary">
          Save
        </Button>
        {state && (
          <span className={state.bad ? 'plum' : 'note'} role="status">
            {state.text}
          </span>
        )}
      </Form>
      <table className="table-grid">
        <thead>
          <tr>
            <th>Action</th>
            <th>Operation</th>
            <th>What it does</th>
          </tr>
        </thead>
        <tbody>
          {connection.actions.map((a) => (
            <tr key={a.id}>
              <td className="mono">{a.id}</td>
              <td className="mono">
                {a.method} {a.path}
              </td>
              <td dir="auto">{a.about}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
