import type { MadeUpVisitor, Simulation } from '@primrose/contract';
import type { Value } from '@primrose/core';
import { useState, type FormEvent } from 'react';
import { Button, Form, Modal } from 'react-bootstrap';
import { call, errorText, invalidate, useCall } from '../api.js';
import { useDraftHandle } from '../draft/context.js';
import { HeldField } from './HeldField.js';
import { readValue, writeValue } from './PausedPart.js';
import { useSimulation } from './simulation.js';
import { Alarm } from '../parts/Alarm.js';

const CHANNELS = ['simulator', 'web-chat', 'hook-messenger'];
const NOBODY = '';

type ClockChoice = 'now' | 'stands' | 'runs';

/** What the dialog holds until it is saved. */
interface Chosen {
  readonly visitor: string;
  readonly name: string;
  readonly channel: string;
  readonly buttons: boolean;
  readonly language: string;
  readonly zone: string;
  readonly email: string;
  readonly clock: ClockChoice;
  /** As a datetime-local field has it. */
  readonly at: string;
  /** What is kept of a made-up visitor, as it is typed. */
  readonly variables: Readonly<Record<string, string>>;
  /** What is known about them, as it is typed. */
  readonly facts: Readonly<Record<string, string>>;
}

interface PartProps {
  readonly chosen: Chosen;
  readonly set: (change: Partial<Chosen>) => void;
}

function chosenAtFirst(settings: Simulation | undefined): Chosen {
  const { visitor, name, channel = 'simulator', buttons = true, language, zone, email } = settings?.speaker ?? {};
  const { clock } = settings ?? {};
  return {
    visitor: visitor ?? NOBODY,
    name: name ?? '',
    channel,
    buttons,
    language: language ?? '',
    zone: zone ?? '',
    email: email ?? '',
    clock: clock ? (clock.runs ? 'runs' : 'stands') : 'now',
    at: localForm(clock?.at ?? new Date().toISOString()),
    variables: {},
    facts: {},
  };
}

/** Saving, making up and forgetting visitors. */
function useSpeaker(chosen: Chosen, set: PartProps['set'], onClose: () => void) {
  const { bot } = useDraftHandle();
  const { change } = useSimulation();
  const visitors = useCall('listMadeUpVisitors', { params: { bot } });
  const [problem, setProblem] = useState<string>();
  const { visitor, name, channel, buttons, language, zone, email, clock, at, variables, facts } = chosen;
  const made = visitors.data?.items.find((v) => v.id === visitor);
  const said = (work: Promise<unknown>) => void work.catch((error: unknown) => setProblem(errorText(error)));
  const keep = async (): Promise<string | null> => {
    if (visitor === NOBODY) return null;
    const kept: Record<string, Value> = { ...(made?.variables ?? {}) };
    for (const [key, text] of Object.entries(variables)) kept[key] = readValue(text);
    const fields = { language: language || null, zone: zone || null, channel };
    const known: Record<string, Value> = { ...(made?.facts ?? {}) };
    for (const [about, text] of Object.entries(facts)) known[about] = readValue(text);
    const body = {
      name: made?.name ?? name,
      ...fields,
      variables: kept,
      ...(Object.keys(facts).length > 0 ? { facts: known } : {}),
    };
    const { id } = await call('keepMadeUpVisitor', { params: { bot }, body });
    invalidate('listMadeUpVisitors');
    return id;
  };
  const save = async (): Promise<void> => {
    const moment = new Date(at);
    if (clock !== 'now' && Number.isNaN(moment.getTime())) throw new Error('The clock needs a date and a time.');
    const who = await keep();
    await change({
      speaker: {
        visitor: who,
        name: name.trim() || null,
        channel,
        buttons,
        language: language || null,
        zone: zone || null,
        email: email.trim() || null,
      },
      clock: clock === 'now' ? null : { at: moment.toISOString(), runs: clock === 'runs' },
    });
    onClose();
  };
  const makeUp = async () => {
    if (name.trim() === '') return setProblem('Give the visitor a name first.');
    const { id } = await call('keepMadeUpVisitor', { params: { bot }, body: { name: name.trim() } });
    await visitors.refetch();
    set({ visitor: id });
  };
  const forget = async () => {
    await call('deleteMadeUpVisitor', { params: { bot, visitor } });
    set({ visitor: NOBODY });
    await visitors.refetch();
  };
  const all = visitors.data?.items ?? [];
  return { all, made, problem, save: () => said(save()), makeUp: () => said(makeUp()), forget: () => said(forget()) };
}

