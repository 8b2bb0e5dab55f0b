import type { ActionEffect, ActionResult, BotDocument } from '@primrose/core';
import { accepted } from './harbour.js';

/*
 * A bot of another domain than Harbour desk, built of plain nodes and with nothing drawn for how people talk: Shore workshop lends
 * tools to the crews.
 */

const end = { kind: 'end', ends: 'flow' };
const say = (says: unknown, to = 'done') => ({ kind: 'say', says, exits: { said: to } });
const ask = (says: unknown, expects: string, into: string, to: string, more: object = {}) => ({
  kind: 'ask',
  says,
  expects,
  into,
  exits: { answered: to, 'gave-up': 'leave' },
  ...more,
});

const ENTITIES = {
  tool: {
    values: {
      drill: { en: ['drill', 'power drill'], de: ['Bohrmaschine'], es: ['taladro'] },
      ladder: { en: ['ladder'], de: ['Leiter'], es: ['escalera'] },
      saw: { en: ['saw', 'handsaw'], de: ['Säge'], es: ['sierra'] },
    },
  },
  pier: {
    values: { east: { en: ['East pier', 'east'], de: ['Ostmole'], es: ['muelle este'] }, mill: { en: ['Mill pier', 'mill'] } },
  },
};

const INTENTS = {
  borrow: {
    starts: 'borrow',
    phrases: {
      en: [
        'I want to borrow a <<drill | tool>>',
        'can I borrow the <<ladder | tool>>',
        'lend me a <<saw | tool>>',
        'I need a tool for a few days',
        'borrow something',
      ],
      de: ['ich möchte eine <<Leiter | tool>> ausleihen', 'kann ich die <<Säge | tool>> leihen', 'etwas ausleihen'],
      es: ['quiero pedir prestado un <<taladro | tool>>', 'me prestan la <<sierra | tool>>', 'pedir algo prestado'],
    },
  },
  bring: {
    starts: 'bring',
    phrases: {
      en: [
        'I want to bring back the <<drill | tool>>',
        'return a tool',
        'bring back what I borrowed',
        'I am done with the <<saw | tool>>',
      ],
      de: ['ich möchte die <<Säge | tool>> zurückgeben', 'etwas zurückbringen'],
      es: ['quiero devolver el <<taladro | tool>>', 'devolver una herramienta'],
    },
  },
  hours: {
    starts: 'hours',
    phrases: {
      en: ['when are you open', 'what are your opening hours', 'how late are you open', 'are you open on Sundays'],
      de: ['wann habt ihr offen', 'Öffnungszeiten'],
      es: ['cuándo abren', 'horario'],
    },
  },
  price: {
    starts: 'price',
    phrases: {
      en: [
        'what does it cost',
        'how much is a <<drill | tool>>',
        'price of the <<ladder | tool>>',
        'is there a fee',
        'what do you charge per day',
      ],
      de: ['was kostet das', 'wie teuer ist die <<Leiter | tool>>'],
      es: ['cuánto cuesta', 'precio de la <<sierra | tool>>'],
    },
  },
  damage: {
    starts: 'damage',
    phrases: {
      en: ['the <<drill | tool>> is broken', 'I broke the saw', 'something is damaged', 'report damage', 'it fell apart'],
    },
  },
  person: { ready: 'a-person', starts: 'desk' },
};

