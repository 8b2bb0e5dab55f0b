import type { ChannelKind } from '@primrose/contract';
import { hookProfile, READY_MAPPINGS, readyProfile, type HookProfile } from '@primrose/core';
import { useState, type FormEvent } from 'react';
import { Button, Form, Modal } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { call, errorText, invalidate, useCall } from '../api.js';
import { SchemaFields } from '../channels/SchemaFields.js';
import { emptyOf, type Schema, type Table } from '../channels/schema.js';
import { useDraftHandle } from '../draft/context.js';
import { Alarm } from '../parts/Alarm.js';

const OWN = 'own';
/** A mapping to begin from where none is ready: every line is to be changed to what the messenger's own description says. */
const BEGINNING: HookProfile = hookProfile.parse({
  signature: { header: 'x-signature', hash: 'sha256', form: 'sha256={{ hex }}', secret: 'signing' },
  events: 'body.events',
  event: { id: 'item.id', sender: 'item.from.id', name: 'item.from.name', text: 'item.text', choice: 'item.button' },
  calls: {
    address: 'https://messenger.example/api',
    headers: { authorization: 'Bearer {{ secret.token }}' },
    message: { post: '/messages', body: { to: '{{ to }}', text: '{{ text }}', buttons: '{{ choices }}' } },
  },
  longest: 2000,
});

/** Connects a channel: a messenger by a ready mapping or one of its own, or one of an open protocol by its settings. */
export function ConnectDialog({ onClose }: { readonly onClose: () => void }) {
  const { bot } = useDraftHandle();
  const navigate = useNavigate();
  const kinds = useCall('listChannelKinds', {});
  const [kind, setKind] = useState('hook-messenger');
  const [name, setName] = useState('');
  const [problem, setProblem] = useState<string>();
  const [messenger, setMessenger] = useState({ shape: READY_MAPPINGS[0]?.id ?? OWN, address: '', token: '' });
  const [settings, setSettings] = useState<Table>({});
  const [secrets, setSecrets] = useState<Readonly<Record<string, string>>>({});
  const chosen = kinds.data?.items.find((k) => k.kind === kind);
  const choose = (next: string) => {
    setKind(next);
    setProblem(undefined);
    const found = kinds.data?.items.find((k) => k.kind === next);
    setSettings(found ? emptyOf(found.settings as Schema) : {});
    setSecrets({});
  };
  const body = () => {
    if (kind === 'bot-api') return { kind, name } as const;
    const kept = Object.fromEntries(Object.entries(secrets).filter(([, v]) => v !== ''));
    if (kind !== 'hook-messenger') return { kind: kind as 'irc', name, settings, secrets: kept };
    const { shape, address, token } = messenger;
    const profile = shape === OWN ? BEGINNING : (readyProfile(shape, address.trim()) ?? BEGINNING);
    return { kind, name, profile, ...(token === '' ? {} : { secrets: { token } }) } as const;
  };
  const connect = (event: FormEvent) => {
    event.preventDefault();
    call('createChannel', { params: { bot }, body: body() })
      .then((made) => {
        invalidate('listChannels');
        void navigate(`/bots/${bot}/channels/${made.id}`);
      })
      .catch((error: unknown) => setProblem(errorText(error)));
  };
  return (
    <Modal show onHide={onClose} size="lg" aria-labelledby="connect">
      <Form onSubmit={connect}>
        <Modal.Header closeButton>
          <Modal.Title id="connect">Connect a channel</Modal.Title>
        </Modal.Header>
        <Modal.Body>
          <fieldset className="kinds">
            <legend className="visually-hidden">Kind</legend>
            <KindChoice kind="hook-messenger" name="Messenger" about="by a mapping" chosen={kind} onChoose={choose} />
            {kinds.data?.items.map((k) => (
              <KindChoice key={k.kind} kind={k.kind} name={k.name} about={k.about} chosen={kind} onChoose={choose} />
            ))}
          </fieldset>
          <Form.Group controlId="messenger-name" className="mb-2">
            <Form.Label>Name</Form.Label>
            <Form.Control autoFocus required maxLength={120} value={name} onChange={(e) => setName(e.target.value)} />
          </Form.Group>
          {kind === 'hook-messenger' ? (
            <MessengerFields value={messenger} onChange={setMessenger} />
          ) : (
            chosen && (
              <>
                <SchemaFields schema={chosen.settings as Schema} value={settings} onChange={setSettings} />
                <SecretFields kind={chosen} value={secrets} onChange={setSecrets} />
              </>
            )
          )}
          {problem !== undefined && <Alarm>{problem}</Alarm>}
        </Modal.Body>
        <Modal.Footer>
          <Button variant="outline-secondary" onClick={onClose}>
            Cancel
          </Button>
          <Button type="submit" disabled={name.trim() === ''}>
            Connect
          </Button>
        </Modal.Footer>
      </Form>
    </Modal>
  );
}

