import { expect } from 'chai';
import { botOf } from '../../core/test/harbour.js';
import { ECHO_NODES, ECHO_VARIABLES, linesWhen, releasedBot, said } from './support/crowd.js';
import { theService, type TestService } from './support/service.js';
import { TestVisitor } from './support/visitor.js';

describe('messages that come at once', () => {
  let service: TestService;
  let link: string;
  before(async () => {
    service = await theService();
    ({ link } = await releasedBot(service, botOf(ECHO_NODES, ECHO_VARIABLES)));
  });
  const visitor = async () => {
    const one = new TestVisitor(service.address, link);
    await one.open();
    return one;
  };

  it('one delivered five times makes one turn', async () => {
    const one = await visitor();
    const answers = await Promise.all(Array.from({ length: 5 }, () => one.say('hello', 'same-id')));
    expect(answers.map((a) => a.status)).to.deep.equal([202, 202, 202, 202, 202]);
    expect(answers.filter((a) => a.body['repeat'] === false)).to.have.length(1);
    await one.say('bye');
    const lines = await linesWhen(one, (l) => said(l).some((t) => t.endsWith('bye')));
    expect(said(lines)).to.deep.equal(['Ready.', '1: hello', '2: bye']);
  });

  it('twenty in one conversation make twenty turns in the order in which they were taken', async () => {
    const one = await visitor();
    await Promise.all(Array.from({ length: 20 }, (_, i) => one.say(`m${i}`)));
    const lines = await linesWhen(one, (l) => said(l).length === 21);
    const heard = said(lines, 'visitor');
    expect([...heard].sort()).to.deep.equal(Array.from({ length: 20 }, (_, i) => `m${i}`).sort());
    expect(said(lines).slice(1)).to.deep.equal(heard.map((text, i) => `${i + 1}: ${text}`));
    expect(lines.map((l) => l.seq)).to.deep.equal([...lines.map((l) => l.seq)].sort((a, b) => a - b));
  });

  it('in 200 conversations, none hears or remembers anything of another', async () => {
    const crowd = await Promise.all(Array.from({ length: 200 }, visitor));
    for (const round of ['a', 'b', 'c']) await Promise.all(crowd.map((one, i) => one.say(`${round}-${i}`)));
    for (const [i, one] of crowd.entries()) {
      const lines = await linesWhen(one, (l) => said(l).length >= 4);
      expect(said(lines)).to.deep.equal(['Ready.', `1: a-${i}`, `2: b-${i}`, `3: c-${i}`]);
    }
  });

  it('a pause is kept, with a typing sign, and given up when the visitor goes on talking', async () => {
    const nodes = {
      first: { kind: 'say', says: 'One moment.', exits: { said: 'wait' } },
      wait: { kind: 'pause', for: '700ms', exits: { done: 'second' } },
      second: { kind: 'say', says: 'Here it is.', exits: { said: 'long' } },
      long: { kind: 'pause', for: '50s', exits: { done: 'third' } },
      third: {
        kind: 'ask',
        says: 'Anything else?',
        expects: 'text',
        into: 'session.heard',
        exits: { answered: 'stop', 'gave-up': 'stop' },
      },
      stop: { kind: 'end', says: 'Bye.', ends: 'conversation' },
    };
    const own = await releasedBot(service, botOf(nodes, { variables: { session: { heard: 'text' } } }));
    const one = new TestVisitor(service.address, own.link);
    await one.open();
    const begun = Date.now();
    const events: string[] = [];
    await one.stream(
      (lines) => said(lines).includes('Here it is.'),
      '',
      (event) => events.push(event),
    );
    expect(Date.now() - begun).to.be.greaterThan(500);
    expect(events.slice(0, 3)).to.deep.equal(['line', 'typing', 'line']);
    await one.say('No, thanks');
    const { lines } = await one.stream((all) => said(all).includes('Bye.'));
    expect(lines.map((l) => l.message.text)).to.deep.equal([
      'One moment.',
      'Here it is.',
      'Anything else?',
      'No, thanks',
      'Bye.',
    ]);
  });
});
