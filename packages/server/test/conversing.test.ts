import { expect } from 'chai';
import type { SimulatedEvent, TurnRecord } from '@primrose/contract';
import { plainText } from '@primrose/core';
import { theService, type TestService } from './support/service.js';
import { TestVisitor } from './support/visitor.js';

describe('a conversation with Harbour desk, over HTTP and in web chat', () => {
  let service: TestService;
  let demo: string;
  before(async () => {
    service = await theService();
    const { items } = await service.client.call('listBots', { query: { limit: 200 } });
    for (const { id, bot } of items)
      if (bot === 'harbour-desk' && (await service.client.call('listChannels', { params: { bot: id } })).items.length > 1)
        demo = id;
  });

  /** Says lines in a simulation with the stand-ins; returns how each was taken, what was said, and what was changed outside. */
  const simulated = async (lines: readonly string[], language = 'en') => {
    const { id } = await service.client.call('createSimulation', { params: { bot: demo }, body: { speaker: { language } } });
    const turn = async (event: SimulatedEvent): Promise<TurnRecord> => {
      let record: TurnRecord | undefined;
      const body = { id: crypto.randomUUID(), event };
      await service.client.stream('runTurn', { params: { bot: demo, conversation: id }, body }, (name, data) => {
        if (name === 'turn') record = (data as { turn: TurnRecord }).turn;
      });
      if (!record) throw new Error('no turn came');
      return record;
    };
    await turn({ type: 'open' });
    const out = [];
    for (const text of lines) {
      const { taken, messages, effects } = (await turn({ type: 'message', text })).sheet;
      out.push({
        as: taken?.as,
        said: messages.map((m) => plainText(m.blocks)).join(' '),
        did: effects.flatMap((e) => (e.request.type === 'action' && e.request.changes ? [e.request.action] : [])),
      });
    }
    return out;
  };

  const BOOKING = [
    'I want to book a crossing from Kelpwick to Tarn Holm on 20 May 2030',
    'on foot',
    'the earliest',
    'my name is Isla',
  ];

  it('makes a case of what nothing covers, where that is wanted, and tells later how far it is', async () => {
    const visitor = new TestVisitor(service.address, service.chat);
    await visitor.open();
    await visitor.say('can I bring a kayak through the canal of another country?');
    await visitor.until('Shall I open a case');
    await visitor.say('yes, open one please');
    const opened = (await visitor.until('Orla Quill sees to it')).at(-1)?.message.text ?? '';
    const number = /C\d{4,}/.exec(opened)?.[0] ?? '';
    await visitor.say('what about my case?');
    await visitor.until('There is no answer yet.');
    const kept = { assigned: 'bram.teal@marrow-sound.example', answer: 'Only on a trailer.', state: 'resolved' };
    await fetch(`${service.office}/staff/cases/${number}`, {
      method: 'POST',
      body: new URLSearchParams(kept),
      redirect: 'manual',
    });
    // Somebody else asks by the number.
    const other = new TestVisitor(service.address, service.chat);
    await other.open();
    await other.say(`how far is case ${number.toLowerCase()}?`);
    await other.until('Bram Teal writes: Only on a trailer.');
    await service.switches({ fail: 'next' });
    await visitor.say('how far is my case?');
    await visitor.until('I do not know how far the case is');
  });

  it('takes a correction at the last question, and books what was said last', async () => {
    const turns = await simulated([
      ...BOOKING,
      'no wait, the 09:40',
      'actually on 21 May 2030',
      'the last one',
      'sounds good, do it',
    ]);
    expect(turns.slice(4).map((t) => t.as)).to.deep.equal(['correction', 'correction', 'answer', 'answer']);
    expect(turns.at(-1)?.did).to.deep.equal(['make-booking']);
    expect(turns.slice(0, -1).flatMap((t) => t.did)).to.deep.equal([]);
    expect(turns.at(-2)?.said).to.contain('18:05');
  });

  it('says what stands once it was done', async () => {
    const turns = await simulated([...BOOKING, 'yes', 'actually make it Saturday']);
    expect(turns.at(-1)).to.deep.include({ as: 'correction', did: [] });
    expect(turns.at(-1)?.said).to.contain('That has been done already');
  });

  it('serves two wishes, and answers in between', async () => {
    const turns = await simulated([
      'cancel XYZ 0000. Also I left my bag on board',
      'when is the office open?',
      'no',
      'the Wrackline',
    ]);
    expect(turns.map((t) => t.as)).to.deep.equal(['two-wishes', 'question-between', 'answer', 'answer']);
    expect(turns[1]?.said).to.contain('06:00 to 20:00').and.contain('Back to your cancellation:');
    expect(turns[2]?.said).to.contain('I am sorry to hear that.');
  });

  it('goes on from what was asked, in German and Spanish as well', async () => {
    const german = await simulated(['was kostet es für vier Personen', 'und mit Auto?'], 'de');
    expect(german.at(-1)).to.deep.include({ as: 'follow-up' });
    expect(german.at(-1)?.said).to.contain('58 Pfund');
    const spanish = await simulated(['cuánto cuesta para tres personas', '¿y con coche?'], 'es');
    expect(spanish.at(-1)?.said).to.contain('50 libras');
  });

  it('opens the way to a person in web chat, by a button of its own', async () => {
    const visitor = new TestVisitor(service.address, service.chat);
    await visitor.open();
    await visitor.until('What can I do');
    await visitor.say('this is ridiculous');
    const lines = await visitor.until('A person can take over');
    const button = lines.at(-1)?.message.choices?.find((c) => c.says === 'A person, please');
    expect(button).to.not.equal(undefined);
    await visitor.press(button?.id ?? '');
    await visitor.until('I am calling Shore desk');
  });
});