const FLOWS = {
  hello: { begin: 'hi', nodes: { hi: say('Hello, this is Shore workshop.'), done: end } },
  lost: { begin: 'x', nodes: { x: say('I did not get that.'), done: end } },
  borrow: {
    called: 'your loan',
    takes: { tool: 'tool?', days: 'number?' },
    begin: 'tool',
    nodes: {
      tool: ask('Which tool?', 'tool', 'flow.tool', 'day'),
      day: ask('From which day?', 'date', 'flow.day', 'days', { wants: 'future' }),
      days: ask('For how many days?', 'number', 'flow.days', 'look', {
        refuses: [{ when: 'answer < 1.0 || answer > 14.0', says: 'We lend for one to fourteen days, not {{ answer }}.' }],
      }),
      look: {
        kind: 'action',
        runs: 'shelf.look',
        given: { tool: '{{ flow.tool }}', day: '{{ flow.day }}' },
        into: 'flow.pieces',
        exits: { done: 'which', failed: 'leave' },
      },
      which: {
        kind: 'choice',
        says: 'These are free. Which one?',
        from: 'flow.pieces',
        shows: '{{ item.size }} {{ item.colour }}',
        into: 'flow.piece',
        exits: { picked: 'name', other: 'which' },
      },
      name: ask('What is your name?', 'text', 'flow.name', 'sure'),
      sure: {
        kind: 'choice',
        says: '{{ flow.name }}, the {{ flow.piece.colour }} {{ flow.tool }} from {{ flow.day }} for {{ flow.days }} days. Is that right?',
        choices: [
          { id: 'yes', says: 'Yes' },
          { id: 'no', says: 'No' },
        ],
        exits: { yes: 'reserve', no: 'leave', other: 'sure' },
      },
      reserve: {
        kind: 'action',
        runs: 'shelf.reserve',
        given: {
          piece: '{{ flow.piece.id }}',
          tool: '{{ flow.tool }}',
          day: '{{ flow.day }}',
          days: '{{ flow.days }}',
          name: '{{ flow.name }}',
        },
        into: 'flow.reference',
        exits: { done: 'ok', failed: 'leave' },
      },
      ok: say('Reserved, number {{ flow.reference }}.'),
      leave: say('Then not.'),
      done: end,
    },
  },
  bring: {
    begin: 'tool',
    nodes: {
      tool: ask('What do you bring back?', 'tool', 'flow.tool', 'pier'),
      pier: ask('To which pier?', 'pier', 'flow.pier', 'ok'),
      ok: say('Bring the {{ flow.tool }} to {{ flow.pier }}.'),
      leave: say('Then not.'),
      done: end,
    },
  },
  hours: { begin: 'tell', nodes: { tell: say('We are open from 9 to 5.'), done: end } },
  price: {
    takes: { tool: 'tool?' },
    begin: 'tool',
    nodes: {
      tool: ask('For which tool?', 'tool', 'flow.tool', 'tell'),
      tell: say('The {{ flow.tool }} is 3 pounds a day.'),
      leave: say('Well.'),
      done: end,
    },
  },
  damage: {
    begin: 'what',
    nodes: {
      what: ask('What happened?', 'text', 'flow.what', 'ok'),
      ok: say('Noted: {{ flow.what }}'),
      leave: say('Well.'),
      done: end,
    },
  },
  desk: {
    begin: 'call',
    nodes: {
      call: { kind: 'hand-over', reason: 'asked', says: 'I am calling the desk.', exits: { 'handed-back': 'done' } },
      done: end,
    },
  },
};

/** Shore workshop, with other parts where a test needs them. */
export function workshop(more: Record<string, unknown> = {}): BotDocument {
  return accepted({
    primrose: 1,
    bot: 'workshop',
    name: 'Shore workshop',
    languages: ['en', 'de', 'es'],
    zone: 'Europe/Dublin',
    begins: 'hello',
    unmatched: 'lost',
    entities: ENTITIES,
    intents: INTENTS,
    connections: {
      shelf: {
        actions: {
          look: {
            get: '/free',
            takes: { tool: 'tool', day: 'date' },
            sends: { query: { tool: '{{ tool }}', day: '{{ day }}' } },
            gives: { pieces: '{{ answer.pieces }}' },
          },
          reserve: {
            post: '/loans',
            takes: { piece: 'text', tool: 'tool', day: 'date', days: 'number', name: 'text' },
            sends: {
              body: { piece: '{{ piece }}', tool: '{{ tool }}', day: '{{ day }}', days: '{{ days }}', name: '{{ name }}' },
            },
            gives: { reference: '{{ answer.reference }}' },
          },
        },
      },
    },
    flows: FLOWS,
    ...more,
  });
}

const PIECES = [
  ['red', 20],
  ['blue', 30],
  ['green', 40],
] as const;

/** What the shelf answers: three pieces of every tool, the same ones every day, and a number for each loan. */
export function shelf({ action, query }: ActionEffect): ActionResult {
  if (action === 'reserve') return { outcome: 'answered', status: 201, body: { reference: 'W-1' } };
  const pieces = PIECES.map(([colour, size]) => ({ id: `${query['tool']}-${colour}`, colour, size }));
  return { outcome: 'answered', status: 200, body: { pieces } };
}
