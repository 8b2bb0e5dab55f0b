import type { CannedWords } from '@primrose/contract';
import { useState, type FormEvent } from 'react';
import { Button, Form, Modal } from 'react-bootstrap';
import { call, errorText, invalidate, useCall } from '../api.js';
import { Alarm } from '../parts/Alarm.js';

const NEW: CannedWords = { id: '', title: '', text: '' };

/** What staff say often: kept under a title, changed, taken away. */
export function CannedDialog({ bot, onClose }: { readonly bot: string; readonly onClose: () => void }) {
  const list = useCall('listCanned', { params: { bot } });
  const [edited, setEdited] = useState<CannedWords>(NEW);
  const [problem, setProblem] = useState<string>();
  const run = (work: Promise<unknown>) =>
    void work.then(
      () => {
        setProblem(undefined);
        setEdited(NEW);
        invalidate('listCanned');
      },
      (error: unknown) => setProblem(errorText(error)),
    );
  const keep = (event: FormEvent) => {
    event.preventDefault();
    const { id: canned, title, text } = edited;
    const body = { title, text };
    run(canned === '' ? call('addCanned', { params: { bot }, body }) : call('changeCanned', { params: { bot, canned }, body }));
  };
  return (
    <Modal show onHide={onClose} aria-labelledby="canned">
      <Modal.Header closeButton>
        <Modal.Title id="canned" as="h2">
          Canned words
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        {problem !== undefined && <Alarm>{problem}</Alarm>}
        <ul className="rows">
          {list.data?.items.map((c) => (
            <li key={c.id}>
              <div>
                <b>{c.title}</b>
                <p dir="auto">{c.text}</p>
              </div>
              <div className="acts">
                <button className="bare note" type="button" onClick={() => setEdited(c)}>
                  change
                </button>
                <button
                  className="bare note"
                  type="button"
                  onClick={() => run(call('dropCanned', { params: { bot, canned: c.id } }))}
                >
                  take away
                </button>
              </div>
            </li>
          ))}
        </ul>
        <Form onSubmit={keep}>
          <Form.Group controlId="canned-title" className="mb-2">
            <Form.Label>Title</Form.Label>
            <Form.Control
              required
              maxLength={80}
              value={edited.title}
              onChange={(e) => setEdited({ ...edited, title: e.target.value })}
            />
          </Form.Group>
          <Form.Group controlId="canned-text" className="mb-2">
            <Form.Label>Words</Form.Label>
            <Form.Control
              as="textarea"
              rows={3}
              required
              maxLength={4000}
              value={edited.text}
              onChange={(e) => setEdited({ ...edited, text: e.target.value })}
            />
          </Form.Group>
          <Button type="submit" disabled={edited.title.trim() === '' || edited.text.trim() === ''}>
            {edited.id === '' ? 'Keep them' : 'Change them'}
          </Button>
        </Form>
      </Modal.Body>
    </Modal>
  );
}