/** Who speaks, on what, in which language and zone, and what time it is for them. */
export function SpeakerDialog({ onClose }: { readonly onClose: () => void }) {
  const { settings } = useSimulation();
  const [chosen, setChosen] = useState(() => chosenAtFirst(settings));
  const set = (change: Partial<Chosen>) => setChosen((before) => ({ ...before, ...change }));
  const { all, made, problem, save, makeUp, forget } = useSpeaker(chosen, set, onClose);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    save();
  };
  const part = { chosen, set };
  return (
    <Modal show onHide={onClose} aria-labelledby="who-speaks" className="speaker">
      <Form onSubmit={submit}>
        <Modal.Header closeButton>
          <Modal.Title id="who-speaks">Who is speaking</Modal.Title>
        </Modal.Header>
        <Modal.Body>
          {problem !== undefined && <Alarm>{problem}</Alarm>}
          <div className="grid2">
            <WhichVisitor {...part} all={all} />
            <VisitorName {...part} onMakeUp={makeUp} onForget={forget} />
            <OnWhichChannel {...part} />
            <WhichLanguage {...part} />
            <WhichZone {...part} />
            <WhichClock {...part} />
            <SignedInAs {...part} />
          </div>
          {made && <WhatIsKept {...part} made={made} />}
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

function WhichVisitor({ chosen, set, all }: PartProps & { readonly all: readonly MadeUpVisitor[] }) {
  const choose = (id: string) => {
    const made = all.find((v) => v.id === id);
    const theirs = made && {
      name: made.name,
      language: made.language ?? '',
      zone: made.zone ?? '',
      channel: made.channel ?? 'simulator',
    };
    set({ visitor: id, variables: {}, ...theirs });
  };
  return (
    <Form.Group controlId="who-visitor">
      <Form.Label>Visitor</Form.Label>
      <Form.Select value={chosen.visitor} onChange={(e) => choose(e.target.value)}>
        <option value={NOBODY}>somebody new each time</option>
        {all.map((v) => (
          <option key={v.id} value={v.id}>
            {v.name}
          </option>
        ))}
      </Form.Select>
    </Form.Group>
  );
}

interface VisitorNameProps extends PartProps {
  readonly onMakeUp: () => void;
  readonly onForget: () => void;
}

function VisitorName({ chosen, set, onMakeUp, onForget }: VisitorNameProps) {
  const nobody = chosen.visitor === NOBODY;
  return (
    <Form.Group controlId="who-name">
      <Form.Label>Name</Form.Label>
      <Form.Control value={chosen.name} maxLength={80} onChange={(e) => set({ name: e.target.value })} />
      <button type="button" className="bare note" onClick={nobody ? onMakeUp : onForget}>
        {nobody ? 'keep as a made-up visitor' : 'forget this visitor'}
      </button>
    </Form.Group>
  );
}

function OnWhichChannel({ chosen, set }: PartProps) {
  return (
    <Form.Group controlId="who-channel">
      <Form.Label>Channel</Form.Label>
      <Form.Control list="who-channels" value={chosen.channel} onChange={(e) => set({ channel: e.target.value })} />
      <datalist id="who-channels">
        {CHANNELS.map((c) => (
          <option key={c} value={c} />
        ))}
      </datalist>
      <Form.Check
        id="who-buttons"
        label="It shows buttons"
        checked={chosen.buttons}
        onChange={(e) => set({ buttons: e.target.checked })}
      />
    </Form.Group>
  );
}

function WhichLanguage({ chosen, set }: PartProps) {
  const { document } = useDraftHandle();
  return (
    <Form.Group controlId="who-language">
      <Form.Label>Language</Form.Label>
      <Form.Select value={chosen.language} onChange={(e) => set({ language: e.target.value })}>
        <option value="">the bot’s first ({document.languages[0]})</option>
        {document.languages.map((l) => (
          <option key={l}>{l}</option>
        ))}
      </Form.Select>
    </Form.Group>
  );
}

function WhichZone({ chosen, set }: PartProps) {
  const { document } = useDraftHandle();
  return (
    <Form.Group controlId="who-zone">
      <Form.Label>Time zone</Form.Label>
      <Form.Control
        list="who-zones"
        value={chosen.zone}
        placeholder={document.zone}
        onChange={(e) => set({ zone: e.target.value })}
      />
      <datalist id="who-zones">
        {Intl.supportedValuesOf('timeZone').map((z) => (
          <option key={z} value={z} />
        ))}
      </datalist>
    </Form.Group>
  );
}

function SignedInAs({ chosen, set }: PartProps) {
  return (
    <Form.Group controlId="who-email">
      <Form.Label>Signed in as</Form.Label>
      <Form.Control
        type="email"
        value={chosen.email}
        maxLength={254}
        placeholder="nobody has signed in"
        onChange={(e) => set({ email: e.target.value })}
      />
    </Form.Group>
  );
}

function WhichClock({ chosen, set }: PartProps) {
  return (
    <Form.Group controlId="who-clock">
      <Form.Label>Clock</Form.Label>
      <Form.Select value={chosen.clock} onChange={(e) => set({ clock: e.target.value as ClockChoice })}>
        <option value="now">the time it is</option>
        <option value="stands">stands at</option>
        <option value="runs">runs from</option>
      </Form.Select>
      {chosen.clock !== 'now' && (
        <Form.Control
          className="mt-1"
          type="datetime-local"
          aria-label="Date and time"
          value={chosen.at}
          onChange={(e) => set({ at: e.target.value })}
        />
      )}
    </Form.Group>
  );
}

/** What is kept of a made-up visitor, to be changed. */
function WhatIsKept({ chosen, set, made }: PartProps & { readonly made: MadeUpVisitor }) {
  const { document } = useDraftHandle();
  const held = Object.keys(document.variables?.visitor ?? {});
  const kinds = Object.keys(document.memory?.facts ?? {});
  if (held.length + kinds.length === 0) return null;
  return (
    <fieldset className="mt-3">
      <legend className="caps soft">What is kept of {made.name}</legend>
      {held.map((key) => (
        <HeldField
          key={key}
          name={`visitor.${key}`}
          text={chosen.variables[key] ?? writeHeld(made.variables[key])}
          onChange={(text) => set({ variables: { ...chosen.variables, [key]: text } })}
        />
      ))}
      {kinds.map((about) => (
        <HeldField
          key={about}
          name={`facts.${about}`}
          text={chosen.facts[about] ?? writeHeld(made.facts[about])}
          onChange={(text) => set({ facts: { ...chosen.facts, [about]: text } })}
        />
      ))}
    </fieldset>
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
