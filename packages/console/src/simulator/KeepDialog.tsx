import { freeId, idOf, keepConversation, readRehearsal, wordsIn, writeRehearsal, type TextProblem } from '@primrose/core';
import type { TurnRecord } from '@primrose/contract';
import { useMemo, useState, type FormEvent } from 'react';
import { Button, Form, Modal } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { useDraftHandle } from '../draft/context.js';
import { TextProblems } from '../rehearsals/TextProblems.js';

interface KeepDialogProps {
  readonly turns: readonly TurnRecord[];
  /** What the conversation is called, if anything. */
  readonly called: string | null;
  readonly onClose: () => void;
}

/** Keeps the conversation as a rehearsal of the bot: its text is shown first, and can be changed. */
export function KeepDialog({ turns, called, onClose }: KeepDialogProps) {
  const { bot, document, edit } = useDraftHandle();
  const navigate = useNavigate();
  const [name, setName] = useState(called ?? firstWords(turns.map((t) => wordsIn(t.sheet.heard))));
  const id = freeId(document.rehearsals ?? {}, idOf(name) || 'conversation');
  const kept = useMemo(() => keepConversation(id, turns, document, turns[0]?.kept), [id, turns, document]);
  const [own, setOwn] = useState<string>();
  const [problems, setProblems] = useState<readonly TextProblem[]>([]);
  const text = own ?? writeRehearsal(kept.rehearsal);
  const samples = Object.keys(kept.samples).length;
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const read = readRehearsal(text);
    if (!read.ok) return setProblems(read.problems);
    edit((d) => ({
      ...d,
      ...(samples > 0 || d.samples ? { samples: { ...d.samples, ...kept.samples } } : {}),
      rehearsals: { ...d.rehearsals, [id]: read.rehearsal },
    }));
    onClose();
    void navigate(`/bots/${bot}/rehearsals/${id}`);
  };
  return (
    <Modal show onHide={onClose} size="lg" aria-labelledby="keep-rehearsal">
      <Form onSubmit={submit}>
        <Modal.Header closeButton>
          <Modal.Title id="keep-rehearsal">Keep as rehearsal</Modal.Title>
        </Modal.Header>
        <Modal.Body>
          <Form.Group controlId="keep-name" className="mb-3">
            <Form.Label>Name</Form.Label>
            <Form.Control autoFocus value={name} maxLength={80} onChange={(e) => setName(e.target.value)} />
            <Form.Text>
              rehearsals/{id}.yaml
              {samples > 0 && `, with ${samples === 1 ? 'one result kept as a sample' : `${samples} results kept as samples`}`}
            </Form.Text>
          </Form.Group>
          <Form.Group controlId="keep-text">
            <Form.Label>What is said, and what is expected</Form.Label>
            <Form.Control
              as="textarea"
              className="code yaml"
              rows={16}
              value={text}
              spellCheck={false}
              onChange={(e) => setOwn(e.target.value)}
            />
          </Form.Group>
          <TextProblems problems={problems} />
        </Modal.Body>
        <Modal.Footer>
          <Button variant="outline-secondary" onClick={onClose}>
            Cancel
          </Button>
          <Button type="submit">Keep</Button>
        </Modal.Footer>
      </Form>
    </Modal>
  );
}

function firstWords(said: readonly (string | undefined)[]): string {
  return (said.find((s) => s !== undefined) ?? 'conversation').split(/\s+/).slice(0, 5).join(' ').slice(0, 40);
}
