import { expect } from 'chai';
import { execFileSync } from 'node:child_process';
import { mkdirSync, readdirSync, readFileSync, rmSync, statfsSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { startDatabase, type PrivateDatabase } from '../../../scripts/lib/database.mjs';
import { botOf } from '../../core/test/harbour.js';
import { ECHO_NODES, ECHO_VARIABLES, linesWhen, pause, releasedBot, said, sayUntilTaken } from './support/crowd.js';
import { FOLDER, ownDatabase, startTestService, stopChild, type TestService } from './support/service.js';
import { until } from './support/until.js';
import { TestVisitor } from './support/visitor.js';

const LONG = process.env['PRIMROSE_TEST_LONG'] === 'true';
const KILLS = Number(process.env['PRIMROSE_TEST_KILLS'] ?? (LONG ? 1000 : 20));
const VISITORS_A_KILL = 4;

/** Books at the office on every message; says before what it does, and afterwards what came of it. */
const bookingBot = (repeatable: boolean, day: number) =>
  botOf(
    {
      greet: {
        kind: 'ask',
        says: 'What can I do?',
        expects: 'text',
        into: 'flow.wish',
        exits: { answered: 'ask', 'gave-up': 'ask' },
      },
      ask: {
        kind: 'ask',
        says: 'Who travels?',
        expects: 'text',
        into: 'flow.name',
        exits: { answered: 'moment', 'gave-up': 'ask' },
      },
      moment: { kind: 'say', says: 'One moment…', exits: { said: 'book' } },
      book: {
        kind: 'action',
        runs: 'booking-office.book',
        given: { name: '{{ flow.name }}' },
        into: 'flow.booking',
        exits: { done: 'yes', failed: 'no' },
      },
      yes: { kind: 'say', says: 'Booked {{ flow.booking.reference }} for {{ flow.name }}.', exits: { said: 'clear' } },
      no: { kind: 'say', says: 'Not booked, as far as I know: {{ turn.failure.reason }}.', exits: { said: 'clear' } },
      clear: { kind: 'set', sets: [{ into: 'flow.name', to: null }], exits: { done: 'ask' } },
    },
    {
      connections: {
        'booking-office': {
          actions: {
            book: {
              post: '/bookings',
              takes: { name: 'text' },
              sends: {
                body: {
                  sailing: `kelpwick_tarn-holm_${new Date(Date.UTC(2031, 0, 1 + day)).toISOString().slice(0, 10)}_0720`,
                  name: '{{ name }}',
                  vehicle: 'foot',
                },
              },
              repeatable,
            },
          },
        },
      },
    },
  );

/** Who stands in the office's books how often. */
async function booked(office: string): Promise<Map<string, number>> {
  const page = await (await fetch(`${office}/`)).text();
  const counts = new Map<string, number>();
  for (const [, name] of page.matchAll(/traveller-(\d+-\d+)/g)) counts.set(name ?? '', (counts.get(name ?? '') ?? 0) + 1);
  return counts;
}

interface Tally {
  turns: number;
  lost: number;
  doubled: number;
  uncertain: number;
  refused: number;
}

/** Judges one visitor's conversation after a kill, against the office's books. */
function judge(tally: Tally, lines: readonly string[], bookings: number): void {
  tally.turns++;
  const yes = lines.filter((l) => l.startsWith('Booked'));
  const no = lines.filter((l) => l.startsWith('Not booked'));
  const moments = lines.filter((l) => l.startsWith('One moment'));
  if (yes.length + no.length === 0 || (yes.length > 0 && bookings === 0)) tally.lost++;
  if (yes.length + no.length > 1 || moments.length > 1 || bookings > 1) tally.doubled++;
  if (no.some((l) => l.includes('is not known'))) tally.uncertain++;
  else if (no.length > 0) tally.refused++;
}

describe('holds when the service is killed in the middle of a booking', () => {
  let service: TestService;
  before(async () => {
    service = await startTestService({
      databaseUrl: await ownDatabase('kills'),
      env: { PRIMROSE_LEASE_SECONDS: '1', PRIMROSE_LOG: 'silent' },
    });
  });
  after(() => service.stop());

  for (const repeatable of [false, true]) {
    it(`${KILLS / 2} times, with an office that ${repeatable ? 'takes' : 'does not take'} repeats`, async function () {
      this.timeout(KILLS * 20_000);
      let link = '';
      const tally: Tally = { turns: 0, lost: 0, doubled: 0, uncertain: 0, refused: 0 };
      let seed = repeatable ? 7 : 3;
      const chance = (most: number) => (seed = (seed * 1103515245 + 12345) % 2 ** 31) % most;
      for (let round = 0; round < KILLS / 2; round++) {
        // A sailing has room for some; a bot for the next day's makes sure that none is refused for want of it.
        if (round % 4 === 0) ({ link } = await releasedBot(service, bookingBot(repeatable, round / 2 + (repeatable ? 1 : 0))));
        const visitors = Array.from({ length: VISITORS_A_KILL }, () => new TestVisitor(service.address, link));
        // Of a chat that is only opened nothing is stored, so the kill would come before the booking.
        await Promise.all(
          visitors.map(async (v) => {
            await linesWhen(v, (l) => said(l).length > 0);
            await v.say('a crossing', 'the-wish');
            await linesWhen(v, (l) => said(l).includes('Who travels?'));
          }),
        );
        const body = JSON.stringify({ delay_ms: chance(25) });
        await fetch(`${service.office}/switches`, { method: 'PUT', headers: { 'content-type': 'application/json' }, body });
        const names = visitors.map((_, i) => `${repeatable ? 1 : 0}${round}-${i}`);
        const taken = visitors.map(async (v, i) => {
          await pause(chance(12));
          return sayUntilTaken(v, `traveller-${names[i]}`, 'the-booking');
        });
        await pause(5 + chance(45));
        await service.crash();
        await Promise.all(taken);
        const answered = (l: string) => l.startsWith('Booked') || l.startsWith('Not booked');
        const lines = await Promise.all(visitors.map((v) => linesWhen(v, (all) => said(all).some(answered))));
        const counts = await booked(service.office);
        lines.forEach((l, i) => judge(tally, said(l), counts.get(names[i] ?? '') ?? 0));
      }
      const { turns, lost, doubled, uncertain, refused } = tally;
      console.log(
        `      ${KILLS / 2} kills, ${turns} turns: ${lost} lost, ${doubled} doubled, ${uncertain} uncertain and said so`,
      );
      expect([lost, doubled, refused]).to.deep.equal([0, 0, 0]);
      if (repeatable) expect(uncertain).to.equal(0);
    });
  }
});

/** Room that is left when the small disk is filled. */
const LEFT_BYTES = 200_000;

/** True while a process is there. */
function runs(pid: number): boolean {
  try {
    return process.kill(pid, 0);
  } catch {
    return false;
  }
}

/** Stops a process, and waits until each of its threads stands still: where there is much to do, that takes a moment. */
async function freeze(pid: number): Promise<void> {
  process.kill(pid, 'SIGSTOP');
  const moves = () =>
    readdirSync(`/proc/${pid}/task`).some((t) => !/\) [Tt] /.test(readFileSync(`/proc/${pid}/task/${t}/stat`, 'utf8')));
  while (moves()) await new Promise((resolve) => setTimeout(resolve, 5));
}

