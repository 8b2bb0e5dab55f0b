import { expect } from 'chai';
import { checkBot, problemSentence } from '@primrose/core';
import { accepted, botOf, demoDocument, Talk, words } from './harbour.js';

const say = (says: string, to: string) => ({ kind: 'say', says, exits: { said: to } });
const end = { kind: 'end', ends: 'flow' };
const PORTS = { port: { values: { kelpwick: ['Kelpwick'], 'tarn-holm': ['Tarn Holm'] } } };
const INTENTS = {
  fares: {
    starts: 'fares',
    interrupts: true,
    phrases: { en: ['what does it cost', 'fares please', 'how much is a ticket', 'tell me the price'] },
  },
  sail: {
    starts: 'sail',
    phrases: {
      en: [
        'I want to sail to <<Tarn Holm | destination: port>>',
        'sail from <<Kelpwick | origin: port>>',
        'a trip to <<Kelpwick | destination: port>> from <<Tarn Holm | origin: port>>',
        'sailing over to <<Tarn Holm | destination: port>>',
      ],
    },
  },
  later: {
    starts: 'later',
    needs: 'trip',
    phrases: { en: ['and the one after', 'anything later', 'the next one then', 'what about later'] },
  },
};

function listening() {
  return accepted({
    primrose: 1,
    bot: 'listening',
    name: 'Listening',
    languages: ['en'],
    zone: 'Europe/Dublin',
    begins: 'main',
    unmatched: 'lost',
    entities: PORTS,
    intents: INTENTS,
    contexts: { trip: { carries: { destination: 'port' }, lasts: { turns: 2, minutes: 10 } } },
    variables: { session: { name: 'text' } },
    flows: {
      main: {
        begin: 'ask',
        nodes: {
          ask: {
            kind: 'ask',
            says: 'Which port?',
            expects: 'port',
            into: 'flow.port',
            exits: { answered: 'got', 'gave-up': 'end' },
          },
          got: say('You said {{ flow.port }}.', 'end'),
          end,
        },
      },
      fares: { begin: 'tell', nodes: { tell: say('Eight pounds.', 'end'), end } },
      lost: { begin: 'tell', nodes: { tell: say('I did not follow.', 'end'), end } },
      sail: {
        takes: { origin: 'port?', destination: 'port?' },
        begin: 'from',
        nodes: {
          from: {
            kind: 'ask',
            says: 'From where?',
            expects: 'port',
            into: 'flow.origin',
            exits: { answered: 'to', 'gave-up': 'end' },
          },
          to: {
            kind: 'ask',
            says: 'Where to?',
            expects: 'port',
            into: 'flow.destination',
            exits: { answered: 'keep', 'gave-up': 'end' },
          },
          keep: { kind: 'set', sets: [], opens: { trip: { destination: '{{ flow.destination }}' } }, exits: { done: 'tell' } },
          tell: say('{{ flow.origin }} to {{ flow.destination }}.', 'end'),
          end,
        },
      },
      later: {
        takes: { destination: 'port?' },
        begin: 'tell',
        nodes: { tell: say('Later to {{ flow.destination }}.', 'end'), end },
      },
    },
  });
}

