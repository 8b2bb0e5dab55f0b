import { expect } from 'chai';
import { readFileSync } from 'node:fs';
import type { ActionEffect, ActionResult } from '@primrose/core';
import { demoDocument, Talk, words, written } from './harbour.js';

const PAGE = new URL('../../../docs/sayings.md', import.meta.url);
const LETTER = /^- \*\*([A-Z])\*\* (.*)$/;

const SAILINGS = [
  ['07:20', 'Wrackline', 8],
  ['09:40', 'Wrackline', 9],
  ['13:15', 'Sandpiper', 10],
  ['18:05', 'Sandpiper', 11],
] as const;

/** The booking office, which has the same sailings every day. */
function office({ action, query }: ActionEffect): ActionResult {
  if (action === 'make-booking') return { outcome: 'answered', status: 201, body: { reference: 'TST1001' } };
  const sailings = SAILINGS.map(([time, boat, price]) => ({ id: `${query['on']}${time}`, time, boat, price }));
  return { outcome: 'answered', status: 200, body: { sailings } };
}

/** What is said before each letter of the page: the words of another letter, and then its own. */
const BEFORE: Readonly<Record<string, readonly string[]>> = {
  A: [],
  B: ['I want to book a crossing from Kelpwick to Tarn Holm on Friday'],
  C: ['B', 'on foot'],
  D: ['C', 'the earliest', 'my name is Isla'],
  E: ['when is the next boat from Kelpwick to Tarn Holm?'],
  F: ['D', 'yes'],
  G: ['can the dog come?'],
};

const linesOf = (letter: string): string[] =>
  (BEFORE[letter] ?? []).flatMap((line) => (Object.hasOwn(BEFORE, line) ? linesOf(line) : [line]));

describe('the page of sayings', () => {
  const document = demoDocument();
  const page = readFileSync(PAGE, 'utf8').split('\n');
  const rows = page.flatMap((line) => {
    const [, after, saying, as] = line.split('|').map((c) => c.trim());
    return after !== undefined && /^[A-Z]$/.test(after) && saying !== undefined && as !== undefined
      ? [{ after, saying, as }]
      : [];
  });

  it('names what is said before each letter', () => {
    const named = page.flatMap((line) => LETTER.exec(line)?.[1] ?? []);
    expect(named).to.deep.equal(Object.keys(BEFORE));
    expect(rows.length).to.be.at.least(40);
  });

  for (const { after, saying, as } of rows)
    it(`${after}: “${saying}” is taken as ${as}`, () => {
      const model = () => written('{}');
      const talk = new Talk(document, { answer: office, model });
      talk.open();
      for (const line of linesOf(after)) talk.say(line);
      const turn = talk.turn({ text: saying });
      expect(turn.sheet.taken?.as, words(turn).join(' ')).to.equal(as);
    });
});
