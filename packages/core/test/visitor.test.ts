import { expect } from 'chai';
import type { ActionResult, BotDocument, Value } from '@primrose/core';
import { accepted, Talk } from './harbour.js';
import { chanceOf } from './chance.js';

/*
 * A visitor who walks at random through how people talk, on bots that are made up as well: whatever they say, and in whatever order,
 * nothing is booked that they did not say last.
 */

const TURNS = 10_000;

interface Said {
  readonly words: string;
  readonly value: Value;
}

/** What can be asked for, and how it is said. */
const KINDS: Readonly<Record<string, { readonly expects: string; readonly says: readonly Said[] }>> = {
  port: {
    expects: 'port',
    says: [
      { words: 'Kelpwick', value: 'kelpwick' },
      { words: 'Tarn Holm', value: 'tarn-holm' },
      { words: 'Gannet Quay', value: 'gannet-quay' },
    ],
  },
  day: {
    expects: 'date',
    says: [
      { words: 'Friday', value: '2026-05-15' },
      { words: 'Saturday', value: '2026-05-16' },
      { words: 'on 20 May', value: '2026-05-20' },
      { words: 'tomorrow', value: '2026-05-12' },
    ],
  },
  vehicle: {
    expects: 'vehicle',
    says: [
      { words: 'a bicycle', value: 'bicycle' },
      { words: 'with the car', value: 'car' },
      { words: 'on foot', value: 'foot' },
    ],
  },
  people: {
    expects: 'number',
    says: [
      { words: 'two people', value: 2 },
      { words: '5', value: 5 },
      { words: 'for three', value: 3 },
    ],
  },
};

const SAILINGS: readonly (readonly [string, string])[] = [
  ['08:30', 'Wrackline'],
  ['13:15', 'Sandpiper'],
  ['17:40', 'Gull'],
];

/** A bot that asks for some of these in some order, offers sailings where `lists`, asks whether it is right, and books. */
function madeUp(slots: readonly string[], lists: boolean): BotDocument {
  const after = (i: number): string => slots[i + 1] ?? (lists ? 'find' : 'sure');
  const asks = Object.fromEntries(
    slots.map((s, i) => [
      s,
      {
        kind: 'ask',
        says: `Which ${s}?`,
        expects: KINDS[s]?.expects,
        into: `flow.${s}`,
        exits: { answered: after(i), 'gave-up': 'leave' },
      },
    ]),
  );
  const given = Object.fromEntries(slots.map((s) => [s, `{{ flow.${s} }}`]));
  const find = {
    find: { kind: 'action', runs: 'office.find', given, into: 'flow.found', exits: { done: 'offer', failed: 'leave' } },
    offer: {
      kind: 'choice',
      says: 'Which one?',
      from: 'flow.found',
      shows: '{{ item.time }} {{ item.boat }}',
      into: 'flow.chosen',
      exits: { picked: 'sure', other: 'offer' },
    },
  };
  const takes = Object.fromEntries(slots.map((s) => [s, 'any']));
  const chosen = lists ? { chosen: '{{ flow.chosen.id }}' } : {};
  return accepted({
    primrose: 1,
    bot: 'made-up',
    name: 'Made up',
    languages: ['en'],
    zone: 'Europe/Dublin',
    begins: 'hello',
    unmatched: 'lost',
    entities: {
      port: { values: { kelpwick: ['Kelpwick'], 'tarn-holm': ['Tarn Holm'], 'gannet-quay': ['Gannet Quay'] } },
      vehicle: { values: { bicycle: ['bicycle'], car: ['car'], foot: ['on foot'] } },
    },
    intents: {
      book: {
        starts: 'book',
        phrases: { en: ['I want to book', 'book a crossing', 'a ticket please', 'make a booking', 'I need a passage'] },
      },
      hours: {
        starts: 'hours',
        phrases: { en: ['when are you open', 'opening hours', 'how late are you open', 'until when is somebody there'] },
      },
      dogs: { starts: 'dogs', phrases: { en: ['can the dog come', 'are pets allowed', 'do dogs pay', 'may I bring my cat'] } },
    },
    connections: {
      office: {
        actions: {
          find: { get: '/find', takes, gives: { found: '{{ answer.found }}' } },
          book: {
            post: '/book',
            takes: { ...takes, ...(lists ? { chosen: 'any' } : {}) },
            sends: { body: { ...keys(slots), ...(lists ? { chosen: '{{ chosen }}' } : {}) } },
          },
        },
      },
    },
    flows: {
      hello: { begin: 'hi', nodes: { hi: { kind: 'say', says: 'Hello.', exits: {} } } },
      lost: { begin: 'x', nodes: { x: { kind: 'say', says: 'I did not get that.', exits: {} } } },
      hours: { begin: 'x', nodes: { x: { kind: 'say', says: 'From nine to five.', exits: {} } } },
      dogs: { begin: 'x', nodes: { x: { kind: 'say', says: 'Dogs may come.', exits: {} } } },
      book: {
        begin: slots[0],
        nodes: {
          ...asks,
          ...(lists ? find : {}),
          sure: {
            kind: 'choice',
            says: `Shall I book it? ${slots.map((s) => `{{ flow.${s} }}`).join(' ')}`,
            choices: [
              { id: 'yes', says: 'Yes' },
              { id: 'no', says: 'No' },
            ],
            exits: { yes: 'book', no: 'leave', other: 'sure' },
          },
          book: {
            kind: 'action',
            runs: 'office.book',
            given: { ...given, ...chosen },
            exits: { done: 'booked', failed: 'leave' },
          },
          booked: { kind: 'say', says: 'Booked.', exits: {} },
          leave: { kind: 'say', says: 'Then not.', exits: {} },
        },
      },
    },
  });
}