describe('an intent', () => {
  it('begins its flow and fills what it takes, so only the rest is asked', () => {
    const talk = new Talk(listening());
    talk.open();
    talk.say('Kelpwick');
    expect(talk.say('I want to sail to Tarn Holm')).to.deep.equal(['From where?']);
    expect(talk.last?.sheet.understood).to.include({ took: 'sail', by: 'begins' });
    expect(talk.say('Kelpwick')).to.deep.equal(['Kelpwick to Tarn Holm.']);
  });

  it('answers the first words of a conversation that nobody opened', () => {
    expect(words(new Talk(listening()).turn({ text: 'what does it cost' }))).to.deep.equal(['Eight pounds.']);
    expect(words(new Talk(listening()).turn({ text: 'mumble grumble' }))).to.deep.equal(['Which port?']);
  });

  it('comes between what waits, and the bot comes back and asks again', () => {
    const talk = new Talk(listening());
    talk.open();
    expect(talk.say('how much is a ticket?')).to.deep.equal(['Eight pounds.', 'Back to where we were: Which port?']);
    expect(talk.last?.sheet.path[0]).to.include({ node: 'ask', note: 'fares came between' });
    expect(talk.say('Tarn Holm')).to.deep.equal(['You said Tarn Holm.']);
  });

  it('comes between only where it may', () => {
    const talk = new Talk(listening());
    talk.open();
    expect(talk.say('and the one after')).to.deep.equal([
      'Sorry, I did not understand that. Which port? It can be one of these: Kelpwick, Tarn Holm.',
    ]);
    expect(talk.last?.sheet.understood?.took).to.equal(undefined);
  });

  it('is not asked about what the waiting node understands itself', () => {
    const talk = new Talk(listening());
    talk.open();
    expect(talk.say('sail from Kelpwick')).to.deep.equal(['You said Kelpwick.']);
  });

  it('fills in what its own flow waits for', () => {
    const document = listening();
    const sail = { ...document.intents?.['sail'], interrupts: true };
    const talk = new Talk({ ...document, intents: { ...document.intents, sail } });
    expect(words(talk.turn({ text: 'sailing over to Tarn Holm' }))).to.deep.equal(['From where?']);
    expect(talk.say('a trip to Kelpwick from Tarn Holm')).to.deep.equal(['Kelpwick, then. Tarn Holm to Kelpwick.']);
    expect(talk.last?.sheet.understood).to.include({ took: 'sail', by: 'fills' });
  });

  it('that nothing recognises leads to the flow for what was not understood', () => {
    const talk = new Talk(listening());
    talk.open();
    talk.say('Kelpwick');
    expect(talk.say('the trombone is purple')).to.deep.equal(['I did not follow.']);
    expect(talk.last?.sheet.understood?.took).to.equal(undefined);
  });

  it('wins over an ask for any text only when it is all but certain', () => {
    const document = listening();
    const ask = {
      kind: 'ask',
      says: 'Your name?',
      expects: 'text',
      into: 'session.name',
      exits: { answered: 'got', 'gave-up': 'end' },
    };
    const main = { begin: 'ask', nodes: { ask, got: say('Thank you, {{ session.name }}.', 'end'), end } };
    const named = () => {
      const talk = new Talk({ ...document, flows: { ...document.flows, main } });
      talk.open();
      return talk;
    };
    expect(named().say('what does it cost')).to.deep.equal(['Eight pounds.', 'Back to where we were: Your name?']);
    expect(named().say('Isla')).to.deep.equal(['Thank you, Isla.']);
  });
});

describe('a context', () => {
  const after = (talk: Talk) => Object.keys(talk.session.contexts ?? {});
  const opened = () => {
    const talk = new Talk(listening());
    talk.open();
    talk.say('Kelpwick');
    talk.say('I want to sail to Tarn Holm');
    talk.say('Kelpwick');
    return talk;
  };

  it('lets an intent count that needs it, and fills its flow', () => {
    const talk = opened();
    expect(after(talk)).to.deep.equal(['trip']);
    expect(talk.say('and the one after')).to.deep.equal(['Later to Tarn Holm.']);
    const { before, after: left, states } = talk.last?.sheet.contexts ?? {};
    expect([before, left]).to.deep.equal([['trip'], ['trip']]);
    expect([states?.before['trip']?.turns, states?.after['trip']?.turns]).to.deep.equal([2, 1]);
    expect(states?.after['trip']?.values).to.deep.equal({ destination: 'tarn-holm' });
  });

  it('is gone after its turns, and the sheet says that the intent wanted it', () => {
    const talk = opened();
    talk.say('what does it cost');
    talk.say('what does it cost');
    expect(after(talk)).to.deep.equal([]);
    expect(talk.say('and the one after')).to.deep.equal(['I did not follow.']);
    expect(talk.last?.sheet.problems.map(problemSentence)).to.deep.equal([
      '"later" was recognised, but its context "trip" was not open.',
    ]);
  });

  it('is gone after its minutes', () => {
    const talk = opened();
    talk.turn({ text: 'and the one after', at: '2026-05-11T10:11:00.000Z' });
    expect(talk.last && words(talk.last)).to.deep.equal(['I did not follow.']);
  });

  it('can be closed by a flow', () => {
    const document = botOf(
      {
        open: { kind: 'set', sets: [], opens: { here: { what: 'tea' } }, exits: { done: 'tell' } },
        tell: say('{{ context.here.what }}', 'close'),
        close: { kind: 'set', sets: [], closes: ['here'], exits: { done: 'end' } },
        end,
      },
      { contexts: { here: { carries: { what: 'text' } } } },
    );
    const talk = new Talk(document);
    expect(talk.open()).to.deep.equal(['tea']);
    expect(talk.session.contexts).to.equal(undefined);
  });

  it('is empty, not wrong, while it is closed', () => {
    const document = botOf({ tell: say('{{ otherwise(context.here, "nothing") }}', 'end'), end }, { contexts: { here: {} } });
    const talk = new Talk(document);
    expect(talk.open()).to.deep.equal(['nothing']);
    expect(talk.last?.sheet.problems).to.deep.equal([]);
  });
});

