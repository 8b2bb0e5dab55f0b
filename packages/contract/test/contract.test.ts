import { expect } from 'chai';
import {
  API_PROBLEMS,
  ApiError,
  createClient,
  endpoints,
  fillPath,
  openApiDocument,
  problemDetails,
  UnreachableError,
  type Endpoint,
} from '@primrose/contract';

type Json = Record<string, unknown>;
const all = Object.entries(endpoints) as [string, Endpoint][];

/** A stand-in for fetch that remembers what was asked and answers as told. */
function answering(status: number, body: string) {
  const asked: { url: string; init: RequestInit }[] = [];
  const fake = ((url: string, init: RequestInit) => {
    asked.push({ url, init });
    return Promise.resolve(new Response(status === 204 ? null : body, { status }));
  }) as unknown as typeof fetch;
  return { asked, client: createClient({ address: 'http://ferry.example', token: 'prt_x', fetch: fake }) };
}

describe('the list of endpoints', () => {
  it('has each method and path once', () => {
    const keys = all.map(([, e]) => `${e.method} ${e.path}`);
    expect(new Set(keys).size).to.equal(keys.length);
  });
  it('declares a parameter for every part of a path', () => {
    for (const [name, e] of all) {
      const named = [...e.path.matchAll(/:(\w+)/g)].map((m) => m[1] ?? '');
      const values = Object.fromEntries(named.map((n) => [n, n === 'stage' ? 'live' : '1']));
      expect([name, e.params?.safeParse(values).success ?? named.length === 0]).to.deep.equal([name, true]);
      if (named.length > 0) expect([name, e.params?.safeParse({}).success]).to.deep.equal([name, false]);
    }
  });
  it('lets no path trick through a parameter', () => {
    for (const bad of ['../x', 'a/b', '', 'a b', 'x'.repeat(200), "'; --"]) {
      expect(endpoints.getBot.params?.safeParse({ bot: bad }).success).to.equal(false);
    }
  });
  it('wants something to be said in a message', () => {
    const body = endpoints.sayChat.body;
    expect(body?.safeParse({ id: 'a', text: '  ' }).success).to.equal(false);
    expect(body?.safeParse({ id: 'a', choice: 'x' }).success).to.equal(true);
    expect(body?.safeParse({ id: 'a', text: 'x'.repeat(4001) }).success).to.equal(false);
    expect(body?.safeParse({ text: 'x' }).success).to.equal(false);
  });
});

describe('the OpenAPI document', () => {
  const document = openApiDocument('1.2.3') as {
    openapi: string;
    info: Json;
    paths: Record<string, Record<string, Json>>;
    components: { schemas: Json };
  };

  it('describes every endpoint, with its status, its body and its errors', () => {
    expect(document.openapi).to.equal('3.1.0');
    expect(document.info['version']).to.equal('1.2.3');
    for (const [name, e] of all) {
      const operation = document.paths[e.path.replace(/:(\w+)/g, '{$1}')]?.[e.method.toLowerCase()];
      expect([name, operation?.['operationId']]).to.deep.equal([name, name]);
      expect(Object.keys(operation?.['responses'] as Json)).to.include(String(e.status ?? 200));
      expect('requestBody' in (operation ?? {})).to.equal(e.body !== undefined || e.upload !== undefined);
    }
  });
  it('holds no reference that leads nowhere', () => {
    const text = JSON.stringify(document);
    const references = [...text.matchAll(/"\$ref":"#\/components\/schemas\/([^"]+)"/g)].map((m) => m[1] ?? '');
    expect(references.length).to.be.greaterThan(10);
    for (const reference of new Set(references)) expect(Object.keys(document.components.schemas)).to.include(reference);
    expect(text).to.not.contain('#/$defs/');
  });
});

describe('the list of problems', () => {
  it('has 37 codes, each with an error status and a title', () => {
    expect(Object.keys(API_PROBLEMS)).to.have.length(37);
    for (const { status, title } of Object.values(API_PROBLEMS)) {
      expect(status).to.be.within(400, 599);
      expect(title).to.match(/^[A-Z]/);
    }
  });
  it('makes problem details that name what to do', () => {
    expect(problemDetails('too-many', 'Wait a moment.', { after: 2 })).to.deep.equal({
      type: 'urn:primrose:problem:too-many',
      title: 'Too many requests',
      status: 429,
      detail: 'Wait a moment.',
      code: 'too-many',
      after: 2,
    });
  });
});

describe('the client', () => {
  it('fills path and query, and leaves out what is not given', () => {
    expect(fillPath({ path: '/a/:b/c' }, { params: { b: 'x y' }, query: { n: 1, none: undefined } })).to.equal('/a/x%20y/c?n=1');
    expect(fillPath({ path: '/a' }, {})).to.equal('/a');
  });
  it('sends token and JSON, and reads the answer', async () => {
    const { asked, client } = answering(201, '{"number":1}');
    expect(await client.call('createRelease', { params: { bot: 'b1' }, body: { note: 'x' } })).to.deep.equal({ number: 1 });
    expect(asked[0]?.url).to.equal('http://ferry.example/api/bots/b1/releases');
    expect(asked[0]?.init).to.deep.include({ method: 'POST', body: '{"note":"x"}' });
    expect(asked[0]?.init.headers).to.include({ authorization: 'Bearer prt_x', 'content-type': 'application/json' });
  });
  it('takes an empty answer as nothing', async () => {
    expect(await answering(204, '').client.call('deleteBot', { params: { bot: 'b1' } })).to.equal(undefined);
  });
  it('throws what the service says, and something sensible when another program answers', async () => {
    const ours = answering(404, JSON.stringify(problemDetails('not-found', 'Look elsewhere.')));
    const error = await ours.client.call('me', {}).catch((e: unknown) => e);
    expect(error).to.be.instanceOf(ApiError).with.property('message', 'Look elsewhere.');
    const other = await answering(502, '<html>bad gateway</html>')
      .client.call('me', {})
      .catch((e: unknown) => e);
    expect(other).to.be.instanceOf(ApiError).with.property('message').that.contains('status 502');
  });
  it('says that nobody answers, with the address', async () => {
    const client = createClient({ address: 'http://127.0.0.1:1' });
    const error = await client.call('me', {}).catch((e: unknown) => e);
    expect(error).to.be.instanceOf(UnreachableError).with.property('message').that.contains('127.0.0.1:1');
  });
});
