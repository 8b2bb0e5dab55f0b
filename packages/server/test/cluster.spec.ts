import { expect } from 'chai';
import { createConnection } from 'mysql2/promise';
import { botOf } from '../../core/test/harbour.js';
import { newId, systemClock } from '../src/base/clock.js';
import { openDatabase, type Db } from '../src/store/database.js';
import { statement, transaction } from '../src/store/hot.js';
import { changeVariables } from '../src/store/persons.js';
import * as turning from '../src/store/turning.js';
import { ECHO_NODES, ECHO_VARIABLES, linesWhen, pause, releasedBot, said, sayUntilTaken } from './support/crowd.js';
import { startTestService, type TestService } from './support/service.js';
import { TestVisitor } from './support/visitor.js';

/* Run by npm run test:cluster, which starts the nodes. Each has a process of the service that knows no other node. */

const NODES = (process.env['PRIMROSE_TEST_NODES'] ?? '').split(' ');
const PIDS = (process.env['PRIMROSE_TEST_NODE_PIDS'] ?? '').split(' ').map(Number);

describe('on a database cluster of three nodes', () => {
  let services: TestService[];
  let link: string;
  before(async () => {
    services = [];
    for (const databaseUrl of NODES) {
      const env = { PRIMROSE_DATABASE_CLUSTER: 'true', PRIMROSE_LOG: 'silent', PRIMROSE_MESSAGES_A_MINUTE: '100000' };
      services.push(await startTestService({ databaseUrl, env }));
    }
    const [first] = services;
    if (!first) throw new Error('run this with "npm run test:cluster"');
    ({ link } = await releasedBot(first, botOf(ECHO_NODES, ECHO_VARIABLES)));
  });
  after(async () => {
    for (const service of services) await service.stop();
  });
  /** The same visitor, as each of the services meets them. */
  const everywhere = async (): Promise<TestVisitor[]> => {
    const all = services.map((s) => new TestVisitor(s.address, link));
    const [one] = all;
    await linesWhen(one as TestVisitor, (l) => said(l).length > 0);
    all.forEach((v) => (v.key = one?.key));
    return all;
  };

  it('the nodes are one cluster', async () => {
    for (const url of NODES) {
      const connection = await createConnection(url);
      const [rows] = await connection.query("SHOW STATUS LIKE 'wsrep_cluster_size'");
      await connection.end();
      expect((rows as { Value: string }[])[0]?.Value).to.equal('3');
    }
  });

  it('one of many claims on different nodes holds', async () => {
    const dbs: Db[] = NODES.map((url) => openDatabase(url, 2, { cluster: true }));
    const id = newId(systemClock);
    const [first] = dbs;
    await first?.('conversations').insert({
      id,
      bot_id: id,
      channel_id: id,
      state: '{}',
      version: 0,
      last_seq: 0,
      opened_at: new Date(),
    });
    let winners = 0;
    for (let round = 0; round < 40; round++) {
      const now = new Date(Date.now() + round * 10_000);
      const until = new Date(now.getTime() + 5000);
      const claims = await Promise.all(
        dbs.map((db, i) =>
          statement(db, (hot) => turning.takeLease(hot, id, { owner: `node-${i}`, now, until })).catch(() => false),
        ),
      );
      const holder = await statement(first as Db, (hot) =>
        hot.read<{ lease_owner: string }>('SELECT lease_owner FROM conversations WHERE id = ?', [id]),
      );
      const won = claims.flatMap((c, i) => (c ? [`node-${i}`] : []));
      expect([won.length, won[0]]).to.deep.equal([1, holder[0]?.lease_owner]);
      winners += won.length;
    }
    expect(winners).to.equal(40);
    for (const db of dbs) await db.destroy();
  });

  it('changes to one visitor’s variables on all nodes at once are all kept', async () => {
    const dbs = NODES.map((url) => openDatabase(url, 2, { cluster: true }));
    const id = newId(systemClock);
    await dbs[0]?.('visitors').insert({
      id,
      bot_id: id,
      key_hash: id.padEnd(64, '0'),
      variables: '{}',
      created_at: new Date(),
    });
    const change = (db: Db) =>
      transaction(db, (hot) =>
        changeVariables(hot, { botId: id, visitorId: id, at: systemClock.now() }, [{ op: 'add', name: 'trips', value: 1 }]),
      );
    for (let round = 0; round < 10; round++) await Promise.all(dbs.map(change));
    const row = (await dbs[0]?.('visitors').where({ id }).first('variables')) as { variables: string };
    expect(JSON.parse(row.variables)).to.deep.equal({ trips: 30 });
    for (const db of dbs) await db.destroy();
  });

  it('one message delivered to all services at once makes one turn', async () => {
    const visitor = await everywhere();
    const answers = await Promise.all([...visitor, ...visitor].map((v) => v.say('hello', 'same-id')));
    expect(answers.map((a) => a.status)).to.deep.equal(answers.map(() => 202));
    expect(answers.filter((a) => a.body['repeat'] === false)).to.have.length(1);
    const lines = await linesWhen(visitor[1] as TestVisitor, (l) => said(l).includes('1: hello'));
    expect(said(lines)).to.deep.equal(['Ready.', '1: hello']);
  });

  it('messages to all services are answered once each, in the order in which they were taken', async () => {
    const crowd = await Promise.all(Array.from({ length: 6 }, everywhere));
    await Promise.all(
      crowd.flatMap((v) => Array.from({ length: 9 }, (_, n) => sayUntilTaken(v[n % 3] as TestVisitor, `m${n}`, `id-${n}`))),
    );
    for (const [one] of crowd) {
      const lines = await linesWhen(one as TestVisitor, (l) => said(l).length === 10);
      expect(said(lines).slice(1)).to.deep.equal(said(lines, 'visitor').map((text, i) => `${i + 1}: ${text}`));
    }
  });

  it('a stream on one service hears what another answers', async () => {
    const [a, b] = await everywhere();
    const heard = (b as TestVisitor).stream((l) => said(l).includes('1: over here'));
    await pause(300);
    await a?.say('over here');
    expect(said((await heard).lines)).to.deep.equal(['Ready.', '1: over here']);
  });

  it('a node that is killed takes nothing with it: others go on with its conversations', async () => {
    const crowd = await Promise.all(Array.from({ length: 4 }, everywhere));
    const talk = async ([a, b, c]: TestVisitor[]) => {
      for (let n = 0; n < 12; n++) {
        const [one, other] = [n % 2 === 0 ? a : b, c] as [TestVisitor, TestVisitor];
        // Where the killed node's service refuses, the client goes to another with the same id.
        const { status } = await other.tryToSay(`m${n}`, `id-${n}`);
        if (status !== 202) await sayUntilTaken(one, `m${n}`, `id-${n}`);
        await pause(150);
      }
    };
    const talks = Promise.all(crowd.map(talk));
    await pause(600);
    process.kill(PIDS[2] ?? 0, 'SIGKILL');
    await talks;
    for (const [one] of crowd) {
      const lines = await linesWhen(one as TestVisitor, (l) => said(l).length === 13, 60_000);
      expect(said(lines).slice(1)).to.deep.equal(Array.from({ length: 12 }, (_, n) => `${n + 1}: m${n}`));
    }
  });
});
