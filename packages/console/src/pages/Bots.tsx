import type { BotSummary, CallInput, Endpoints, ReplyOf } from '@primrose/contract';
import { useRef, useState, type FormEvent } from 'react';
import { Button, Form, Modal, Toast, ToastContainer } from 'react-bootstrap';
import { Link, useNavigate } from 'react-router';
import { call, errorText, invalidate, useCall } from '../api.js';
import { Petal } from '../parts/Petal.js';
import { ThemeSwitch } from '../parts/ThemeSwitch.js';
import { Alarm } from '../parts/Alarm.js';

function releaseWords(bot: BotSummary): string {
  if (bot.release === null) return 'never released';
  if (bot.changedSinceRelease === 0) return `Release ${bot.release}, nothing changed since`;
  return `Release ${bot.release}, ${bot.changedSinceRelease === 1 ? '1 change' : `${bot.changedSinceRelease} changes`} since`;
}

function plural(n: number, one: string, many: string): string {
  return `${n} ${n === 1 ? one : many}`;
}

/** All bots of this person: new, duplicate, delete with a way back. */
export function Bots() {
  const bots = useCall('listBots', { query: { limit: 200 } });
  const deleted = useCall('listBots', { query: { limit: 200, deleted: 'true' } });
  const [creating, setCreating] = useState(false);
  const [gone, setGone] = useState<BotSummary>();
  const [problem, setProblem] = useState<string>();
  const attempt = (work: Promise<unknown>) => {
    setProblem(undefined);
    work.then(() => invalidate('listBots')).catch((error: unknown) => setProblem(errorText(error)));
  };
  const remove = (bot: BotSummary) => attempt(call('deleteBot', { params: { bot: bot.id } }).then(() => setGone(bot)));
  const restore = (bot: BotSummary) => attempt(call('restoreBot', { params: { bot: bot.id } }).then(() => setGone(undefined)));
  const items = bots.data?.items ?? [];
  const inboxes = useCall('listInboxes', {}).data?.items;
  // Whoever only answers in inboxes came for those.
  const answersOnly = bots.data !== undefined && items.length === 0 && inboxes !== undefined && inboxes.length > 0;
  return (
    <div className="frame bots" style={{ gridTemplateRows: '44px minmax(0,1fr)' }}>
      <header className="top">
        <span className="logo">
          <Petal size={24} heart />
        </span>
        <h1>Primrose</h1>
        <span className="spring" />
        <ThemeSwitch />
        <Button onClick={() => setCreating(true)}>New bot…</Button>
      </header>
      <main className="page">
        <header>
          <h2>{answersOnly ? 'Inboxes' : 'Bots'}</h2>
          {!answersOnly && <span className="note">{bots.data ? plural(items.length, 'bot', 'bots') : 'loading…'}</span>}
        </header>
        {(problem ?? bots.error) && <Alarm>{problem ?? errorText(bots.error)}</Alarm>}
        {bots.data && inboxes && items.length === 0 && !answersOnly && (
          <div className="empty">
            <p>No bots yet. Begin from a blank sheet, from the example, or from a file.</p>
            <Button variant="outline-secondary" onClick={() => setCreating(true)}>
              New bot…
            </Button>
          </div>
        )}
        {items.length > 0 && (
          <ul className="rows">
            {items.map((bot) => (
              <BotRow
                key={bot.id}
                bot={bot}
                onDuplicate={() => attempt(call('duplicateBot', { params: { bot: bot.id } }))}
                onDelete={() => remove(bot)}
              />
            ))}
          </ul>
        )}
        <Inboxes items={inboxes ?? []} />
        <Deleted bots={deleted.data?.items ?? []} restore={restore} />
      </main>
      {creating && <NewBot onClose={() => setCreating(false)} />}
      <ToastContainer position="bottom-end" className="p-3">
        <Toast show={gone !== undefined} onClose={() => setGone(undefined)} delay={12_000} autohide>
          <Toast.Body>
            {gone?.name} was deleted; its chat is silent.{' '}
            <Button variant="outline-secondary" size="sm" onClick={() => gone && restore(gone)}>
              Bring it back
            </Button>
          </Toast.Body>
        </Toast>
      </ToastContainer>
    </div>
  );
}

