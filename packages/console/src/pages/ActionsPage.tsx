import type { ConnectionState } from '@primrose/contract';
import { isActionSample, isHookSample, isMcpSample, isModelSample, type Value } from '@primrose/core';
import { useState, type FormEvent } from 'react';
import { Button, Form } from 'react-bootstrap';
import { call, errorText, invalidate, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Shown } from '../parts/Shown.js';
import { Alarm } from '../parts/Alarm.js';
import { ActionTabs } from '../parts/Tabs.js';
import { McpTools } from './McpTools.js';
import { NewConnection } from './NewConnection.js';

/** Connections of the bot, their addresses on this installation, and what can be asked of them. */
export default function ActionsPage() {
  const { bot } = useDraftHandle();
  const connections = useCall('listConnections', { params: { bot } });
  return (
    <main className="page">
      <header>
        <h2>Actions</h2>
      </header>
      <ActionTabs />
      {connections.error && <Alarm>{errorText(connections.error)}</Alarm>}
      {connections.data?.items.length === 0 && (
        <div className="empty">
          <p>This bot calls nothing outside yet. Add its first connection below.</p>
        </div>
      )}
      {connections.data?.items.map((c) => (
        <ConnectionPart key={c.name} connection={c} />
      ))}
      <NewConnection />
      <KeptSamples />
    </main>
  );
}

/** Samples of the bot: kept events and results, each to be read and thrown away. */
function KeptSamples() {
  const { document, edit } = useDraftHandle();
  const samples = Object.entries(document.samples ?? {});
  if (samples.length === 0) return null;
  const remove = (id: string) =>
    edit((d) => {
      const { [id]: _gone, ...rest } = d.samples ?? {};
      const { samples: _all, ...without } = d;
      return Object.keys(rest).length === 0 ? without : { ...d, samples: rest };
    });
  return (
    <section aria-label="Samples">
      <h3>Samples</h3>
      <p className="soft">Kept events and results. They answer in rehearsals, and in simulations whose calls go to samples.</p>
      <table className="table-grid">
        <thead>
          <tr>
            <th>Name</th>
            <th>Of</th>
            <th>What it holds</th>
            <th>
              <span className="visually-hidden">Throw away</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {samples.map(([id, sample]) => (
            <tr key={id}>
              <td className="mono">{id}</td>
              <td>
                {isActionSample(sample)
                  ? sample.answers
                  : isModelSample(sample)
                    ? `model ${sample.writes}`
                    : isMcpSample(sample)
                      ? `the tool ${sample.tool}`
                      : isHookSample(sample)
                        ? `the start ${sample.came}`
                        : 'a message'}
              </td>
              <td>
                <Shown value={sample as Value} what={id} folded />
              </td>
              <td>
                <button type="button" className="bare note" aria-label={`throw away the sample ${id}`} onClick={() => remove(id)}>
                  throw away
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function ConnectionPart({ connection }: { readonly connection: ConnectionState }) {
  const { bot } = useDraftHandle();
  const [address, setAddress] = useState(connection.address ?? '');
  const [standIn, setStandIn] = useState(connection.standIn ?? '');
  const [state, setState] = useState<{ text: string; bad: boolean }>();
  const save = (event: FormEvent) => {
    event.preventDefault();
    call('setConnection', {
      params: { bot, connection: connection.name },
      body: { address: address.trim() || null, standIn: standIn.trim() || null },
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
      <Form onSubmit={save} style={{ display: 'flex', gap: 8, alignItems: 'end', margin: '8px 0 12px', maxWidth: 820 }}>
        <Form.Group controlId={`address-${connection.name}`} style={{ flex: 1 }}>
          <Form.Label className="note mb-0">Address on this installation</Form.Label>
          <Form.Control
            className="code"
            value={address}
            placeholder={connection.written ?? 'https://…'}
            onChange={(e) => setAddress(e.target.value)}
          />
        </Form.Group>
        <Form.Group controlId={`stand-in-${connection.name}`} style={{ flex: 1 }}>
          <Form.Label className="note mb-0">Stand-in that simulations call</Form.Label>
          <Form.Control
            className="code"
            value={standIn}
            placeholder="none: from samples"
            onChange={(e) => setStandIn(e.target.value)}
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
      <SecretPart connection={connection} />
      {connection.models.length > 0 && <p className="note">Used by the model profiles {connection.models.join(', ')}.</p>}
      {connection.actions.length > 0 && (
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
      )}
      {connection.actions.length === 0 && <McpTools connection={connection.name} />}
    </section>
  );
}

/** The secret that a connection shows to its service: kept encrypted, never told again. */
function SecretPart({ connection }: { readonly connection: ConnectionState }) {
  const { bot } = useDraftHandle();
  const [secret, setSecret] = useState('');
  const [problem, setProblem] = useState<string>();
  if (connection.auth === null && !connection.secret) return <p className="note">It wants no secret.</p>;
  const keep = (value: string | null) =>
    call('setSecret', { params: { bot, connection: connection.name }, body: { secret: value } })
      .then(() => {
        setSecret('');
        setProblem(undefined);
        invalidate('listConnections');
      })
      .catch((error: unknown) => setProblem(errorText(error)));
  const submit = (event: FormEvent) => {
    event.preventDefault();
    void keep(secret);
  };
  return (
    <Form onSubmit={submit} className="secretform">
      <span className={connection.secret ? 'note' : 'plum'}>
        {connection.secret
          ? `A secret is kept, encrypted; shown as ${connection.auth}.`
          : `It needs a secret (${connection.auth}).`}
      </span>
      <Form.Control
        type="password"
        autoComplete="off"
        aria-label={`Secret of ${connection.name}`}
        placeholder={connection.secret ? 'another secret' : 'the secret'}
        value={secret}
        onChange={(e) => setSecret(e.target.value)}
      />
      <Button type="submit" variant="outline-secondary" disabled={secret === ''}>
        Keep
      </Button>
      {connection.secret && (
        <button className="bare note" type="button" onClick={() => void keep(null)}>
          forget
        </button>
      )}
      {problem !== undefined && <span className="plum">{problem}</span>}
    </Form>
  );
}
