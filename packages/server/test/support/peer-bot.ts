import type { Client } from '@primrose/contract';
import { readDocument, type BotDocument } from '@primrose/core';

/** A bot that says again what it hears, counts it, and offers two boats when somebody says "menu". */
export function peerBot(): BotDocument {
  const read = readDocument({
    primrose: 1,
    bot: 'peer',
    name: 'Peer',
    languages: ['en'],
    zone: 'Europe/Dublin',
    begins: 'main',
    talk: {
      corrections: false,
      wishes: false,
      between: false,
      'follow-ups': false,
      'ways-out': false,
      misses: false,
      tone: false,
      memory: false,
    },
    variables: { session: { count: { type: 'number', value: 0 } }, visitor: { boat: { type: 'text' } } },
    flows: {
      main: {
        begin: 'hear',
        nodes: {
          hear: {
            kind: 'ask',
            says: 'What is it?',
            expects: 'text',
            into: 'flow.said',
            exits: { answered: 'count', 'gave-up': 'hear' },
          },
          count: {
            kind: 'set',
            sets: [{ into: 'session.count', to: '{{ session.count + 1 }}' }],
            exits: { done: 'which' },
          },
          which: {
            kind: 'branch',
            cases: [
              { exit: 'menu', when: 'flow.said == "menu"' },
              { exit: 'picture', when: 'flow.said == "picture"' },
              { exit: 'long', when: 'flow.said == "long"' },
              { exit: 'mine', when: 'flow.said == "my boat"' },
            ],
            exits: { menu: 'boats', picture: 'shows', long: 'lengthy', mine: 'mine', otherwise: 'heard' },
          },
          heard: { kind: 'say', says: 'Heard {{ session.count }}: {{ flow.said }}', exits: { said: 'empty' } },
          shows: {
            kind: 'say',
            says: 'Here: ![the boat](https://pictures.example/boat.png) **today**',
            exits: { said: 'empty' },
          },
          lengthy: {
            kind: 'say',
            says: `${'All boats of the line sail today, as they do on every day. '.repeat(40)}The end.`,
            exits: { said: 'empty' },
          },
          mine: { kind: 'say', says: 'Your boat: {{ otherwise(visitor.boat, "none") }}.', exits: { said: 'empty' } },
          boats: {
            kind: 'choice',
            says: 'Which boat?',
            choices: [
              { id: 'sandpiper', says: 'the Sandpiper' },
              { id: 'wrackline', says: 'the Wrackline' },
            ],
            into: 'visitor.boat',
            exits: { sandpiper: 'took', wrackline: 'took', other: 'heard' },
          },
          took: { kind: 'say', says: 'You took the {{ visitor.boat }}.', exits: { said: 'empty' } },
          empty: { kind: 'set', sets: [{ into: 'flow.said', to: '{{ null }}' }], exits: { done: 'hear' } },
        },
      },
    },
  });
  if (!read.ok) throw new Error(JSON.stringify(read.problems));
  return read.document;
}

/** Makes the bot and releases it; returns its id. */
export async function releasedPeerBot(client: Client, document: BotDocument = peerBot()): Promise<string> {
  const { bot } = await client.call('createBot', { body: { from: 'document', document: document as never } });
  await client.call('createRelease', { params: { bot: bot.id }, body: { note: 'first' } });
  return bot.id;
}
