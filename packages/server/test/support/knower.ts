import type { BotDocument, KnowledgeDocument } from '@primrose/core';

/** A bot that looks every message up in its one base, and says what it found. */
export const botWith = (documents: Readonly<Record<string, KnowledgeDocument>>): BotDocument => ({
  primrose: 1,
  bot: 'knower',
  name: 'Knower',
  languages: ['en'],
  zone: 'Europe/Dublin',
  begins: 'welcome',
  knowledge: { guide: { documents } },
  flows: {
    welcome: {
      begin: 'ask',
      nodes: {
        ask: {
          kind: 'ask',
          says: 'Ask.',
          expects: 'text',
          whatever: true,
          into: 'flow.q',
          exits: { answered: 'look', 'gave-up': 'end' },
        },
        look: {
          kind: 'lookup',
          in: 'guide',
          asks: '{{ flow.q }}',
          into: 'flow.found',
          answer: 'flow.answer',
          exits: { found: 'tell', 'not-covered': 'no' },
        },
        tell: { kind: 'say', says: '{{ flow.answer }}', cites: 'flow.found', exits: { said: 'ask' } },
        no: { kind: 'say', says: 'Not covered.', exits: { said: 'ask' } },
        end: { kind: 'end', ends: 'conversation' },
      },
    },
  },
});
