import { expect } from 'chai';
import {
  asksSignIn,
  checkBot,
  compile,
  createMind,
  keepConversation,
  missSentence,
  practiceSignIn,
  rehearse,
  type KeptTurn,
  type SignInEffect,
  type SignInResult,
} from '@primrose/core';
import { botOf, MONDAY, Talk, words } from './harbour.js';

const end = { kind: 'end', ends: 'flow' };
const KNOWN = { name: 'Ines Marlow', firstName: 'Ines', email: 'ines@marrow-sound.example', signedIn: true } as const;

/** A bot whose flow `mine` is for visitors who have signed in only. */
function bot() {
  const made = botOf({
    ask: {
      kind: 'ask',
      says: 'What?',
      expects: 'text',
      into: 'flow.what',
      whatever: true,
      exits: { answered: 'call', 'gave-up': 'end' },
    },
    call: { kind: 'flow', calls: 'mine', exits: { done: 'thanks', failed: 'sorry' } },
    thanks: { kind: 'say', says: 'That was it.', exits: { said: 'end' } },
    sorry: { kind: 'say', says: 'Not today.', exits: { said: 'end' } },
    end,
  });
  const mine = {
    needs: 'sign-in' as const,
    begin: 'tell',
    nodes: {
      tell: { kind: 'say', says: 'Yours, {{ otherwise(turn.first_name, "friend") }}, {{ turn.email }}.', exits: { said: 'end' } },
      end,
    },
  };
  return { ...made, flows: { ...made.flows, mine } };
}

const ASKS = 'For this I have to know who you are. What is your e-mail address? I will send you a code.';

