import { randomBytes } from 'node:crypto';
import { expect } from 'chai';
import { zipSync, strToU8 } from 'fflate';
import fc from 'fast-check';
import { failureOf, type Message } from '@primrose/core';
import { hashSecret, newId, sleep } from '../src/base/clock.js';
import { dayIn } from '../src/base/day.js';
import { own } from '../src/base/own.js';
import { addressKey, RateLimit } from '../src/base/rate-limit.js';
import { Recent } from '../src/base/recent.js';
import { Refused } from '../src/base/refused.js';
import { unzipped, type Room } from '../src/base/unzip.js';
import { dueLines } from '../src/channels/due.js';
import { waitAgain } from '../src/channels/patience.js';
import { mayCall, type AllowedAddresses } from '../src/outside/agent.js';
import { isCode } from '../src/outside/probe-codes.js';
import { redact, redacted } from '../src/outside/redact.js';
import { seal, unseal } from '../src/outside/secrets.js';
import { hashPassword, isPassword, secretIn, visitorKey } from '../src/pages/keys.js';
import { picturesOf } from '../src/pages/pictures.js';
import type { LineRow } from '../src/store/lines.js';
import { heldOf } from '../src/tables/cells.js';
import { linesOf, workbookOf, XLSX } from '../src/tables/workbook.js';
import { schedule } from '../src/turns/schedule.js';
import { TypingBoard } from '../src/turns/typing.js';
import { Wakes, type Hint } from '../src/turns/wakes.js';
import { handClock } from './support/clock.js';

describe('ids', () => {
  it('sort by the moment at which they were made, however many are made in one', () => {
    const clock = handClock(Date.UTC(2026, 10, 30));
    const made: string[] = [];
    for (let i = 0; i < 200; i++) {
      made.push(newId(clock));
      clock.move(i % 3);
    }
    const moments = made.map((id) => id.slice(0, 13));
    expect(moments).to.deep.equal([...moments].sort());
    expect(new Set(made).size).to.equal(made.length);
    for (const id of made) expect(id).to.match(/^[0-9a-f]{8}-[0-9a-f]{4}-7[0-9a-f]{3}-[89ab][0-9a-f]{3}-[0-9a-f]{12}$/);
  });

  it('of a moment are not guessed from those before', () => {
    const clock = handClock(1);
    const tails = Array.from({ length: 100 }, () => newId(clock).slice(14));
    expect(new Set(tails).size).to.equal(100);
  });
});

describe('waiting', () => {
  it('ends after its time, or at once when it is woken, and leaves no timer', async () => {
    const clock = handClock();
    let over = 0;
    const first = sleep(clock, 100);
    void first.done.then(() => over++);
    clock.move(99);
    await Promise.resolve();
    expect(over).to.equal(0);
    clock.move(1);
    await first.done;
    const second = sleep(clock, 100);
    second.wake();
    await second.done;
    second.wake();
    expect([over, clock.waiting()]).to.deep.equal([1, 0]);
  });
});

describe('a day in a time zone', () => {
  const moments: [string, string, string][] = [
    ['Europe/Dublin', '2026-06-30T23:30:00Z', '2026-07-01'],
    ['Europe/Dublin', '2026-12-31T23:59:59Z', '2026-12-31'],
    ['Pacific/Auckland', '2026-12-31T11:00:00Z', '2027-01-01'],
    ['America/Los_Angeles', '2026-03-01T07:59:00Z', '2026-02-28'],
    ['UTC', '2028-02-29T00:00:00Z', '2028-02-29'],
  ];
  for (const [zone, at, day] of moments)
    it(`${at} in ${zone} is ${day}`, () => {
      expect(dayIn(zone, new Date(at))).to.equal(day);
    });
});

