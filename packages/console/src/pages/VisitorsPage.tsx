import type { KeptVisitor, KeyedMemory, Visitor } from '@primrose/contract';
import { textOf, type Fact, type Value } from '@primrose/core';
import { useState } from 'react';
import { Button, Form, Modal } from 'react-bootstrap';
import { Link, useNavigate, useParams } from 'react-router';
import { call, errorText, invalidate, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Alarm } from '../parts/Alarm.js';
import { plainName, timeOfDay } from '../parts/words.js';
import { ConversationTabs } from '../parts/Tabs.js';

const count = (n: number, one: string): string => `${n} ${n === 1 ? one : `${one}s`}`;
const BY = { key: 'web chat', sender: 'messenger', 'signed-in': 'web chat, signed in', person: 'a person' } as const;

const LINKED = { 'sign-in': 'known by a sign-in of theirs', staff: 'taken for somebody by staff' } as const;

/** The visitors of whom something is kept; one of them with everything, to be corrected, forgotten, taken out and erased. */
export default function VisitorsPage() {
  const { visitor } = useParams();
  return (
    <main className="page">
      <header>
        <h2>Visitors</h2>
      </header>
      <ConversationTabs />
      {visitor === undefined ? (
        <>
          <List />
          <Keys />
        </>
      ) : (
        <One key={visitor} id={visitor} />
      )}
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
              <th>Facts</th>
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
        <Link to={`/bots/${bot}/visitors/${v.id}`}>{v.name ?? v.email ?? 'without a name'}</Link>
      </td>
      <td className="note">{timeOfDay(v.firstAt)}</td>
      <td className="note">{BY[v.by]}</td>
      <td>{v.conversations}</td>
      <td>{v.variables}</td>
      <td>{v.facts}</td>
    </tr>
  );
}

