import type { WebChat } from '@primrose/contract';
import { useState, type FormEvent } from 'react';
import { Button, Form } from 'react-bootstrap';
import { call } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { timeOfDay } from '../parts/words.js';

interface TokenKeysProps {
  readonly chat: WebChat;
  readonly run: (work: Promise<unknown>) => Promise<boolean>;
}

/** Keys with which a host page signs tokens that say who its user is. */
export function TokenKeys({ chat, run }: TokenKeysProps) {
  const { bot } = useDraftHandle();
  const params = { bot, channel: chat.id };
  const [id, setId] = useState('');
  const [algorithm, setAlgorithm] = useState<'HS256' | 'RS256'>('HS256');
  const [publicKey, setPublicKey] = useState('');
  const [made, setMade] = useState<string>();
  const add = (event: FormEvent) => {
    event.preventDefault();
    const body = algorithm === 'HS256' ? { algorithm, id } : { algorithm, id, publicKey };
    const work = call('addTokenKey', { params, body }).then(({ secret }) => setMade(secret ?? undefined));
    void run(work).then((done) => {
      if (!done) return;
      setId('');
      setPublicKey('');
    });
  };
  return (
    <section aria-label="Keys of host pages">
      <h3>
        Keys of host pages <span className="note">a page signs a token (JWT) that says who its user is</span>
      </h3>
      {chat.keys.length === 0 && <p className="soft">None, so no page can say who its user is.</p>}
      <ul className="rows">
        {chat.keys.map((k) => (
          <li key={k.id}>
            <span>
              <span className="mono">{k.id}</span> {k.algorithm} <span className="note">since {timeOfDay(k.at)}</span>
            </span>
            <Button
              size="sm"
              variant="outline-secondary"
              onClick={() => void run(call('withdrawTokenKey', { params: { ...params, key: k.id } }))}
            >
              Withdraw
            </Button>
          </li>
        ))}
      </ul>
      {made !== undefined && (
        <p role="status">
          Its secret, shown this once: <span className="mono">{made}</span>{' '}
          <button className="bare note" type="button" onClick={() => void navigator.clipboard.writeText(made)}>
            copy
          </button>
        </p>
      )}
      <Form className="inrow" onSubmit={add}>
        <Form.Control
          aria-label="Id of the key (kid)"
          placeholder="id of the key (kid)"
          pattern="[A-Za-z0-9_\-]{1,80}"
          required
          value={id}
          onChange={(e) => setId(e.target.value)}
        />
        <Form.Select
          aria-label="How it signs"
          value={algorithm}
          onChange={(e) => setAlgorithm(e.target.value === 'RS256' ? 'RS256' : 'HS256')}
        >
          <option value="HS256">HS256, a secret of both sides</option>
          <option value="RS256">RS256, a public key</option>
        </Form.Select>
        {algorithm === 'RS256' && (
          <Form.Control
            as="textarea"
            rows={3}
            className="mono"
            required
            aria-label="The public key, as PEM"
            placeholder="-----BEGIN PUBLIC KEY-----"
            value={publicKey}
            onChange={(e) => setPublicKey(e.target.value)}
          />
        )}
        <Button type="submit" variant="outline-secondary" disabled={id === ''}>
          Add the key
        </Button>
      </Form>
    </section>
  );
}