describe('holds when the database', () => {
  const TIMES = LONG ? 50 : 10;

  it(`is stopped and started ${TIMES} times under load`, async function () {
    this.timeout(TIMES * 30_000);
    const folder = join(FOLDER, 'restarted');
    let database: PrivateDatabase = await startDatabase(folder, { quiet: true });
    const service = await startTestService({
      databaseUrl: database.url,
      env: { PRIMROSE_LOG: 'silent', PRIMROSE_MESSAGES_A_MINUTE: '100000' },
    });
    try {
      const { link } = await releasedBot(service, botOf(ECHO_NODES, ECHO_VARIABLES));
      const visitors = Array.from({ length: 8 }, () => new TestVisitor(service.address, link));
      await Promise.all(visitors.map((v) => linesWhen(v, (l) => said(l).length > 0)));
      let goesOn = true;
      const refusals: number[] = [];
      let saidWhen = true;
      const answered = visitors.map(() => 0);
      const talks = visitors.map(async (v, i) => {
        let n = 0;
        for (; goesOn; n++) {
          const taken = await sayUntilTaken(v, `${i}-${n}`, `id-${n}`);
          refusals.push(...taken.refusals);
          saidWhen &&= taken.saidWhen;
          answered[i] = n + 1;
          await pause(15);
        }
        return n;
      });
      for (let time = 0; time < TIMES; time++) {
        // Everybody has been answered once more, however slow the machine is.
        const before = [...answered];
        await pause(300);
        await until(async () => answered.every((n, i) => n > (before[i] ?? 0)), 60);
        if (time % 2 === 0) await database.stop();
        else process.kill(database.pid, 'SIGKILL');
        await pause(400);
        const health = await fetch(`${service.address}/health`);
        expect([health.status, health.headers.get('retry-after')]).to.deep.equal([503, '2']);
        database = await startDatabase(folder, { quiet: true });
      }
      await pause(500);
      goesOn = false;
      const counts = await Promise.all(talks);
      for (const [i, v] of visitors.entries()) {
        const expected = ['Ready.', ...Array.from({ length: counts[i] ?? 0 }, (_, n) => `${n + 1}: ${i}-${n}`)];
        expect(expected.length).to.be.greaterThan(5);
        const { lines } = await v.stream((l) => said(l).length >= expected.length);
        expect(said(lines)).to.deep.equal(expected);
      }
      const total = counts.reduce((sum, n) => sum + n, 0);
      console.log(`      ${total} messages taken and answered once each; ${refusals.length} refused meanwhile`);
      expect(refusals.length).to.be.greaterThan(0);
      expect(refusals.every((s) => s === 503)).to.equal(true);
      expect(saidWhen).to.equal(true);
    } finally {
      await service.stop();
      await database.stop();
    }
  });

  it('freezes: who asks is told so, the service can be stopped, and nothing is lost', async function () {
    const database = await startDatabase(join(FOLDER, 'frozen'), { quiet: true });
    const env = { PRIMROSE_LOG: 'silent', PRIMROSE_STATEMENT_SECONDS: '2', PRIMROSE_STOP_SECONDS: '1' };
    const service = await startTestService({ databaseUrl: database.url, env });
    const asked = (path: string) => fetch(`${service.address}${path}`, { signal: AbortSignal.timeout(30_000) });
    try {
      const { link } = await releasedBot(service, botOf(ECHO_NODES, ECHO_VARIABLES));
      const visitor = new TestVisitor(service.address, link);
      await linesWhen(visitor, (l) => said(l).length > 0);
      expect((await asked('/health')).status).to.equal(200);
      await freeze(database.pid);
      const health = await asked('/health');
      expect(health.status).to.equal(503);
      const { status, body } = await visitor.post('/messages', { id: 'x', text: 'are you there' });
      expect([status, body['code']]).to.deep.equal([503, 'not-ready']);
      const child = service.process();
      await stopChild(child);
      expect([child.exitCode, child.signalCode]).to.deep.equal([0, null]);
      process.kill(database.pid, 'SIGCONT');
      await service.crash();
      await sayUntilTaken(visitor, 'are you there', 'x');
      const lines = await linesWhen(visitor, (l) => said(l).length > 1);
      expect(said(lines)).to.deep.equal(['Ready.', '1: are you there']);
    } finally {
      process.kill(database.pid, 'SIGCONT');
      await service.stop();
      await database.stop();
    }
  });

  it('has no room left on its disk', async function () {
    const folder = join(FOLDER, 'small-disk');
    mkdirSync(folder);
    try {
      execFileSync('mount', ['-t', 'tmpfs', '-o', 'size=230m', 'tmpfs', folder], { stdio: 'ignore' });
    } catch {
      console.log('      skipped: a small disk cannot be mounted here (it takes the right to mount)');
      this.skip();
    }
    let database = await startDatabase(folder, { quiet: true });
    const env = { PRIMROSE_LOG: 'silent', PRIMROSE_MESSAGES_A_MINUTE: '100000' };
    let service: TestService | undefined;
    try {
      service = await startTestService({ databaseUrl: database.url, env });
      const { link } = await releasedBot(service, botOf(ECHO_NODES, ECHO_VARIABLES));
      const visitor = new TestVisitor(service.address, link);
      await linesWhen(visitor, (l) => said(l).length > 0);
      const filler = join(folder, 'filler');
      const { bavail, bsize } = statfsSync(folder);
      writeFileSync(filler, Buffer.alloc(bavail * bsize - LEFT_BYTES));
      const { taken: before, refused, refusal } = await untilRefused(visitor, database.pid);
      let taken = before;
      rmSync(filler);
      if (refusal['status'] === 503) {
        // A database that cannot write what it has promised to gives itself up; whoever keeps it starts it again.
        expect(runs(database.pid), 'the database does not answer, and has not ended').to.equal(false);
        expect(refusal['detail']).to.contain('does not answer').and.contain('try again');
        database = await startDatabase(folder, { quiet: true });
        await sayUntilTaken(visitor, refused.text, refused.id);
        taken++;
      } else {
        expect(refusal).to.include({ status: 507, code: 'no-room' });
        expect(refusal['detail']).to.contain('no room left').and.contain('Nothing was stored');
      }
      await sayUntilTaken(visitor, 'after', 'z');
      await linesWhen(visitor, (l) => said(l).some((t) => t.endsWith(': after')));
      const { lines } = await visitor.stream((l) => said(l).some((t) => t.endsWith(': after')));
      const expected = Array.from({ length: taken }, (_, n) => `${n + 1}: m${n}`);
      expect(said(lines).map((t) => t.split(' x')[0])).to.deep.equal(['Ready.', ...expected, `${taken + 1}: after`]);
      console.log(`      ${taken} messages taken before it was full, each answered once; the next was refused`);
    } finally {
      await service?.stop();
      await database.stop();
      execFileSync('umount', [folder]);
    }
  });

  interface Refused {
    readonly taken: number;
    readonly refused: { readonly id: string; readonly text: string };
    readonly refusal: Record<string, unknown>;
  }

  /** Talks until a message is refused or the database has ended; returns how many were taken before. */
  async function untilRefused(visitor: TestVisitor, pid: number): Promise<Refused> {
    for (let taken = 0; taken < 5000; taken++) {
      const refused = { id: `id-${taken}`, text: `m${taken} ${'x'.repeat(60)}` };
      let answer = await visitor.post('/messages', refused);
      // The database may wait for room longer than a statement may take, before it says that there is none.
      for (let tries = 0; answer.status === 503 && runs(pid) && tries < 100; tries++) {
        await pause(250);
        answer = await visitor.post('/messages', refused);
      }
      if (answer.status !== 202) return { taken, refused, refusal: answer.body };
    }
    throw new Error('the disk did not fill up');
  }
});

