import type { ChatSettings, WebChat } from '@primrose/contract';
import { Form } from 'react-bootstrap';
import type { ChatFieldsProps } from './ChatWordsFields.js';

interface SignInFieldsProps extends ChatFieldsProps {
  readonly chat: WebChat;
  readonly secret: string;
  readonly setSecret: (secret: string) => void;
}

/** By what visitors can show who they are, besides tokens of the page that shows the chat. */
export function SignInFields({ chat, settings, set, secret, setSecret }: SignInFieldsProps) {
  const { signIn } = settings;
  const put = (more: Partial<ChatSettings['signIn']>) => set({ signIn: { ...signIn, ...more } });
  const { service } = signIn;
  const change = (more: Partial<NonNullable<typeof service>>) => {
    const next = { issuer: '', client: '', name: '', ...service, ...more };
    put({ service: next.issuer === '' && next.client === '' && next.name === '' ? null : next });
  };
  return (
    <section aria-label="Who is speaking">
      <h3>Who is speaking</h3>
      <Form.Check
        id="chat-mail"
        label="Visitors sign in by a code that comes by mail"
        checked={signIn.mail}
        onChange={(e) => put({ mail: e.target.checked })}
      />
      <Form.Group controlId="chat-hours" className="mb-2 mt-1">
        <Form.Label className="mb-0">A sign-in lasts so many hours</Form.Label>
        <Form.Control
          type="number"
          min={1}
          max={720}
          style={{ width: 90 }}
          value={signIn.hours}
          onChange={(e) => put({ hours: Math.min(720, Math.max(1, Number(e.target.value) || 1)) })}
        />
      </Form.Group>
      <fieldset>
        <legend className="caps soft">Identity service (OpenID Connect)</legend>
        {(
          [
            ['issuer', 'Its address', 'https://accounts.example'],
            ['client', 'Our client id there', ''],
            ['name', 'What visitors call it', 'a Sound account'],
          ] as const
        ).map(([field, label, usual]) => (
          <Form.Group key={field} controlId={`service-${field}`} className="mb-2">
            <Form.Label className="mb-0">{label}</Form.Label>
            <Form.Control
              placeholder={usual}
              value={service?.[field] ?? ''}
              onChange={(e) => change({ [field]: e.target.value })}
            />
          </Form.Group>
        ))}
        <Form.Group controlId="service-secret" className="mb-2">
          <Form.Label className="mb-0">
            Our secret there{' '}
            <span className="note">{chat.serviceSecret ? 'one is kept; it is never shown' : 'none is kept'}</span>
          </Form.Label>
          <Form.Control type="password" autoComplete="off" value={secret} onChange={(e) => setSecret(e.target.value)} />
        </Form.Group>
        <p className="note">
          It sends visitors back to <span className="mono">{chat.redirect}</span>
        </p>
      </fieldset>
      <Form.Group controlId="token-issuer" className="mb-2">
        <Form.Label className="mb-0">
          Who issues tokens of host pages (“iss”){' '}
          <span className="note">web chats of this bot with the same issuer know the same people</span>
        </Form.Label>
        <Form.Control
          placeholder="any, and nobody else’s people"
          value={signIn.issuer ?? ''}
          onChange={(e) => put({ issuer: e.target.value === '' ? null : e.target.value })}
        />
      </Form.Group>
    </section>
  );
}
