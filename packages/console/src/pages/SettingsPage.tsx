import { useState, type FormEvent } from 'react';
import { Button, Form } from 'react-bootstrap';
import { call, errorText, invalidate, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { singleLettersOn, turnSingleLetters } from '../keys/keys.js';
import { AsFiles } from './AsFiles.js';
import { SettingsTabs } from '../parts/Tabs.js';
import { DURATION_PATTERN, textOf, type BotDocument, type TypeDeclaration } from '@primrose/core';
import { Alarm } from '../parts/Alarm.js';
import { Habits } from '../parts/Habits.js';

type Scope = 'session' | 'visitor' | 'settings';
const SCOPES: readonly (readonly [Scope, string])[] = [
  ['session', 'kept for one conversation'],
  ['visitor', 'kept for a visitor across conversations'],
  ['settings', 'set here, the same for everybody'],
];
const LANGUAGE = /^[a-z]{2,3}(-[A-Za-z0-9]+)*$/;
const NAME = /^[a-z][a-z0-9]*(_[a-z0-9]+)*$/;

/** What belongs to the whole bot: name, languages, variables, the bot as files; and the tokens of this person. */
export default function SettingsPage() {
  return (
    <main className="page">
      <header>
        <h2>Settings</h2>
      </header>
      <SettingsTabs />
      <BotPart />
      {SCOPES.map(([scope, about]) => (
        <Variables key={scope} scope={scope} about={about} />
      ))}
      <TalkHabitsPart />
      <AsFiles />
      <Letters />
      <Tokens />
    </main>
  );
}

/** How the bot leads a conversation, and by which words it knows anger and distress. */
function TalkHabitsPart() {
  const { document, edit } = useDraftHandle();
  const change = (fields: Pick<BotDocument, 'talk' | 'upset'>) =>
    edit((d) => Object.fromEntries(Object.entries({ ...d, ...fields }).filter(([, v]) => v !== undefined)) as BotDocument);
  const write = (language: string, text: string) => {
    const words = text.split('\n').filter((w) => w.trim() !== '');
    const { [language]: _old, ...rest } = document.upset ?? {};
    const next = words.length === 0 ? rest : { ...rest, [language]: words };
    change({ upset: Object.keys(next).length === 0 ? undefined : next });
  };
  return (
    <section>
      <h3>
        Conversation <span className="note">what the bot does by itself; flows and nodes can differ</span>
      </h3>
      <Habits value={document.talk} onChange={(talk) => change({ talk })} />
      {document.languages.map((l) => (
        <Form.Group key={l} controlId={`upset-${l}`} className="mt-2">
          <Form.Label className="mb-0">Words of anger and distress in {l}, one to a line</Form.Label>
          <Form.Control
            as="textarea"
            rows={3}
            defaultValue={(document.upset?.[l] ?? []).join('\n')}
            placeholder="the ready list"
            onBlur={(e) => write(l, e.target.value)}
          />
        </Form.Group>
      ))}
    </section>
  );
}

/** Single letters as commands, for this browser. */
function Letters() {
  const [on, setOn] = useState(singleLettersOn);
  return (
    <section>
      <h3>
        Keys <span className="note">in this browser</span>
      </h3>
      <label>
        <input
          type="checkbox"
          checked={on}
          onChange={(e) => {
            turnSingleLetters(e.target.checked);
            setOn(e.target.checked);
          }}
        />{' '}
        single letters are commands outside fields; <kbd>?</kbd> shows them
      </label>
    </section>
  );
}

function BotPart() {
  const { document, edit } = useDraftHandle();
  const [languages, setLanguages] = useState(document.languages.join(', '));
  const [zone, setZone] = useState(document.zone);
  const [idle, setIdle] = useState(document.idle ?? '');
  const listed = languages
    .split(',')
    .map((l) => l.trim())
    .filter(Boolean);
  const goodLanguages = listed.length > 0 && listed.every((l) => LANGUAGE.test(l));
  const goodZone = isZone(zone);
  return (
    <div style={{ maxWidth: 520, display: 'grid', gap: 10 }}>
      <Form.Group controlId="name">
        <Form.Label className="mb-0">Name</Form.Label>
        <Form.Control
          value={document.name}
          maxLength={120}
          onChange={(e) => e.target.value !== '' && edit((d) => ({ ...d, name: e.target.value }))}
        />
      </Form.Group>
      <Form.Group controlId="about">
        <Form.Label className="mb-0">What it is for</Form.Label>
        <Form.Control value={document.about ?? ''} onChange={(e) => edit((d) => ({ ...d, about: e.target.value }))} />
      </Form.Group>
      <Form.Group controlId="languages">
        <Form.Label className="mb-0">Languages, the first is the fallback</Form.Label>
        <Form.Control
          value={languages}
          isInvalid={!goodLanguages}
          onChange={(e) => {
            setLanguages(e.target.value);
            const next = e.target.value
              .split(',')
              .map((l) => l.trim())
              .filter(Boolean);
            if (next.length > 0 && next.every((l) => LANGUAGE.test(l))) edit((d) => ({ ...d, languages: next }));
          }}
        />
        <Form.Control.Feedback type="invalid">Write language tags such as en, de, pt-BR.</Form.Control.Feedback>
      </Form.Group>
      <Form.Group controlId="zone">
        <Form.Label className="mb-0">Time zone</Form.Label>
        <Form.Control
          value={zone}
          isInvalid={!goodZone}
          onChange={(e) => {
            setZone(e.target.value);
            if (isZone(e.target.value)) edit((d) => ({ ...d, zone: e.target.value }));
          }}
        />
        <Form.Control.Feedback type="invalid">Write a zone such as Europe/Dublin.</Form.Control.Feedback>
      </Form.Group>
      <Form.Group controlId="idle">
        <Form.Label className="mb-0">A conversation is over when nobody says anything for</Form.Label>
        <Form.Control
          value={idle}
          placeholder="1d"
          isInvalid={idle !== '' && !DURATION_PATTERN.test(idle)}
          onChange={(e) => {
            const next = e.target.value;
            setIdle(next);
            if (next === '') edit(({ idle: _gone, ...d }) => d);
            else if (DURATION_PATTERN.test(next)) edit((d) => ({ ...d, idle: next }));
          }}
        />
        <Form.Control.Feedback type="invalid">Write a time such as 30m, 12h or 2d.</Form.Control.Feedback>
      </Form.Group>
    </div>
  );
}

function isZone(zone: string): boolean {
  try {
    new Intl.DateTimeFormat('en', { timeZone: zone });
    return zone !== '';
  } catch {
    return false;
  }
}

function changeVariables(
  document: BotDocument,
  scope: Scope,
  change: (table: Record<string, TypeDeclaration>) => Record<string, TypeDeclaration>,
): BotDocument {
  return { ...document, variables: { ...document.variables, [scope]: change(document.variables?.[scope] ?? {}) } };
}

function Variables({ scope, about }: { readonly scope: Scope; readonly about: string }) {
  const { document, edit } = useDraftHandle();
  const [name, setName] = useState('');
  const table = document.variables?.[scope] ?? {};
  const taken = name in table;
  const add = (event: FormEvent) => {
    event.preventDefault();
    if (!NAME.test(name) || taken) return;
    edit((d) =>
      changeVariables(d, scope, (t) => ({ ...t, [name]: { type: 'text', ...(scope === 'settings' ? { value: '' } : {}) } })),
    );
    setName('');
  };
  return (
    <section>
      <h3>
        Variables: {scope} <span className="note">{about}</span>
      </h3>
      <table className="table-grid" style={{ maxWidth: 720 }}>
        <tbody>
          {Object.entries(table).map(([key, type]) => (
            <tr key={key}>
              <td className="mono">
                {scope}.{key}
              </td>
              <td>{typeof type === 'string' ? type : type.type}</td>
              <td>
                {scope === 'settings' ? (
                  <Form.Control
                    aria-label={`Value of ${key}`}
                    value={typeof type === 'string' ? '' : textOf(type.value)}
                    onChange={(e) =>
                      edit((d) =>
                        changeVariables(d, scope, (t) => ({
                          ...t,
                          [key]: { ...(typeof type === 'string' ? { type } : type), value: e.target.value },
                        })),
                      )
                    }
                  />
                ) : (
                  <span className="note">{typeof type === 'string' ? '' : type.about}</span>
                )}
              </td>
              <td>
                <button
                  className="bare"
                  type="button"
                  aria-label={`Remove ${scope}.${key}`}
                  onClick={() =>
                    edit((d) =>
                      changeVariables(d, scope, (t) => {
                        const { [key]: _gone, ...rest } = t;
                        return rest;
                      }),
                    )
                  }
                >
                  ×
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <Form onSubmit={add} style={{ display: 'flex', gap: 8, marginTop: 8, maxWidth: 360 }}>
        <Form.Control
          className="code"
          aria-label={`Name of a new ${scope} variable`}
          placeholder="new_name"
          value={name}
          isInvalid={name !== '' && (!NAME.test(name) || taken)}
          onChange={(e) => setName(e.target.value)}
        />
        <Button type="submit" variant="outline-secondary">
          Add
        </Button>
      </Form>
    </section>
  );
}

function Tokens() {
  const tokens = useCall('listTokens', {});
  const [name, setName] = useState('');
  const [made, setMade] = useState<string>();
  const [problem, setProblem] = useState<string>();
  const attempt = (work: Promise<unknown>) => {
    setProblem(undefined);
    work.then(() => invalidate('listTokens')).catch((error: unknown) => setProblem(errorText(error)));
  };
  const create = (event: FormEvent) => {
    event.preventDefault();
    attempt(
      call('createToken', { body: { name } }).then((token) => {
        setMade(token.secret);
        setName('');
      }),
    );
  };
  return (
    <section>
      <h3>
        API tokens <span className="note">yours, for the client and for programs; not part of this bot</span>
      </h3>
      {problem && <Alarm>{problem}</Alarm>}
      {made !== undefined && (
        <div role="status" style={{ maxWidth: 720 }}>
          <p>This is shown once. Keep it now:</p>
          <p className="secret">{made}</p>
        </div>
      )}
      <table className="table-grid" style={{ maxWidth: 720 }}>
        <tbody>
          {tokens.data?.items.map((t) => (
            <tr key={t.id}>
              <td>{t.name}</td>
              <td className="note">
                {t.lastUsedAt === null ? 'never used' : `last used ${new Date(t.lastUsedAt).toLocaleString()}`}
              </td>
              <td>
                <Button
                  size="sm"
                  variant="outline-secondary"
                  onClick={() => attempt(call('revokeToken', { params: { token: t.id } }))}
                >
                  Revoke
                </Button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <Form onSubmit={create} style={{ display: 'flex', gap: 8, marginTop: 8, maxWidth: 360 }}>
        <Form.Control
          aria-label="Name of a new token"
          placeholder="what it is for"
          required
          maxLength={80}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <Button type="submit" variant="outline-secondary">
          Make a token
        </Button>
      </Form>
    </section>
  );
}