describe('an entry that somebody else names', () => {
  it('is one of the table, never one that every object has', () => {
    const table = { pets: 1 };
    expect(own(table, 'pets')).to.equal(1);
    for (const name of ['constructor', '__proto__', 'toString', 'hasOwnProperty', ''])
      expect(own(table, name)).to.equal(undefined);
    expect(own(undefined, 'pets')).to.equal(undefined);
  });
});

describe('what was used last', () => {
  it('is kept, and what was not is let go first', () => {
    const recent = new Recent<number>(2);
    recent.set('a', 1);
    recent.set('b', 2);
    expect(recent.get('a')).to.equal(1);
    recent.set('c', 3);
    expect([recent.get('a'), recent.get('b'), recent.get('c')]).to.deep.equal([1, undefined, 3]);
    recent.delete('a');
    expect(recent.get('a')).to.equal(undefined);
  });

  it('never is more than it may be, and always holds what came last', () => {
    fc.assert(
      fc.property(
        fc.array(fc.constantFrom('a', 'b', 'c', 'd', 'e'), { minLength: 1 }),
        fc.integer({ min: 1, max: 4 }),
        (keys, most) => {
          const recent = new Recent<string>(most);
          keys.forEach((k) => recent.set(k, k));
          const last = [...new Set(keys.toReversed())];
          const held = ['a', 'b', 'c', 'd', 'e'].filter((k) => recent.get(k) !== undefined);
          expect(held).to.have.members(last.slice(0, most));
        },
      ),
      { seed: 5 },
    );
  });
});

describe('the address that requests are counted by', () => {
  const keys: [string | undefined, string][] = [
    ['203.0.113.9', '203.0.113.9'],
    ['::ffff:203.0.113.9', '203.0.113.9'],
    ['2001:db8:1:2:3:4:5:6', '2001:db8:1:2::/64'],
    ['2001:db8:1:2::9', '2001:db8:1:2::/64'],
    ['2001:0db8:0001:0002:ffff::', '2001:db8:1:2::/64'],
    ['2001:DB8::1', '2001:db8:0:0::/64'],
    ['fe80::1%eth0', 'fe80:0:0:0::/64'],
    ['::1', '0:0:0:0::/64'],
    ['', ''],
    [undefined, ''],
  ];
  for (const [address, key] of keys)
    it(`of ${String(address)} is ${key}`, () => {
      expect(addressKey(address)).to.equal(key);
    });

  it('lets nobody have more by writing from many addresses of one network', () => {
    const limit = new RateLimit(handClock(), 3, 60_000);
    const allowed = Array.from({ length: 20 }, (_, i) => limit.allows(addressKey(`2001:db8:7:7::${i.toString(16)}`)));
    expect(allowed.filter(Boolean)).to.have.length(3);
  });

  it('counts those together who come when there are too many to be told apart', () => {
    const limit = new RateLimit(handClock(), 1, 60_000);
    for (let i = 0; i < 50_000; i++) limit.allows(`key ${i}`);
    expect([limit.allows('first of the rest'), limit.allows('second of the rest'), limit.allows('key 1')]).to.deep.equal([
      true,
      false,
      false,
    ]);
  });

  it('tells who is past the limit when to come again, and asks without counting', () => {
    const clock = handClock(30_000);
    const limit = new RateLimit(clock, 1, 60_000);
    expect(limit.isUsedUp('a')).to.equal(false);
    limit.count('a');
    expect([limit.isUsedUp('a'), limit.isUsedUp('b')]).to.deep.equal([true, false]);
    let refused: unknown;
    try {
      limit.count('a');
    } catch (error) {
      refused = error;
    }
    expect(refused).to.be.instanceOf(Refused);
    expect((refused as Refused<'too-many'>).facts).to.deep.equal({ most: 1, seconds: 60, retryAfter: 30 });
    clock.move(30_000);
    expect(limit.isUsedUp('a')).to.equal(false);
    limit.count('a');
  });
});

