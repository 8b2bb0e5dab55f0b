import { expect } from 'chai';
import { createHmac } from 'node:crypto';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { type ApiError, type Run, type StartState } from '@primrose/contract';
import { textOf, type BotDocument } from '@primrose/core';
import { botOf } from '../../core/test/harbour.js';
import { databaseUrl, ownDatabase, startTestService, theService, type TestService } from './support/service.js';
import { until } from './support/until.js';

const REPORTS = {
  columns: { call: { type: 'text', search: true }, number: 'text', said: 'text' },
  key: ['call'],
  allows: [],
} as const;
const END = { done: { kind: 'end', ends: 'flow' }, failed: { kind: 'end', ends: 'failed' } };
const HELLO = { begin: 'hello', nodes: { hello: { kind: 'say', says: 'Hello.', exits: { said: 'done' } }, ...END } };
/** Files what comes as a row, and gives it back. */
const FILE = {
  takes: { call: 'text', number: 'text?', said: 'text?' },
  gives: { filed: 'yes_no', number: 'text?' },
  begin: 'add',
  nodes: {
    add: { kind: 'table', table: 'reports', does: 'add', exits: { done: 'note', conflict: 'failed', failed: 'failed' } },
    note: { kind: 'set', sets: [{ into: 'flow.filed', to: true }], exits: { done: 'done' } },
    ...END,
  },
};
const document = (id: string, more: Record<string, unknown> = {}, flows: Record<string, unknown> = {}): BotDocument =>
  botOf({}, { bot: id, tables: { reports: REPORTS }, flows: { main: HELLO, file: FILE, ...flows }, ...more }, 'main');

