import type { ActionEffect, ActionResult, BotDocument, ModelEffect, ModelResult, Value } from '@primrose/core';
import { accepted } from './harbour.js';

/*
 * A bot with an agent, of another domain than the demo: a tool shed that lends, mends and tells. What its model says is written
 * down by each test.
 */

const end = { kind: 'end', ends: 'flow' };

export const TOOLS = [
  { runs: 'shelf.look' },
  { runs: 'shelf.reserve', deduced: { day: 'the day of collection' } },
  { table: 'repairs', does: 'add' },
  { flow: 'measure', about: 'asks the visitor how long the plank is' },
];

/** The bot; `agent` changes its node, `more` the rest. */
export function desk(agent: Record<string, unknown> = {}, more: Record<string, unknown> = {}): BotDocument {
  return accepted({
    primrose: 1,
    bot: 'shed',
    name: 'Shed',
    languages: ['en', 'de', 'es'],
    zone: 'Europe/Dublin',
    begins: 'main',
    entities: { tool: { values: { drill: { en: ['drill'], de: ['Bohrer'] }, ladder: { en: ['ladder'], de: ['Leiter'] } } } },
    connections: {
      service: { actions: {} },
      shelf: {
        actions: {
          look: {
            about: 'lists which tools are free on a day',
            get: '/free',
            takes: { tool: 'tool?', day: 'date' },
            sends: { query: { tool: '{{ tool }}', day: '{{ day }}' } },
          },
          reserve: {
            about: 'reserves a tool',
            post: '/loans',
            repeatable: true,
            takes: { tool: 'tool', day: 'date', days: 'number?' },
            sends: { body: { tool: '{{ tool }}', day: '{{ day }}', days: '{{ days }}' } },
          },
        },
      },
    },
    models: { clerk: { connection: 'service', model: 'quick', price: { in: 1, out: 2, currency: 'EUR' } } },
    tables: {
      repairs: { title: 'repairs', columns: { what: { type: 'text', needed: true }, seen: { type: 'date', default: 'now' } } },
    },
    flows: {
      main: {
        begin: 'help',
        nodes: {
          help: {
            kind: 'agent',
            uses: 'clerk',
            parts: [
              { part: 'who you are', says: 'You are the clerk of a tool shed.' },
              { part: 'the wish', says: '{{ turn.text }}', input: true },
            ],
            tools: TOOLS,
            exits: { done: 'done', other: 'other', 'over-limit': 'over', failed: 'sorry' },
            ...agent,
          },
          other: { kind: 'say', says: 'Something else, then.', exits: { said: 'done' } },
          over: { kind: 'say', says: 'Over.', exits: { said: 'done' } },
          sorry: { kind: 'say', says: 'Sorry: {{ turn.failure.reason }}', exits: { said: 'done' } },
          done: end,
        },
      },
      measure: {
        takes: { of: 'text?' },
        gives: { metres: 'number?' },
        begin: 'ask',
        nodes: {
          ask: {
            kind: 'ask',
            says: 'How many metres?',
            expects: 'number',
            into: 'flow.metres',
            exits: { answered: 'end', 'gave-up': 'fail' },
          },
          end,
          fail: { kind: 'end', ends: 'failed' },
        },
      },
    },
    ...more,
  });
}

export type Line =
  string | { readonly calls: readonly (readonly [name: string, given: unknown])[]; readonly says?: string } | ModelResult;

/** A model that says what is written, line by line, and keeps what it was asked. */
export function scripted(lines: readonly Line[]): {
  readonly model: (effect: ModelEffect) => ModelResult;
  readonly asked: ModelEffect[];
} {
  const asked: ModelEffect[] = [];
  const model = (effect: ModelEffect): ModelResult => {
    const line = lines[asked.length] ?? 'I have nothing more to say.';
    asked.push(effect);
    if (typeof line === 'string') return { outcome: 'written', text: line, stopped: 'end', tokens: { in: 100, out: 20 } };
    if ('outcome' in line) return line;
    const calls = line.calls.map(([name, given], i) => ({
      id: `c${asked.length}-${i}`,
      name,
      given: typeof given === 'string' ? given : JSON.stringify(given),
    }));
    return { outcome: 'written', text: line.says ?? '', calls, stopped: 'calls', tokens: { in: 100, out: 20 } };
  };
  return { model, asked };
}

/** The shelf: what is free, and reservations by number. */
export function shelf({ action, body }: ActionEffect): ActionResult {
  if (action === 'look')
    return {
      outcome: 'answered',
      status: 200,
      body: {
        free: [
          { tool: 'drill', size: 8 },
          { tool: 'ladder', size: 3 },
        ],
      },
    };
  const wanted = body as Readonly<Record<string, Value>>;
  return { outcome: 'answered', status: 201, body: { number: 'L-77', ...wanted } };
}