describe('addresses that may be called', () => {
  const addresses: [string, AllowedAddresses[]][] = [
    ['203.0.113.9', ['all']],
    ['93.184.216.34', ['none', 'loopback', 'all']],
    ['2606:2800:220:1::1', ['none', 'loopback', 'all']],
    ['127.0.0.1', ['loopback', 'all']],
    ['127.8.9.10', ['loopback', 'all']],
    ['::1', ['loopback', 'all']],
    ['::ffff:127.0.0.1', ['loopback', 'all']],
    ['10.0.0.1', ['all']],
    ['172.16.3.4', ['all']],
    ['192.168.1.1', ['all']],
    ['169.254.169.254', ['all']],
    ['::ffff:10.0.0.1', ['all']],
    ['fd00::1', ['all']],
    ['fe80::1', ['all']],
    ['0.0.0.0', ['all']],
    ['100.64.0.1', ['all']],
    ['224.0.0.1', ['all']],
  ];
  for (const [ip, under] of addresses)
    it(`${ip}: ${under.join(', ')}`, () => {
      for (const allowed of ['none', 'loopback', 'all'] as const)
        expect(mayCall(ip, allowed), allowed).to.equal(under.includes(allowed));
    });
});

describe('what a tried connection comes to', () => {
  const failures: [Parameters<typeof failureOf>[0], string, string][] = [
    ['timeout', 'x did not answer within 8 s', 'too-slow'],
    ['refused', 'x is a private address', 'private-address'],
    ['unreachable', 'x cannot be reached (ENOTFOUND)', 'unknown-name'],
    ['unreachable', 'x cannot be reached (EAI_AGAIN)', 'unknown-name'],
    ['unreachable', 'x cannot be reached (CERT_HAS_EXPIRED)', 'no-tls'],
    ['unreachable', 'x cannot be reached (DEPTH_ZERO_SELF_SIGNED_CERT)', 'no-tls'],
    ['unreachable', 'x cannot be reached (ECONNREFUSED)', 'nothing-listens'],
    ['unreachable', 'x cannot be reached (EHOSTUNREACH)', 'unreachable'],
    ['unreachable', 'x cannot be reached', 'unreachable'],
    ['bad-answer', 'x sent an answer that cannot be read', 'other-form'],
  ];
  for (const [code, reason, outcome] of failures)
    it(`${code}, ${reason}: ${outcome}`, () => {
      expect(isCode(failureOf(code, reason, 'https://x.test'))).to.equal(outcome);
    });
});