interface KindProps {
  readonly kind: string;
  readonly name: string;
  readonly about: string;
  readonly chosen: string;
  readonly onChoose: (kind: string) => void;
}

function KindChoice({ kind, name, about, chosen, onChoose }: KindProps) {
  return (
    <Form.Check
      type="radio"
      name="kind"
      id={`kind-${kind}`}
      checked={chosen === kind}
      onChange={() => onChoose(kind)}
      label={
        <>
          {name} <span className="note">{about}</span>
        </>
      }
    />
  );
}

interface MessengerWish {
  readonly shape: string;
  readonly address: string;
  readonly token: string;
}

function MessengerFields({
  value,
  onChange,
}: {
  readonly value: MessengerWish;
  readonly onChange: (value: MessengerWish) => void;
}) {
  const ready = READY_MAPPINGS.find((m) => m.id === value.shape);
  return (
    <>
      <Form.Group controlId="messenger-shape" className="mb-2">
        <Form.Label>Its API</Form.Label>
        <Form.Select value={value.shape} onChange={(e) => onChange({ ...value, shape: e.target.value })}>
          {READY_MAPPINGS.map((m) => (
            <option key={m.id} value={m.id}>
              {m.name}
            </option>
          ))}
          <option value={OWN}>Another: I write the mapping</option>
        </Form.Select>
        <p className="note">{ready?.about ?? 'Begins with a mapping of which every line is to be changed.'}</p>
      </Form.Group>
      {ready && (
        <>
          <Form.Group controlId="messenger-address" className="mb-2">
            <Form.Label>Address of the API</Form.Label>
            <Form.Control
              required
              placeholder="https://messenger.example"
              value={value.address}
              onChange={(e) => onChange({ ...value, address: e.target.value })}
            />
          </Form.Group>
          <Form.Group controlId="messenger-token" className="mb-2">
            <Form.Label>
              Token <span className="note">{ready.token}</span>
            </Form.Label>
            <Form.Control
              type="password"
              autoComplete="off"
              required
              value={value.token}
              onChange={(e) => onChange({ ...value, token: e.target.value })}
            />
            <p className="note">{ready.then}</p>
          </Form.Group>
        </>
      )}
    </>
  );
}

interface SecretProps {
  readonly kind: ChannelKind;
  readonly value: Readonly<Record<string, string>>;
  readonly onChange: (value: Readonly<Record<string, string>>) => void;
}

function SecretFields({ kind, value, onChange }: SecretProps) {
  return (
    <>
      {kind.secrets.map((s) => (
        <Form.Group key={s.name} controlId={`secret-${s.name}`} className="fld">
          <Form.Label>
            {s.name.replace(/^./, (c) => c.toUpperCase())} <span className="note">{s.about}</span>
          </Form.Label>
          <Form.Control
            type="password"
            autoComplete="off"
            required={!s.optional}
            value={value[s.name] ?? ''}
            onChange={(e) => onChange({ ...value, [s.name]: e.target.value })}
          />
        </Form.Group>
      ))}
    </>
  );
}
