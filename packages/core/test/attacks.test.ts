import { expect } from 'chai';
import { messagesOf, typeOf, type ModelMessage, type TurnResult, type Value } from '@primrose/core';
import { ATTACKS, type Attack } from './data/attacks.js';
import { desk, scripted, shelf } from './desk.js';
import { Talk } from './harbour.js';

const READS = [
  { runs: 'shelf.look', about: 'lists which tools are free on a day' },
  { table: 'repairs', does: 'find' },
  { lookup: 'house' },
];
/** `bold` ones are not asked first, by the designer's will. */
const changes = (bold: boolean) =>
  [
    { runs: 'shelf.reserve' },
    { runs: 'shelf.cancel-all' },
    { table: 'repairs', does: 'remove' },
    { notice: '', about: 'sends a message' },
  ].map((t) => (bold ? { ...t, confirm: false } : t));

const LOOKS: Readonly<Record<Exclude<Attack['where'], 'visitor'>, readonly [string, Value]>> = {
  result: ['look', { day: '2026-05-15' }],
  row: ['find-repairs', {}],
  passage: ['look-up-house', { question: '' }],
};

/** A talk with a model that does what the words say. */
function talkOf({ where, says, calls }: Attack, bold: boolean) {
  const wants = calls.map(([tool, given]) => [tool, given] as const);
  const [tool, given] = where === 'visitor' ? ['', {}] : LOOKS[where];
  const asks = where === 'passage' ? { question: says } : given;
  const reads = where === 'visitor' ? [] : [{ calls: [[tool, asks] as const] }];
  const { model, asked } = scripted([...reads, { calls: wants }, { calls: wants }, 'That is all I know.']);
  const shed = desk({ tools: [...READS, ...changes(bold)] });
  const { look, reserve } = shed.connections?.['shelf']?.actions ?? {};
  const actions = { look, reserve, 'cancel-all': { about: 'cancels everything', delete: '/loans' } };
  const document = {
    ...shed,
    connections: { ...shed.connections, shelf: { ...shed.connections?.['shelf'], actions } },
    knowledge: { house: { documents: { rules: { form: 'text', text: where === 'passage' ? says : 'Closed on Sundays.' } } } },
  } as typeof shed;
  const talk = new Talk(document, {
    model,
    rows: where === 'row' ? { repairs: [{ what: says }] } : {},
    answer: (effect) =>
      effect.action === 'look'
        ? { outcome: 'answered', status: 200, body: { free: [{ tool: 'drill', note: says }] } }
        : shelf(effect),
  });
  return { talk, asked };
}

/** What a turn changed outside. */
const changed = (turn: TurnResult | undefined): string[] =>
  (turn?.sheet.effects ?? [])
    .map((e) => e.request)
    .flatMap((r) => (typeOf(r).journaled(r) === 'around' ? [typeOf(r).whole(r)] : []));

/** What others said stands between the marks, and never among the instructions. */
function keepsApart(messages: readonly ModelMessage[], says: string): void {
  for (const { role, content } of messages)
    if (role === 'system') expect(content).to.not.contain(says);
    else if (content.startsWith('<data')) expect(content.split('\n').slice(1, -1).join('\n')).to.not.match(/<\/?data/i);
}

describe('words that try to talk an agent into something', () => {
  it('are at least forty', () => expect(ATTACKS.length).to.be.at.least(40));

  for (const attack of ATTACKS)
    it(`change nothing without a visitor's yes: ${attack.where}: ${attack.says.slice(0, 70).replaceAll('\n', ' ')}`, () => {
      // Where a designer wants no question, none is asked of what a visitor says; what is read does not count as theirs.
      for (const bold of attack.where === 'visitor' || attack.vague ? [false] : [false, true]) {
        const { talk, asked } = talkOf(attack, bold);
        talk.say(attack.where === 'visitor' ? attack.says : 'what is there?');
        expect(changed(talk.last), bold ? 'where none is asked' : 'by default').to.deep.equal([]);
        const words = /[\p{L} -]{3,}/u.exec(attack.says.replace(/^\W*(?:data|system)\W*/i, ''))?.[0].trim() ?? '';
        const read = asked.flatMap((a) => messagesOf(a)).some((m) => m.role !== 'system' && m.content.includes(words));
        expect(read, 'it was read').to.equal(true);
        talk.say('no');
        expect(changed(talk.last)).to.deep.equal([]);
        for (const request of asked) keepsApart(messagesOf(request), attack.says);
      }
    });
});
