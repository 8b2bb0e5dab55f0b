import { typeName, type Value } from '@primrose/core';
import { useState, type FormEvent } from 'react';
import { Button, Form, Modal } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { call, errorText, invalidate } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { Alarm } from '../parts/Alarm.js';
import { HeldField } from '../simulator/HeldField.js';
import { readValue } from '../simulator/PausedPart.js';

/** Begins a flow by hand, with values for what it takes, on the draft or on what is live. */
export function BeginDialog({ onClose }: { readonly onClose: () => void }) {
  const { bot, document, flush } = useDraftHandle();
  const [flow, setFlow] = useState(Object.values(document.starts ?? {})[0]?.flow ?? document.begins);
  const [on, setOn] = useState<'draft' | 'live'>('draft');
  const [texts, setTexts] = useState<Readonly<Record<string, string>>>({});
  const [problem, setProblem] = useState<string>();
  const navigate = useNavigate();
  const takes = Object.entries(document.flows[flow]?.takes ?? {});
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const given = Object.fromEntries(
      takes.flatMap(([name, type]): [string, Value][] => {
        const text = texts[name] ?? '';
        // A text stays as it was typed: a number with a plus is no number.
        const value = /^(text|phone|email)\??$/.test(typeName(type)) ? text || null : readValue(text);
        return value === null ? [] : [[name, value]];
      }),
    );
    flush()
      .then(() => call('beginRun', { params: { bot }, query: { wait: 'true' }, body: { flow, on, given } }))
      .then(
        (run) => {
          invalidate('listRuns', 'countRuns');
          onClose();
          void navigate(`/bots/${bot}/runs/${run.id}`);
        },
        (error: unknown) => setProblem(errorText(error)),
      );
  };
  return (
    <Modal show onHide={onClose} aria-labelledby="begin-flow" className="speaker">
      <Form onSubmit={submit}>
        <Modal.Header closeButton>
          <Modal.Title id="begin-flow">Begin a flow by hand</Modal.Title>
        </Modal.Header>
        <Modal.Body>
          {problem !== undefined && <Alarm>{problem}</Alarm>}
          <Form.Group controlId="begin-which">
            <Form.Label className="mb-0">Flow</Form.Label>
            <Form.Select value={flow} onChange={(e) => setFlow(e.target.value)}>
              {Object.entries(document.flows).map(([id, f]) => (
                <option key={id} value={id}>
                  {f.title ?? id}
                </option>
              ))}
            </Form.Select>
          </Form.Group>
          <Form.Group controlId="begin-on" className="my-2">
            <Form.Label className="mb-0">On</Form.Label>
            <Form.Select value={on} onChange={(e) => setOn(e.target.value as 'draft')}>
              <option value="draft">the draft</option>
              <option value="live">what is live</option>
            </Form.Select>
          </Form.Group>
          {takes.length === 0 && <p className="soft">This flow takes nothing; it begins as it is.</p>}
          {takes.map(([name]) => (
            <HeldField
              key={name}
              name={name}
              text={texts[name] ?? ''}
              onChange={(text) => setTexts({ ...texts, [name]: text })}
            />
          ))}
          <p className="note">It runs for real: what it does outside is done.</p>
        </Modal.Body>
        <Modal.Footer>
          <Button variant="outline-secondary" onClick={onClose}>
            Cancel
          </Button>
          <Button type="submit">Begin</Button>
        </Modal.Footer>
      </Form>
    </Modal>
  );
}
