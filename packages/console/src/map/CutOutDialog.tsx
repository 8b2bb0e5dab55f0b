import { cutOut } from '@primrose/core';
import { useMemo, useState, type FormEvent } from 'react';
import { Button, Modal } from 'react-bootstrap';
import { useDraftHandle } from '../draft/context.js';
import { Alarm } from '../parts/Alarm.js';

interface CutOutDialogProps {
  readonly flowId: string;
  readonly nodes: readonly string[];
  readonly onClose: () => void;
  /** The flow was made; `call` is the node that runs it. */
  readonly onDone: (call: string) => void;
}

/** Makes a flow of its own of the marked nodes, after showing what it will take and give. */
export function CutOutDialog({ flowId, nodes, onClose, onDone }: CutOutDialogProps) {
  const { document, edit } = useDraftHandle();
  const [title, setTitle] = useState('');
  const cut = useMemo(() => cutOut(document, flowId, nodes, title), [document, flowId, nodes, title]);
  const made = cut.ok ? cut.document.flows[cut.flow] : undefined;
  const list = (table: object | undefined) => Object.keys(table ?? {}).join(', ') || 'nothing';
  const save = (event: FormEvent) => {
    event.preventDefault();
    if (!cut.ok || title.trim() === '') return;
    edit(() => cut.document);
    onDone(cut.node);
  };
  return (
    <Modal show onHide={onClose} aria-labelledby="cut-title">
      <form onSubmit={save}>
        <Modal.Header closeButton>
          <Modal.Title id="cut-title">Take out as a flow</Modal.Title>
        </Modal.Header>
        <Modal.Body>
          {cut.ok ? (
            <>
              <label htmlFor="cut-name">Name of the flow</label>
              <input
                id="cut-name"
                className="form-control"
                autoFocus
                value={title}
                placeholder="What these nodes do together"
                onChange={(e) => setTitle(e.target.value)}
              />
              <p className="note" role="status">
                It takes {list(made?.takes)}, and gives {list(made?.gives)}. A node that runs it stands in their place.
              </p>
            </>
          ) : (
            <Alarm>
              {cut.reason === 'nothing'
                ? 'Mark the nodes first. A node that ends the flow stays where it is.'
                : `Others lead into these nodes at several places (${cut.nodes.join(', ')}). A flow begins in one: mark what lies behind one of them.`}
            </Alarm>
          )}
        </Modal.Body>
        <Modal.Footer>
          <Button variant="outline-secondary" onClick={onClose}>
            Cancel
          </Button>
          <Button type="submit" disabled={!cut.ok || title.trim() === ''}>
            Take out
          </Button>
        </Modal.Footer>
      </form>
    </Modal>
  );
}