describe('secrets', () => {
  it('are taken out of what is told, however they stand there', () => {
    const secret = 'p@ss w/rd?&=';
    for (const form of [secret, encodeURIComponent(secret), encodeURI(secret), Buffer.from(secret).toString('base64')])
      expect(redact(`before ${form} after`, [secret])).to.equal('before [secret] after');
    expect(redact('the cat sat', ['cat'])).to.equal('the cat sat');
    expect(redacted({ reason: 'no abcdef', url: 'https://x.test/abcdef', other: 'abcdef', n: 1 }, ['abcdef'])).to.deep.equal({
      reason: 'no [secret]',
      url: 'https://x.test/[secret]',
      other: 'abcdef',
      n: 1,
    });
  });

  it('never are left, wherever and how often they stand', () => {
    const letters = fc.string({ unit: 'grapheme-ascii', minLength: 4, maxLength: 20 }).filter((s) => !'[secret]'.includes(s));
    fc.assert(
      fc.property(letters, fc.array(fc.string({ maxLength: 10 }), { maxLength: 5 }), (secret, words) => {
        const clean = redact([...words, ''].join(secret), [secret]);
        expect(clean.replaceAll('[secret]', '\u0000')).to.not.contain(secret);
      }),
      { seed: 12 },
    );
  });

  it('are sealed so that only the same key at the same place opens them', () => {
    const key = randomBytes(32);
    const sealed = seal(key, 'a token ä', 'channel 1/token');
    expect(sealed).to.not.contain('token');
    expect(unseal(key, sealed, 'channel 1/token')).to.equal('a token ä');
    expect(seal(key, 'a token ä', 'channel 1/token')).to.not.equal(sealed);
    expect(() => unseal(key, sealed, 'channel 2/token')).to.throw();
    expect(() => unseal(randomBytes(32), sealed, 'channel 1/token')).to.throw();
    const [form, iv, tag, text = ''] = sealed.split('.');
    const changed = Buffer.from(text, 'base64');
    changed.writeUInt8(changed.readUInt8(0) ^ 1, 0);
    expect(() => unseal(key, [form, iv, tag, changed.toString('base64')].join('.'), 'channel 1/token')).to.throw();
    for (const none of ['', 'v1', 'v0.a.b.c', 'v1.a.b']) expect(() => unseal(key, none, 'x')).to.throw();
  });

  it('of shared pages are hashed with a salt of their own, and told in whatever form letters are typed', async () => {
    const kept = await hashPassword('Fähre 7');
    expect(kept).to.not.contain('Fähre');
    expect(await hashPassword('Fähre 7')).to.not.equal(kept);
    expect(await isPassword('Fa\u0308hre 7', kept)).to.equal(true);
    for (const wrong of ['', 'fähre 7', 'Fähre 7 ', kept]) expect(await isPassword(wrong, kept)).to.equal(false);
    expect(await isPassword('x', '')).to.equal(false);
  });

  it('of visitors of a page are good for that page and way in only', () => {
    const key = randomBytes(32);
    const way = { channelId: 'c1', access: 'password abc' };
    const given = visitorKey(way, key);
    const secret = secretIn(given, way, key);
    expect(secret).to.have.length(43);
    expect(secretIn(visitorKey(way, key, secret), way, key)).to.equal(secret);
    for (const other of [
      { ...way, channelId: 'c2' },
      { ...way, access: 'password abd' },
    ])
      expect(secretIn(given, other, key)).to.equal(undefined);
    expect(secretIn(given, way, randomBytes(32))).to.equal(undefined);
    for (const forged of ['', given.slice(0, -1), `${given}x`, `A${given.slice(1)}`, given.slice(0, 43) + 'A'.repeat(22)])
      expect(secretIn(forged, way, key) === undefined || forged === given).to.equal(true);
  });
});

describe('a zip that somebody brings', () => {
  const refusal = (why: 'entries' | 'damaged' | Room) => new Error(typeof why === 'string' ? why : 'room');
  const wanting = (left: number, entries = 100) => {
    const room = { left };
    return { entries, roomFor: () => room, refusal };
  };
  const zip = zipSync({ 'a.txt': strToU8('hello'), 'b/c.txt': strToU8('x'.repeat(100_000)) });

  it('gives its files whole', () => {
    const { files, open } = unzipped(zip, wanting(1_000_000));
    expect([...files].map(([name, bytes]) => [name, bytes.length])).to.deep.equal([
      ['a.txt', 5],
      ['b/c.txt', 100_000],
    ]);
    expect(open).to.equal(0);
  });

  it('gives only what is wanted', () => {
    const room = { left: 10 };
    const { files } = unzipped(zip, { entries: 9, roomFor: (name) => (name === 'a.txt' ? room : undefined), refusal });
    expect([...files.keys()]).to.deep.equal(['a.txt']);
    expect(room.left).to.equal(5);
  });

  it('is refused as soon as what it unfolds to is too much, whatever size it tells', () => {
    expect(() => unzipped(zip, wanting(50_000))).to.throw('room');
    const lies = Buffer.from(zip);
    const at = lies.indexOf('b/c.txt') - 30;
    lies.writeUInt32LE(1, at + 22);
    expect(() => unzipped(lies, wanting(50_000))).to.throw();
  });

  it('is refused where it has too many entries', () => {
    const many = zipSync(Object.fromEntries(Array.from({ length: 30 }, (_, i) => [`${i}`, strToU8('')])));
    expect(() => unzipped(many, wanting(1000, 20))).to.throw('entries');
    expect(unzipped(many, wanting(1000, 30)).files.size).to.equal(30);
  });

  it('that breaks off gives no file as whole that is none', () => {
    for (let cut = 1; cut < zip.length; cut += 37) {
      let files = new Map<string, Uint8Array>();
      try {
        files = unzipped(zip.subarray(0, cut), wanting(1_000_000)).files;
      } catch {
        continue;
      }
      for (const [name, bytes] of files) expect(bytes.length).to.equal(name === 'a.txt' ? 5 : 100_000);
    }
  });
});