const keys = (slots: readonly string[]): Record<string, string> => Object.fromEntries(slots.map((s) => [s, `{{ ${s} }}`]));

/** The office: the same sailings for everything, each with an id of its own for what was asked. */
function office({ action, query }: { readonly action: string; readonly query: Readonly<Record<string, string>> }): ActionResult {
  if (action === 'book') return { outcome: 'answered', status: 201, body: {} };
  const found = SAILINGS.map(([time, boat]) => ({ id: `${time}${JSON.stringify(query)}`, time, boat }));
  return { outcome: 'answered', status: 200, body: { found } };
}

const CORRECTING = ['no, ', 'actually ', 'I meant ', 'make it ', 'sorry, ', 'no wait, ', 'not that, I meant '];
const BETWEEN = ['when are you open?', 'can the dog come?', 'are pets allowed'];
const NOISE = ['blarf', 'hmm', 'zwerp gnork', 'xyzzy?', 'thanks', 'what was that again?', 'what can you do?'];
const PICKS: readonly (readonly [string, number])[] = [
  ['the first', 0],
  ['the last one please', 2],
  ['the Sandpiper', 1],
  ['the earliest', 0],
  ['17:40', 2],
];

/** One visitor: what they want, as they said it last, and what they say next. */
class Visitor {
  readonly talk: Talk;
  readonly wants = new Map<string, Value>();
  readonly #slots: readonly string[];
  readonly #next: () => number;

  constructor(slots: readonly string[], lists: boolean, next: () => number) {
    this.#slots = slots;
    this.#next = next;
    this.talk = new Talk(madeUp(slots, lists), { answer: office });
    this.talk.open();
  }

  #of<T>(list: readonly T[]): T {
    return list[Math.floor(this.#next() * list.length)] as T;
  }

  /** Where the bot waits in the flow of the booking; undefined where it does not. */
  get at(): string | undefined {
    const { frames, waiting } = this.talk.session;
    const top = frames.at(-1);
    return waiting && top?.flow === 'book' ? top.node : undefined;
  }

  #value(slot: string): Said {
    return this.#of(KINDS[slot]?.says ?? []);
  }

  say(): string {
    const { at } = this;
    if (at === undefined) {
      this.wants.clear();
      return this.#of(['I want to book', 'book a crossing', 'when are you open?']);
    }
    const dice = this.#next();
    const known = this.#slots.filter((s) => this.wants.has(s) && s !== at);
    if (dice < 0.1) return this.#of(BETWEEN);
    if (dice < 0.18) return this.#of(NOISE);
    if (dice < 0.2) {
      this.wants.clear();
      return 'never mind';
    }
    if (dice < 0.4 && known.length > 0) return this.#correct(this.#of(known));
    return this.#answer(at);
  }

  #correct(slot: string): string {
    const { words, value } = this.#value(slot);
    this.wants.set(slot, value);
    const yes = this.at === 'sure' && this.#next() < 0.3 ? 'yes, but ' : '';
    return `${yes === '' ? this.#of(CORRECTING) : yes}${words}`;
  }

  #answer(at: string): string {
    if (at === 'sure') return this.#of(['yes', 'sounds good, do it', 'go ahead', 'no']);
    if (at === 'offer') return this.#of(PICKS)[0];
    const { words, value } = this.#value(at);
    this.wants.set(at, value);
    const other = this.#slots.find((s) => !this.wants.has(s));
    if (other === undefined || this.#next() > 0.2) return words;
    const more = this.#value(other);
    this.wants.set(other, more.value);
    return `${words}, ${more.words}`;
  }
}

describe('a visitor who says whatever comes to their mind', () => {
  it(`never gets anything booked that they did not say last, in ${TURNS} turns`, function () {
    const next = chanceOf(16);
    const names = Object.keys(KINDS);
    let turns = 0;
    let booked = 0;
    const wrong: string[] = [];
    while (turns < TURNS) {
      const slots = names
        .map((s) => [next(), s] as const)
        .sort()
        .map(([, s]) => s)
        .slice(0, 2 + Math.floor(next() * 3));
      const visitor = new Visitor(slots, next() < 0.5, next);
      const said: string[] = [];
      for (let i = 0; i < 40 && turns < TURNS; i++, turns++) {
        const line = visitor.say();
        said.push(line);
        const before = visitor.talk.effects.length;
        visitor.talk.say(line);
        for (const effect of visitor.talk.effects.slice(before)) {
          if (effect.type !== 'action' || effect.action !== 'book') continue;
          booked++;
          const body = effect.body as Readonly<Record<string, Value>>;
          const off = slots.filter((s) => JSON.stringify(body[s]) !== JSON.stringify(visitor.wants.get(s) ?? null));
          if (off.length > 0)
            wrong.push(
              `${off.map((s) => `${s} is ${JSON.stringify(body[s])}, not ${JSON.stringify(visitor.wants.get(s))}`).join(', ')}: ${said.join(' | ')}`,
            );
          said.push('###');
          visitor.wants.clear();
        }
      }
    }
    console.log(`      ${turns} turns, ${booked} bookings`);
    expect(booked).to.be.above(TURNS / 30);
    expect(wrong.slice(0, 5)).to.deep.equal([]);
  });
});
