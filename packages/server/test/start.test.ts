import { spawn, type ChildProcess } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { createClient } from '@primrose/contract';
import { FOLDER, ownDatabase, PORTS } from './support/service.js';
import { until } from './support/until.js';

const START = new URL('../../../scripts/start.mjs', import.meta.url).pathname;

interface Ready {
  readonly ready: true;
  readonly console: string;
  readonly api: string;
  readonly chat: string | null;
  readonly token: string;
  /** The port of the mail server; left out where there is none. */
  readonly mail?: number;
}

describe('npm start', () => {
  let home: string;
  const port = PORTS + 300;
  const foldersBefore = readdirSync(tmpdir());
  before(() => {
    home = mkdtempSync(join(FOLDER || tmpdir(), 'start-'));
  });
  const running = new Set<ChildProcess>();
  after(async () => {
    // What a test that failed has left.
    for (const child of running) {
      child.kill('SIGTERM');
      await new Promise((gone) => child.once('exit', gone));
    }
    rmSync(home, { recursive: true, force: true });
  });

  const launch = (args: string[], env: Record<string, string> = {}) => {
    const child = spawn(process.execPath, [START, ...args], {
      env: { ...process.env, PRIMROSE_HOME: home, PRIMROSE_PORT: String(port), NODE_OPTIONS: '', ...env },
    });
    const output = { out: '', err: '' };
    child.stdout.on('data', (c: Buffer) => (output.out += c.toString()));
    child.stderr.on('data', (c: Buffer) => (output.err += c.toString()));
    running.add(child);
    const ended = new Promise<number | null>((resolve) => {
      child.once('exit', (code) => {
        running.delete(child);
        resolve(code);
      });
    });
    return { child, output, ended };
  };
  const ready = async ({ child, output, ended }: ReturnType<typeof launch>): Promise<Ready> => {
    const line = new Promise<Ready>((resolve) => {
      const look = () =>
        output.out.includes('"ready"') && resolve(JSON.parse(output.out.trim().split('\n').at(-1) ?? '') as Ready);
      child.stdout.on('data', look);
    });
    const failed = ended.then((code) => Promise.reject(new Error(`start ended with ${code}: ${output.err}`)));
    return Promise.race([line, failed]);
  };
  const stop = async (started: { child: ChildProcess; ended: Promise<number | null> }, signal: NodeJS.Signals) => {
    started.child.kill(signal);
    return started.ended;
  };
  const alive = (pid: number) => existsSync(`/proc/${pid}`) && !/^State:\s+Z/m.test(readFileSync(`/proc/${pid}/status`, 'utf8'));
  const servicePid = () => (JSON.parse(readFileSync(join(home, 'run.json'), 'utf8')) as { pid: number }).pid;
  const databasePid = () => Number(readFileSync(join(home, 'database', 'pid'), 'utf8'));

  /** Processes that name a folder, or listen for letters: the servers that were started with it, their keepers, stand-ins and the service; not the database. */
  const processesOf = (folder: string, mail: number | undefined): string[] =>
    readdirSync('/proc')
      .filter((p) => /^\d+$/.test(p))
      .flatMap((p) => {
        try {
          return alive(Number(p)) ? [readFileSync(`/proc/${p}/cmdline`, 'utf8').replaceAll('\0', ' ')] : [];
        } catch {
          return [];
        }
      })
      .filter((c) => (c.includes(folder) && !c.includes('mariadbd')) || (mail !== undefined && c.includes(`--imap ${mail} `)));

  const untilStatus = async (url: string, status: number) => {
    for (let i = 0; i < 50; i++) {
      const response = await fetch(url);
      if (response.status === status) return response;
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
    throw new Error(`${url} never answered with ${status}`);
  };

  it('sets everything up from nothing, keeps data over stops and kills, and leaves nothing running', async () => {
    const first = launch(['--json']);
    const links = await ready(first);
    const client = createClient({ address: links.api.replace(/\/api$/, ''), token: links.token });
    expect((await client.call('listBots', {})).items.map((b) => b.name)).to.have.members(['Harbour desk', 'Shore desk']);
    expect((await fetch(links.chat ?? '')).status).to.equal(200);
    await client.call('createBot', { body: { from: 'blank', name: 'Kept' } });
    const database = databasePid();
    process.kill(database, 'SIGKILL');
    const origin = `http://127.0.0.1:${port}`;
    const health = await untilStatus(`${origin}/health`, 503);
    expect(await health.json())
      .to.include({ code: 'not-ready' })
      .and.have.property('detail')
      .that.contains('Is MariaDB running');
    const chat = await fetch(`${origin}/api/chat/x/open`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: '{}',
    });
    expect([chat.status, chat.headers.get('retry-after')]).to.deep.equal([503, '2']);
    expect(await stop(first, 'SIGINT')).to.equal(0);
    expect(alive(database)).to.equal(false);

    const second = launch(['--json']);
    const again = await ready(second);
    expect(again.chat).to.equal(links.chat);
    // The desk is on XMPP, IRC and mail, by servers that end with whoever started them, however that ends.
    const desk = createClient({ address: origin, token: again.token });
    const bot = (await desk.call('listBots', {})).items.find((b) => b.name === 'Harbour desk')?.id ?? '';
    const channels = (await desk.call('listChannels', { params: { bot } })).items;
    for (const kind of ['mail', 'xmpp', 'irc']) {
      const channel = channels.find((c) => c.kind === kind)?.id ?? '';
      await until(async () => (await desk.call('getChannel', { params: { bot, channel } })).line?.state === 'connected', 60);
    }
    const mine = () => processesOf(home, again.mail);
    expect(mine().length).to.be.greaterThan(3);
    await stop(second, 'SIGKILL');
    await until(async () => mine().length === 0, 30);
    expect(readdirSync(tmpdir()).filter((f) => f.startsWith('primrose-peer-') && !foldersBefore.includes(f))).to.deep.equal([]);

    const third = launch(['--json', '--no-demo']);
    const after = await ready(third);
    const names = (
      await createClient({ address: `http://127.0.0.1:${port}`, token: after.token }).call('listBots', {})
    ).items.map((b) => b.name);
    expect(names).to.have.members(['Harbour desk', 'Shore desk', 'Kept']);
    // The service is started again when it ends by itself, and the tokens of earlier starts hold.
    const killed = servicePid();
    process.kill(killed, 'SIGKILL');
    for (let i = 0; i < 200 && servicePid() === killed; i++) await new Promise((resolve) => setTimeout(resolve, 100));
    expect(servicePid()).not.to.equal(killed);
    await untilStatus(`${origin}/health`, 200);
    const earlier = await createClient({ address: origin, token: links.token }).call('listBots', {});
    expect(earlier.items).to.have.length(3);
    const link = launch(['--link']);
    await link.ended;
    expect(link.output.out).to.contain('/sign-in#');
    const last = databasePid();
    expect(await stop(third, 'SIGTERM')).to.equal(0);
    expect(alive(last)).to.equal(false);
  });

  it('says in one sentence what to do about a taken port, an unreachable database, an unwritable folder', async () => {
    const blocker = createServer();
    await new Promise<void>((resolve) => blocker.listen(port, '127.0.0.1', resolve));
    const taken = launch([]);
    expect(await taken.ended).to.equal(1);
    expect(taken.output.err).to.contain(`Port ${port} is taken`).and.contain('--port');
    await new Promise((resolve) => blocker.close(resolve));

    const unreachable = launch(['--no-demo'], { PRIMROSE_DATABASE_URL: 'mysql://nobody:x@127.0.0.1:1/none' });
    expect(await unreachable.ended).to.equal(1);
    expect(unreachable.output.err).to.contain('127.0.0.1:1').and.contain('PRIMROSE_DATABASE_URL');

    const file = join(home, 'a-file');
    writeFileSync(file, '');
    const unwritable = launch([], { PRIMROSE_HOME: join(file, 'inside') });
    expect(await unwritable.ended).to.equal(1);
    expect(unwritable.output.err).to.contain('cannot be written');

    const broken = join(home, 'broken');
    mkdirSync(join(broken, 'database', 'data'), { recursive: true });
    chmodSync(join(broken, 'database', 'data'), 0o700);
    const dead = launch([], { PRIMROSE_HOME: broken });
    expect(await dead.ended).to.equal(1);
    expect(dead.output.err).to.contain('The database did not start');
  });

  it('uses a database server of one’s own, and explains its options', async () => {
    const own = launch(['--json', '--no-demo'], {
      PRIMROSE_DATABASE_URL: await ownDatabase('own'),
      PRIMROSE_HOME: join(home, 'own'),
    });
    expect((await ready(own)).chat).to.equal(null);
    expect(existsSync(join(home, 'own', 'database'))).to.equal(false);
    await stop(own, 'SIGINT');
    const help = launch(['--help']);
    await help.ended;
    expect(help.output.out).to.contain('--fresh').and.contain('--no-demo');
    const wrong = launch(['--prot', '1']);
    expect(await wrong.ended).to.equal(1);
    expect(wrong.output.err).to.contain('--help');
  });
});