describe('starts, over HTTP', () => {
  let service: TestService;
  before(async () => {
    service = await theService();
  });

  const made = async (of: BotDocument, release = true): Promise<string> => {
    const { bot } = await service.client.call('createBot', { body: { from: 'document', document: of as never } });
    if (release) await service.client.call('createRelease', { params: { bot: bot.id }, body: { note: '' } });
    return bot.id;
  };
  const state = async (bot: string, name: string): Promise<StartState> => {
    const found = (await service.client.call('listStarts', { params: { bot } })).items.find((s) => s.name === name);
    if (!found) throw new Error(`no start ${name}`);
    return found;
  };
  const address = async (bot: string, name: string, stage: 'live' | 'draft' = 'live') =>
    (await state(bot, name))[stage]?.address ?? '';
  const token = async (bot: string, start: string) =>
    (await service.client.call('makeStartToken', { params: { bot, start, stage: 'live' } })).token;
  const send = async (to: string, body: string, headers: Record<string, string> = {}) => {
    const answer = await fetch(to, { method: 'POST', headers: { 'content-type': 'application/json', ...headers }, body });
    const text = await answer.text();
    return {
      status: answer.status,
      body: (text === '' ? {} : JSON.parse(text)) as Record<string, unknown>,
      headers: answer.headers,
    };
  };
  const runs = async (bot: string): Promise<Run[]> =>
    (await service.client.call('listRuns', { params: { bot }, query: { limit: 200 } })).items;
  const rows = async (bot: string) =>
    (await service.client.call('findTableRows', { params: { bot, table: 'reports' }, body: { limit: 200 } })).items.map(
      (r) => r.values,
    );
  const events = async (bot: string, start: string, stage: 'live' | 'draft' = 'live') =>
    (await service.client.call('listStartEvents', { params: { bot, start, stage } })).items;
  const over = (bot: string, count: number) =>
    until(async () => (await runs(bot)).filter((r) => r.outcome !== 'running').length >= count);

  const hook = (more: Record<string, unknown> = {}) => ({
    by: 'hook',
    flow: 'file',
    given: { call: '{{ body.id }}', number: '{{ body.from }}', said: '{{ body.said }}' },
    ...more,
  });

  it('by hook: what is sent begins a run, is kept as it came, and keeps the plus of a number', async () => {
    const bot = await made(document('hooks', { starts: { report: hook() } }));
    const sent = await send(await address(bot, 'report'), '{"id": 7, "from": "+353 86 000 4411", "said": "hello"}');
    expect([sent.status, sent.body['repeat']]).to.deep.equal([202, false]);
    await over(bot, 1);
    expect(await rows(bot)).to.deep.equal([{ call: '7', number: '+353 86 000 4411', said: 'hello' }]);
    const [run] = await runs(bot);
    expect(run).to.deep.include({
      id: sent.body['run'],
      start: 'report',
      by: 'hook',
      outcome: 'done',
      gave: { filed: true, number: '+353 86 000 4411' },
    });
    const [event] = await events(bot, 'report');
    expect(event).to.deep.include({
      outcome: 'taken',
      status: 202,
      run: run?.id,
      body: '{"id": 7, "from": "+353 86 000 4411", "said": "hello"}',
    });
    const whole = await service.client.call('getRun', { params: { bot, run: run?.id ?? '' } });
    expect(whole.turns.map((t) => t.sheet.path.map((p) => p.node))).to.deep.equal([['add', 'note', 'done']]);
    const { items } = await service.client.call('findTableRows', { params: { bot, table: 'reports' }, body: {} });
    expect(items.map((r) => r.madeIn)).to.deep.equal([{ conversation: run?.id, turn: 1 }]);
  });

  it('by hook: forms and texts, and an answer with what the flow gives', async () => {
    const starts = {
      form: hook({ body: 'form', answers: 'given-back' }),
      words: hook({ body: 'text', given: { call: '{{ headers["x-call"] }}', said: '{{ body }}' }, answers: 'given-back' }),
    };
    const bot = await made(document('forms', { starts }));
    const form = await send(await address(bot, 'form'), 'id=f-1&from=%2B353+1', {
      'content-type': 'application/x-www-form-urlencoded',
    });
    expect([form.status, form.body['outcome'], form.body['gave']]).to.deep.equal([
      200,
      'done',
      { filed: true, number: '+353 1' },
    ]);
    const words = await send(await address(bot, 'words'), 'as it was said', { 'content-type': 'text/plain', 'x-call': 'w-1' });
    expect([words.status, words.body['gave']]).to.deep.equal([200, { filed: true }]);
    // The same call again: the row is there, so the flow fails, and whoever sent it is told.
    const twice = await send(await address(bot, 'form'), 'id=f-1', { 'content-type': 'application/x-www-form-urlencoded' });
    expect([twice.status, twice.body['code']]).to.deep.equal([500, 'run-failed']);
  });

  it('by hook: ten of the same at once begin one run, by header and by expression', async () => {
    const bot = await made(document('repeats', { starts: { report: hook({ repeats: 'body.id' }) } }));
    const to = await address(bot, 'report');
    const byBody = await Promise.all(Array.from({ length: 10 }, () => send(to, '{"id": "a"}')));
    expect(byBody.map((s) => s.status)).to.deep.equal(Array.from({ length: 10 }, () => 202));
    expect(byBody.filter((s) => s.body['repeat'] === false)).to.have.length(1);
    expect(new Set(byBody.map((s) => s.body['run'])).size).to.equal(1);
    const byHeader = await Promise.all(
      Array.from({ length: 10 }, (_, i) => send(to, `{"id": "h${i}"}`, { 'idempotency-key': 'one' })),
    );
    expect(byHeader.filter((s) => s.body['repeat'] === false)).to.have.length(1);
    await over(bot, 2);
    expect(await rows(bot)).to.have.length(2);
  });

  it('by hook: what is bad gets its status, an entry that says why, and begins nothing', async () => {
    const bot = await made(
      document('refuses', {
        starts: { report: hook(), shut: hook({ secured: 'token' }), sealed: hook({ secured: 'signature' }) },
      }),
    );
    const to = await address(bot, 'report');
    const refusal = async (work: ReturnType<typeof send>) => {
      const { status, body } = await work;
      return `${status} ${String(body['code'])}`;
    };
    expect(await refusal(send(to, '{"id":'))).to.equal('422 invalid-input');
    expect(await refusal(send(to, '{"from": "x"}'))).to.equal('422 inputs-missing');
    expect(await refusal(send(to, `{"id": "${'x'.repeat(1_100_000)}"}`))).to.equal('413 too-large');
    expect(await refusal(send(`${to}x`, '{}'))).to.equal('404 not-found');
    expect(await refusal(send(to, `${'['.repeat(50_000)}${']'.repeat(50_000)}`))).to.match(/^422 /);
    await service.client.call('setStart', { params: { bot, start: 'report', stage: 'live' }, body: { on: false } });
    expect(await refusal(send(to, '{"id": "1"}'))).to.equal('409 channel-off');
    expect(await refusal(send(await address(bot, 'shut'), '{"id": "1"}'))).to.equal('401 forged-signature');
    expect(
      await refusal(send(await address(bot, 'shut'), '{"id": "1"}', { authorization: `Bearer ${'n'.repeat(43)}` })),
    ).to.equal('401 forged-signature');
    expect(await refusal(send(await address(bot, 'sealed'), '{"id": "1"}', { 'x-signature': 'sha256=00' }))).to.equal(
      '401 forged-signature',
    );
    const told = (await events(bot, 'report')).map((e) => `${e.status} ${e.about}`);
    expect(told.join('\n'))
      .to.match(/409 the start is switched off/)
      .and.to.match(/413 the body has more than 1 MB/);
    expect(told.join('\n')).to.match(/422 it does not fill in: call is not there: nothing stands at body.id/);
    expect((await events(bot, 'shut'))[0]).to.deep.include({ status: 401, times: 2, body: null });
    expect(await runs(bot)).to.deep.equal([]);
    const right = await send(await address(bot, 'shut'), '{"id": "1"}', { authorization: `Bearer ${await token(bot, 'shut')}` });
    expect(right.status).to.equal(202);
  });

  it('by hook: a signature is that of the bytes, with the secret that is kept', async () => {
    const bot = await made(
      document('signed', { starts: { report: hook({ secured: 'signature', header: 'x-seal', answers: 'given-back' }) } }),
    );
    await service.client.call('setStart', {
      params: { bot, start: 'report', stage: 'live' },
      body: { signing: 'a secret of ours' },
    });
    const to = await address(bot, 'report');
    const sign = (body: string, form: 'hex' | 'base64') => createHmac('sha256', 'a secret of ours').update(body).digest(form);
    const body = '{"id": "s-1",  "said": "äöü"}';
    expect((await send(to, body, { 'x-seal': `sha256=${sign(body, 'hex')}` })).status).to.equal(200);
    const other = '{"id": "s-2"}';
    expect((await send(to, other, { 'x-seal': sign(other, 'base64') })).status).to.equal(200);
    expect((await send(to, '{"id": "s-3"}', { 'x-seal': sign(other, 'hex') })).status).to.equal(401);
    const [event] = (await events(bot, 'report')).filter((e) => e.outcome === 'taken');
    expect(JSON.stringify(event)).not.to.contain(sign(other, 'base64'));
  });

  it('by hook: pages of the sites that it names may send, others may not', async () => {
    const bot = await made(document('origins', { starts: { report: hook({ origins: ['https://quay.example'] }) } }));
    const to = await address(bot, 'report');
    const ask = async (origin: string) =>
      (await fetch(to, { method: 'OPTIONS', headers: { origin } })).headers.get('access-control-allow-origin');
    expect(await ask('https://quay.example')).to.equal('https://quay.example');
    expect(await ask('https://other.example')).to.equal(null);
    expect(
      (await send(to, '{"id": "1"}', { origin: 'https://quay.example' })).headers.get('access-control-allow-origin'),
    ).to.equal('https://quay.example');
  });

  it('of the draft have an address of their own, and say what is wrong with the draft', async () => {
    const bot = await made(document('drafts', { starts: { report: hook() } }), false);
    expect((await state(bot, 'report')).live).to.equal(null);
    const to = await address(bot, 'report', 'draft');
    expect((await send(to, '{"id": "d-1"}')).status).to.equal(202);
    await over(bot, 1);
    expect((await runs(bot))[0]).to.include({ stage: 'draft', outcome: 'done' });
    const { revision } = await service.client.call('getDraft', { params: { bot } });
    const patch = [{ op: 'replace' as const, path: '/flows/file/nodes/add/table', value: 'nothing' }];
    await service.client.call('patchDraft', { params: { bot }, body: { revision, patch } });
    const broken = await send(to, '{"id": "d-2"}');
    expect([broken.status, broken.body['code']]).to.deep.equal([422, 'release-stopped']);
    expect((await events(bot, 'report', 'draft'))[0]?.about).to.match(/the draft has errors: .*There is no table "nothing"/);
  });

  it('by call: inputs go in, what the flow gives comes out, also as a stream, with a description that fits', async () => {
    const bot = await made(document('calls', { starts: { file: { by: 'call', flow: 'file' } } }));
    const [to, bearer] = [await address(bot, 'file'), await token(bot, 'file')];
    const authorization = `Bearer ${bearer}`;
    expect((await send(to, '{"call": "c-1"}')).status).to.equal(401);
    const done = await send(to, '{"call": "c-1", "number": "+353 2"}', { authorization });
    expect([done.status, done.body['gave']]).to.deep.equal([200, { filed: true, number: '+353 2' }]);
    const lacking = await send(to, '{"number": 5}', { authorization });
    expect([lacking.status, lacking.body['code']]).to.deep.equal([422, 'inputs-missing']);
    const stream = await fetch(to, {
      method: 'POST',
      headers: { authorization, accept: 'text/event-stream' },
      body: '{"call": "c-2"}',
    });
    const told = [...(await stream.text()).matchAll(/^event: (\w+)\ndata: (.*)$/gm)].map(
      (m) => [m[1], JSON.parse(m[2] ?? '') as Record<string, unknown>] as const,
    );
    expect(told.map(([name]) => name)).to.deep.equal(['begun', 'over']);
    expect(told[1]?.[1]).to.deep.include({ outcome: 'done', gave: { filed: true } });
    const openapi = (await (await fetch(to, { headers: { authorization } })).json()) as { paths: Record<string, unknown> };
    expect(Object.keys(openapi.paths)).to.deep.equal([new URL(to).pathname]);
    const run = await fetch(`${to}/runs/${String(done.body['run'])}`, { headers: { authorization } });
    expect(await run.json()).to.deep.include({ outcome: 'done', gave: { filed: true, number: '+353 2' } });
    const { sheet, curl } = await service.client.call('describeStart', { params: { bot, start: 'file', stage: 'live' } });
    expect(sheet).to.contain('- `call` (text, needed)');
    expect(curl).to.contain(to);
  });

  it('by row: changes begin runs, but no circle', async () => {
    const starts = {
      told: { by: 'row', flow: 'echo', table: 'reports', on: ['added'], given: { call: '{{ row.call }}' } },
      gone: { by: 'row', flow: 'echo', table: 'reports', on: ['removed'], given: { call: 'gone {{ row.call }}' } },
    };
    // A row that is added makes the flow add another one, which must not begin it again.
    const echo = {
      takes: { call: 'text' },
      begin: 'add',
      nodes: {
        add: {
          kind: 'table',
          table: 'reports',
          does: 'add',
          values: { call: '{{ flow.call }}!' },
          exits: { done: 'done', conflict: 'failed', failed: 'failed' },
        },
        ...END,
      },
    };
    const bot = await made(document('rows', { starts }, { echo }));
    const row = await service.client.call('addTableRow', {
      params: { bot, table: 'reports' },
      query: {},
      body: { values: { call: 'a' } },
    });
    await over(bot, 1);
    await service.client.call('removeTableRows', {
      params: { bot, table: 'reports' },
      query: {},
      body: { rows: [{ id: row.id, version: 1 }] },
    });
    // What is removed tells its start, whose new row tells the first one: a chain of two, each once.
    await over(bot, 3);
    await new Promise((resolve) => setTimeout(resolve, 1500));
    expect((await runs(bot)).map((r) => r.start).sort()).to.deep.equal(['gone', 'told', 'told']);
    expect((await rows(bot)).map((r) => r['call']).sort()).to.deep.equal(['a!', 'gone a!', 'gone a!!']);
    await service.client.call('setStart', { params: { bot, start: 'told', stage: 'live' }, body: { on: false } });
    await service.client.call('addTableRow', { params: { bot, table: 'reports' }, query: {}, body: { values: { call: 'b' } } });
    await new Promise((resolve) => setTimeout(resolve, 1200));
    expect(await runs(bot)).to.have.length(3);
  });

  it('by hand: with values for what the flow takes, and once more with the same', async () => {
    const bot = await made(document('hands'));
    const begin = (given: Record<string, string>, on: 'draft' | 'live' = 'live') =>
      service.client.call('beginRun', { params: { bot }, query: { wait: 'true' }, body: { flow: 'file', on, given } });
    expect(await begin({ call: 'h-1' })).to.deep.include({ by: 'hand', outcome: 'done', gave: { filed: true } });
    for (const [given, why] of [
      [{}, /call is not there/],
      [{ call: 'x', more: 'y' }, /more is nothing that the flow takes/],
    ] as const)
      await begin(given as Record<string, string>).then(
        () => expect.fail('it began'),
        (error: unknown) => expect((error as ApiError).details.detail).to.match(why),
      );
    const [first] = await runs(bot);
    const again = await service.client.call('runAgain', { params: { bot, run: first?.id ?? '' }, body: { on: 'draft' } });
    await over(bot, 2);
    expect((await runs(bot))[0]).to.include({
      id: again.id,
      againOf: first?.id,
      stage: 'draft',
      outcome: 'failed',
      reason: 'its flow ended as failed',
    });
    const { items } = await service.client.call('countRuns', { params: { bot }, query: {} });
    expect(items.map((i) => `${i.outcome} ${i.count}`).sort()).to.deep.equal(['done 1', 'failed 1']);
    const failed = await service.client.call('listRuns', { params: { bot }, query: { outcome: 'failed' } });
    expect(failed.items).to.have.length(1);
  });

  it('tell what a mapping makes of something that came, without beginning anything', async () => {
    const bot = await made(document('maps', { starts: { report: hook() } }));
    const tried = await service.client.call('tryMapping', {
      params: { bot, start: 'report' },
      body: { came: { body: { other: { id: 9 } } }, given: { call: '{{ body.other.id }}' } },
    });
    expect(tried).to.deep.equal({ values: { call: '9' }, problems: [] });
    expect(await runs(bot)).to.deep.equal([]);
  });

  it('take two hundred rows a second from a hook, every one once', async function () {
    const bot = await made(document('many', { starts: { report: hook({ repeats: 'body.id' }) } }));
    const to = await address(bot, 'report');
    const count = 400;
    const statuses = await Promise.all(
      Array.from({ length: count }, (_, i) => send(to, `{"id": "m-${i}"}`).then((s) => s.status)),
    );
    expect(new Set(statuses)).to.deep.equal(new Set([202]));
    await until(
      async () => (await service.client.call('listTables', { params: { bot }, query: {} })).items[0]?.rows === count,
      60,
    );
    const { items } = await service.client.call('countRuns', { params: { bot }, query: {} });
    expect(items.reduce((sum, i) => sum + i.count, 0)).to.equal(count);
  });
});

