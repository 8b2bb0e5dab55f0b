import type { Visitor } from '@primrose/contract';
import { textOf } from '@primrose/core';
import { useState } from 'react';
import { Button, Form, Modal } from 'react-bootstrap';
import { Link, useNavigate, useParams } from 'react-router';
import { call, errorText, invalidate, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Alarm } from '../parts/Alarm.js';
import { plainName, timeOfDay } from '../parts/words.js';
import { ConversationTabs } from '../parts/Tabs.js';

const count = (n: number, one: string): string => `${n} ${n === 1 ? one : `${one}s`}`;

/** The visitors of whom something is kept; one of them with everything, and the way to erase it. */
export default function VisitorsPage() {
  const { visitor } = useParams();
  return (
    <main className="page">
      <header>
        <h2>Visitors</h2>
      </header>
      <ConversationTabs />
      {visitor === undefined ? <List /> : <One key={visitor} id={visitor} />}
    </main>
  );
}

function List() {
  const { bot } = useDraftHandle();
  const [name, setName] = useState('');
  const list = useCall('listVisitors', { params: { bot }, query: { limit: 200, ...(name === '' ? {} : { name }) } });
  return (
    <section>
      <Form.Group controlId="visitor-name" style={{ maxWidth: 320 }}>
        <Form.Label className="mb-0">Name begins with</Form.Label>
        <Form.Control value={name} maxLength={80} onChange={(e) => setName(e.target.value)} />
      </Form.Group>
      {list.error && <Alarm>{errorText(list.error)}</Alarm>}
      {list.data?.items.length === 0 && (
        <p className="empty mt-3">Nothing is kept of anybody{name === '' ? '' : ' of this name'}.</p>
      )}
      {(list.data?.items.length ?? 0) > 0 && (
        <table className="table-grid mt-3">
          <thead>
            <tr>
              <th>Visitor</th>
              <th>Since</th>
              <th>By</th>
              <th>Conversations</th>
              <th>Values</th>
            </tr>
          </thead>
          <tbody>
            {list.data?.items.map((v) => (
              <Row key={v.id} visitor={v} />
            ))}
          </tbody>
        </table>
      )}
      {list.data?.next !== null && list.data && <p className="note">These are the newest 200. Narrow them down by a name.</p>}
    </section>
  );
}

function Row({ visitor: v }: { readonly visitor: Visitor }) {
  const { bot } = useDraftHandle();
  return (
    <tr>
      <td>
        <Link to={`/bots/${bot}/visitors/${v.id}`}>{v.name ?? 'without a name'}</Link>
      </td>
      <td className="note">{timeOfDay(v.firstAt)}</td>
      <td className="note">{v.by === 'key' ? 'web chat' : 'messenger'}</td>
      <td>{v.conversations}</td>
      <td>{v.variables}</td>
    </tr>
  );
}

function One({ id }: { readonly id: string }) {
  const { bot } = useDraftHandle();
  const kept = useCall('getVisitor', { params: { bot, visitor: id } });
  const [asking, setAsking] = useState(false);
  if (kept.error) return <Alarm>{errorText(kept.error)}</Alarm>;
  if (!kept.data) return null;
  const { name, by, firstAt, values, items, webhooks, rows } = kept.data;
  return (
    <section>
      <h3>{name ?? 'A visitor without a name'}</h3>
      <p className="note">
        {by === 'key' ? 'In web chat' : 'On a messenger'} since {timeOfDay(firstAt)}
        {webhooks > 0 && `, ${count(webhooks, 'webhook')}`}
        {rows > 0 && `, ${count(rows, 'row')} of tables`}
      </p>
      {Object.keys(values).length > 0 && (
        <table className="table-grid">
          <tbody>
            {Object.entries(values).map(([key, v]) => (
              <tr key={key}>
                <td>{plainName(key)}</td>
                <td dir="auto">{textOf(v)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <ul className="list-unstyled my-3">
        {items.map((c) => (
          <li key={c.id}>
            <Link to={`/bots/${bot}/conversations/${c.id}`}>Conversation of {timeOfDay(c.openedAt)}</Link>{' '}
            <span className="note">
              {count(c.lines, 'line')}, {count(c.turns, 'turn sheet')}, {count(c.events, 'event')}
            </span>
          </li>
        ))}
      </ul>
      <Button variant="outline-secondary" onClick={() => setAsking(true)}>
        Erase everything…
      </Button>{' '}
      <Link to={`/bots/${bot}/visitors`}>All visitors</Link>
      {asking && <EraseDialog id={id} name={name} onClose={() => setAsking(false)} />}
    </section>
  );
}

interface EraseProps {
  readonly id: string;
  readonly name: string | null;
  readonly onClose: () => void;
}

function EraseDialog({ id, name, onClose }: EraseProps) {
  const { bot } = useDraftHandle();
  const [problem, setProblem] = useState<string>();
  const navigate = useNavigate();
  const erase = () =>
    call('eraseVisitor', { params: { bot, visitor: id } }).then(
      () => {
        invalidate('listVisitors', 'listConversations');
        void navigate(`/bots/${bot}/visitors`);
      },
      (error: unknown) => setProblem(errorText(error)),
    );
  return (
    <Modal show onHide={onClose} aria-labelledby="erase">
      <Modal.Header closeButton>
        <Modal.Title id="erase">Erase everything of {name ?? 'this visitor'}</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        {problem !== undefined && <Alarm>{problem}</Alarm>}
        Values, conversations, turn sheets, events, webhooks and rows of this visitor are erased at once. It cannot be undone.
        What you kept as samples or rehearsals stays.
      </Modal.Body>
      <Modal.Footer>
        <Button variant="outline-secondary" onClick={onClose}>
          Cancel
        </Button>
        <Button onClick={() => void erase()}>Erase</Button>
      </Modal.Footer>
    </Modal>
  );
}