describe('a listen node', () => {
  const document = () =>
    botOf(
      {
        wait: {
          kind: 'listen',
          says: 'Fares or a trip?',
          hears: ['fares', 'sail'],
          into: { destination: 'flow.where' },
          exits: { fares: 'price', sail: 'trip', unmatched: 'again' },
        },
        price: say('Eight pounds.', 'end'),
        trip: say('To {{ otherwise(flow.where, "anywhere") }}.', 'end'),
        again: say('Neither.', 'end'),
        end,
      },
      { entities: PORTS, intents: { fares: { phrases: INTENTS.fares.phrases }, sail: { phrases: INTENTS.sail.phrases } } },
    );

  it('leaves by the intent that it heard and keeps its values', () => {
    const talk = new Talk(document());
    expect(talk.open()).to.deep.equal(['Fares or a trip?']);
    expect(talk.say('I want to sail to Tarn Holm')).to.deep.equal(['To tarn-holm.']);
    expect(talk.last?.sheet.understood).to.include({ took: 'sail', by: 'listen' });
  });

  it('leaves by unmatched for everything else', () => {
    const talk = new Talk(document());
    talk.open();
    expect(talk.say('purple trombones')).to.deep.equal(['Neither.']);
  });
});

describe('a hand-over', () => {
  const document = () =>
    botOf({
      over: {
        kind: 'hand-over',
        reason: 'They said {{ turn.text }}',
        says: 'I am calling somebody.',
        back: 'I am back.',
        exits: { 'handed-back': 'ask' },
      },
      ask: {
        kind: 'ask',
        says: 'Anything else?',
        expects: 'text',
        into: 'flow.more',
        exits: { answered: 'end', 'gave-up': 'end' },
      },
      end,
    });

  it('makes the bot silent until staff hand back, and tells the visitor both times', () => {
    const talk = new Talk(document());
    expect(talk.open()).to.deep.equal(['I am calling somebody.']);
    expect(talk.session.handed?.reason).to.equal('They said ');
    expect(talk.say('hello?')).to.deep.equal([]);
    expect(talk.last?.sheet.handed?.reason).to.equal('They said ');
    expect(words(talk.turn({ type: 'hand-back' }))).to.deep.equal(['I am back.', 'Anything else?']);
    expect(talk.session.handed).to.equal(undefined);
  });

  it('takes no notice of a hand-back that nobody waits for', () => {
    const talk = new Talk(document());
    talk.open();
    talk.turn({ type: 'hand-back' });
    const before = talk.session;
    expect(words(talk.turn({ type: 'hand-back' }))).to.deep.equal([]);
    expect(talk.session.waiting).to.deep.equal(before.waiting);
  });
});

describe('what the checks find in what a bot listens for', () => {
  const found = (more: Record<string, unknown>) => checkBot(botOf({ end }, more)).map(problemSentence);

  it('names intents without phrases, unknown flows and contexts, bad marks and patterns', () => {
    const sentences = found({
      entities: { both: {}, bad: { pattern: '(?=x)' } },
      contexts: { unused: {} },
      intents: {
        silent: {},
        odd: {
          ready: 'helo',
          starts: 'mian',
          needs: 'unusd',
          phrases: { en: ['a <<b | prot>>', 'a <<b', 'one', 'two', 'three'], fr: ['un'] },
        },
        twin: { phrases: { en: ['One', 'four', 'five', 'six', 'seven'] } },
      },
    });
    expect(sentences).to.include.members([
      'The intent "silent" has no phrases, so nobody can mean it. Write some ways of saying it.',
      'There is no flow "mian". Did you mean main?',
      'There is no context "unusd". Did you mean unused?',
      'There is no ready wish "helo". Did you mean hello?',
      '"a <<b | prot>>" marks a value of "prot", which nothing is.',
      'A mark in "a <<b" is not closed. Write >> behind it.',
      'The pattern of "bad" cannot be read. Use RE2 syntax: no look-around, no back references.',
      'The entity "both" needs either values or a pattern. Give it one of them.',
      'Nothing opens the context "unused". Open it in a set node, or remove it.',
      '"One" is a phrase of both "twin" and "odd". Keep it in one of them.',
    ]);
  });

  it('finds nothing in Harbour desk', () => {
    expect(checkBot(demoDocument())).to.deep.equal([]);
  });
});