/** What is kept under keys of the designer's, where anything is. */
function Keys() {
  const { bot } = useDraftHandle();
  const list = useCall('listMemories', { params: { bot }, query: {} });
  if (!list.data || list.data.items.length === 0) return null;
  const erase = (m: KeyedMemory) =>
    void call('eraseMemory', { params: { bot, memory: m.id } }).then(() => invalidate('listMemories'));
  return (
    <section className="mt-4">
      <h3>Under keys</h3>
      <table className="table-grid">
        <thead>
          <tr>
            <th>Key</th>
            <th>Last used</th>
            <th>Exchanges</th>
            <th>In short</th>
            <th>
              <span className="visually-hidden">Erase</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {list.data.items.map((m) => (
            <tr key={m.id}>
              <td dir="auto">{m.key}</td>
              <td className="note">{timeOfDay(m.at)}</td>
              <td>{m.exchanges}</td>
              <td dir="auto">{m.summary ?? ''}</td>
              <td>
                <button
                  className="bare note"
                  type="button"
                  aria-label={`Erase what is kept under ${m.key}`}
                  onClick={() => erase(m)}
                >
                  erase
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** Does something to a visitor and shows them as they are then; what goes wrong is told. */
function useChange(id: string) {
  const [problem, setProblem] = useState<string>();
  const doing = (work: Promise<unknown>): void => {
    setProblem(undefined);
    void work.then(
      () => invalidate('getVisitor', 'listVisitors'),
      (error: unknown) => setProblem(errorText(error)),
    );
  };
  const { bot } = useDraftHandle();
  return { problem, doing, params: { bot, visitor: id } };
}

function One({ id }: { readonly id: string }) {
  const { bot } = useDraftHandle();
  const kept = useCall('getVisitor', { params: { bot, visitor: id } });
  const [asking, setAsking] = useState(false);
  const change = useChange(id);
  if (kept.error) return <Alarm>{errorText(kept.error)}</Alarm>;
  if (!kept.data) return null;
  const { name, email, linkedBy, by, firstAt, items, webhooks, rows, files, summary, exchanges } = kept.data;
  const channels = [...new Set(items.map((c) => c.channel).filter((c) => c !== ''))];
  return (
    <section>
      <h3>{name ?? email ?? 'A visitor without a name'}</h3>
      <p className="note">
        {BY[by]} since {timeOfDay(firstAt)}
        {email !== null && `, ${email}`}
        {linkedBy !== null && `, ${LINKED[linkedBy]}`}
        {channels.length > 0 && `, on ${channels.map((c) => plainName(c)).join(', ')}`}
        {webhooks > 0 && `, ${count(webhooks, 'webhook')}`}
        {rows > 0 && `, ${count(rows, 'row')} of tables`}
        {files > 0 && `, ${count(files, 'file')}`}
      </p>
      {change.problem !== undefined && <Alarm>{change.problem}</Alarm>}
      <Facts visitor={kept.data} change={change} />
      {(summary !== null || exchanges > 0) && (
        <>
          <h4 className="caps soft mt-3">For models to recall</h4>
          {summary && (
            <p dir="auto">
              {summary.says}{' '}
              <span className="note">
                summed up by {summary.by}, {timeOfDay(summary.at)}
              </span>
            </p>
          )}
          <p className="note">{count(exchanges, 'exchange')}, the newest last</p>
        </>
      )}
      <Values visitor={kept.data} change={change} />
      <SamePerson visitor={kept.data} change={change} />
      <ul className="list-unstyled my-3">
        {items.map((c) => (
          <li key={c.id}>
            <Link to={`/bots/${bot}/conversations/${c.id}`}>Conversation of {timeOfDay(c.openedAt)}</Link>{' '}
            <span className="note">
              {c.channel === '' ? '' : `${plainName(c.channel)}, `}
              {count(c.lines, 'line')}, {count(c.turns, 'turn sheet')}, {count(c.events, 'event')}
            </span>
          </li>
        ))}
      </ul>
      <a className="btn btn-outline-secondary" href={`/api/bots/${bot}/visitors/${id}/export`} download={`visitor-${id}.json`}>
        Take everything out as JSON
      </a>{' '}
      <Button variant="outline-secondary" onClick={() => setAsking(true)}>
        Erase everything…
      </Button>{' '}
      <Link to={`/bots/${bot}/visitors`}>All visitors</Link>
      {asking && <EraseDialog id={id} name={name} onClose={() => setAsking(false)} />}
    </section>
  );
}

/** Who else this person is: on another channel they are another visitor until somebody says so. */
function SamePerson({ visitor, change }: PartProps) {
  const { bot } = useDraftHandle();
  const { doing, params } = change;
  const [open, setOpen] = useState(false);
  const others = useCall('listVisitors', { params: { bot }, query: { limit: 200 } }, open);
  const known = new Set([visitor.id, ...visitor.same.map((s) => s.id)]);
  const options = (others.data?.items ?? []).filter((v) => !known.has(v.id));
  return (
    <>
      <h4 className="caps soft mt-3">The same person</h4>
      {visitor.same.map((s) => (
        <p key={s.id} className="mb-1">
          <Link to={`/bots/${bot}/visitors/${s.id}`}>{s.name ?? 'without a name'}</Link> <span className="note">{BY[s.by]}</span>
        </p>
      ))}
      {visitor.person !== null && (
        <button className="bare note" type="button" onClick={() => doing(call('partVisitor', { params }))}>
          this is nobody else
        </button>
      )}{' '}
      {visitor.signIns > 0 && (
        <button className="bare note" type="button" onClick={() => doing(call('endSignIns', { params }))}>
          sign out everywhere ({visitor.signIns})
        </button>
      )}{' '}
      {!open && (
        <button className="bare note" type="button" onClick={() => setOpen(true)}>
          is also another visitor…
        </button>
      )}
      {open && others.data && (
        <Form.Select
          style={{ maxWidth: 420 }}
          aria-label="Is also"
          value=""
          onChange={(e) => {
            setOpen(false);
            doing(call('joinVisitor', { params, body: { visitor: e.target.value } }));
          }}
        >
          <option value="">{options.length === 0 ? 'there is nobody else' : 'choose who this is, too'}</option>
          {options.map((v) => (
            <option key={v.id} value={v.id}>
              {v.name ?? 'without a name'}, {BY[v.by]} since {timeOfDay(v.firstAt)}, {count(v.facts, 'fact')}
            </option>
          ))}
        </Form.Select>
      )}
    </>
  );
}

interface PartProps {
  readonly visitor: KeptVisitor;
  readonly change: ReturnType<typeof useChange>;
}

/** What is known about a visitor: each fact with its history, to be corrected or forgotten. */
function Facts({ visitor, change }: PartProps) {
  const { doing, params } = change;
  if (visitor.known.length === 0) return <p className="note">No facts are kept about them.</p>;
  return (
    <>
      <h4 className="caps soft mt-3">Facts</h4>
      <table className="table-grid">
        <thead>
          <tr>
            <th>About</th>
            <th>As it is kept</th>
            <th>Since</th>
            <th>
              <span className="visually-hidden">What can be done</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {visitor.known.map((f) => (
            <FactRow
              key={`${f.id} ${f.says}`}
              fact={f}
              onChange={(says) => doing(call('changeFact', { params: { ...params, fact: f.id }, body: { says } }))}
              onForget={() => doing(call('forgetFact', { params: { ...params, fact: f.id } }))}
            />
          ))}
        </tbody>
      </table>
      <button className="bare note" type="button" onClick={() => doing(call('forgetVisitor', { params }))}>
        forget all facts, and what models recall
      </button>
    </>
  );
}

interface FactRowProps {
  readonly fact: Fact;
  readonly onChange: (says: string) => void;
  readonly onForget: () => void;
}

function FactRow({ fact, onChange, onForget }: FactRowProps) {
  const { bot } = useDraftHandle();
  const [text, setText] = useState<string>();
  const about = plainName(fact.about);
  return (
    <tr>
      <td className="it">{about}</td>
      <td dir="auto">
        {text === undefined ? (
          <>
            {fact.says} <span className="note">{typeof fact.value === 'boolean' ? (fact.value ? 'yes' : 'no') : ''}</span>
          </>
        ) : (
          <Form.Control
            size="sm"
            autoFocus
            aria-label={`The fact ${about}`}
            maxLength={240}
            value={text}
            onChange={(e) => setText(e.target.value)}
            onKeyDown={(e) => {
              if (e.key === 'Enter' && text.trim() !== '') onChange(text.trim());
              if (e.key === 'Escape') setText(undefined);
            }}
          />
        )}
        {(fact.was ?? []).map((w) => (
          <div key={`${w.at} ${w.says}`} className="note">
            before: {w.says}, until {timeOfDay(w.until)}
          </div>
        ))}
      </td>
      <td className="note">
        {timeOfDay(fact.at)}
        {fact.conversation !== undefined && (
          <>
            , <Link to={`/bots/${bot}/conversations/${fact.conversation}`}>turn {fact.turn}</Link>
          </>
        )}
      </td>
      <td>
        {text === undefined ? (
          <button className="bare note" type="button" aria-label={`Correct ${about}`} onClick={() => setText(fact.says)}>
            correct
          </button>
        ) : (
          <button className="bare note" type="button" disabled={text.trim() === ''} onClick={() => onChange(text.trim())}>
            keep
          </button>
        )}{' '}
        <button className="bare note" type="button" aria-label={`Forget ${about}`} onClick={onForget}>
          forget
        </button>
      </td>
    </tr>
  );
}

/** The visitor's variables, to be corrected. */
function Values({ visitor, change }: PartProps) {
  const values = Object.entries(visitor.values);
  if (values.length === 0) return null;
  return (
    <>
      <h4 className="caps soft mt-3">Values</h4>
      <table className="table-grid">
        <tbody>
          {values.map(([key, v]) => (
            <ValueRow key={`${key} ${textOf(v)}`} name={key} value={v} change={change} />
          ))}
        </tbody>
      </table>
    </>
  );
}

function ValueRow({
  name,
  value,
  change,
}: {
  readonly name: string;
  readonly value: Value;
  readonly change: PartProps['change'];
}) {
  const [text, setText] = useState(textOf(value));
  const plain = typeof value === 'string' || typeof value === 'number';
  const put = (to: Value) => change.doing(call('changeVisitor', { params: change.params, body: { values: { [name]: to } } }));
  const keep = () => {
    const next = typeof value === 'number' ? Number(text) : text;
    if (text !== textOf(value) && !(typeof next === 'number' && Number.isNaN(next))) put(text === '' ? null : next);
  };
  return (
    <tr>
      <td>{plainName(name)}</td>
      <td dir="auto">
        {plain ? (
          <Form.Control
            size="sm"
            aria-label={plainName(name)}
            value={text}
            onChange={(e) => setText(e.target.value)}
            onBlur={keep}
            onKeyDown={(e) => e.key === 'Enter' && keep()}
          />
        ) : (
          textOf(value)
        )}
      </td>
      <td>
        <button className="bare note" type="button" aria-label={`Empty ${plainName(name)}`} onClick={() => put(null)}>
          empty
        </button>
      </td>
    </tr>
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
        Facts, values, conversations, turn sheets, events, webhooks, files and rows of this visitor are erased at once. It cannot
        be undone. What you kept as samples or rehearsals stays.
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