const line = (seq: number, who: LineRow['who'], due: number | null): LineRow => ({
  conversation_id: 'c',
  seq,
  who,
  external_id: null,
  message: '{}',
  at: new Date(0),
  due_at: due === null ? null : new Date(due),
});

describe('lines with pauses between them', () => {
  const now = new Date(1000);
  it('are shown as far as they are due, in order', () => {
    const lines = [line(1, 'bot', null), line(2, 'bot', 900), line(3, 'bot', 1100), line(4, 'bot', null)];
    const { due, next } = dueLines(lines, now);
    expect(due.map((l) => l.seq)).to.deep.equal([1, 2]);
    expect(next).to.deep.equal(new Date(1100));
    expect(dueLines([], now)).to.deep.equal({ due: [], next: null });
  });

  it('are all shown once the visitor went on talking', () => {
    const lines = [line(1, 'bot', 5000), line(2, 'visitor', null), line(3, 'bot', null), line(4, 'bot', 1001)];
    expect(dueLines(lines, now).due.map((l) => l.seq)).to.deep.equal([1, 2, 3]);
    expect(dueLines(lines, new Date(1001)).next).to.equal(null);
  });

  it('are put one behind the other, each after its own pause', () => {
    const said = (wait?: number): Message => ({ text: 'x', blocks: [], ...(wait === undefined ? {} : { wait }) });
    const due = (messages: Message[], after: Date | null = null) =>
      schedule(messages, now, after).due.map((d) => d?.getTime() ?? null);
    expect(due([said(), said()])).to.deep.equal([null, null]);
    expect(due([said(500), said(), said(250)])).to.deep.equal([1500, 1500, 1750]);
    expect(due([said(), said(100)], new Date(2000))).to.deep.equal([2000, 2100]);
    expect(due([said(100)], new Date(500))).to.deep.equal([1100]);
    expect(schedule([said(), said(5)], now, null).last).to.deep.equal(new Date(1005));
  });

  it('never stand before the one in front of them', () => {
    const waits = fc.array(fc.option(fc.integer({ min: 0, max: 5000 })), { maxLength: 12 });
    fc.assert(
      fc.property(waits, fc.option(fc.integer({ min: 0, max: 4000 })), (pauses, after) => {
        const messages = pauses.map((wait): Message => ({ text: 'x', blocks: [], ...(wait === null ? {} : { wait }) }));
        const { due } = schedule(messages, now, after === null ? null : new Date(after));
        const moments = due.map((d) => d?.getTime() ?? 0);
        expect(moments).to.deep.equal([...moments].sort((a, b) => a - b));
      }),
      { seed: 3 },
    );
  });
});

describe('patience with the other side', () => {
  it('grows from a second to a minute, does as it is asked, and ends', () => {
    const waits = Array.from({ length: 9 }, (_, tries) => waitAgain(tries, undefined));
    expect(waits).to.deep.equal([1000, 2000, 4000, 8000, 16_000, 32_000, 60_000, undefined, undefined]);
    expect(waitAgain(0, 7000)).to.equal(7000);
    expect(waitAgain(7, 7000)).to.equal(undefined);
  });
});

