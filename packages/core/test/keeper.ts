import type { BotDocument } from '@primrose/core';
import { accepted } from './harbour.js';

/*
 * A bot that remembers: the canteen on the pier takes orders for breakfast boxes, and keeps in mind how somebody eats.
 */

const end = { kind: 'end', ends: 'flow' };

/** The canteen, with other parts where a test needs them. */
export function canteen(more: Record<string, unknown> = {}, memory: Record<string, unknown> = {}): BotDocument {
  return accepted({
    primrose: 1,
    bot: 'canteen',
    name: 'Pier canteen',
    languages: ['en', 'de', 'es', 'fr'],
    zone: 'Europe/Dublin',
    begins: 'hello',
    unmatched: 'lost',
    entities: {
      drink: {
        values: {
          tea: { en: ['tea'], de: ['Tee'], es: ['té'], fr: ['thé'] },
          coffee: { en: ['coffee'], de: ['Kaffee'], es: ['café'], fr: ['café'] },
        },
      },
    },
    intents: {
      order: {
        starts: 'order',
        phrases: {
          en: [
            'I want to order a breakfast box',
            'order breakfast',
            'a breakfast box with <<tea | drink>> please',
            'one box please',
          ],
          de: ['ich möchte Frühstück bestellen', 'eine Frühstücksbox bitte'],
          es: ['quiero pedir un desayuno', 'una caja de desayuno por favor'],
          fr: ['je voudrais commander un petit déjeuner', 'une boîte de petit déjeuner'],
        },
      },
      hours: { starts: 'hours', phrases: { en: ['when do you open', 'opening hours'], de: ['wann habt ihr offen'] } },
    },
    variables: { visitor: { first_name: { type: 'text', name: 'first name' } } },
    memory: {
      facts: {
        no_meat: {
          about: 'eats no meat',
          words: {
            en: ['vegetarian', 'meat'],
            de: ['vegetarisch', 'Vegetarier', 'Fleisch'],
            es: ['vegetariano', 'carne'],
            fr: ['végétarien', 'viande'],
          },
          says: {
            en: 'You eat no meat.',
            de: 'Sie essen kein Fleisch.',
            es: 'No come carne.',
            fr: 'Vous ne mangez pas de viande.',
          },
        },
        dog: {
          about: 'comes with a dog',
          words: { en: ['dog', 'puppy'], de: ['Hund'], es: ['perro'], fr: ['chien'] },
          says: {
            en: 'You come with a dog.',
            de: 'Sie kommen mit Hund.',
            es: 'Viene con perro.',
            fr: 'Vous venez avec un chien.',
          },
          used: { en: 'With a treat for the dog, as always.' },
          fills: ['with_dog'],
        },
        drink: {
          about: 'what they drink',
          type: 'drink',
          words: { en: ['drink'], de: ['trinke'], es: ['bebo'], fr: ['bois'] },
          says: { en: 'You drink {{ value }}.', de: 'Sie trinken {{ value }}.' },
          fills: ['drink'],
        },
        allergy: {
          about: 'allergies',
          type: 'text',
          many: true,
          words: { en: ['allergic', 'allergy'], de: ['allergisch'], es: ['alérgico', 'alérgica'], fr: ['allergique'] },
        },
      },
      ...memory,
    },
    connections: {
      kitchen: {
        actions: {
          order: {
            post: '/boxes',
            sends: { body: { drink: '{{ drink }}', with_dog: '{{ with_dog }}' } },
            takes: { drink: 'drink', with_dog: 'yes_no?' },
            gives: { number: '{{ answer.number }}' },
          },
        },
      },
    },
    flows: {
      hello: { begin: 'hi', nodes: { hi: { kind: 'say', says: 'Pier canteen.', exits: { said: 'done' } }, done: end } },
      lost: { begin: 'x', nodes: { x: { kind: 'say', says: 'I did not get that.', exits: { said: 'done' } }, done: end } },
      hours: { begin: 'x', nodes: { x: { kind: 'say', says: 'We open at 6.', exits: { said: 'done' } }, done: end } },
      order: {
        takes: { drink: 'drink?', with_dog: 'yes_no?' },
        begin: 'drink',
        nodes: {
          drink: {
            kind: 'ask',
            says: 'What would you like to drink?',
            expects: 'drink',
            into: 'flow.drink',
            exits: { answered: 'dog', 'gave-up': 'done' },
          },
          dog: {
            kind: 'ask',
            says: 'A treat for a dog as well?',
            expects: 'yes_no',
            into: 'flow.with_dog',
            exits: { answered: 'time', 'gave-up': 'done' },
          },
          time: {
            kind: 'ask',
            says: 'At what time?',
            expects: 'time',
            into: 'flow.time',
            exits: { answered: 'order', 'gave-up': 'done' },
          },
          order: {
            kind: 'action',
            runs: 'kitchen.order',
            given: { drink: '{{ flow.drink }}', with_dog: '{{ flow.with_dog }}' },
            into: 'flow.number',
            exits: { done: 'ok', failed: 'done' },
          },
          ok: { kind: 'say', says: 'Ordered.', exits: { said: 'done' } },
          done: end,
        },
      },
    },
    ...more,
  });
}
