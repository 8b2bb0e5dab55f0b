import { sampleText, type Flow, type Text } from '@primrose/core';
import { Button, Form, Modal } from 'react-bootstrap';
import { useDraftHandle } from '../draft/context.js';
import { Habits } from '../parts/Habits.js';

interface FlowTalkDialogProps {
  readonly flowId: string;
  readonly onClose: () => void;
}

/** What visitors call a flow in one language; '' where nobody has said. */
function calledIn(called: Text | undefined, language: string, first: string): string {
  if (called === undefined) return '';
  if (typeof called === 'string' || Array.isArray(called)) return language === first ? sampleText(called, language) : '';
  return sampleText(called[language], language);
}

/** How the bot talks in a flow: what it is called when the bot comes back to it, and its habits there. */
export function FlowTalkDialog({ flowId, onClose }: FlowTalkDialogProps) {
  const { document, edit } = useDraftHandle();
  const flow = document.flows[flowId];
  const [first = 'en'] = document.languages;
  if (!flow) return null;
  const change = (fields: Partial<Flow>) =>
    edit((d) => {
      const now = d.flows[flowId];
      if (!now) return d;
      const next = Object.fromEntries(Object.entries({ ...now, ...fields }).filter(([, v]) => v !== undefined)) as Flow;
      return { ...d, flows: { ...d.flows, [flowId]: next } };
    });
  const call = (language: string, words: string) => {
    const all = Object.fromEntries(
      document.languages.map((l) => [l, l === language ? words : calledIn(flow.called, l, first)] as const),
    );
    const filled = Object.fromEntries(Object.entries(all).filter(([, w]) => w !== ''));
    change({ called: Object.keys(filled).length === 0 ? undefined : filled });
  };
  return (
    <Modal show onHide={onClose} aria-labelledby="flow-talk">
      <Modal.Header closeButton>
        <Modal.Title id="flow-talk" as="h2">
          Conversation in {flow.title ?? flowId}
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        {document.languages.map((l) => (
          <Form.Group key={l} controlId={`called-${l}`} className="mb-2">
            <Form.Label className="mb-0">What visitors call it, in {l}</Form.Label>
            <Form.Control
              value={calledIn(flow.called, l, first)}
              maxLength={80}
              placeholder={l === first ? 'your booking' : ''}
              onChange={(e) => call(l, e.target.value)}
            />
          </Form.Group>
        ))}
        <p className="note">The bot says it when it comes back: “Back to your booking:”.</p>
        <Form.Check
          id="flow-needs"
          type="checkbox"
          className="mb-2"
          label="Only for visitors who have signed in; others are asked to first"
          checked={flow.needs === 'sign-in'}
          onChange={(e) => change({ needs: e.target.checked ? 'sign-in' : undefined })}
        />
        <Habits value={flow.talk} from="in the bot" onChange={(talk) => change({ talk })} />
      </Modal.Body>
      <Modal.Footer>
        <Button variant="outline-secondary" onClick={onClose}>
          Close
        </Button>
      </Modal.Footer>
    </Modal>
  );
}
