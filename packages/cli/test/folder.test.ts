import { mkdirSync, mkdtempSync, readdirSync, readFileSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { ApiError, problemDetails, UnreachableError } from '@primrose/contract';
import { demoDocument, demoFolder } from '../../core/test/harbour.js';
import { configPath, readCliConfig, writeCliConfig } from '../src/config.js';
import { table } from '../src/context.js';
import { fingerprint, readBotFolder, readFiles, readOrigin, writeBotFolder, writeOrigin } from '../src/folder.js';
import { CommandFailure, EXIT, explain } from '../src/outcome.js';

describe('a bot as a folder', () => {
  let folder: string;
  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'primrose-folder-'));
  });
  afterEach(() => rmSync(folder, { recursive: true, force: true }));

  it('is written and read back the same, and a second writing changes nothing', async () => {
    const document = demoDocument();
    expect(await writeBotFolder(folder, document)).to.have.members(Object.keys(demoFolder()));
    expect(readBotFolder(folder).document).to.deep.equal(document);
    expect(await writeBotFolder(folder, document)).to.deep.equal([]);
  });
  it('loses the files of flows that are gone, and leaves files alone that are not ours', async () => {
    const document = demoDocument();
    await writeBotFolder(folder, { ...document, flows: { ...document.flows, extra: { nodes: {} } } });
    writeFileSync(join(folder, 'NOTES.md'), 'mine');
    mkdirSync(join(folder, 'flows', 'old'), { recursive: true });
    writeFileSync(join(folder, 'flows', 'old', 'kept.yaml'), 'x');
    expect(await writeBotFolder(folder, document)).to.deep.equal(['flows/extra.yaml (removed)']);
    expect(readdirSync(folder)).to.include('NOTES.md');
    expect(readdirSync(join(folder, 'flows'))).to.have.members(['old', ...Object.keys(document.flows).map((f) => `${f}.yaml`)]);
  });
  it('of an earlier layout is read, and written anew with its comments; the old folders go, but for what is not ours', async () => {
    const document = demoDocument();
    await writeBotFolder(folder, document);
    const places = { connections: 'doing', knowledge: 'knowing' } as const;
    for (const [now, before] of Object.entries(places)) renameSync(join(folder, now), join(folder, before));
    mkdirSync(join(folder, 'thinking'));
    writeFileSync(join(folder, 'thinking', 'models.yaml'), `# ours\n${readFileSync(join(folder, 'models.yaml'), 'utf8')}`);
    rmSync(join(folder, 'models.yaml'));
    writeFileSync(join(folder, 'doing', 'NOTES.md'), 'mine');
    expect(readBotFolder(folder).document).to.deep.equal(document);
    const written = await writeBotFolder(folder, document);
    expect(written).to.include.members(['models.yaml', 'thinking/models.yaml (removed)', 'connections/booking-office.yaml']);
    expect(readFileSync(join(folder, 'models.yaml'), 'utf8')).to.match(/^# ours\n/);
    expect(readdirSync(folder)).to.include.members(['connections', 'knowledge', 'doing']).and.not.include.members(['thinking']);
    expect(readdirSync(folder)).not.to.include('knowing');
    expect(readdirSync(join(folder, 'doing'))).to.deep.equal(['NOTES.md']);
    expect(readBotFolder(folder).document).to.deep.equal(document);
  });
  it('explains every mistake by file and line', async () => {
    await writeBotFolder(folder, demoDocument());
    const bot = join(folder, 'bot.yaml');
    writeFileSync(bot, readFileSync(bot, 'utf8').replace('zone:', 'zome:'));
    expect(() => readBotFolder(folder))
      .to.throw(CommandFailure)
      .with.property('lines')
      .that.satisfies((l: string[]) => l.some((x) => /bot\.yaml:\d+: There is no key "zome" here\. Did you mean zone\?/.test(x)));
  });
  it('is no file, and may be absent', () => {
    writeFileSync(join(folder, 'f'), '');
    expect(() => readFiles(join(folder, 'f'))).to.throw('is no folder');
    expect(readFiles(join(folder, 'none'))).to.deep.equal({});
  });
  it('remembers where it came from, and says so when that is damaged', () => {
    const origin = { address: 'http://ferry.example', bot: 'b', revision: 3, same: 'x' };
    expect(readOrigin(folder)).to.equal(undefined);
    writeOrigin(folder, origin);
    expect(readOrigin(folder)).to.deep.equal(origin);
    writeFileSync(join(folder, '.primrose.json'), '{"bot":1}');
    expect(() => readOrigin(folder)).to.throw('cannot be understood');
  });
  it('has a fingerprint that depends on values, not on the order of keys', () => {
    const document = demoDocument();
    const turned = Object.fromEntries(Object.entries(document).reverse()) as unknown as typeof document;
    expect(fingerprint(turned)).to.equal(fingerprint(document));
    expect(fingerprint({ ...document, name: 'x' })).to.not.equal(fingerprint(document));
  });
});

