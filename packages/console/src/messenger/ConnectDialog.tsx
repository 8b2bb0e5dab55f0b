import { useState, type FormEvent } from 'react';
import { Button, Form, Modal } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { hookProfile } from '@primrose/core';
import { call, errorText, invalidate } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Alarm } from '../parts/Alarm.js';

/** A mapping to begin from; every line is to be changed to what the messenger's own description says. */
const BEGINNING = {
  signature: { header: 'x-signature', hash: 'sha256', form: 'sha256={{ hex }}', secret: 'signing' },
  events: 'body.events',
  event: { id: 'item.id', sender: 'item.from.id', name: 'item.from.name', text: 'item.text', choice: 'item.button' },
  calls: {
    address: 'https://messenger.example/api',
    headers: { authorization: 'Bearer {{ secret.token }}' },
    message: { post: '/messages', body: { to: '{{ to }}', text: '{{ text }}', buttons: '{{ choices }}' } },
  },
  longest: 2000,
};

/** Connects a messenger: a name and a first mapping. Secrets are entered on its page. */
export function ConnectDialog({ onClose }: { readonly onClose: () => void }) {
  const { bot } = useDraftHandle();
  const navigate = useNavigate();
  const [name, setName] = useState('');
  const [text, setText] = useState(() => JSON.stringify(BEGINNING, null, 2));
  const [problem, setProblem] = useState<string>();
  const connect = (event: FormEvent) => {
    event.preventDefault();
    let profile: ReturnType<typeof hookProfile.safeParse>;
    try {
      profile = hookProfile.safeParse(JSON.parse(text));
    } catch (error) {
      setProblem(errorText(error));
      return;
    }
    if (!profile.success) {
      const [first] = profile.error.issues;
      setProblem(`/${first?.path.join('/') ?? ''}: ${first?.message ?? ''}`);
      return;
    }
    call('createChannel', { params: { bot }, body: { kind: 'hook-messenger', name, profile: profile.data } })
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
          <Modal.Title id="connect">Connect a messenger</Modal.Title>
        </Modal.Header>
        <Modal.Body>
          <Form.Group controlId="messenger-name" className="mb-2">
            <Form.Label>Name</Form.Label>
            <Form.Control autoFocus required maxLength={120} value={name} onChange={(e) => setName(e.target.value)} />
          </Form.Group>
          <Form.Group controlId="messenger-mapping">
            <Form.Label>
              Mapping{' '}
              <span className="note">expressions that read its webhooks and write its calls; it can be changed later</span>
            </Form.Label>
            <Form.Control
              as="textarea"
              className="mapping"
              spellCheck={false}
              value={text}
              onChange={(e) => setText(e.target.value)}
            />
          </Form.Group>
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