describe('who is writing', () => {
  it('is known for a few seconds, to everybody but themselves', () => {
    const clock = handClock();
    const board = new TypingBoard(clock);
    board.note('c', 'Orla');
    board.note('c', 'Bram');
    board.note('c', null);
    expect(board.of('c', 'Orla')).to.deep.equal({ visitor: true, staff: ['Bram'] });
    clock.move(5000);
    board.note('c', 'Orla');
    clock.move(2000);
    expect(board.of('c', '')).to.deep.equal({ visitor: false, staff: ['Orla'] });
    expect(board.of('other', '')).to.deep.equal({ visitor: false, staff: [] });
  });

  it('is over with what they say', () => {
    const board = new TypingBoard(handClock());
    board.note('c', 'Orla');
    board.note('c', null);
    board.done('c', 'Orla');
    expect(board.of('c', '')).to.deep.equal({ visitor: true, staff: [] });
    board.done('c', null);
    board.done('gone', 'Orla');
    expect(board.of('c', '')).to.deep.equal({ visitor: false, staff: [] });
  });

  it('takes no more room than for ten thousand talks', () => {
    const board = new TypingBoard(handClock());
    for (let i = 0; i <= 10_000; i++) board.note(`c${i}`, null);
    expect(board.of('c10000', '').visitor).to.equal(true);
    expect(board.of('c0', '').visitor).to.equal(false);
  });
});

describe('news of conversations', () => {
  it('reach who listens, each of them, until they stop', () => {
    const wakes = new Wakes();
    const heard: string[] = [];
    const stopA = wakes.listen('c', (fresh) => heard.push(`a${fresh.length}`));
    const stopB = wakes.listen('c', () => heard.push('b'));
    wakes.wake('c', [line(1, 'bot', null)]);
    stopA();
    wakes.wake('c');
    stopB();
    wakes.wake('c');
    wakes.wake('nobody');
    expect(heard).to.deep.equal(['a1', 'b', 'b']);
    expect(wakes.listened()).to.deep.equal([]);
  });

  it('from other processes are told once for each number', () => {
    const wakes = new Wakes();
    let woken = 0;
    const stop = wakes.listen('c', () => woken++);
    wakes.saw('c', 4);
    wakes.saw('c', 4);
    wakes.saw('c', 5);
    expect(woken).to.equal(2);
    stop();
    wakes.listen('c', () => woken++);
    wakes.saw('c', 5);
    expect(woken).to.equal(3);
  });

  it('have one listener that looks by itself', () => {
    const wakes = new Wakes();
    const [first, second] = [() => undefined, () => undefined];
    const stop = wakes.listen('c', first);
    wakes.listen('c', second);
    expect([wakes.leads('c', first), wakes.leads('c', second)]).to.deep.equal([true, false]);
    stop();
    expect(wakes.leads('c', second)).to.equal(true);
  });

  it('of what is under way go to who asked for these', () => {
    const wakes = new Wakes();
    const hints: Hint[] = [];
    const stop = wakes.listenForHints('c', (hint) => hints.push(hint));
    wakes.hint('c', { words: 'Hel' });
    wakes.hint('d', { words: 'x' });
    stop();
    wakes.hint('c', { words: 'Hello' });
    expect(hints).to.deep.equal([{ words: 'Hel' }]);
  });
});

describe('cells of tables', () => {
  it('of numbers sort as the numbers do', () => {
    const number = fc.double({ noNaN: true });
    fc.assert(
      fc.property(number, number, (a, b) => {
        const [x = '', y = ''] = [...heldOf(a), ...heldOf(b)];
        expect(Math.sign(a - b) || 0).to.equal(x < y ? -1 : x > y ? 1 : 0);
      }),
      { seed: 6, numRuns: 500 },
    );
    expect(heldOf(0)).to.deep.equal(heldOf(-0));
  });

  it('of texts are found by their beginning, whole letters only', () => {
    const [held = ''] = heldOf(`${'a'.repeat(119)}🙂b`);
    expect(held).to.equal('a'.repeat(119));
  });
});

