import type { MadeUpVisitor } from '@primrose/contract';
import type { Value } from '@primrose/core';
import { useState, type FormEvent } from 'react';
import { Button, Form, Modal } from 'react-bootstrap';
import { call, errorText, invalidate, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { HeldField } from './HeldField.js';
import { readValue, writeValue } from './PausedPart.js';
import { useSimulation } from './simulation.js';

const CHANNELS = ['simulator', 'web-chat', 'hook-messenger'];
const NOBODY = '';

/** Who speaks, on what, in which language and zone, and what time it is for them. */
export function SpeakerDialog({ onClose }: { readonly onClose: () => void }) {
  const { bot, document } = useDraftHandle();
  const { settings, change } = useSimulation();
  const visitors = useCall('listMadeUpVisitors', { params: { bot } });
  const before = settings?.speaker;
  const [visitor, setVisitor] = useState(before?.visitor ?? NOBODY);
  const [name, setName] = useState(before?.name ?? '');
  const [channel, setChannel] = useState(before?.channel ?? 'simulator');
  const [buttons, setButtons] = useState(before?.buttons ?? true);
  const [language, setLanguage] = useState(before?.language ?? '');
  const [zone, setZone] = useState(before?.zone ?? '');
  const [clock, setClock] = useState<'now' | 'stands' | 'runs'>(
    settings?.clock ? (settings.clock.runs ? 'runs' : 'stands') : 'now',
  );
  const [at, setAt] = useState(localForm(settings?.clock?.at ?? new Date().toISOString()));
  const [variables, setVariables] = useState<Readonly<Record<string, string>>>({});
  const [problem, setProblem] = useState<string>();
  const chosen = visitors.data?.items.find((v) => v.id === visitor);
  const held = Object.keys(document.variables?.visitor ?? {});
  const choose = (id: string) => {
    const made = visitors.data?.items.find((v) => v.id === id);
    setVisitor(id);
    setVariables({});
    if (!made) return;
    setName(made.name);
    setLanguage(made.language ?? '');
    setZone(made.zone ?? '');
    setChannel(made.channel ?? 'simulator');
  };
  const keep = async (): Promise<string | null> => {
    if (visitor === NOBODY) return null;
    const kept: Record<string, Value> = { ...(chosen?.variables ?? {}) };
    for (const [key, text] of Object.entries(variables)) kept[key] = readValue(text);
    const fields = { language: language || null, zone: zone || null, channel };
    const body = { name: chosen?.name ?? name, ...fields, variables: kept };
    const made = await call('keepMadeUpVisitor', { params: { bot }, body });
    invalidate('listMadeUpVisitors');
    return made.id;
  };
  const save = async (): Promise<void> => {
    const moment = new Date(at);
    if (clock !== 'now' && Number.isNaN(moment.getTime())) throw new Error('The clock needs a date and a time.');
    const who = await keep();
    await change({
      speaker: { visitor: who, name: name.trim() || null, channel, buttons, language: language || null, zone: zone || null },
      clock: clock === 'now' ? null : { at: moment.toISOString(), runs: clock === 'runs' },
    });
    onClose();
  };
  const submit = (event: FormEvent) => {
    event.preventDefault();
    save().catch((error: unknown) => setProblem(errorText(error)));
  };
  const makeUp = async () => {
    if (name.trim() === '') return setProblem('Give the visitor a name first.');
    const made: MadeUpVisitor = await call('keepMadeUpVisitor', { params: { bot }, body: { name: name.trim() } });
    await visitors.refetch();
    setVisitor(made.id);
  };
  const forget = async () => {
    await call('deleteMadeUpVisitor', { params: { bot, visitor } });
    setVisitor(NOBODY);
    await visitors.refetch();
  };
  const said = (work: Promise<unknown>) => void work.catch((error: unknown) => setProblem(errorText(error)));
  return (
    <Modal show onHide={onClose} aria-labelledby="who-speaks" className="speaker">
      <Form onSubmit={submit}>
        <Modal.Header closeButton>
          <Modal.Title id="who-speaks">Who is speaking</Modal.Title>
        </Modal.Header>
        <Modal.Body>
          {problem !== undefined && (
            <p className="alarm" role="alert">
              {problem}
            </p>
          )}
          <div className="grid2">
            <Form.Group controlId="who-visitor">
              <Form.Label>Visitor</Form.Label>
              <Form.Select value={visitor} onChange={(e) => choose(e.target.value)}>
                <option value={NOBODY}>somebody new each time</option>
                {visitors.data?.items.map((v) => (
                  <option key={v.id} value={v.id}>
                    {v.name}
                  </option>
                ))}
              </Form.Select>
            </Form.Group>
            <Form.Group controlId="who-name">
              <Form.Label>Name</Form.Label>
              <Form.Control value={name} maxLength={80} onChange={(e) => setName(e.target.value)} />
              {visitor === NOBODY ? (
                <button type="button" className="bare note" onClick={() => said(makeUp())}>
                  keep as a made-up visitor
                </button>
              ) : (
                <button type="button" className="bare note" onClick={() => said(forget())}>
                  forget this visitor
                </button>
              )}
            </Form.Group>
            <Form.Group controlId="who-channel">
              <Form.Label>Channel</Form.Label>
              <Form.Control list="who-channels" value={channel} onChange={(e) => setChannel(e.target.value)} />
              <datalist id="who-channels">
                {CHANNELS.map((c) => (
                  <option key={c} value={c} />
                ))}
              </datalist>
              <Form.Check
                id="who-buttons"
                label="It shows buttons"
                checked={buttons}
                onChange={(e) => setButtons(e.target.checked)}
              />
            </Form.Group>
            <Form.Group controlId="who-language">
              <Form.Label>Language</Form.Label>
              <Form.Select value={language} onChange={(e) => setLanguage(e.target.value)}>
                <option value="">the bot’s first ({document.languages[0]})</option>
                {document.languages.map((l) => (
                  <option key={l}>{l}</option>
                ))}
              </Form.Select>
            </Form.Group>
            <Form.Group controlId="who-zone">
              <Form.Label>Time zone</Form.Label>
              <Form.Control list="who-zones" value={zone} placeholder={document.zone} onChange={(e) => setZone(e.target.value)} />
              <datalist id="who-zones">
                {Intl.supportedValuesOf('timeZone').map((z) => (
                  <option key={z} value={z} />
                ))}
              </datalist>
            </Form.Group>
            <Form.Group controlId="who-clock">
              <Form.Label>Clock</Form.Label>
              <Form.Select value={clock} onChange={(e) => setClock(e.target.value as typeof clock)}>
                <option value="now">the time it is</option>
                <option value="stands">stands at</option>
                <option value="runs">runs from</option>
              </Form.Select>
              {clock !== 'now' && (
                <Form.Control
                  className="mt-1"
                  type="datetime-local"
                  aria-label="Date and time"
                  value={at}
                  onChange={(e) => setAt(e.target.value)}
                />
              )}
            </Form.Group>
          </div>
          {visitor !== NOBODY && held.length > 0 && (
            <fieldset className="mt-3">
              <legend className="caps soft">What is kept of {chosen?.name}</legend>
              {held.map((key) => (
                <HeldField
                  key={key}
                  name={`visitor.${key}`}
                  text={variables[key] ?? writeHeld(chosen?.variables[key])}
                  onChange={(text) => setVariables({ ...variables, [key]: text })}
                />
              ))}
            </fieldset>
          )}
        </Modal.Body>
        <Modal.Footer>
          <Button variant="outline-secondary" onClick={onClose}>
            Cancel
          </Button>
          <Button type="submit">Speak so</Button>
        </Modal.Footer>
      </Form>
    </Modal>
  );
}

function writeHeld(value: Value | undefined): string {
  return value === undefined || value === null ? '' : writeValue(value);
}

/** A moment in the form of a datetime-local field, in the browser's zone. */
function localForm(at: string): string {
  const date = new Date(at);
  return new Date(date.getTime() - date.getTimezoneOffset() * 60_000).toISOString().slice(0, 16);
}
