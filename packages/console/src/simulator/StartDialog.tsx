import type { TurnRecord } from '@primrose/contract';
import { byScope, saidIn, valuesOf, variablesOf, type BotDocument, type Value } from '@primrose/core';
import { useState, type FormEvent } from 'react';
import { Button, Form, Modal } from 'react-bootstrap';
import { errorText, everyTurn, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { timeOfDay } from '../parts/words.js';
import { HeldField } from './HeldField.js';
import { readValue, writeValue } from './PausedPart.js';
import { useSimulation } from './simulation.js';

interface StartDialogProps {
  readonly flow: string;
  readonly node: string;
  readonly onClose: () => void;
}

/** Begins a conversation at a node, with variables filled in by hand or taken from an earlier conversation. */
export function StartDialog({ flow, node, onClose }: StartDialogProps) {
  const { document } = useDraftHandle();
  const { start, turns } = useSimulation();
  const [values, setValues] = useState<Readonly<Record<string, string>>>(() => textsOf(turns.at(-1)));
  const names = namesIn(document, flow);
  const shown = [...new Set([...names, ...Object.keys(values)])];
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const filled = Object.entries(values).flatMap(([name, text]): [string, Value][] => {
      const value = readValue(text);
      return value === null ? [] : [[name, value]];
    });
    start({ flow, node, variables: byScope(Object.fromEntries(filled)) });
    onClose();
  };
  return (
    <Modal show onHide={onClose} aria-labelledby="start-at" className="speaker">
      <Form onSubmit={submit}>
        <Modal.Header closeButton>
          <Modal.Title id="start-at">
            Start at {flow}/{node}
          </Modal.Title>
        </Modal.Header>
        <Modal.Body>
          <TakeFrom onTake={(turn) => setValues(textsOf(turn))} />
          {shown.length === 0 && <p className="soft">This flow has no variables; it starts as it is.</p>}
          {shown.map((name) => (
            <HeldField
              key={name}
              name={name}
              text={values[name] ?? ''}
              onChange={(text) => setValues({ ...values, [name]: text })}
            />
          ))}
        </Modal.Body>
        <Modal.Footer>
          <Button variant="outline-secondary" onClick={onClose}>
            Cancel
          </Button>
          <Button type="submit">Start here</Button>
        </Modal.Footer>
      </Form>
    </Modal>
  );
}

/** What variables held after a turn, as one types them. */
function textsOf(turn: TurnRecord | undefined): Record<string, string> {
  const held = turn ? valuesOf(turn.sheet) : {};
  return Object.fromEntries(Object.entries(held).map(([name, v]) => [name, writeValue(v)]));
}

/** The variables that a flow works with, and those that outlive it. */
function namesIn({ variables = {}, flows }: BotDocument, flow: string): string[] {
  const { takes = {}, nodes = {} } = flows[flow] ?? {};
  const used = Object.values(nodes).flatMap((node) => {
    const { reads, writes } = variablesOf(node);
    return [...reads, ...writes];
  });
  return [
    ...new Set([
      ...Object.keys(takes).map((name) => `flow.${name}`),
      ...used.filter((name) => name.startsWith('flow.')),
      ...Object.keys(variables.session ?? {}).map((name) => `session.${name}`),
      ...Object.keys(variables.visitor ?? {}).map((name) => `visitor.${name}`),
    ]),
  ];
}

/** Chooses an earlier conversation, real or simulated, and a turn of it. */
function TakeFrom({ onTake }: { readonly onTake: (turn: TurnRecord) => void }) {
  const { bot } = useDraftHandle();
  const real = useCall('listConversations', { params: { bot }, query: { limit: 20 } });
  const tried = useCall('listSimulations', { params: { bot }, query: { limit: 20 } });
  const [turns, setTurns] = useState<readonly TurnRecord[]>([]);
  const [problem, setProblem] = useState<string>();
  const choose = (conversation: string) => {
    if (conversation === '') return setTurns([]);
    everyTurn(bot, conversation).then(
      (items) => {
        setTurns(items);
        const last = items.at(-1);
        if (last) onTake(last);
      },
      (error: unknown) => setProblem(errorText(error)),
    );
  };
  return (
    <div className="grid2 mb-3">
      <Form.Group controlId="take-from">
        <Form.Label>Values from</Form.Label>
        <Form.Select defaultValue="" onChange={(e) => choose(e.target.value)}>
          <option value="">this conversation</option>
          <optgroup label="Simulations">
            {tried.data?.items.map((s) => (
              <option key={s.id} value={s.id}>
                {s.name ?? `“${s.said ?? 'the bot begins'}”`}, {timeOfDay(s.lastAt)}
              </option>
            ))}
          </optgroup>
          <optgroup label="With visitors">
            {real.data?.items.map((c) => (
              <option key={c.id} value={c.id}>
                {c.said === null ? 'nothing said yet' : `“${c.said}”`}, {timeOfDay(c.lastAt)}
              </option>
            ))}
          </optgroup>
        </Form.Select>
        {problem !== undefined && <p className="plum">{problem}</p>}
      </Form.Group>
      {turns.length > 0 && (
        <Form.Group controlId="take-turn">
          <Form.Label>After turn</Form.Label>
          <Form.Select
            defaultValue={turns.at(-1)?.id}
            onChange={(e) => {
              const turn = turns.find((t) => t.id === e.target.value);
              if (turn) onTake(turn);
            }}
          >
            {turns.map((t) => (
              <option key={t.id} value={t.id}>
                {t.number}: {saidIn(t.sheet.heard) ?? 'the bot begins'}
              </option>
            ))}
          </Form.Select>
        </Form.Group>
      )}
    </div>
  );
}