describe('files of rows', () => {
  const lines = [
    ['boat', 'what', 'cost'],
    ['Wrackline', '=1+1', '+12'],
    ['Sandpiper', 'a "quote", and\na line', ''],
  ];

  it('come back from a workbook as they went in, and nothing in them is run', async () => {
    const bytes = await workbookOf('repairs / [all]?', lines);
    expect(await linesOf(bytes, XLSX)).to.deep.equal(lines);
    expect(await linesOf(bytes, 'text/csv')).to.deep.equal(lines);
  });

  it('are read from text in UTF-8, with and without its mark, and in UTF-16', async () => {
    const text = 'boat,what\nWrackline,"leaky, ä"\n\n';
    const wanted = [
      ['boat', 'what'],
      ['Wrackline', 'leaky, ä'],
    ];
    const utf8 = new TextEncoder().encode(text);
    for (const bytes of [utf8, new TextEncoder().encode(`\uFEFF${text}`), Buffer.from(`\uFEFF${text}`, 'utf16le')])
      expect(await linesOf(bytes, 'text/csv')).to.deep.equal(wanted);
  });

  it('that are none say what to do', async () => {
    const told = (bytes: Uint8Array, type = 'text/csv') =>
      linesOf(bytes, type).then(
        () => 'taken',
        (error: unknown) => (error as Refused<'sheet-unreadable'>).facts.reason,
      );
    expect(await told(new Uint8Array())).to.equal('it holds nothing');
    expect(await told(strToU8('\n\n,,\n'))).to.equal('it holds nothing');
    expect(await told(Uint8Array.of(0xc3, 0x28, 0xff))).to.contain('UTF-8');
    expect(await told(strToU8('PK no zip'))).to.contain('no XLSX file');
    expect(await told(strToU8('a\n'.repeat(100_001)))).to.contain('at most 100000');
  });
});

describe('pictures of a result', () => {
  const png = Buffer.alloc(24);
  png.writeUInt32BE(640, 16);
  png.writeUInt32BE(480, 20);
  const gif = Buffer.alloc(10);
  gif.writeUInt16LE(3, 6);
  gif.writeUInt16LE(4, 8);
  const jpg = Buffer.from([0xff, 0xd8, 0xff, 0xe0, 0, 4, 0, 0, 0xff, 0xc0, 0, 11, 8, 0, 5, 0, 6, 0, 0, 0, 0]);
  const at = (address: string) => ({
    at: Promise.resolve.bind(Promise, undefined) as never,
    result: { sections: [{ form: 'picture', value: address, title: 'A picture', sources: [] }] } as never,
  });
  const data = (type: string, bytes: Buffer) => `data:image/${type};base64,${bytes.toString('base64')}`;
  const sizes: [string, Buffer, number[] | undefined][] = [
    ['png', png, [640, 480]],
    ['gif', gif, [3, 4]],
    ['jpeg', jpg, [6, 5]],
    ['png', png.subarray(0, 20), undefined],
    ['gif', Buffer.alloc(10), undefined],
    ['jpeg', jpg.subarray(0, 12), undefined],
    ['webp', png, undefined],
  ];
  for (const [type, bytes, size] of sizes)
    it(`of ${bytes.length} bytes as ${type} ${size ? `are ${size.join(' by ')}` : 'are left out'}`, async () => {
      const { at: files, result } = at(data(type, bytes));
      const [found] = [...(await picturesOf({ at: files }, result)).values()];
      expect(found && [found.width, found.height]).to.deep.equal(size);
    });
});

describe('a secret that is stored', () => {
  it('is its hash, the same each time', () => {
    expect(hashSecret('a')).to.equal('ca978112ca1bbdcafac231b39a23dc4da786eff8147c4e72b9807785afee48bb');
  });
});