describe('a flow that needs somebody who has signed in', () => {
  it('begins at once for who has', () => {
    const talk = new Talk(bot());
    talk.open();
    expect(words(talk.turn({ text: 'mine', ...KNOWN }))).to.deep.equal([
      'Yours, Ines, ines@marrow-sound.example.',
      'That was it.',
    ]);
    expect(talk.effects.filter((e) => e.type === 'sign-in')).to.deep.equal([]);
  });

  it('asks first, and goes on where it was once the code is right', () => {
    const talk = new Talk(bot());
    talk.open();
    expect(talk.say('mine')).to.deep.equal([ASKS]);
    expect(talk.last?.messages[0]?.signIn).to.equal(true);
    expect(asksSignIn(talk.bot, talk.session)).to.equal(true);
    expect(talk.say('well, it is Ines@Marrow-Sound.example I think')).to.deep.equal([
      'I have sent a code to ines@marrow-sound.example. What is it?',
    ]);
    expect(talk.say('it says 123 456, right?')).to.deep.equal([
      'Thank you, you are signed in.',
      'Yours, friend, ines@marrow-sound.example.',
      'That was it.',
    ]);
    expect(asksSignIn(talk.bot, talk.session)).to.equal(false);
  });

  it('shows nobody the code: not in the record of the turn, and not in the request as it is stored', () => {
    const talk = new Talk(bot());
    talk.open();
    talk.say('mine');
    talk.say('a@b.example');
    talk.say('999999');
    const tried = talk.last?.sheet.effects.find((e) => e.request.type === 'sign-in');
    expect(tried?.request).to.include({ does: 'try', code: '…' });
  });

  it('is kept as a rehearsal that passes, whatever the code was, and whoever signed in beside the talk', async () => {
    const signIn = (effect: SignInEffect): SignInResult =>
      effect.does === 'try' ? { outcome: 'signed-in', name: null, email: 'a@b.example' } : practiceSignIn(effect);
    const talks = [
      ['mine', 'it is a@b.example', 'the code is 756 261'],
      ['mine', { type: 'signed-in', ...KNOWN }, { type: 'message', text: 'mine', ...KNOWN }],
    ] as const;
    for (const said of talks) {
      const talk = new Talk(bot(), { signIn });
      const turns: KeptTurn[] = [];
      for (const event of [{ type: 'open' } as const, ...said]) {
        const { sheet, session } = talk.turn(typeof event === 'string' ? { text: event } : event);
        const frame = session.waiting ? session.frames.at(-1) : undefined;
        turns.push({ sheet, waitsAt: frame ? { flow: frame.flow, node: frame.node } : null });
      }
      const { rehearsal, samples } = keepConversation('kept', turns, talk.bot.document);
      const kept = compile({ ...talk.bot.document, samples, rehearsals: { kept: rehearsal } });
      const outcome = await rehearse(kept, 'kept', rehearsal, createMind(kept.document, { listener: undefined }), MONDAY);
      expect(outcome.turns.flatMap((t) => t.misses.map(missSentence))).to.deep.equal([]);
      expect(JSON.stringify(rehearsal)).to.not.contain('756');
      expect(checkBot(kept.document).filter((p) => p.field?.startsWith('/rehearsals'))).to.deep.equal([]);
    }
  });

  it('says what to do with a code that is wrong, is used up, or is none', () => {
    let left = 2;
    const signIn = (effect: SignInEffect): SignInResult => {
      if (effect.does !== 'try') return practiceSignIn(effect);
      return left > 0 ? { outcome: 'wrong-code', left: --left } : { outcome: 'no-code' };
    };
    const talk = new Talk(bot(), { signIn });
    talk.open();
    talk.say('mine');
    talk.say('a@b.example');
    expect(talk.say('000000')).to.deep.equal(['That is not the code. Please look at the newest mail. Tries left: 1.']);
    expect(talk.say('000001')).to.deep.equal([
      'That code is not valid any more. Tell me your e-mail address and I will send another one.',
    ]);
    expect(talk.say('c@d.example')).to.deep.equal(['I have sent a code to c@d.example. What is it?']);
  });

  it('takes another address while it waits for a code, and says why a code could not be sent', () => {
    let refuses = false;
    const signIn = (effect: SignInEffect): SignInResult =>
      effect.does === 'send' && refuses
        ? { outcome: 'failed', code: 'refused', reason: 'too many codes were asked for' }
        : practiceSignIn(effect);
    const talk = new Talk(bot(), { signIn });
    talk.open();
    talk.say('mine');
    talk.say('a@b.example');
    expect(talk.say('no, take c@d.example')).to.deep.equal(['I have sent a code to c@d.example. What is it?']);
    refuses = true;
    expect(talk.say('e@f.example')).to.deep.equal([
      'I could not send a code there: too many codes were asked for. Which address may I use?',
    ]);
  });

  it('goes on when they sign in beside the talk, and does nothing by it where nobody asked', () => {
    const talk = new Talk(bot());
    talk.open();
    expect(words(talk.turn({ type: 'signed-in', ...KNOWN }))).to.deep.equal([]);
    expect(talk.session.waiting).to.not.equal(null);
    talk.say('mine');
    expect(words(talk.turn({ type: 'signed-in', ...KNOWN }))).to.deep.equal([
      'Thank you, you are signed in.',
      'Yours, Ines, ines@marrow-sound.example.',
      'That was it.',
    ]);
  });

  it('gives up after some tries, and says that it cannot where nobody can sign in', () => {
    const talk = new Talk(bot());
    talk.open();
    talk.say('mine');
    talk.say('hm');
    talk.say('hm hm');
    expect(talk.say('hm hm hm')).to.deep.equal(['All right, then I cannot do this.', 'Not today.']);
    const nowhere = new Talk(bot(), { signIn: () => ({ outcome: 'ways', mail: false, elsewhere: false }) });
    nowhere.open();
    expect(nowhere.say('mine')).to.deep.equal([
      'For this I have to know who you are, and nobody can sign in here.',
      'Not today.',
    ]);
    expect(nowhere.last?.sheet.problems.map((p) => p.code)).to.include('no-sign-in');
  });

  it('asks in the language of the visitor', () => {
    const talk = new Talk(bot(), { language: 'de' });
    talk.open();
    expect(talk.say('mine')[0]).to.equal(
      'Dafür muss ich wissen, wer Sie sind. Wie ist Ihre E-Mail-Adresse? Ich schicke Ihnen einen Code.',
    );
  });

  it('has nothing that the checks complain of', () => {
    expect(checkBot(bot()).filter((p) => p.severity === 'error')).to.deep.equal([]);
  });

  it('is one node as well, with words of its own and an exit for who did not', () => {
    const made = botOf({
      first: { kind: 'sign-in', says: 'Who are you?', tries: 0, exits: { 'signed-in': 'in', 'gave-up': 'out' } },
      in: { kind: 'say', says: 'In.', exits: { said: 'end' } },
      out: { kind: 'say', says: 'Out.', exits: { said: 'end' } },
      end,
    });
    const talk = new Talk(made);
    expect(talk.open()).to.deep.equal(['Who are you?']);
    expect(talk.say('nobody')).to.deep.equal(['All right, then I cannot do this.', 'Out.']);
  });
});
