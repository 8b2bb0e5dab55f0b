import { expect } from 'chai';
import { execFileSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { botOf } from '../../core/test/harbour.js';
import { ECHO_NODES, ECHO_VARIABLES, linesWhen, releasedBot, said } from './support/crowd.js';
import { DATABASE_URL, databaseUrl, FOLDER, ownDatabase, startTestService } from './support/service.js';
import { TestVisitor } from './support/visitor.js';

/** Runs a program of MariaDB against the tests' server as docs/operations.md says it. */
function mariadb(program: string, args: readonly string[], input?: Buffer): Buffer {
  const at = new URL(DATABASE_URL);
  const where = ['-h', at.hostname, '-P', at.port, '-u', at.username];
  const env = { ...process.env, MYSQL_PWD: at.password };
  return execFileSync(program, [...where, ...args], { env, ...(input ? { input } : {}), maxBuffer: 1 << 28 });
}

describe('a backup of a running service', () => {
  it('restored into an empty database goes on with the same conversations, drafts and releases', async function () {
    const env = { PRIMROSE_LOG: 'silent' };
    const service = await startTestService({ databaseUrl: await ownDatabase('kept'), env });
    const { bot, link } = await releasedBot(service, botOf(ECHO_NODES, ECHO_VARIABLES));
    const visitor = new TestVisitor(service.address, link);
    await linesWhen(visitor, (l) => said(l).length > 0);
    await visitor.say('before the backup');
    await linesWhen(visitor, (l) => said(l).includes('1: before the backup'));
    const patch = [{ op: 'replace' as const, path: '/name', value: 'Renamed' }];
    await service.client.call('patchDraft', { params: { bot }, body: { revision: 1, patch } });

    const file = join(FOLDER, 'backup.sql');
    writeFileSync(file, mariadb('mariadb-dump', ['--single-transaction', '--hex-blob', 'primrose_kept']));
    await visitor.say('after the backup');
    await linesWhen(visitor, (l) => said(l).includes('2: after the backup'));
    await service.stop();

    mariadb('mariadb', ['-e', 'CREATE DATABASE primrose_restored CHARACTER SET utf8mb4 COLLATE utf8mb4_bin']);
    mariadb('mariadb', ['primrose_restored'], readFileSync(file));
    const restored = await startTestService({ databaseUrl: databaseUrl('restored'), env });
    try {
      const again = new TestVisitor(restored.address, link);
      again.key = visitor.key;
      expect(said(await again.open())).to.deep.equal(['Ready.', '1: before the backup']);
      await again.say('back again');
      await linesWhen(again, (l) => said(l).includes('2: back again'));
      const draft = await restored.client.call('getDraft', { params: { bot } });
      expect([draft.document.name, draft.revision, draft.bot.live]).to.deep.equal(['Renamed', 2, 1]);
      await restored.client.call('undoEdit', { params: { bot }, body: { revision: 2 } });
      expect((await restored.client.call('getDraft', { params: { bot } })).document.name).to.equal('Trial');
    } finally {
      await restored.stop();
    }
  });
});