/** Resident memory of a process in MB. */
function residentMb(pid: number): number {
  return Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? 0) / 1024;
}

describe('holds with visitors that', () => {
  let service: TestService;
  let link: string;
  before(async () => {
    service = await startTestService({
      databaseUrl: await ownDatabase('streams'),
      env: { PRIMROSE_MESSAGES_A_MINUTE: '100000' },
    });
    ({ link } = await releasedBot(service, botOf(ECHO_NODES, ECHO_VARIABLES)));
  });
  after(() => service.stop());

  const answersIn = async (): Promise<number> => {
    const one = new TestVisitor(service.address, link);
    await linesWhen(one, (l) => said(l).length > 0);
    const begun = performance.now();
    await one.say('quick');
    await one.until('1: quick');
    return performance.now() - begun;
  };

  it('hold 2,000 streams open and say nothing', async function () {
    const before = residentMb(service.process().pid ?? 0);
    const held: { one: TestVisitor; stop: AbortController }[] = [];
    for (let i = 0; i < 2000; i += 50) {
      await Promise.all(
        Array.from({ length: 50 }, async () => {
          const one = new TestVisitor(service.address, link);
          await one.open();
          held.push({ one, stop: await one.holdStream() });
        }),
      );
    }
    const grown = residentMb(service.process().pid ?? 0) - before;
    await answersIn();
    console.log(`      2,000 idle streams: ${grown.toFixed(0)} MB more`);
    expect(grown).to.be.lessThan(300);
    // Any of them may speak after all, is answered, and has heard nothing of the others.
    for (const { one } of held.filter((_, i) => i % 200 === 0)) {
      await one.say('after all');
      expect(said(await one.until('1: after all'))).to.deep.equal(['Ready.', '1: after all']);
    }
    held.forEach(({ stop }) => stop.abort());
  });

  it('never read their stream, while others go on', async function () {
    const big = 'x'.repeat(3900);
    const deaf = await Promise.all(
      Array.from({ length: 5 }, async () => {
        const one = new TestVisitor(service.address, link);
        await one.open();
        const stop = await one.neverRead();
        return { one, stop };
      }),
    );
    const alone = await answersIn();
    const before = residentMb(service.process().pid ?? 0);
    for (let n = 0; n < 100; n++) await Promise.all(deaf.map(({ one }) => one.say(`${n} ${big}`)));
    const beside = await answersIn();
    const grown = residentMb(service.process().pid ?? 0) - before;
    console.log(
      `      5 streams that nobody reads, 4 MB said to them: ${grown.toFixed(0)} MB more; an answer to another ${(beside / alone).toFixed(1)} times as long`,
    );
    expect(beside).to.be.lessThan(20 * alone + 1000);
    expect(grown).to.be.lessThan(150);
    deaf.forEach(({ stop }) => stop());
  });
});