describe('the settings of the client', () => {
  let home: string;
  beforeEach(() => {
    home = mkdtempSync(join(tmpdir(), 'primrose-config-'));
  });
  afterEach(() => rmSync(home, { recursive: true, force: true }));

  it('come from the environment, else from the file, else from nowhere', () => {
    const env = { XDG_CONFIG_HOME: home };
    expect(readCliConfig(env)).to.deep.equal({ address: 'http://127.0.0.1:4800', token: undefined });
    const path = writeCliConfig(env, { address: 'http://ferry.example', token: 'prt_file' });
    expect(path).to.equal(configPath(env));
    expect(statSync(path).mode & 0o777).to.equal(0o600);
    expect(readCliConfig(env)).to.deep.equal({ address: 'http://ferry.example', token: 'prt_file' });
    expect(readCliConfig({ ...env, PRIMROSE_TOKEN: 'prt_env' }).token).to.equal('prt_env');
    writeFileSync(path, '{');
    expect(() => readCliConfig(env)).to.throw('primrose configure');
  });
});

describe('how a command ends', () => {
  for (const [error, exit] of [
    [new UnreachableError('http://x', undefined), EXIT.unreachable],
    [new ApiError(problemDetails('not-signed-in', '')), EXIT.signedOut],
    [new ApiError(problemDetails('stale-revision', '')), EXIT.conflict],
    [new ApiError(problemDetails('release-stopped', '')), EXIT.problems],
    [new ApiError(problemDetails('not-found', '')), EXIT.missing],
    [new ApiError(problemDetails('too-many', '')), EXIT.tooMuch],
    [new ApiError(problemDetails('not-ready', '')), EXIT.unreachable],
    [new ApiError(problemDetails('rehearsals-failed', '')), EXIT.failed],
    [new ApiError(problemDetails('internal', '')), EXIT.failed],
    [new CommandFailure(EXIT.usage, 'x'), EXIT.usage],
    [new Error('x'), EXIT.failed],
  ] as const) {
    it(`${error.name} ${error instanceof ApiError ? error.details.code : ''} ends with ${exit}`, () =>
      expect(explain(error).exit).to.equal(exit));
  }
  it('lists the mistakes that the service found', () => {
    const errors = [{ pointer: '/flows/welcome', detail: 'The flow has no nodes yet.' }];
    expect(explain(new ApiError(problemDetails('release-stopped', 'Stopped.', { errors }))).lines).to.deep.equal([
      '/flows/welcome: The flow has no nodes yet.',
    ]);
  });
  it('sets columns as wide as they need to be', () => {
    expect(
      table([
        ['A', 'LONG', 'C'],
        ['aaaa', 'b', 'c'],
      ]),
    ).to.equal('A     LONG  C\naaaa  b     c');
  });
});