describe('runs, when the process is killed', () => {
  it('go through exactly once: what was accepted is done, and rows are there once', async function () {
    await ownDatabase('killed_runs');
    const service = await startTestService({ databaseUrl: databaseUrl('killed_runs') });
    try {
      const { client } = service;
      const { bot } = await client.call('createBot', {
        body: {
          from: 'document',
          document: document('kills', {
            starts: { report: { by: 'hook', flow: 'file', given: { call: '{{ body.id }}' }, repeats: 'body.id' } },
          }) as never,
        },
      });
      await client.call('createRelease', { params: { bot: bot.id }, body: { note: '' } });
      const { items } = await client.call('listStarts', { params: { bot: bot.id } });
      const to = items[0]?.live?.address ?? '';
      const accepted = new Set<string>();
      const send = (id: string) =>
        fetch(to, { method: 'POST', body: JSON.stringify({ id }) }).then(
          (answer) => void (answer.status === 202 && accepted.add(id)),
          () => undefined,
        );
      for (let round = 0; round < 3; round++) {
        const under = Array.from({ length: 60 }, (_, i) => send(`${round}-${i}`));
        await new Promise((resolve) => setTimeout(resolve, 400 + round * 300));
        await service.crash();
        await Promise.all(under);
      }
      const runs = async () => (await client.call('countRuns', { params: { bot: bot.id }, query: {} })).items;
      await until(async () => (await runs()).every((r) => r.outcome !== 'running'), 60);
      const rows: string[] = [];
      for (let after: string | undefined; ;) {
        const page = await client.call('findTableRows', {
          params: { bot: bot.id, table: 'reports' },
          body: { limit: 200, ...(after === undefined ? {} : { after }) },
        });
        rows.push(...page.items.map((r) => textOf(r.values['call'] ?? null)));
        if (page.next === null) break;
        after = page.next;
      }
      expect(new Set(rows).size).to.equal(rows.length);
      expect([...accepted].filter((id) => !rows.includes(id))).to.deep.equal([]);
      expect(accepted.size).to.be.greaterThan(0);
      expect((await runs()).filter((r) => r.outcome !== 'done')).to.deep.equal([]);
    } finally {
      await service.stop();
    }
  });
});

