import { expect } from 'chai';
import {
  checkBot,
  compile,
  createMind,
  fieldsFromExample,
  messagesOf,
  rehearse,
  wayFigures,
  type ModelEffect,
  type ModelResult,
} from '@primrose/core';
import { accepted, botOf, MONDAY, Talk, written } from './harbour.js';

const END = { kind: 'end', ends: 'conversation' };
/** A bot of one model node. */
const asking = (model: Record<string, unknown>, links: Record<string, string> = { done: 'end', failed: 'end' }) =>
  botOf(
    {
      ask: {
        kind: 'model',
        uses: 'writer',
        parts: [{ part: 'task', says: 'Read it.' }],
        into: 'session.read',
        exits: links,
        ...model,
      },
      end: END,
    },
    {
      variables: { session: { read: 'any' } },
      connections: { service: { address: 'http://127.0.0.1:1/v1', actions: {} } },
      models: { writer: { connection: 'service', model: 'practice' } },
      entities: { port: { values: { kelpwick: ['Kelpwick'], 'tarn-holm': ['Tarn Holm'] } } },
    },
  );
/** Answers one after the other. */
const answers = (...texts: readonly string[]) => {
  let i = 0;
  return (): ModelResult => written(texts[Math.min(i++, texts.length - 1)] ?? '');
};
const prompts = (talk: Talk): ModelEffect[] => talk.effects.flatMap((e) => (e.type === 'model' ? [e] : []));

const GIVES = {
  boat: { type: 'text', about: 'the boat', example: 'Wrackline' },
  state: { type: 'text', one_of: ['open', 'closed'] },
  stops: { type: 'list', fields: { port: 'port', minutes: 'number?' } },
  person: { type: 'object?', fields: { name: 'text', phones: { type: 'list', of: 'phone' } } },
};
const FITS = {
  boat: 'Sandpiper',
  state: 'Closed',
  stops: [{ port: 'Tarn Holm', minutes: 5 }, { port: 'kelpwick' }],
  person: { name: 'Isla', phones: ['+353 1 1'] },
};

