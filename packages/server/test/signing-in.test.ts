import { generateKeyPairSync } from 'node:crypto';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { expect } from 'chai';
import { UnsecuredJWT } from 'jose';
import { CHAT_SETTINGS } from '@primrose/contract';
import { createIdentityService } from '../../stand-ins/src/identity-service/app.js';
import { Mailbox } from '../../stand-ins/src/mailbox/app.js';
import { chanceOf } from '../../core/test/chance.js';
import { linesWhen, said } from './support/crowd.js';
import { bytes, INES, now, PUBLIC, RSA, SECRET, signingIn, TOBIAS, tokenOf } from './support/signing.js';
import { ownDatabase, startTestService, type TestService } from './support/service.js';
import { until } from './support/until.js';
import type { TestVisitor } from './support/visitor.js';

describe('who is speaking', function () {
  let service: TestService;
  const mailbox = new Mailbox();
  let identity: Server;
  let issuer = '';

  before(async () => {
    await new Promise<void>((resolve) => mailbox.smtp.listen(0, '127.0.0.1', resolve));
    const { port } = mailbox.smtp.server.address() as AddressInfo;
    identity = createServer(await createIdentityService({ client: 'knowing', secret: 'sound' }));
    await new Promise<void>((resolve) => identity.listen(0, '127.0.0.1', resolve));
    issuer = `http://127.0.0.1:${(identity.address() as AddressInfo).port}`;
    const databaseUrl = await ownDatabase('signing');
    service = await startTestService({
      databaseUrl,
      env: {
        PRIMROSE_MAIL_URL: `smtp://127.0.0.1:${port}`,
        PRIMROSE_SIGN_INS_AN_HOUR: '100000',
        PRIMROSE_MESSAGES_A_MINUTE: '100000',
      },
    });
  });
  after(async () => {
    await service.stop();
    identity.close();
    identity.closeAllConnections();
    await new Promise<void>((resolve) => mailbox.smtp.close(() => resolve()));
  });

  const { known, visitorAt, openWith, lines, past, tell, signedIn } = signingIn(() => service);
  const codeTo = async (email: string, more = 0): Promise<string> => {
    await until(async () => Promise.resolve(mailbox.letters(email).length > more));
    return /\d{6}/.exec(mailbox.letters(email)[0]?.subject ?? '')?.[0] ?? '';
  };

  describe('by a token of the page that shows the chat', () => {
    it('is greeted by name, and what the page tells of them is known', async () => {
      const chat = await known();
      const visitor = visitorAt(chat.link);
      const { body } = await openWith(visitor, await tokenOf(INES));
      expect(body['who']).to.deep.equal({ name: 'Ines Marlow', email: 'ines@marrow-sound.example' });
      await until(async () => (await lines(visitor)).length > 0);
      expect((await lines(visitor))[0]).to.equal('Hello Ines. You told me: nothing.');
      expect(await tell(visitor, 'show my bookings')).to.include('Bookings of ines@marrow-sound.example: KEL 4821, seat 7.');
    });

    it('goes on with the same talk in another browser, and in one that keeps nothing', async () => {
      const chat = await known();
      const one = await signedIn(chat, INES);
      await tell(one, 'my cat is called Tar');
      const other = await signedIn(chat, INES);
      expect(other.key).to.not.equal(one.key);
      expect((await lines(other)).join(' ')).to.contain('Kept: my cat is called Tar.');
      const third = await signedIn(chat, TOBIAS);
      expect((await lines(third)).join(' ')).to.not.contain('Tar');
    });

    it('begins nothing while the chat only waits, and takes up what was begun', async () => {
      const chat = await known();
      const visitor = visitorAt(chat.link);
      const token = await tokenOf({ ...INES, sub: 'waits-1' });
      const talks = async () =>
        (await service.client.call('listConversations', { params: { bot: chat.bot }, query: {} })).items.length;
      const looked = await visitor.post('/open', { language: 'en', token, waits: true });
      expect(looked.body).to.deep.include({ begun: false, lines: [], who: { name: INES.name, email: INES.email } });
      visitor.key = String(looked.body['key']);
      const early = await visitor.post('/messages', { id: 'early', text: 'too early' });
      expect([early.status, early.body['detail']]).to.deep.equal([401, 'Open the chat first; there is no conversation yet.']);
      expect(await talks()).to.equal(0);
      expect((await openWith(visitor, token)).body).to.deep.include({ begun: true });
      await linesWhen(visitor, (all) => said(all).length > 1);
      expect(await tell(visitor, 'a word of Ines')).to.include('Kept: a word of Ines.');
      const other = await visitorAt(chat.link).post('/open', { language: 'en', token, waits: true });
      expect(other.body['begun']).to.equal(true);
      expect(JSON.stringify(other.body['lines'])).to.contain('a word of Ines');
      expect(await talks()).to.equal(1);
      // Of a stranger nothing but the opening is kept, waiting or not.
      expect((await visitorAt(chat.link).post('/open', { language: 'en', waits: true })).body['begun']).to.equal(true);
      expect(await talks()).to.equal(1);
    });

    it('is believed with an RSA key, and by which key where several could be', async () => {
      const chat = await known();
      await service.client.call('addTokenKey', {
        params: chat.params,
        body: { algorithm: 'RS256', id: 'rsa', publicKey: PUBLIC },
      });
      const good = await tokenOf(INES, { kid: 'rsa', alg: 'RS256', key: RSA.privateKey });
      expect((await openWith(visitorAt(chat.link), good)).status).to.equal(200);
      const unnamed = await tokenOf(INES, { kid: undefined });
      expect((await openWith(visitorAt(chat.link), unnamed)).status).to.equal(200);
      await service.client.call('addTokenKey', { params: chat.params, body: { algorithm: 'HS256', id: 'second' } });
      const unclear = await openWith(visitorAt(chat.link), unnamed);
      expect(unclear.body['detail']).to.contain('"kid"');
    });

    it('is not believed when expired, forged, of another algorithm, of a confused key, too long, for nobody, or withdrawn', async () => {
      const chat = await known();
      await service.client.call('addTokenKey', {
        params: chat.params,
        body: { algorithm: 'RS256', id: 'rsa', publicKey: PUBLIC },
      });
      const other = generateKeyPairSync('rsa', { modulusLength: 2048 });
      const good = await tokenOf(INES);
      const [head = '', body = '', signature = ''] = good.split('.');
      const changed = Buffer.from(JSON.stringify({ ...INES, sub: 'c-2', exp: now() + 300 })).toString('base64url');
      const bad: readonly (readonly [string, string, string])[] = [
        ['expired', await tokenOf(INES, { issued: now() - 900 }), 'The time of the token is over'],
        ['another secret', await tokenOf(INES, { key: bytes('x'.repeat(40)) }), 'The signature of the token is not right'],
        ['changed claims', [head, changed, signature].join('.'), 'The signature of the token is not right'],
        ['no signature', new UnsecuredJWT(INES).setExpirationTime('5m').encode(), 'HS256 or RS256'],
        ['HS384', await tokenOf(INES, { alg: 'HS384', key: bytes(SECRET.repeat(2)) }), 'HS256 or RS256'],
        // The public key is no secret: a token "signed" with it must be worth nothing (RFC 8725, 2.1).
        ['public key as secret', await tokenOf(INES, { kid: 'rsa', key: bytes(PUBLIC) }), 'another way than its key'],
        ['public key, key not named', await tokenOf(INES, { kid: undefined, key: bytes(PUBLIC) }), 'not right'],
        ['RS256 for the secret', await tokenOf(INES, { alg: 'RS256', key: RSA.privateKey }), 'another way than its key'],
        ['other RSA key', await tokenOf(INES, { kid: 'rsa', alg: 'RS256', key: other.privateKey }), 'not right'],
        ['unknown key', await tokenOf(INES, { kid: 'gone' }), 'not here, or not any more'],
        ['a week long', await tokenOf(INES, { lasts: 7 * 86_400 }), 'more than a day'],
        ['for nobody', await tokenOf({ name: 'Ines' }), '"sub"'],
        ['not yet', await tokenOf({ ...INES, nbf: now() + 600 }), 'not valid yet'],
        ['no token', 'x.y', 'no JSON Web Token'],
        ['empty claims', `${head}..${signature}`, ''],
      ];
      for (const [what, token, says] of bad) {
        const { status, body: told } = await openWith(visitorAt(chat.link), token);
        expect([what, status, told['code']]).to.deep.equal([what, 401, 'sign-in-failed']);
        expect(told['detail'], what).to.contain(says);
      }
      // What anybody can send is a row a reason, with how often; nothing of it is kept.
      for (let i = 0; i < 20; i++) await openWith(visitorAt(chat.link), 'x.y');
      const events = async () => (await service.client.call('listChannelEvents', { params: chat.params })).items;
      await until(async () => (await events()).some((e) => e.about?.endsWith('malformed') && e.times >= 20));
      const items = await events();
      expect(items.length).to.be.within(6, bad.length);
      expect(items.every((e) => e.outcome === 'refused')).to.equal(true);
      expect(JSON.stringify(items)).to.not.contain(body);
    });

    it('ends with its key: who signed in by it is nobody any more', async () => {
      const chat = await known();
      const visitor = await signedIn(chat, INES);
      await tell(visitor, 'a word of Ines');
      await service.client.call('withdrawTokenKey', { params: { ...chat.params, key: 'site' } });
      expect((await visitor.say('still me')).status).to.equal(401);
      expect((await openWith(visitorAt(chat.link), await tokenOf(INES))).body['code']).to.equal('sign-in-failed');
      const opened = await visitor.post('/open', { key: visitor.key, language: 'en' });
      expect([opened.body['who'], opened.body['signedOut'], opened.body['key'] === visitor.key]).to.deep.equal([
        null,
        true,
        false,
      ]);
      expect(JSON.stringify(opened.body)).to.not.contain('a word of Ines');
    });

    it('keeps each of the keys and settings that several people change at once, and none that was withdrawn', async () => {
      const chat = await known();
      const { params } = chat;
      const settings = (await service.client.call('getWebChat', { params })).settings;
      for (let round = 0; round < 5; round++) {
        const ids = ['a', 'b', 'c'].map((n) => `${n}${round}`);
        await Promise.all([
          ...ids.map((id) => service.client.call('addTokenKey', { params, body: { algorithm: 'HS256', id } })),
          service.client.call('setWebChat', { params, body: { ...settings, accent: `#00000${round}` } }),
        ]);
        const both = await service.client.call('getWebChat', { params });
        expect([both.keys.map((k) => k.id).sort(), both.settings.accent]).to.deep.equal([
          [...ids, 'site'].sort(),
          `#00000${round}`,
        ]);
        await Promise.all([
          ...ids.map((key) => service.client.call('withdrawTokenKey', { params: { ...params, key } })),
          service.client.call('setWebChat', { params, body: settings }),
        ]);
        expect((await service.client.call('getWebChat', { params })).keys.map((k) => k.id)).to.deep.equal(['site']);
      }
    });

    it('leaves nobody signed in who comes while the key is withdrawn', async () => {
      for (let round = 0; round < 8; round++) {
        const chat = await known();
        const visitors = Array.from({ length: 6 }, () => visitorAt(chat.link));
        const tokens = await Promise.all(visitors.map((_, i) => tokenOf({ ...INES, sub: `c-${i}` })));
        const [answers] = await Promise.all([
          Promise.all(visitors.map((v, i) => openWith(v, tokens[i] ?? ''))),
          service.client.call('withdrawTokenKey', { params: { ...chat.params, key: 'site' } }),
        ]);
        for (const [i, visitor] of visitors.entries()) {
          const { status, body } = answers[i] ?? {};
          if (status !== 200) expect(body?.['code']).to.equal('sign-in-failed');
          // Whose sign-in was gone before the chat was open is told so, and is a stranger like any other.
          else if (body?.['signedOut'] === true)
            expect([body['who'], (await visitor.post('/open', { key: visitor.key })).body['who']]).to.deep.equal([null, null]);
          else expect((await visitor.say('still me')).status).to.equal(401);
        }
      }
    });

    it('is worth nothing once somebody was signed out everywhere after it was issued', async () => {
      const chat = await known();
      const old = await tokenOf(INES, { issued: now() - 60 });
      const visitor = visitorAt(chat.link);
      await openWith(visitor, old);
      const { items } = await service.client.call('listVisitors', { params: { bot: chat.bot }, query: {} });
      const person = items.find((v) => v.by === 'person');
      expect([person?.name, person?.email]).to.deep.equal(['Ines Marlow', 'ines@marrow-sound.example']);
      const params = { bot: chat.bot, visitor: person?.id ?? '' };
      expect((await service.client.call('getVisitor', { params })).signIns).to.equal(1);
      expect((await service.client.call('endSignIns', { params })).signIns).to.equal(0);
      expect((await visitor.say('x')).status).to.equal(401);
      expect((await openWith(visitorAt(chat.link), old)).body['detail']).to.contain('signed out everywhere');
      expect((await openWith(visitorAt(chat.link), await tokenOf(INES, { issued: now() + 5 }))).status).to.equal(200);
    });

    it('is a person of one web chat, or of all whose tokens have the same issuer', async () => {
      const chat = await known();
      const second = await service.client.call('createWebChat', { params: { bot: chat.bot }, body: { name: 'Second' } });
      const params = { bot: chat.bot, channel: second.id };
      await service.client.call('addTokenKey', { params, body: { algorithm: 'HS256', id: 'site', secret: SECRET } });
      await signedIn(chat, INES);
      await signedIn({ ...chat, link: second.link }, { ...TOBIAS, sub: INES.sub });
      const persons = async () =>
        (await service.client.call('listVisitors', { params: { bot: chat.bot }, query: {} })).items.filter(
          (v) => v.by === 'person',
        );
      expect((await persons()).length).to.equal(2);
      const signIn = { ...CHAT_SETTINGS.signIn, issuer: 'the-site' };
      for (const channel of [chat.params.channel, second.id])
        await service.client.call('setWebChat', { params: { bot: chat.bot, channel }, body: { ...CHAT_SETTINGS, signIn } });
      expect((await openWith(visitorAt(chat.link), await tokenOf(INES))).body['detail']).to.contain('"iss"');
      await signedIn(chat, { ...INES, iss: 'the-site' });
      await signedIn({ ...chat, link: second.link }, { ...INES, iss: 'the-site' });
      expect((await persons()).length).to.equal(3);
    });
  });

  describe('by a code that comes by mail', () => {
    it('is signed in by the right code, once', async () => {
      const chat = await known();
      const visitor = visitorAt(chat.link);
      await visitor.open();
      const email = 'una@marrow-sound.example';
      expect((await visitor.post('/sign-in/mail', { email })).status).to.equal(202);
      const code = await codeTo(email);
      const letter = mailbox.letters(email)[0];
      expect(letter?.subject).to.equal(`${code} is your code for Knowing`);
      expect(letter?.text).to.contain('good for 10 minutes').and.contain(code);
      const stranger = visitorAt(chat.link);
      await stranger.open();
      expect((await stranger.post('/sign-in/code', { code })).body['detail']).to.contain('not valid any more');
      const { body } = await visitor.post('/sign-in/code', { code });
      expect(body['who']).to.deep.equal({ name: null, email });
      expect((await visitor.post('/sign-in/code', { code })).status).to.equal(401);
    });

    for (const [language, words, minutes] of [
      ['de', 'ist Ihr Code für Knowing', 'Er gilt 10 Minuten'],
      ['es', 'es su código para Knowing', 'Vale durante 10 minutos'],
      ['fr-CA', 'est votre code pour Knowing', 'Il est valable 10 minutes'],
      ['tlh', 'is your code for Knowing', 'good for 10 minutes'],
    ] as const)
      it(`comes in a letter in the language of the chat, ${language}`, async () => {
        // Whatever the browser asks for: it is the chat that they read.
        const chat = await known({}, { languages: [language] });
        const visitor = visitorAt(chat.link);
        visitor.headers = { 'accept-language': 'sv' };
        await visitor.open(language);
        const email = `${language}@marrow-sound.example`.toLowerCase();
        expect((await visitor.post('/sign-in/mail', { email })).status).to.equal(202);
        const code = await codeTo(email);
        const [letter] = mailbox.letters(email);
        expect(letter?.subject).to.equal(`${code} ${words}`);
        expect(letter?.text).to.contain(minutes).and.contain(code);
      });

    it('cannot be guessed: a hundred tries of a code come to nothing, the right one included', async () => {
      const chat = await known();
      const visitor = visitorAt(chat.link);
      await visitor.open();
      const email = 'guess@marrow-sound.example';
      await visitor.post('/sign-in/mail', { email });
      const code = await codeTo(email);
      const wrong = String((Number(code) + 1) % 1_000_000).padStart(6, '0');
      const told: string[] = [];
      const tries = await Promise.all(Array.from({ length: 8 }, () => visitor.post('/sign-in/code', { code: wrong })));
      told.push(...tries.map((t) => String(t.body['detail'])));
      expect(tries.map((t) => t.status)).to.deep.equal(Array(8).fill(401));
      // Each is told its own number: of eight at once five are tries, and no two of them the same.
      const left = told.flatMap((t) => /(one|\d) (?:try is|tries are) left/.exec(t)?.[1] ?? []);
      expect(left.sort()).to.deep.equal(['2', '3', '4', 'one']);
      expect(told.some((t) => t.includes('any more'))).to.equal(true);
      for (let i = 0; i < 92; i++) expect((await visitor.post('/sign-in/code', { code: wrong })).status).to.be.oneOf([401, 429]);
      const right = await visitor.post('/sign-in/code', { code });
      expect([right.status, right.body['who']]).to.deep.equal([right.status === 429 ? 429 : 401, undefined]);
    });

    it('leaves somebody who has signed in here themselves who they are, when a page names another', async () => {
      const chat = await known();
      const ines = visitorAt(chat.link);
      await ines.open();
      const email = 'ines.herself@marrow-sound.example';
      await ines.post('/sign-in/mail', { email });
      expect((await ines.post('/sign-in/code', { code: await codeTo(email) })).status).to.equal(200);
      await ines.open();
      await tell(ines, 'a word of Ines');
      const tobias = visitorAt(chat.link);
      tobias.key = ines.key;
      await openWith(tobias, await tokenOf(TOBIAS));
      expect((await lines(tobias)).join(' ')).to.not.contain('a word of Ines');
      const again = await ines.post('/open', { language: 'en', key: ines.key });
      expect(again.body['who']).to.deep.include({ email });
      expect(JSON.stringify(again.body['lines'])).to.contain('a word of Ines');
    });

    it('is not sent without end to one mailbox, and what was asked last counts', async () => {
      const chat = await known();
      const email = 'often@marrow-sound.example';
      const visitor = visitorAt(chat.link);
      await visitor.open();
      await visitor.post('/sign-in/mail', { email });
      const first = await codeTo(email);
      await visitor.post('/sign-in/mail', { email });
      const second = await codeTo(email, 1);
      expect(mailbox.letters(email).length).to.equal(2);
      if (first !== second) expect((await visitor.post('/sign-in/code', { code: first })).status).to.equal(401);
      for (let i = 0; i < 5; i++) await visitor.post('/sign-in/mail', { email });
      const { status, body } = await visitor.post('/sign-in/mail', { email });
      expect([status, String(body['detail'])]).to.deep.equal([
        401,
        'Too many codes were asked for. Use the last one that came, or try again in an hour.',
      ]);
      expect(mailbox.letters(email).length).to.equal(5);
    });

    it('says what to do where the mail server does not take it, and where it is switched off', async () => {
      const chat = await known();
      const visitor = visitorAt(chat.link);
      await visitor.open();
      mailbox.refuses = true;
      const refused = await visitor.post('/sign-in/mail', { email: 'full@marrow-sound.example' });
      mailbox.refuses = false;
      expect(refused.body['detail']).to.contain('could not be sent').and.contain('452');
      await service.client.call('setWebChat', { params: chat.params, body: CHAT_SETTINGS });
      const off = await visitor.post('/sign-in/mail', { email: 'off@marrow-sound.example' });
      expect(off.body['detail']).to.contain('Nobody signs in by mail here');
    });

    it('is asked for in the talk, which goes on as theirs', async () => {
      const chat = await known();
      const visitor = visitorAt(chat.link);
      await visitor.open();
      await tell(visitor, 'my boat is red');
      expect(await tell(visitor, 'show my bookings')).to.deep.equal([
        'For this I have to know who you are. Please sign in below, or tell me your e-mail address and I will send you a code.',
      ]);
      const email = 'talk@marrow-sound.example';
      await tell(visitor, email);
      const code = await codeTo(email);
      await visitor.say(`the code is ${code}`);
      await visitor.until(`Bookings of ${email}`);
      const { items: talks } = await service.client.call('listConversations', { params: { bot: chat.bot }, query: {} });
      expect(talks.map((t) => t.visitor)).to.deep.equal([email]);
      const all = await linesWhen(visitor, () => true);
      // Nothing is lost or said twice by the change.
      const words = said(all);
      expect(words.filter((w) => w.startsWith('Thank you')).length).to.equal(1);
      expect(words).to.include('Kept: my boat is red.');
      // It is theirs on another device as well, with what they had said in it.
      const other = visitorAt(chat.link);
      await other.open();
      await other.post('/sign-in/mail', { email });
      await other.post('/sign-in/code', { code: await codeTo(email, 1) });
      await other.open();
      expect((await lines(other)).join(' ')).to.contain('Kept: my boat is red.');
      // Whoever signs out has nothing of it.
      await visitor.post('/sign-out');
      const stranger = await visitor.post('/open', { key: visitor.key, language: 'en' });
      expect(JSON.stringify(stranger.body)).to.not.contain('red');
    });

    it('goes on in the talk when the page signs them in meanwhile', async () => {
      const chat = await known();
      const visitor = visitorAt(chat.link);
      await visitor.open();
      await tell(visitor, 'show my bookings');
      await openWith(visitor, await tokenOf(INES));
      await visitor.until('Bookings of ines@marrow-sound.example: KEL 4821');
    });

    it('is asked for on a messenger, and who writes there is the same person then', async () => {
      const chat = await known();
      const profile = {
        events: 'body.list',
        event: { id: 'item.id', sender: 'item.from', text: 'item.text' },
        calls: { address: 'http://127.0.0.1:9/api', message: { post: '/send/{{ to }}', body: { text: '{{ text }}' } } },
      };
      const { link: hook } = await service.client.call('createChannel', {
        params: { bot: chat.bot },
        body: { kind: 'hook-messenger', name: 'Plain', profile },
      });
      let n = 0;
      const send = (text: string) =>
        fetch(hook, {
          method: 'POST',
          headers: { 'content-type': 'application/json' },
          body: JSON.stringify({ list: [{ id: `k${n++}`, from: '771', text }] }),
        });
      const talk = async (): Promise<string[]> => {
        const { items } = await service.client.call('listConversations', { params: { bot: chat.bot }, query: {} });
        const conversation = items.find((c) => c.channel.kind === 'hook-messenger')?.id ?? '';
        const found = await service.client.call('getConversation', { params: { bot: chat.bot, conversation }, query: {} });
        return said(found.lines.items);
      };
      const sendAndHear = async (text: string, hears: string) => {
        await send(text);
        await until(async () => (await talk().catch(() => [])).some((l) => l.includes(hears)));
      };
      const email = 'mess@marrow-sound.example';
      await sendAndHear('hello', 'Hello stranger');
      await sendAndHear('my bookings please', 'What is your e-mail address?');
      await sendAndHear(`it is ${email}`, 'I have sent a code');
      await sendAndHear(await codeTo(email), `Bookings of ${email}`);
      // From now on they are known there, and what they say is known on the web chat as well.
      await sendAndHear('the parrot is mine', 'Kept: the parrot is mine.');
      await send('my bookings please');
      await until(async () => (await talk()).filter((l) => l.includes(`Bookings of ${email}`)).length === 2);
      const visitor = visitorAt(chat.link);
      await visitor.open();
      await visitor.post('/sign-in/mail', { email });
      await visitor.post('/sign-in/code', { code: await codeTo(email, 1) });
      await visitor.open();
      await until(async () => (await lines(visitor)).length > 0);
      expect((await lines(visitor))[0]).to.contain('You told me: the parrot is mine.');
      const { items } = await service.client.call('listVisitors', { params: { bot: chat.bot }, query: {} });
      const sender = items.find((v) => v.by === 'sender');
      expect(sender?.linkedBy).to.equal('sign-in');
      // Parted again it takes along what was said there, and the web chat knows nothing of it any more.
      await service.client.call('partVisitor', { params: { bot: chat.bot, visitor: sender?.id ?? '' } });
      await visitor.post('/start-over');
      await until(async () => (await lines(visitor)).some((l) => l.includes('You told me: nothing')));
    });
  });

  describe('by an identity service', () => {
    const withService = () => known({ service: { issuer, client: 'knowing', name: 'a Sound account' } });
    const ready = async () => {
      const chat = await withService();
      const settings = (await service.client.call('getWebChat', { params: chat.params })).settings;
      await service.client.call('setWebChat', { params: chat.params, body: { ...settings, serviceSecret: 'sound' } });
      return chat;
    };
    /** Goes where a browser is led, and signs in as an account there; the page that it comes back to. */
    const signInThere = async (address: string, account: string): Promise<string> => {
      const asked = new URL(address);
      const body = new URLSearchParams([...asked.searchParams, ['account', account]]);
      const led = await fetch(new URL('/authorize', asked), { method: 'POST', body, redirect: 'manual' });
      return (await fetch(led.headers.get('location') ?? '')).text();
    };
    const grantIn = (page: string) =>
      JSON.parse(/<script type="application\/json" id="data">(.*?)<\/script>/.exec(page)?.[1] ?? '{}') as {
        grant?: string;
        problem?: string;
      };

    it('signs in whoever began it, by what the window hands back', async () => {
      const chat = await ready();
      const visitor = visitorAt(chat.link);
      await visitor.open();
      const { body } = await visitor.post('/sign-in/service');
      const { grant } = grantIn(await signInThere(String(body['address']), 'h-7'));
      const done = await visitor.post('/sign-in/finish', { grant });
      expect(done.body['who']).to.deep.equal({ name: 'Ines Marlow', email: 'ines.marlow@marrow-sound.example' });
      await visitor.open();
      await until(async () => (await lines(visitor)).length > 0);
      expect((await lines(visitor))[0]).to.contain('Hello Ines.');
    });

    it('signs in nobody else: what was begun in one chat is worth nothing in another', async () => {
      const chat = await ready();
      const [thief, victim] = [visitorAt(chat.link), visitorAt(chat.link)];
      await thief.open();
      await victim.open();
      const { body } = await thief.post('/sign-in/service');
      // The victim follows the thief's address and signs in; what comes back stays in the victim's window.
      const { grant } = grantIn(await signInThere(String(body['address']), 'h-7'));
      expect((await thief.post('/sign-in/code', { code: '1' })).status).to.equal(401);
      const taken = await victim.post('/sign-in/finish', { grant });
      expect([taken.status, String(taken.body['detail'])]).to.deep.equal([
        401,
        'The identity service could not be asked: this sign-in was begun in another window. Try again, or sign in another way.',
      ]);
      expect((await victim.post('/open', { key: victim.key, language: 'en' })).body['who']).to.equal(null);
    });

    it('says what to do where nobody signed in, the service is away, or what comes back is made up', async () => {
      const chat = await ready();
      const visitor = visitorAt(chat.link);
      await visitor.open();
      const { body } = await visitor.post('/sign-in/service');
      expect(grantIn(await signInThere(String(body['address']), '')).problem).to.contain('nobody signed in there');
      const made = await fetch(`${service.address}/api/sign-in/back?code=x&state=made-up`);
      expect(made.headers.get('cross-origin-opener-policy')).to.equal('unsafe-none');
      expect(grantIn(await made.text()).problem).to.contain('this sign-in is over, or was never begun here');
      expect((await visitor.post('/sign-in/finish', { grant: 'made-up' })).status).to.equal(401);
      const gone = { service: { issuer: 'http://127.0.0.1:9', client: 'knowing', name: 'x' } };
      await service.client.call('setWebChat', {
        params: chat.params,
        body: { ...CHAT_SETTINGS, signIn: { ...CHAT_SETTINGS.signIn, ...gone } },
      });
      const away = await visitor.post('/sign-in/service');
      expect(away.body['detail']).to.contain('could not be asked');
      await service.client.call('setWebChat', { params: chat.params, body: CHAT_SETTINGS });
      expect((await visitor.post('/sign-in/service')).body['detail']).to.contain('No identity service is set here');
    });
  });

  it('sees their own conversations before this one, and nobody else’s', async () => {
    const chat = await known();
    const ines = await signedIn(chat, INES);
    await tell(ines, 'the first word');
    await ines.post('/start-over');
    await ines.open();
    await tell(ines, 'the second word');
    const read = (visitor: TestVisitor, path: string) => past(visitor, chat.link, path);
    const { body } = await read(ines, '/history');
    expect(body.items?.map((i) => i.said)).to.deep.equal(['the first word']);
    const id = body.items?.[0]?.id ?? '';
    expect((await read(ines, `/history/${id}`)).body.lines?.some((l) => l.message.text.includes('the first word'))).to.equal(
      true,
    );
    const stranger = visitorAt(chat.link);
    await stranger.open();
    await tell(stranger, 'hm');
    expect((await read(stranger, '/history')).body.items).to.deep.equal([]);
    expect((await read(stranger, `/history/${id}`)).status).to.equal(404);
    // Whom staff alone take for Ines has not shown to be her, and looks back at nothing of hers.
    const { items } = await service.client.call('listVisitors', { params: { bot: chat.bot }, query: {} });
    const [person, key] = [items.find((v) => v.by === 'person')?.id ?? '', items.find((v) => v.by === 'key')?.id ?? ''];
    await service.client.call('joinVisitor', { params: { bot: chat.bot, visitor: person }, body: { visitor: key } });
    expect((await read(stranger, `/history/${id}`)).status).to.equal(404);
    expect(await tell(stranger, 'show my bookings')).to.not.include('Bookings of ines@marrow-sound.example: KEL 4821, seat 7.');
  });

  it('shows nobody another’s words or values, whatever is signed in, signed out, joined and parted', async function () {
    const chat = await known();
    const next = chanceOf(22);
    const people = [INES, TOBIAS, { sub: 'c-3', name: 'Una Reed', email: 'una@x.example', bookings: [] }];
    /** Each visitor says words of their own only; `mine` are those that they may see, by whoever they are now. */
    const browsers = [0, 1, 2, 3].map(() => ({ visitor: visitorAt(chat.link), as: undefined as number | undefined }));
    const words = new Map<string, number | string>();
    for (const b of browsers) await b.visitor.open();
    const pick = <T>(list: readonly T[]): T => list[Math.floor(next() * list.length)] as T;
    for (let step = 0; step < 60; step++) {
      const browser = pick(browsers);
      const { visitor } = browser;
      const does = pick(['say', 'say', 'sign-in', 'sign-out', 'over'] as const);
      if (does === 'sign-in') {
        browser.as = Math.floor(next() * people.length);
        await openWith(visitor, await tokenOf({ ...people[browser.as] }));
      }
      if (does === 'sign-out' && browser.as !== undefined) {
        await visitor.post('/sign-out');
        browser.as = undefined;
        await visitor.open();
      }
      if (does === 'over') {
        await visitor.post('/start-over');
        if (browser.as === undefined) await visitor.open();
      }
      const who = browser.as ?? `browser ${browsers.indexOf(browser)}`;
      if (does === 'say') {
        const word = `word-${step}-x`;
        words.set(word, who);
        await visitor.say(word);
        await visitor.until(`Kept: ${word}.`);
      }
      const seen = (await linesWhen(visitor, () => true)).map((l) => l.message.text).join(' ');
      for (const [word] of seen.matchAll(/word-\d+-x/g))
        expect([step, does, word, words.get(word)]).to.deep.equal([step, does, word, who]);
    }
  });
});