describe('notices', () => {
  /** A messenger that answers as it is told to, and keeps what it got. */
  const messenger = async (
    answers: () => number,
  ): Promise<{ server: Server; address: string; got: Record<string, unknown>[] }> => {
    const got: Record<string, unknown>[] = [];
    const server = createServer((req, res) => {
      let text = '';
      req.on('data', (chunk: Buffer) => (text += chunk.toString()));
      req.on('end', () => {
        const status = answers();
        if (status < 300) got.push({ ...(JSON.parse(text) as Record<string, unknown>), key: req.headers['idempotency-key'] });
        res.statusCode = status;
        res.end('{}');
      });
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    return { server, address: `http://127.0.0.1:${(server.address() as AddressInfo).port}`, got };
  };
  const TELL = {
    takes: { what: 'text' },
    begin: 'tell',
    nodes: {
      tell: {
        kind: 'notice',
        to: 'shore-room',
        says: '**{{ flow.what }}**',
        links: [{ says: 'Look', opens: 'https://desk.example/{{ flow.what }}' }],
        exits: { done: 'done', failed: 'failed' },
      },
      ...END,
    },
  };

  it('are sent once, tried again where the other side is busy, and shown where it refuses them', async () => {
    const service = await theService();
    const { client } = service;
    let status = 503;
    const other = await messenger(() => status);
    try {
      const { bot } = await client.call('createBot', {
        body: { from: 'document', document: document('notices', {}, { tell: TELL }) as never },
      });
      const params = { bot: bot.id };
      const begin = () =>
        client.call('beginRun', { params, query: { wait: 'true' }, body: { flow: 'tell', on: 'draft', given: { what: 'fog' } } });
      expect(await begin()).to.include({ outcome: 'failed' });
      const profile = {
        event: { id: 'item.id', sender: 'item.who', text: 'item.text' },
        calls: {
          address: other.address,
          message: { post: '/letters', body: { to: '{{ to }}', text: '{{ text }}', links: '{{ links }}' } },
        },
      };
      await client.call('createChannel', { params, body: { kind: 'hook-messenger', name: 'Post', profile: profile } });
      expect(await begin()).to.include({ outcome: 'done' });
      const list = async () => (await client.call('listNotices', { params, query: {} })).items;
      await until(async () => (await list())[0]?.tries === 1);
      status = 200;
      await until(async () => (await list())[0]?.state === 'sent');
      expect(other.got).to.have.length(1);
      expect(other.got[0]).to.deep.include({
        to: 'shore-room',
        text: 'fog',
        links: [{ says: 'Look', opens: 'https://desk.example/fog' }],
      });
      status = 400;
      await begin();
      await until(async () => (await list())[0]?.state === 'failed');
      const [failed] = await list();
      expect(failed?.reason).to.match(/answered with status 400/);
      status = 200;
      await client.call('sendNoticeAgain', { params: { ...params, notice: failed?.id ?? '' } });
      await until(async () => (await list())[0]?.state === 'sent');
      // A simulation sends nothing.
      const { id } = await client.call('createSimulation', { params, body: {} });
      await client.stream(
        'runTurn',
        {
          params: { ...params, conversation: id },
          body: {
            id: crypto.randomUUID(),
            event: {
              type: 'start',
              start: { flow: 'tell', node: 'tell', variables: { flow: { what: 'storm' }, session: {}, visitor: {} } },
            },
          },
        },
        () => undefined,
      );
      await new Promise((resolve) => setTimeout(resolve, 1200));
      expect(other.got).to.have.length(2);
    } finally {
      other.server.close();
    }
  });
});

describe('the demo', () => {
  it('files a call, tells the room, and answers the phone; Shore desk keeps the list of repairs', async () => {
    const service = await theService();
    const { client } = service;
    const bots = (await client.call('listBots', { query: { limit: 200 } })).items;
    const [harbour, shore] = ['harbour-desk', 'shore-desk'].map((name) => bots.find((b) => b.bot === name)?.id ?? '');
    if (!harbour || !shore) throw new Error('the demo is not there');
    const { token } = await client.call('makeStartToken', { params: { bot: harbour, start: 'call-report', stage: 'live' } });
    const to =
      (await client.call('listStarts', { params: { bot: harbour } })).items.find((s) => s.name === 'call-report')?.live
        ?.address ?? '';
    const body = JSON.stringify({
      call: { id: 'demo-1', from: '+353 86 000 4411' },
      transcript: 'My name is Orla. My suitcase is at Kelpwick, it is urgent. Ring me on +353 87 000 1200 before 11:30.',
    });
    const answer = await fetch(to, { method: 'POST', headers: { authorization: `Bearer ${token}` }, body });
    expect((await answer.json()) as unknown).to.deep.include({ outcome: 'done' });
    const reports = await client.call('findTableRows', {
      params: { bot: harbour, table: 'call-reports' },
      body: { where: [{ column: 'call', relation: 'is', value: 'demo-1' }] },
    });
    expect(reports.items[0]?.values).to.include({
      caller: 'Orla',
      number: '+353 87 000 1200',
      port: 'kelpwick',
      ring_back_by: '11:30',
      urgency: 'urgent',
    });
    const room = async () => {
      const state = (await (await fetch(`${service.messenger}/phones`)).json()) as { rooms: { letters: { words: string }[] }[] };
      return state.rooms[0]?.letters.map((l) => l.words) ?? [];
    };
    await until(async () => (await room()).some((w) => w.startsWith('Call report, urgent')));
    const write = (words: string) =>
      fetch(`${service.messenger}/rooms/shore-room`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ from: '772001', words }),
      });
    await write('something is broken on the Sandpiper');
    await until(async () => (await room()).some((w) => w.startsWith('What is broken?')));
    await write('the horn is silent');
    await until(async () => (await room()).some((w) => w.startsWith('Noted for Sandpiper')));
    const sent = await client.call('beginRun', {
      params: { bot: shore },
      query: { wait: 'true' },
      body: { flow: 'send-open-repairs', on: 'live' },
    });
    expect(sent).to.deep.include({ outcome: 'done', gave: { open: 1 } });
    await until(async () => (await room()).some((w) => w.startsWith('Open repairs') && w.includes('the horn is silent')));
  });
});