describe('answers with a shape', () => {
  it('are nested lists and objects, one of some, and optional fields, read into our values', () => {
    const talk = new Talk(asking({ gives: GIVES }), { model: answers(JSON.stringify(FITS)) });
    talk.say('read');
    expect(talk.session.session['read']).to.deep.equal({
      ...FITS,
      state: 'closed',
      stops: [
        { port: 'tarn-holm', minutes: 5 },
        { port: 'kelpwick', minutes: null },
      ],
    });
    const [first] = prompts(talk);
    expect(first?.schema)
      .to.have.nested.property('properties.stops.items.properties.port.enum')
      .that.deep.equals(['kelpwick', 'tarn-holm']);
    expect(first?.schema).to.have.nested.property('properties.state.enum').that.deep.equals(['open', 'closed']);
    expect(first?.schema).to.have.nested.property('properties.boat.examples').that.deep.equals(['Wrackline']);
    expect(first?.schema).to.have.nested.property('properties.person.type').that.deep.equals(['object', 'null']);
  });

  it('are asked for once more with what is wrong, as one transcript', () => {
    const wrong = JSON.stringify({ ...FITS, stops: [{ port: 'kelpwick', minutes: 'few' }] });
    const talk = new Talk(asking({ gives: GIVES }), { model: answers(wrong, JSON.stringify(FITS)) });
    talk.say('read');
    const [, second] = prompts(talk);
    expect(second && messagesOf(second).map((m) => m.role)).to.deep.equal(['system', 'user', 'assistant', 'user']);
    expect(second?.messages[0]?.content).to.contain('"stops[0].minutes"').and.contain('"few" is no number');
    expect(talk.last?.sheet.path[0]?.note).to.contain('asked again');
    expect(talk.last?.sheet.problems).to.deep.equal([]);
    expect(talk.last?.sheet.effects).to.have.lengthOf(2);
  });

  it('fail after that, and name the field', () => {
    const wrong = JSON.stringify({ ...FITS, state: 'ajar' });
    const talk = new Talk(asking({ gives: GIVES }), { model: answers(wrong) });
    talk.say('read');
    expect(prompts(talk)).to.have.lengthOf(2);
    expect(talk.last?.sheet.path[0]).to.include({ exit: 'failed' });
    expect(talk.last?.sheet.path[0]?.note).to.match(/^state: "ajar" is none of open, closed/);
    expect(talk.last?.sheet.problems.find((p) => p.code === 'model-answer')?.facts).to.include({ field: 'state' });
  });

  it('are guessed from an example: types, what may be empty, descriptions', () => {
    const example =
      '[{"boatName": "Wrackline", "Seats": 4, "day": "2026-05-11", "open": true, "stops": [{"at": "09:40"}, {"at": "10:00", "note": "x"}]}, {"boatName": "Sandpiper", "Seats": null, "day": "2026-05-12", "open": false, "stops": []}]';
    const read = fieldsFromExample(example);
    expect(read).to.deep.equal({
      ok: true,
      fields: {
        boat_name: { type: 'text', about: 'boat name', example: 'Wrackline' },
        seats: { type: 'number?', about: 'seats', example: 4 },
        day: { type: 'date', about: 'day', example: '2026-05-11' },
        open: { type: 'yes_no', about: 'open', example: true },
        stops: {
          type: 'list',
          about: 'stops',
          fields: { at: { type: 'time', about: 'at', example: '09:40' }, note: { type: 'text?', about: 'note', example: 'x' } },
        },
      },
    });
    if (read.ok) expect(checkBot(asking({ gives: read.fields })).filter((p) => p.severity === 'error')).to.deep.equal([]);
  });

  for (const [what, example, says] of [
    ['refers to itself', '&a\nboat: Wrackline\nagain: *a', 'refers to itself'],
    [
      'has 200 fields',
      JSON.stringify(Object.fromEntries(Array.from({ length: 200 }, (_, i) => [`f${i}`, i]))),
      'more than 60 fields',
    ],
    ['stands in itself 40 times', `${'{"a":'.repeat(40)}1${'}'.repeat(40)}`, 'deep'],
    ['is a list', '[1, 2]', 'no object'],
    ['is no JSON', '{"a": ', 'cannot be read'],
    ['is empty', '  ', 'is empty'],
    ['is very long', `{"a": "${'x'.repeat(200_000)}"}`, 'at most'],
    [
      'unfolds to very much',
      `a: &a [1,1,1,1,1,1,1,1,1]\n${[...'bcdefghi'].map((c, i) => `${c}: &${c} [${Array(9).fill(`*${'abcdefghi'[i]}`).join(',')}]`).join('\n')}`,
      'cannot be read',
    ],
  ] as const)
    it(`tell what is wrong with an example that ${what}`, () => {
      const read = fieldsFromExample(example);
      expect(read.ok ? 'ok' : read.reason).to.contain(says);
    });

  it('are told to have too many fields, at whatever depth', () => {
    const many = Object.fromEntries(Array.from({ length: 40 }, (_, i) => [`f_${i}`, 'text']));
    const found = checkBot(asking({ gives: { a: { type: 'object', fields: many }, b: { type: 'list', fields: many } } })).map(
      (p) => p.code,
    );
    expect(found).to.include('too-many-fields');
  });

  it('are text without marks by our own hand, not by pleading', () => {
    const talk = new Talk(asking({ plain: true }), {
      model: answers('# Tides\n\n**High** at `06:10`, see [the table](https://example.org).\n\n- one\n- two'),
    });
    talk.say('read');
    expect(talk.session.session['read']).to.not.match(/[*#`[\]]/);
    expect(talk.session.session['read']).to.contain('High at 06:10');
  });
});

describe('ways that a model chooses', () => {
  const WAYS = { refund: { about: 'they want money back' }, complaint: { about: 'they are unhappy' } };
  const links = { refund: 'end', complaint: 'end', 'none-of-them': 'end', failed: 'end' };
  const choosing = (more: Record<string, unknown> = {}) => asking({ ways: WAYS, ...more }, links);

  for (const [text, way] of [
    ['{"way": "refund"}', 'refund'],
    ['complaint', 'complaint'],
    ['```json\n{"way": "none-of-them"}\n```', 'none-of-them'],
    ['{"way": "None of them"}', 'none-of-them'],
  ] as const)
    it(`is the exit: ${text.replace(/\s+/g, ' ')}`, () => {
      const talk = new Talk(choosing(), { model: answers(text) });
      talk.say('money back please');
      expect(talk.last?.sheet.path[0]).to.include({ exit: way, chose: way });
      expect(talk.session.session['read']).to.equal(way);
    });

  it('is asked once more, then failed, where the answer names none of them', () => {
    const talk = new Talk(choosing(), { model: answers('{"way": "dance"}') });
    talk.say('money back please');
    expect(prompts(talk)).to.have.lengthOf(2);
    expect(talk.last?.sheet.path[0]).to.include({ exit: 'failed' });
    expect(talk.last?.sheet.problems.at(0)?.facts).to.include({ field: 'way' });
  });

  it('comes with fields, which nobody needs where no way fits', () => {
    const talk = new Talk(choosing({ gives: { amount: 'number' } }), {
      model: answers('{"way": "refund", "amount": 8}', '{"way": "none-of-them"}'),
    });
    talk.say('8 back');
    expect(talk.session.session['read']).to.deep.equal({ amount: 8 });
    talk.say('hm');
    expect(talk.last?.sheet.path[0]).to.include({ exit: 'none-of-them' });
  });

  it('is counted over rehearsals: how often it was the right one, and what came in its place', async () => {
    const sample = (says: string, text: string) => ({ writes: 'writer', asked: says, text });
    const rehearsal = (...turns: readonly (readonly [says: string, chose: string])[]) => ({
      turns: turns.map(([says, way]) => ({ says, expects: { chose: { 'main/ask': way } } })),
    });
    const document = accepted({
      ...choosing({ parts: [{ part: 'wish', says: '{{ turn.text }}', input: true }], ways: WAYS }),
      samples: {
        back: sample('money back', '{"way": "refund"}'),
        sad: sample('so sad', '{"way": "refund"}'),
        odd: sample('the weather', '{"way": "none-of-them"}'),
        dance: sample('dance', 'dance'),
      },
      rehearsals: {
        one: rehearsal(['money back', 'refund'], ['so sad', 'complaint'], ['the weather', 'none-of-them']),
        two: rehearsal(['so sad', 'complaint'], ['dance', 'complaint']),
      },
    });
    const bot = compile(document);
    const outcomes = await Promise.all(
      Object.entries(document.rehearsals ?? {}).map(([id, r]) =>
        rehearse(bot, id, r, createMind(document, { listener: undefined }), MONDAY),
      ),
    );
    expect(wayFigures(document, outcomes)).to.deep.equal({
      'main/ask': {
        of: 5,
        right: 2,
        missed: [
          { expected: 'complaint', chose: 'refund', times: 2 },
          { expected: 'complaint', chose: null, times: 1 },
        ],
      },
    });
  });

  it('has its mistakes told', () => {
    const codes = (node: Record<string, unknown>) => checkBot(asking(node, links)).map((p) => p.code);
    expect(codes({ ways: { failed: { about: 'x' } } })).to.include('reserved-way');
    expect(codes({ ways: {} })).to.include('no-ways');
    expect(codes({ into: undefined })).to.include('answer-nowhere');
    expect(codes({ ways: WAYS, aloud: true })).to.include('aloud-fields');
  });
});
