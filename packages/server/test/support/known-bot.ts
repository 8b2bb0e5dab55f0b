import { readDocument, type BotDocument } from '@primrose/core';

const end = { kind: 'end', ends: 'flow' };

/**
 * A bot that knows visitors: it greets who has signed in by name, keeps what they call a secret and tells it again, and tells their
 * bookings to them alone.
 */
export function knowingBot(more: Record<string, unknown> = {}): BotDocument {
  const read = readDocument({
    primrose: 1,
    bot: 'knowing',
    name: 'Knowing',
    languages: ['en'],
    zone: 'Europe/Dublin',
    begins: 'main',
    variables: {
      visitor: {
        secret: { type: 'text', about: 'what they said last' },
        bookings: { type: 'list', of: 'text', value: [], about: 'told by the site' },
        seat: { type: 'number', value: 0, about: 'told by the site' },
      },
    },
    intents: {
      mine: {
        starts: 'mine',
        interrupts: true,
        phrases: { en: ['show my bookings', 'what have I booked', 'my bookings please'] },
      },
      person: {
        starts: 'staff',
        interrupts: true,
        phrases: { en: ['talk to a person', 'let me talk to a human', 'call somebody'] },
      },
      over: {
        starts: 'over',
        interrupts: true,
        phrases: { en: ['that is all for now', 'we are finished here', 'nothing more from me'] },
      },
    },
    flows: {
      main: {
        begin: 'hello',
        nodes: {
          hello: {
            kind: 'say',
            says: 'Hello {{ otherwise(turn.first_name, "stranger") }}. You told me: {{ otherwise(visitor.secret, "nothing") }}.',
            exits: { said: 'ask' },
          },
          ask: {
            kind: 'ask',
            says: 'And now?',
            expects: 'text',
            into: 'flow.said',
            exits: { answered: 'keep', 'gave-up': 'ask' },
          },
          keep: { kind: 'set', sets: [{ into: 'visitor.secret', to: '{{ flow.said }}' }], exits: { done: 'again' } },
          again: { kind: 'set', sets: [{ into: 'flow.said', to: '{{ null }}' }], exits: { done: 'heard' } },
          heard: { kind: 'say', says: 'Kept: {{ visitor.secret }}.', exits: { said: 'ask' } },
        },
      },
      mine: {
        needs: 'sign-in',
        begin: 'tell',
        nodes: {
          tell: {
            kind: 'say',
            says: 'Bookings of {{ turn.email }}: {{ visitor.bookings.join(", ") }}, seat {{ visitor.seat }}.',
            exits: { said: 'end' },
          },
          end,
        },
      },
      staff: {
        begin: 'call',
        nodes: {
          call: {
            kind: 'hand-over',
            reason: 'Wants a person: {{ turn.text }}',
            says: 'Calling.',
            back: 'Back.',
            exits: { 'handed-back': 'end' },
          },
          end,
        },
      },
      over: {
        begin: 'bye',
        nodes: { bye: { kind: 'say', says: 'Goodbye.', exits: { said: 'out' } }, out: { kind: 'end', ends: 'conversation' } },
      },
    },
    ...more,
  });
  if (!read.ok) throw new Error(JSON.stringify(read.problems.slice(0, 3)));
  return read.document;
}
