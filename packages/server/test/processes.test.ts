import { expect } from 'chai';
import { readFileSync } from 'node:fs';
import { botOf } from '../../core/test/harbour.js';
import { ECHO_NODES, ECHO_VARIABLES, linesWhen, pause, releasedBot, said, sayUntilTaken } from './support/crowd.js';
import { ownDatabase, startTestService, type TestService } from './support/service.js';
import { TestVisitor } from './support/visitor.js';

/** The ids of the processes that a process has started. */
function childrenOf(pid: number): number[] {
  return readFileSync(`/proc/${pid}/task/${pid}/children`, 'utf8').trim().split(' ').filter(Boolean).map(Number);
}

describe('several processes on one database', () => {
  let service: TestService;
  let link: string;
  before(async () => {
    service = await startTestService({
      databaseUrl: await ownDatabase('processes'),
      env: { PRIMROSE_PROCESSES: '2', PRIMROSE_LOG: 'silent', PRIMROSE_MESSAGES_A_MINUTE: '100000' },
    });
    ({ link } = await releasedBot(service, botOf(ECHO_NODES, ECHO_VARIABLES)));
  });
  after(() => service.stop());

  const workers = () => childrenOf(service.process().pid ?? 0);
  const visitors = async (count: number) => {
    const all = Array.from({ length: count }, () => new TestVisitor(service.address, link));
    await Promise.all(all.map((v) => linesWhen(v, (l) => said(l).length > 0)));
    return all;
  };
  /** Talks while something happens and until more was taken behind it; then every message must have its answer, once and in order. */
  const talkWhile = async (crowd: readonly TestVisitor[], happens: () => Promise<void>) => {
    let goesOn = true;
    let taken = 0;
    const talks = crowd.map(async (v, i) => {
      let n = 0;
      for (; goesOn; n++) {
        await sayUntilTaken(v, `${i}-${n}`, `id-${n}`);
        taken++;
        await pause(20);
      }
      return n;
    });
    await happens();
    const before = taken;
    for (let i = 0; i < 400 && taken <= before + crowd.length; i++) await pause(50);
    goesOn = false;
    const counts = await Promise.all(talks);
    for (const [i, v] of crowd.entries()) {
      const last = `${counts[i]}: ${i}-${(counts[i] ?? 0) - 1}`;
      const { lines } = await v.stream((l) => said(l).includes(last));
      expect(said(lines).slice(1)).to.deep.equal(Array.from({ length: counts[i] ?? 0 }, (_, n) => `${n + 1}: ${i}-${n}`));
    }
    return taken - before;
  };
  const twoAgain = async (but: readonly number[]) => {
    for (let i = 0; i < 2400; i++, await pause(50)) {
      const now = workers();
      if (now.length === 2 && but.every((pid) => !now.includes(pid))) return;
    }
    throw new Error(`the processes are ${workers().join(', ')}`);
  };

  it('share the work, and each serves any visitor’s stream', async () => {
    expect(workers()).to.have.length(2);
    const processes = async () => (await service.client.call('health', {})).processes;
    for (let i = 0; i < 100 && (await processes()) < 2; i++) await pause(50);
    expect(await processes()).to.equal(2);
    const crowd = await visitors(6);
    // Several streams of one visitor are spread over the processes; each has to hear what any process answers.
    await Promise.all(
      crowd.map(async (v, i) => {
        const heard = Array.from({ length: 4 }, () => v.stream((l) => said(l).some((t) => t.endsWith(`hello ${i}`))));
        await pause(300);
        await v.say(`hello ${i}`);
        for (const { lines } of await Promise.all(heard)) expect(said(lines)).to.deep.equal(['Ready.', `1: hello ${i}`]);
      }),
    );
  });

  it('go on when one of them is killed, and another takes its place', async () => {
    const [gone = 0] = workers();
    const begun = Date.now();
    const after = await talkWhile(await visitors(8), async () => {
      await pause(300);
      process.kill(gone, 'SIGKILL');
      await twoAgain([gone]);
    });
    expect(after, 'messages taken once it was replaced').to.be.greaterThan(8);
    expect(Date.now() - begun).to.be.lessThan(40_000);
  });

  it('lose nothing in a rolling restart', async () => {
    const old = workers();
    const after = await talkWhile(await visitors(8), async () => {
      await pause(300);
      service.process().kill('SIGUSR2');
      await twoAgain(old);
    });
    expect(after, 'messages taken by the new ones').to.be.greaterThan(8);
  });
});
