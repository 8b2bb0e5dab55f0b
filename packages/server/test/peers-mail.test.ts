import { expect } from 'chai';
import { ImapFlow } from 'imapflow';
import type { ChildProcess } from 'node:child_process';
import { MAIL_DOMAIN, PEER_PASSWORD, startImap, type Peer } from '../../../scripts/lib/peers.mjs';
import { releasedPeerBot } from './support/peer-bot.js';
import { DATABASE_URL, PORTS, startChild, startTestService, stopChild, type TestService } from './support/service.js';
import { until } from './support/until.js';

const DESK = `desk@${MAIL_DOMAIN}`;
const MAILBOX = new URL('../../stand-ins/dist/mailbox/main.js', import.meta.url).pathname;
const SMTP = PORTS + 350;

interface Letter {
  readonly to: readonly string[];
  readonly subject: string;
  readonly text: string;
  readonly headers: Readonly<Record<string, string>>;
}

describe('mail, against dovecot', () => {
  let server: Peer;
  let service: TestService;
  let mailbox: { child: ChildProcess; port: number };
  let bot = '';
  let channel = '';
  let letters = 0;
  const params = () => ({ bot, channel });
  const state = () => service.client.call('getChannel', { params: params() });
  const connected = (seconds = 90) => until(async () => (await state()).line?.state === 'connected', seconds);
  const events = async () => (await service.client.call('listChannelEvents', { params: params() })).items;

  /** Puts a letter into the desk's mailbox; returns its id. */
  const post = async (
    text: string,
    more: Readonly<Record<string, string>> = {},
    from = 'Isla Marrick <isla@visitors.example>',
  ) => {
    const id = more['Message-ID'] ?? `<letter-${++letters}@visitors.example>`;
    const head = Object.entries({ From: from, To: DESK, Subject: 'A question', 'Message-ID': id, ...more }).map(
      ([k, v]) => `${k}: ${v}`,
    );
    const source = `${head.join('\r\n')}\r\n\r\n${text.replace(/\n/g, '\r\n')}\r\n`;
    const box = new ImapFlow({
      ...{ host: '127.0.0.1', port: server.port, secure: false, doSTARTTLS: false, logger: false },
      auth: { user: DESK, pass: PEER_PASSWORD },
    });
    await box.connect();
    await box.append('INBOX', Buffer.from(source));
    await box.logout();
    return id;
  };
  const answers = async (to: string): Promise<Letter[]> => {
    const all = (await (await fetch(`http://127.0.0.1:${mailbox.port}/letters?to=${encodeURIComponent(to)}`)).json()) as Letter[];
    return [...all].reverse();
  };
  const answered = async (to: string, words: string, count = 1): Promise<Letter> => {
    let found: Letter[] = [];
    await until(async () => {
      found = (await answers(to)).filter((l) => l.text.includes(words));
      return found.length >= count;
    }, 60).catch(async () => {
      throw new Error(
        `no letter with "${words}" to ${to}: ${JSON.stringify([(await answers(to)).map((l) => l.text), (await events()).slice(0, 5).map((e) => [e.outcome, e.about])])}`,
      );
    });
    return found.at(-1) as Letter;
  };
  const settings = () => ({
    address: DESK,
    name: 'Harbour desk',
    imap: { host: '127.0.0.1', port: server.port, tls: false },
    smtp: { host: '127.0.0.1', port: SMTP, tls: false },
    signature: 'Marrow Sound Ferries',
  });

  before(async () => {
    server = await startImap({ accounts: ['desk', 'list'] });
    mailbox = await startChild(MAILBOX, ['--port', '0', '--smtp', String(SMTP)], {});
    service = await startTestService({ databaseUrl: DATABASE_URL });
    bot = await releasedPeerBot(service.client);
    await post('This lay here before.');
    const made = await service.client.call('createChannel', {
      params: { bot },
      body: { kind: 'mail', name: 'Letters', settings: settings(), secrets: { password: PEER_PASSWORD } },
    });
    channel = made.id;
    await connected();
  });
  after(async () => {
    await service.stop();
    await stopChild(mailbox.child);
    await server.end();
  });

  it('answers a letter in its thread, in one letter, and leaves what lay there before', async () => {
    const id = await post('Good day,\nwhat now?\n-- \nIsla\n');
    const first = await answered('isla@visitors.example', 'What is it?');
    expect(first.subject).to.equal('Re: A question');
    expect(first.headers['in-reply-to']).to.equal(id);
    expect(first.headers['auto-submitted']).to.equal('auto-replied');
    expect(first.text).to.match(/-- \r?\nMarrow Sound Ferries$/);
    const reply = { 'In-Reply-To': first.headers['message-id'] ?? '', References: `${id} ${first.headers['message-id'] ?? ''}` };
    await post('menu\n\nOn Tue, 12 May 2026 at 10:00, Harbour desk <desk@marrow-sound.example>\nwrote:\n> What is it?\n', reply);
    const choices = await answered('isla@visitors.example', '1. the Sandpiper');
    await post('2\n\n> Which boat?\n', { 'In-Reply-To': choices.headers['message-id'] ?? '' });
    const took = await answered('isla@visitors.example', 'You took the wrackline.');
    expect(took.text, 'what is said at once stands in one letter').to.include('What is it?');
    expect((await answers('isla@visitors.example')).length).to.equal(3);
    expect((await state()).conversations).to.equal(1);
  });

  it('begins a conversation for every new thread, and knows the writer in it', async () => {
    await post('Hello again', { Subject: 'Another thing' });
    const first = await answered('isla@visitors.example', 'What is it?', 3);
    expect(first.subject).to.equal('Re: Another thing');
    await post('my boat', { 'In-Reply-To': first.headers['message-id'] ?? '' });
    await answered('isla@visitors.example', 'Your boat: wrackline.');
    expect((await state()).conversations).to.equal(2);
    await post('Hello', { Subject: 'Mine' }, 'jonas@visitors.example');
    const his = await answered('jonas@visitors.example', 'What is it?');
    await post('my boat', { 'In-Reply-To': his.headers['message-id'] ?? '' }, 'jonas@visitors.example');
    await answered('jonas@visitors.example', 'Your boat: none.');
    // Whoever names a letter of somebody else's thread does not come into it.
    await post('my boat', { 'In-Reply-To': first.headers['message-id'] ?? '' }, 'thief@visitors.example');
    const stolen = await answered('thief@visitors.example', 'What is it?');
    expect(stolen.text).not.to.include('wrackline');
  });

  it('never answers what no person wrote: bounces, automatic answers, lists, itself, forged senders', async () => {
    const before = (await answers('robot@elsewhere.example')).length;
    const robot = 'robot@elsewhere.example';
    await post('I am away', { 'Auto-Submitted': 'auto-replied' }, robot);
    await post('It did not arrive', { 'Return-Path': '<>' }, robot);
    await post('To all', { 'List-Id': '<all.elsewhere.example>' }, robot);
    await post('Offers', { Precedence: 'bulk' }, robot);
    await post('It did not arrive', {}, 'MAILER-DAEMON@elsewhere.example');
    await post('My own', {}, DESK);
    await post(
      'Forged',
      { 'Authentication-Results': 'mx.marrow-sound.example; dmarc=fail header.from=elsewhere.example' },
      robot,
    );
    await post('Report', { 'Content-Type': 'multipart/report; report-type=delivery-status; boundary=x' }, robot);
    await post('no address', {}, 'nobody');
    const marker = 'tamsin@visitors.example';
    await post('Hello', {}, marker);
    await answered(marker, 'What is it?');
    expect((await answers(robot)).length).to.equal(before);
    expect((await answers(DESK)).length).to.equal(0);
    const about = (await events()).filter((e) => e.outcome === 'passed-over').map((e) => e.about);
    for (const words of [
      'automatic',
      'report of a mail server',
      'mailing list',
      'bulk',
      'this account itself',
      'dmarc=fail',
      'without an address',
    ])
      expect(
        about.some((a) => a.includes(words)),
        words,
      ).to.equal(true);
  });

  it('keeps what is attached, and reads pages as words', async () => {
    const picture = 'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==';
    const parts = [
      '--b\r\nContent-Type: text/html; charset=utf-8\r\n\r\n<p>Look at <b>this</b></p>\r\n',
      `--b\r\nContent-Type: image/png; name="boat.png"\r\nContent-Transfer-Encoding: base64\r\nContent-Disposition: attachment; filename="boat.png"\r\n\r\n${picture}\r\n`,
      '--b--',
    ];
    const writer = 'morna@visitors.example';
    await post(parts.join(''), { 'Content-Type': 'multipart/mixed; boundary=b', 'MIME-Version': '1.0' }, writer);
    await answered(writer, 'What is it?');
    const { items } = await service.client.call('listConversations', { params: { bot }, query: {} });
    const id = items.find((c) => c.visitor === 'morna@visitors.example')?.id ?? '';
    const { lines } = await service.client.call('getConversation', { params: { bot, conversation: id }, query: {} });
    expect(lines.items[0]?.message.text).to.match(/^Look at this\s+!\[a picture\]\(http/);
  });

  it('takes a letter once that comes twice, and one that is broken costs nobody else anything', async () => {
    const writer = 'piet@visitors.example';
    await post('Twice', { 'Message-ID': '<same@visitors.example>' }, writer);
    await post('Twice', { 'Message-ID': '<same@visitors.example>' }, writer);
    await post(`${'=?utf-8?q?'.repeat(3000)}`, { Subject: `${'Re: '.repeat(500)}x`, References: '<a@b> '.repeat(2000) }, writer);
    await post('Content-Type', { 'Content-Type': 'multipart/mixed; boundary=' }, writer);
    const last = 'last@visitors.example';
    await post('Hello', {}, last);
    await answered(last, 'What is it?');
    expect((await events()).some((e) => e.outcome === 'repeat')).to.equal(true);
  });

  it('keeps answers while the server that sends is full or away, and sends them once', async () => {
    const writer = 'waits@visitors.example';
    await stopChild(mailbox.child);
    await post('Hello', {}, writer);
    await until(async () => (await events()).some((e) => e.outcome === 'retried' && e.about.includes('cannot be reached')), 60);
    mailbox = await startChild(MAILBOX, ['--port', '0', '--smtp', String(SMTP)], {});
    await answered(writer, 'What is it?');
    expect((await answers(writer)).length).to.equal(1);
  });

  it('loses and doubles nothing while the mailbox goes and comes back, and the service dies', async () => {
    const writers = Array.from({ length: 6 }, (_v, i) => `load-${i}@visitors.example`);
    for (const w of writers.slice(0, 3)) await post('Hello', {}, w);
    await server.stop();
    await until(async () => (await state()).line?.state === 'trouble', 60);
    await server.start();
    for (const w of writers.slice(3)) await post('Hello', {}, w);
    await service.crash();
    for (const w of writers) await answered(w, 'What is it?');
    await new Promise((r) => setTimeout(r, 1500));
    for (const w of writers) expect((await answers(w)).length, w).to.equal(1);
  });

  it('takes nothing twice and misses nothing where the server numbers its letters anew', async () => {
    const writer = 'anew@visitors.example';
    await service.client.call('updateChannel', { params: params(), body: { on: false } });
    const box = new ImapFlow({
      ...{ host: '127.0.0.1', port: server.port, secure: false, doSTARTTLS: false, logger: false },
      auth: { user: DESK, pass: PEER_PASSWORD },
    });
    await box.connect();
    // A folder that is made anew under its old name has another numbering.
    await box.mailboxCreate('Desk');
    await box.logout();
    await service.client.call('updateChannel', {
      params: params(),
      body: { on: true, settings: { ...settings(), folder: 'Desk' } },
    });
    await connected();
    const put = async (folder: string) => {
      const again = new ImapFlow({
        ...{ host: '127.0.0.1', port: server.port, secure: false, doSTARTTLS: false, logger: false },
        auth: { user: DESK, pass: PEER_PASSWORD },
      });
      await again.connect();
      await again.append(
        folder,
        Buffer.from(`From: ${writer}\r\nSubject: x\r\nMessage-ID: <anew@visitors.example>\r\n\r\nHello\r\n`),
      );
      await again.logout();
    };
    await put('Desk');
    await answered(writer, 'What is it?');
    await service.client.call('updateChannel', { params: params(), body: { settings: settings() } });
    await connected();
    await put('INBOX');
    const last = 'afterwards@visitors.example';
    await post('Hello', {}, last);
    await answered(last, 'What is it?');
    expect((await answers(writer)).length).to.equal(1);
  });

  it('says why it is not connected when the password is another one now', async () => {
    await service.client.call('updateChannel', { params: params(), body: { secrets: { password: 'another one' } } });
    await until(async () => (await state()).line?.reason?.includes('does not accept the password') === true, 60);
    await service.client.call('updateChannel', { params: params(), body: { secrets: { password: PEER_PASSWORD } } });
    await connected();
  });
});
