import { expect } from 'chai';
import { createClient, endpoints, type openApiDocument, type ProblemDetails } from '@primrose/contract';
import { demoDocument } from '../../core/test/harbour.js';
import { asKept } from './support/kept.js';
import { theService, type TestService } from './support/service.js';

describe('the service', () => {
  let service: TestService;
  before(async () => {
    service = await theService();
  });
  const fetchRaw = async (path: string, init: RequestInit = {}, token: string | undefined = service.token) => {
    const headers = {
      ...(token === undefined ? {} : { authorization: `Bearer ${token}` }),
      ...(init.body === undefined ? {} : { 'content-type': 'application/json' }),
      ...init.headers,
    };
    const response = await fetch(service.address + path, { ...init, headers });
    const text = await response.text();
    return {
      status: response.status,
      headers: response.headers,
      text,
      body: (/^[{[]/.test(text) ? JSON.parse(text) : {}) as ProblemDetails,
    };
  };
  const newBot = async (name = 'Trial') => (await service.client.call('createBot', { body: { from: 'blank', name } })).bot.id;

  it('is ready and says so', async () => expect((await fetchRaw('/health')).body).to.include({ ready: true }));

  it('serves its API as OpenAPI 3.1 and the document’s schema', async () => {
    const api = (await fetchRaw('/api/openapi.json', {}, undefined)).body as unknown as ReturnType<typeof openApiDocument>;
    const operations = Object.values(api['paths'] as Record<string, Record<string, { operationId: string }>>).flatMap((p) =>
      Object.values(p).map((o) => o.operationId),
    );
    expect(operations).to.have.members(Object.keys(endpoints));
    expect((await fetchRaw('/api/schema/bot.json', {}, undefined)).text).to.contain('node-choice');
  });

  it('answers nobody who is not signed in, except on the visitor’s side', async () => {
    for (const [name, e] of Object.entries(endpoints)) {
      if (e.access !== 'person') continue;
      const path = e.path.replace(/:\w+/g, '1');
      const { status, body } = await fetchRaw(
        path,
        { method: e.method, ...(e.method === 'GET' ? {} : { body: '{}' }) },
        'prt_aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa',
      );
      expect([name, status, body.code]).to.deep.equal([name, 401, 'not-signed-in']);
    }
  });

  it('answers every mistake with problem details that say what to do', async () => {
    const bot = await newBot();
    const cases: [string, RequestInit, number, string][] = [
      ['/api/bots', { method: 'POST', body: '{"from":' }, 422, 'invalid-input'],
      ['/api/bots', { method: 'POST', body: '{"from":"moon"}' }, 422, 'invalid-input'],
      ['/api/bots', { method: 'POST', body: 'x', headers: { 'content-type': 'text/plain' } }, 415, 'wrong-content-type'],
      [
        '/api/bots',
        { method: 'POST', body: JSON.stringify({ from: 'document', document: { primrose: 1 } }) },
        422,
        'invalid-document',
      ],
      ['/api/bots/none/draft', {}, 404, 'not-found'],
      [`/api/bots/${bot}/draft`, { method: 'POST', body: '{}' }, 405, 'method-not-allowed'],
      ['/api/nothing', {}, 404, 'not-found'],
      [
        `/api/bots/${bot}/draft`,
        { method: 'PATCH', body: JSON.stringify({ revision: 1, patch: [{ op: 'remove', path: '/nope' }] }) },
        422,
        'patch-failed',
      ],
      [`/api/bots/${bot}/releases`, { method: 'POST', body: '{"note":""}' }, 422, 'release-stopped'],
      ['/api/bots', { method: 'POST', body: JSON.stringify({ from: 'blank', name: 'x'.repeat(5_000_000) }) }, 413, 'too-large'],
    ];
    for (const [path, init, status, code] of cases) {
      const answer = await fetchRaw(path, init);
      expect([path, answer.status, answer.body.code]).to.deep.equal([path, status, code]);
      expect(answer.headers.get('content-type')).to.contain('application/problem+json');
      expect(answer.body.detail.length).to.be.greaterThan(20);
    }
  });

  it('keeps bots of the list, the bin and copies apart', async () => {
    const bot = await newBot('Pier desk');
    const copy = await service.client.call('duplicateBot', { params: { bot } });
    expect(copy.bot.name).to.equal('Pier desk (copy)');
    await service.client.call('deleteBot', { params: { bot } });
    const ids = async (deleted?: 'true') =>
      (await service.client.call('listBots', { query: { limit: 200, ...(deleted ? { deleted } : {}) } })).items.map((b) => b.id);
    expect(await ids()).to.not.include(bot);
    expect(await ids('true')).to.include(bot);
    await service.client.call('restoreBot', { params: { bot } });
    expect(await ids()).to.include(bot);
  });

  it('pages a list by cursor without losing or repeating anything', async () => {
    for (let i = 0; i < 5; i++) await newBot(`Page ${i}`);
    const seen: string[] = [];
    for (let after: string | undefined; ;) {
      const { items, next } = await service.client.call('listBots', {
        query: { limit: 2, ...(after === undefined ? {} : { after }) },
      });
      seen.push(...items.map((b) => b.id));
      if (next === null) break;
      after = next;
    }
    expect(new Set(seen).size).to.equal(seen.length);
    expect(seen).to.have.members((await service.client.call('listBots', { query: { limit: 200 } })).items.map((b) => b.id));
  });

  it('takes a patch against its revision, and refuses one to a place that was changed since', async () => {
    const bot = await newBot();
    const patch = (revision: number, name: string) =>
      service.client.call('patchDraft', {
        params: { bot },
        body: { revision, patch: [{ op: 'replace', path: '/name', value: name }] },
      });
    expect((await patch(1, 'First')).revision).to.equal(2);
    const refusal = await patch(1, 'Second').catch((e: { details: ProblemDetails }) => e.details);
    expect(refusal).to.include({ code: 'clash', status: 412, revision: 2 });
    expect((refusal as ProblemDetails)['clashes']).to.deep.equal([
      { path: '/name', base: 'Trial', mine: 'Second', theirs: 'First' },
    ]);
    const early = await patch(9, 'Third').catch((e: { details: ProblemDetails }) => e.details);
    expect(early).to.include({ code: 'stale-revision', revision: 2 });
    const [edit] = (await service.client.call('listEdits', { params: { bot }, query: { since: 1 } })).items;
    expect(edit?.patch).to.deep.equal([{ op: 'replace', path: '/name', value: 'First' }]);
  });

  it('lets one of two edits made at once through, never both', async () => {
    const bot = await newBot();
    const attempts = await Promise.allSettled(
      Array.from({ length: 8 }, (_, i) =>
        service.client.call('patchDraft', {
          params: { bot },
          body: { revision: 1, patch: [{ op: 'replace', path: '/name', value: `N${i}` }] },
        }),
      ),
    );
    expect(attempts.filter((a) => a.status === 'fulfilled')).to.have.length(1);
    expect((await service.client.call('getDraft', { params: { bot } })).revision).to.equal(2);
  });

  it('releases what has no errors, once per change, and binds channels', async () => {
    const { bot } = await service.client.call('createBot', { body: { from: 'document', document: demoDocument() as never } });
    const params = { bot: bot.id };
    const release = await service.client.call('createRelease', { params, body: { note: 'first' } });
    expect(release.number).to.equal(1);
    expect(
      await service.client
        .call('createRelease', { params, body: { note: '' } })
        .catch((e: { details: ProblemDetails }) => e.details.code),
    ).to.equal('nothing-to-release');
    const [channel] = (await service.client.call('listChannels', { params })).items;
    expect(channel).to.include({ kind: 'web-chat', serves: 'live', live: 1, on: true });
    const bound = await service.client.call('updateChannel', {
      params: { ...params, channel: channel?.id ?? '' },
      body: { serves: 1, on: false },
    });
    expect(bound).to.include({ serves: 1, on: false });
    expect((await service.client.call('getRelease', { params: { ...params, release: 1 } })).document).to.deep.equal(
      asKept(demoDocument()),
    );
  });

  it('shows a token once and forgets it when it is revoked', async () => {
    const token = await service.client.call('createToken', { body: { name: 'to be revoked' } });
    const other = createClient({ address: service.address, token: token.secret });
    expect((await other.call('me', {})).name).to.equal('Owner');
    expect(JSON.stringify(await service.client.call('listTokens', {}))).to.not.contain(token.secret);
    await service.client.call('revokeToken', { params: { token: token.id } });
    expect(await other.call('me', {}).catch((e: { details: ProblemDetails }) => e.details.code)).to.equal('not-signed-in');
  });

  it('signs in by a link once, and takes changes by cookie from its own pages only', async () => {
    const link = (await service.link()).split('#')[1] ?? '';
    const signIn = () =>
      fetch(`${service.address}/api/sign-in`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ link }),
      });
    const first = await signIn();
    const cookie = first.headers.get('set-cookie') ?? '';
    expect(cookie).to.match(/HttpOnly; SameSite=Strict/);
    expect((await signIn()).status).to.equal(401);
    const change = (headers: Record<string, string>) =>
      fetch(`${service.address}/api/tokens`, {
        method: 'POST',
        headers: { cookie: cookie.split(';')[0] ?? '', 'content-type': 'application/json', ...headers },
        body: '{"name":"by cookie"}',
      });
    expect((await change({})).status).to.equal(403);
    expect((await change({ 'x-primrose': 'client', origin: 'http://elsewhere.example' })).status).to.equal(403);
    expect((await change({ 'x-primrose': 'client', 'sec-fetch-site': 'cross-site' })).status).to.equal(403);
    expect((await change({ 'x-primrose': 'client', origin: service.address })).status).to.equal(201);
  });

  it('sends a strict content policy with every page', async () => {
    // A chat may be shown by pages of others, those that it names; the console by none.
    for (const [page, shownBy] of [
      ['/', "'none'"],
      ['/chat/anything', '*'],
    ] as const) {
      const policy = (await fetchRaw(page, {}, undefined)).headers.get('content-security-policy') ?? '';
      expect(policy).to.contain("script-src 'self'").and.not.contain("script-src 'self' 'unsafe");
      expect(policy).to.contain("object-src 'none'").and.contain(`frame-ancestors ${shownBy}`);
    }
  });
});
