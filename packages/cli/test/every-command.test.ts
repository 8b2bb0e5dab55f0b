import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { cpSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { API_PROBLEMS, problemDetails, type ApiProblemCode } from '@primrose/contract';
import { runHere, type Ran } from './support.js';

const DEMO = new URL('../../../demo/shore-desk', import.meta.url).pathname;
const TOKEN = 'prt_a-token-that-nobody-else-is-to-see';

/** What each command is given at least; those that are given nothing need nothing. */
const GIVEN: Readonly<Record<string, readonly string[]>> = {
  pull: ['b'],
  draw: ['main', '--bot', 'b'],
  talk: ['b'],
  rehearse: ['b'],
  understand: ['b', 'hello'],
  quality: ['b'],
  missed: ['b'],
  lookup: ['b', 'are dogs free?'],
  documents: ['b'],
  evaluate: ['b'],
  channels: ['b'],
  conversations: ['b'],
  conversation: ['b', 'c'],
  release: ['b'],
  releases: ['b'],
  compare: ['b', '1'],
  live: ['b', '1'],
  'roll-back': ['b'],
  history: ['b'],
  undo: ['b'],
  redo: ['b'],
  restore: ['b', '3'],
  export: ['b'],
  import: ['bot.json'],
  tables: ['b'],
  table: ['b', 'repairs'],
  'table-import': ['b', 'repairs', 'rows.csv'],
  'table-export': ['b', 'repairs'],
  'table-changes': ['b'],
  starts: ['b'],
  start: ['b', 'morning-list'],
  runs: ['b'],
  run: ['b', 'log-reader'],
  pages: ['b'],
  begin: ['b', 'main'],
  notices: ['b'],
  delete: ['b'],
  rename: ['b', 'Other'],
  connections: ['b'],
  retention: ['b'],
  visitors: ['b'],
  visitor: ['b', 'v'],
  inbox: ['b'],
  answer: ['b', 'c'],
  staff: ['b'],
  feedback: ['b'],
  'web-chat': ['b'],
  connect: ['b'],
  channel: ['b', 'c'],
  aside: ['b'],
  push: ['desk', '--new'],
  check: ['--bot', 'b'],
};
/** Work with the machine that they run on, or with other words behind them. */
const OF_THEIR_OWN = ['configure', 'token', 'help'];

describe('every command of the client', () => {
  let folder: string;
  let server: Server;
  let address: string;
  let answers: { readonly status: number; readonly body: string; readonly retryAfter?: string } = { status: 200, body: '{}' };
  let asked: string[] = [];
  const home = process.cwd();
  let commands: string[] = [];

  before(async () => {
    folder = mkdtempSync(join(tmpdir(), 'primrose-cli-'));
    cpSync(DEMO, join(folder, 'desk'), { recursive: true });
    writeFileSync(join(folder, 'bot.json'), '{"primrose": 1}');
    writeFileSync(join(folder, 'rows.csv'), 'what\nramp\n');
    process.chdir(folder);
    server = createServer((req, res) => {
      asked.push(`${req.method} ${req.url} ${req.headers.authorization}`);
      res.writeHead(answers.status, { 'content-type': 'application/json' });
      res.end(answers.body);
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    const { out } = await runHere(['--help'], {});
    const [, listed = ''] = /Commands:\n([\s\S]*?)\n\n/.exec(out) ?? [];
    commands = [...listed.matchAll(/^ {2}([a-z-]+)/gm)].map((m) => m[1] ?? '');
  });
  after(() => {
    process.chdir(home);
    server.close();
    server.closeAllConnections();
    rmSync(folder, { recursive: true, force: true });
  });
  beforeEach(() => (asked = []));

  const run = (args: readonly string[], more: Record<string, string> = {}): Promise<Ran> =>
    runHere(args, { PRIMROSE_ADDRESS: address, PRIMROSE_TOKEN: TOKEN, XDG_CONFIG_HOME: folder, ...more });
  const refusing = (code: ApiProblemCode, detail: string, extra: Record<string, unknown> = {}) => {
    answers = { status: API_PROBLEMS[code].status, body: JSON.stringify(problemDetails(code, detail, extra)) };
  };
  /** Commands that ask the service, each with what it is given at least. */
  const asking = (): [string, readonly string[]][] =>
    commands.filter((c) => !OF_THEIR_OWN.includes(c)).map((c) => [c, GIVEN[c] ?? []]);

  it('is listed, and tried here', () => {
    expect(commands.length).to.be.above(50);
    const known = [...Object.keys(GIVEN), ...OF_THEIR_OWN, 'status', 'bots'];
    expect(commands.filter((c) => !known.includes(c))).to.deep.equal([]);
    expect(known.filter((c) => !commands.includes(c))).to.deep.equal([]);
  });

  it('explains itself and each of its options', async () => {
    for (const command of commands.filter((c) => c !== 'help')) {
      const { code, out, err } = await run([command, '--help']);
      expect([command, code, err]).to.deep.equal([command, 0, '']);
      expect(out).to.contain(`Usage: primrose ${command}`);
      const [, options = ''] = /Options:\n([\s\S]*?)(?:\n\n|$)/.exec(out) ?? [];
      for (const [, name = '', about = ''] of options.matchAll(/^ {2}(--?[a-z][^ ]*(?: [<[][^ ]+)?)(.*)$/gm))
        if (!name.startsWith('-h')) expect(about.trim() === '' && !/\n {10}/.test(options), `${command} ${name}`).to.equal(false);
    }
    expect(asked).to.deep.equal([]);
  });

  it('says what is missing before it asks anybody', async () => {
    for (const [command, given] of asking().filter(
      ([c]) => !['push', 'check', 'draw', 'rehearse', 'status', 'bots'].includes(c),
    )) {
      const needed = given.filter((g) => !g.startsWith('-')).length;
      if (needed === 0) continue;
      const { code, err, out } = await run([command]);
      expect([command, code, out]).to.deep.equal([command, 2, '']);
      expect(err).to.contain('missing required argument');
    }
    expect(asked).to.deep.equal([]);
  });

  it('knows no option that it does not know', async () => {
    for (const [command, given] of asking()) {
      const { code, err } = await run([command, ...given, '--nonsense']);
      expect([command, code]).to.deep.equal([command, 2]);
      expect(err).to.contain("unknown option '--nonsense'");
    }
    expect(asked).to.deep.equal([]);
  });

  it('says where it looked when nobody answers', async () => {
    for (const [command, given] of asking()) {
      const { code, err, out } = await run([command, ...given], { PRIMROSE_ADDRESS: 'http://127.0.0.1:1' });
      expect([command, code, out]).to.deep.equal([command, 5, ''], err);
      expect(err).to.contain('http://127.0.0.1:1').and.contain('PRIMROSE_ADDRESS');
    }
  });

  it('says how to get a token where it has none that is good', async () => {
    refusing('not-signed-in', 'Sign in.');
    for (const [command, given] of asking()) {
      const { code, err } = await run([command, ...given]);
      expect([command, code]).to.deep.equal([command, 6]);
      expect(err).to.contain('primrose configure --token');
      const asJson = await run([command, ...given, '--json']);
      if (asJson.code === 2) expect(asJson.err).to.contain("unknown option '--json'");
      else expect([command, (JSON.parse(asJson.err) as { error: { exit: number } }).error.exit]).to.deep.equal([command, 6]);
    }
  });

  const kinds: [ApiProblemCode, number][] = [
    ['not-ready', 5],
    ['too-many', 8],
    ['no-room', 8],
    ['too-large', 8],
    ['not-found', 7],
    ['invalid-input', 2],
    ['stale-revision', 4],
    ['clash', 4],
    ['internal', 1],
    ['channel-off', 1],
  ];
  for (const [kind, exit] of kinds)
    it(`ends with ${exit} where the service says ${kind}, in its words`, async () => {
      refusing(kind, 'Do this and that.', { errors: [{ pointer: '/name', detail: 'is too long' }] });
      for (const [command, given] of asking()) {
        const { code, err } = await run([command, ...given]);
        expect([command, code]).to.deep.equal([command, exit]);
        expect(err).to.contain('Do this and that.').and.contain('/name: is too long');
      }
    });

  it('says so where something else answers in the place of the service', async () => {
    answers = { status: 502, body: '<html>Bad gateway</html>' };
    for (const [command, given] of asking()) {
      const { code, err } = await run([command, ...given]);
      expect([command, code]).to.deep.equal([command, 1]);
      expect(err).to.contain('Something between here and Primrose answered with status 502');
    }
  });

  it('shows its token to the service, and to nobody else', async () => {
    refusing('not-found', 'There is no such thing.');
    for (const [command, given] of asking()) {
      const { out, err } = await run([command, ...given, '--json']);
      expect(out + err).to.not.contain(TOKEN);
    }
    expect(asked.length).to.be.above(40);
    for (const line of asked) expect(line).to.contain(`Bearer ${TOKEN}`);
  });

  it('leaves nothing behind where it failed', () => {
    expect(readdirSync(folder).sort()).to.deep.equal(['bot.json', 'desk', 'rows.csv']);
  });
});
