import type { Paused } from '@primrose/contract';
import { TARGET_PATTERN, type Value } from '@primrose/core';
import { useState } from 'react';
import { Link } from 'react-router';
import { useDraftHandle } from '../draft/context.js';
import { HeldField } from './HeldField.js';
import { useSimulation } from './simulation.js';

/** A turn that waits before a node: what the variables hold there, each to be changed, and ways to go on. */
export function PausedPart({ paused }: { readonly paused: Paused }) {
  const { bot } = useDraftHandle();
  const { goOn, busy } = useSimulation();
  const [changed, setChanged] = useState<Readonly<Record<string, string>>>({});
  const [problem, setProblem] = useState<string>();
  const held = Object.entries(paused.variables).flatMap(([scope, values]) =>
    Object.entries(values).map(([name, v]) => [`${scope}.${name}`, v] as const),
  );
  const go = (how: 'step' | 'run' | 'stop') => {
    const set: Record<string, Value> = {};
    for (const [name, text] of Object.entries(changed)) set[name] = readValue(text);
    const bad = Object.keys(set).find((name) => !TARGET_PATTERN.test(name));
    if (bad !== undefined) return setProblem(`“${bad}” is no variable. Write it as flow.day, session.day or visitor.day.`);
    setChanged({});
    goOn(how, set);
  };
  return (
    <section className="pausedbox" aria-label="The turn pauses">
      <p>
        Before{' '}
        <Link to={`/bots/${bot}/map/${paused.flow}/${paused.node}`}>
          {paused.flow}/{paused.node}
        </Link>
      </p>
      {held.map(([name, value]) => (
        <HeldField
          key={name}
          name={name}
          text={changed[name] ?? writeValue(value)}
          onChange={(text) => setChanged({ ...changed, [name]: text })}
        />
      ))}
      <NewVariable onAdd={(name, text) => setChanged({ ...changed, [name]: text })} added={changed} held={held.map(([n]) => n)} />
      {problem !== undefined && <p className="plum">{problem}</p>}
      <p className="turnacts">
        <button type="button" className="btn btn-outline-secondary btn-sm" disabled={busy} onClick={() => go('step')}>
          Next node
        </button>
        <button type="button" className="btn btn-outline-secondary btn-sm" disabled={busy} onClick={() => go('run')}>
          To the end
        </button>
        <span className="spring" />
        <button type="button" className="bare" disabled={busy} onClick={() => go('stop')}>
          stop
        </button>
      </p>
    </section>
  );
}

interface NewVariableProps {
  readonly onAdd: (name: string, text: string) => void;
  readonly added: Readonly<Record<string, string>>;
  readonly held: readonly string[];
}

/** A variable that holds nothing yet, given something by hand: `flow.day = 2026-05-15`. */
function NewVariable({ onAdd, added, held }: NewVariableProps) {
  const [text, setText] = useState('');
  const more = Object.entries(added).filter(([name]) => !held.includes(name));
  const add = () => {
    const [name = '', ...rest] = text.split('=');
    if (rest.length === 0) return;
    onAdd(name.trim(), rest.join('=').trim());
    setText('');
  };
  return (
    <>
      {more.map(([name, value]) => (
        <p key={name} className="holds">
          <span>{name}</span> {value}
        </p>
      ))}
      <input
        className="form-control code"
        aria-label="Another variable, as name = value"
        placeholder="flow.day = 2026-05-15"
        value={text}
        onChange={(e) => setText(e.target.value)}
        onBlur={add}
        onKeyDown={(e) => {
          if (e.key !== 'Enter') return;
          e.preventDefault();
          add();
        }}
      />
    </>
  );
}

/** A value as one types it: text plain, everything else as JSON. */
export function writeValue(value: Value): string {
  return typeof value === 'string' && !looksLikeJson(value) ? value : JSON.stringify(value);
}

/** What was typed as a value: JSON where it is some, else text; nothing is empty. */
export function readValue(text: string): Value {
  if (text.trim() === '') return null;
  if (!looksLikeJson(text)) return text;
  try {
    return JSON.parse(text) as Value;
  } catch {
    return text;
  }
}

function looksLikeJson(text: string): boolean {
  return /^\s*(["[{]|-?\d+(\.\d+)?([eE][+-]?\d+)?\s*$|(true|false|null)\s*$)/.test(text);
}