/** Bots of others in whose inbox one answers. */
function Inboxes({ items }: { readonly items: ReplyOf<Endpoints['listInboxes']>['items'] }) {
  if (items.length === 0) return null;
  return (
    <section aria-label="Inboxes">
      <h3>Inboxes in which you answer</h3>
      <ul className="rows">
        {items.map((i) => (
          <li key={i.bot}>
            <Link className="name" to={`/inbox/${i.bot}`} dir="auto">
              {i.name}
            </Link>
            <span className="note">{i.waiting === 0 ? 'nobody waits' : plural(i.waiting, 'waits', 'wait')}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}

interface BotRowProps {
  readonly bot: BotSummary;
  readonly onDuplicate: () => void;
  readonly onDelete: () => void;
}

function BotRow({ bot, onDuplicate, onDelete }: BotRowProps) {
  return (
    <li>
      <div>
        <Link className="name" to={`/bots/${bot.id}/map`} dir="auto">
          {bot.name}
        </Link>
        {bot.about !== null && (
          <p className="soft" dir="auto">
            {bot.about}
          </p>
        )}
        <p className="note">
          {plural(bot.flows, 'flow', 'flows')}, {plural(bot.nodes, 'node', 'nodes')} · {releaseWords(bot)} · changed{' '}
          {new Date(bot.changedAt).toLocaleString()}
        </p>
      </div>
      <div className="acts">
        <Button variant="outline-secondary" size="sm" onClick={onDuplicate}>
          Duplicate
        </Button>
        <Button variant="outline-secondary" size="sm" onClick={onDelete}>
          Delete
        </Button>
      </div>
    </li>
  );
}

function Deleted({ bots, restore }: { readonly bots: readonly BotSummary[]; readonly restore: (bot: BotSummary) => void }) {
  if (bots.length === 0) return null;
  return (
    <details style={{ marginTop: 24 }}>
      <summary className="soft">Deleted ({bots.length})</summary>
      <ul className="rows">
        {bots.map((bot) => (
          <li key={bot.id}>
            <span dir="auto">{bot.name}</span>
            <Button variant="outline-secondary" size="sm" onClick={() => restore(bot)}>
              Bring back
            </Button>
          </li>
        ))}
      </ul>
    </details>
  );
}

type Start = CallInput<Endpoints['createBot']>['body'];

function NewBot({ onClose }: { readonly onClose: () => void }) {
  const [from, setFrom] = useState('blank');
  const [name, setName] = useState('');
  const [problem, setProblem] = useState<string>();
  const file = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();
  const start = async (): Promise<Start> => {
    if (from === 'blank') return { from, name };
    if (from !== 'file') return { from: 'example', example: from, ...(name.trim() === '' ? {} : { name }) };
    const chosen = file.current?.files?.[0];
    if (!chosen) throw new Error('Choose a file first: a bot document as JSON, as “primrose pull --file” writes it.');
    try {
      return { from: 'document', document: JSON.parse(await chosen.text()) as Record<string, never> };
    } catch {
      throw new Error(`${chosen.name} cannot be read as JSON.`);
    }
  };
  const create = (event: FormEvent) => {
    event.preventDefault();
    start()
      .then((body) => call('createBot', { body }))
      .then((draft) => {
        invalidate('listBots');
        void navigate(`/bots/${draft.bot.id}/map`);
      })
      .catch((error: unknown) => setProblem(errorText(error)));
  };
  return (
    <Modal show onHide={onClose} aria-labelledby="new-bot">
      <Form onSubmit={create}>
        <Modal.Header closeButton>
          <Modal.Title id="new-bot">New bot</Modal.Title>
        </Modal.Header>
        <Modal.Body>
          {problem && <Alarm>{problem}</Alarm>}
          <Beginnings from={from} onFrom={setFrom} />
          {from === 'file' ? (
            <Form.Control ref={file} type="file" accept="application/json,.json" aria-label="Bot document" />
          ) : (
            <Form.Group controlId="bot-name">
              <Form.Label>Name</Form.Label>
              <Form.Control
                autoFocus
                value={name}
                required={from === 'blank'}
                maxLength={120}
                onChange={(e) => setName(e.target.value)}
              />
            </Form.Group>
          )}
        </Modal.Body>
        <Modal.Footer>
          <Button variant="outline-secondary" onClick={onClose}>
            Cancel
          </Button>
          <Button type="submit">Create</Button>
        </Modal.Footer>
      </Form>
    </Modal>
  );
}

/** What a new bot may begin from. */
function Beginnings({ from, onFrom }: { readonly from: string; readonly onFrom: (from: string) => void }) {
  const examples = useCall('listExamples', {});
  const all = [
    { id: 'blank', label: 'A blank sheet' },
    ...(examples.data?.items ?? []).map((e) => ({ id: e.id, label: `The example ${e.name}` })),
    { id: 'file', label: 'A file' },
  ];
  return (
    <fieldset className="mb-3">
      <legend className="visually-hidden">Begin from</legend>
      {all.map(({ id, label }) => (
        <Form.Check
          key={id}
          type="radio"
          name="from"
          id={`from-${id}`}
          label={label}
          checked={from === id}
          onChange={() => onFrom(id)}
        />
      ))}
    </fieldset>
  );
}
