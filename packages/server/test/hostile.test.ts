import { expect } from 'chai';
import { endpoints, fillPath, type Endpoint, type EndpointName } from '@primrose/contract';
import { demoDocument } from '../../core/test/harbour.js';
import { theService, type TestService } from './support/service.js';

const deep = (depth: number) => '{"a":'.repeat(depth) + '1' + '}'.repeat(depth);
const BODIES: readonly string[] = [
  '',
  'null',
  '[]',
  '0',
  '"text"',
  '{}',
  '{"a"',
  deep(200),
  deep(20_000),
  '{"__proto__":{"admin":true}}',
  '{"constructor":{"prototype":{"x":1}}}',
  JSON.stringify({ name: 'x'.repeat(100_000), note: 'y'.repeat(100_000), id: 'z'.repeat(100_000), text: '\u0000\ud800' }),
  JSON.stringify({
    id: [],
    text: {},
    choice: 5,
    revision: 'x',
    patch: {},
    from: 1,
    serves: -1,
    on: 'no',
    address: 'x',
    link: null,
  }),
  JSON.stringify({
    id: 'a',
    text: '\u202e\u0000',
    revision: 1e308,
    patch: [{ op: 'add', path: '/__proto__/x', value: 1 }],
    from: 'document',
    document: { primrose: 1e99 },
  }),
  JSON.stringify({
    revision: 1,
    patch: [{ op: 'move', from: '/flows', path: '/flows/welcome/nodes' }],
    from: 'blank',
    name: ' ',
    note: 'x',
  }),
  JSON.stringify({ revision: 1, patch: [{ op: 'replace', path: '', value: null }], from: 'example', example: '../../etc' }),
];
const IDS = ['..%2f..%2fetc', '%00', "'%20OR%201=1", '%F0%9F%9A%A2', 'x'.repeat(3000), '__proto__', '%c0%af', '1e999'];

type Json = Record<string, unknown>;

/** A value that a JSON Schema would take, as plain as can be; references are looked up in the whole document. */
function sample(schema: Json, document: Json, depth = 0): unknown {
  if (depth > 6) return null;
  if (typeof schema['$ref'] === 'string') {
    const name = schema['$ref'].slice('#/components/schemas/'.length);
    const { schemas } = document['components'] as { schemas: Record<string, Json> };
    return sample(schemas[name] ?? {}, document, depth + 1);
  }
  if ('const' in schema) return schema['const'];
  if (Array.isArray(schema['enum'])) return (schema['enum'] as unknown[])[0];
  const [first] = (schema['anyOf'] ?? schema['oneOf'] ?? []) as Json[];
  if (first) return sample(first, document, depth + 1);
  switch (schema['type']) {
    case 'object': {
      const properties = Object.entries((schema['properties'] ?? {}) as Record<string, Json>);
      return Object.fromEntries(properties.map(([key, inner]) => [key, sample(inner, document, depth + 1)]));
    }
    case 'array':
      return [sample((schema['items'] ?? {}) as Json, document, depth + 1)];
    case 'integer':
    case 'number':
      return 1;
    case 'boolean':
      return true;
    default:
      return 'x';
  }
}

const WRONG: readonly unknown[] = [
  null,
  -1,
  1e308,
  '',
  'x'.repeat(70_000),
  '\u0000\ud800\u202e',
  '__proto__',
  '../../etc/passwd',
  "'; DROP TABLE bots; --",
  '<script>alert(1)</script>',
  [],
  [[[[[]]]]],
  {},
  { __proto__: null, constructor: { prototype: { admin: true } } },
  false,
];

/** Every place of a value (to a depth) with each wrong value in it, and with the place left out. */
function spoiled(value: unknown, depth = 0): unknown[] {
  if (value === null || typeof value !== 'object' || depth > 2) return [];
  return Object.entries(value).flatMap(([key, inner]) => {
    const put = (other: unknown) => (Array.isArray(value) ? [other] : { ...value, [key]: other });
    const { [key]: _left, ...rest } = value as Json;
    return [...WRONG.map(put), ...(Array.isArray(value) ? [] : [rest]), ...spoiled(inner, depth + 1).map(put)];
  });
}

describe('hostile input', () => {
  let service: TestService;
  let bot: string;
  before(async () => {
    service = await theService();
    bot = (await service.client.call('createBot', { body: { from: 'document', document: demoDocument() as never } })).bot.id;
  });

  /** Sends a request and expects a clear refusal or a harmless success, within a few seconds. */
  const send = async (method: string, path: string, init: RequestInit = {}): Promise<number> => {
    const headers = {
      authorization: `Bearer ${service.token}`,
      'content-type': 'application/json',
      ...(init.headers as Record<string, string> | undefined),
    };
    const response = await fetch(service.address + path, {
      ...init,
      method,
      headers,
      redirect: 'manual',
      signal: AbortSignal.timeout(30_000),
    });
    const text = await response.text();
    const sent = typeof init.body === 'string' ? init.body.slice(0, 60) : 'bytes';
    expect(response.status, `${method} ${path.slice(0, 80)} ${sent}: ${text.slice(0, 200)}`).to.be.below(500);
    if (response.status >= 400) expect(JSON.parse(text)).to.have.property('detail').that.is.a('string');
    return response.status;
  };
  const listed = (Object.entries(endpoints) as [EndpointName, Endpoint][]).filter(
    ([name, e]) => !e.stream && !['signOut', 'deleteBot', 'revokeToken'].includes(name),
  );
  const good = { release: 1, channel: 'x', connection: 'booking-office', conversation: 'x', token: 'x' };

  it('in bodies never makes an error of ours, and harms nothing', async () => {
    let count = 0;
    for (const [, e] of listed) {
      if (!e.body) continue;
      for (const body of BODIES) {
        await send(e.method, fillPath(e, { params: { ...good, bot } }), { body });
        count++;
      }
    }
    expect(count).to.be.greaterThan(150);
    expect((await service.client.call('getDraft', { params: { bot } })).document.flows).to.have.property('welcome');
    expect(({} as { admin?: boolean }).admin).to.equal(undefined);
  });

  it('made from the OpenAPI document never makes an error of ours, nor a hang', async function () {
    const document = (await (await fetch(`${service.address}/api/openapi.json`)).json()) as Json;
    const operations = Object.entries(document['paths'] as Record<string, Record<string, Json>>).flatMap(([path, methods]) =>
      Object.entries(methods).map(([method, operation]) => ({ path, method: method.toUpperCase(), operation })),
    );
    const counts = { requests: 0, refused: 0 };
    const put = async (method: string, path: string, init: RequestInit) => {
      counts.requests++;
      if ((await send(method, path, init)) >= 400) counts.refused++;
    };
    for (const { path, method, operation } of operations) {
      const id = String(operation['operationId']);
      if (['signOut', 'deleteBot', 'revokeToken', 'streamChat', 'streamDraft'].includes(id)) continue;
      const filled = fillPath({ path: path.replace(/\{(\w+)\}/g, ':$1') }, { params: { ...good, bot } });
      const queries = ((operation['parameters'] ?? []) as { name: string; in: string }[]).filter((p) => p.in === 'query');
      for (const { name } of queries)
        for (const wrong of ['', '-1', '1e999', '__proto__', '%00', 'x'.repeat(3000)]) {
          const body = method === 'GET' ? {} : { body: '{}' };
          await put(method, `${filled}?${name}=${encodeURIComponent(wrong)}`, body);
        }
      const content = (operation['requestBody'] as { content?: Record<string, { schema: Json }> } | undefined)?.content;
      if (!content) continue;
      const schema = content['application/json']?.schema;
      const good_ = sample(schema ?? {}, document);
      for (const body of spoiled(good_)) await put(method, filled, { body: JSON.stringify(body) });
      for (const type of ['text/plain', 'application/xml', 'multipart/form-data', ''])
        await put(method, filled, { body: '{}', headers: { 'content-type': type } });
      await put(method, filled, { body: new Uint8Array([0x7b, 0x22, 0xc0, 0xaf, 0xff, 0x22, 0x7d]) });
      await put(method, filled, { body: deep(50_000) });
      const [status] = [await send(method, filled, { body: `"${'x'.repeat(4_300_000)}"` })];
      // What takes another kind of file says that first, what takes any that it is too large; a bot that is imported may be larger.
      const file = path.endsWith('/import') && schema !== undefined;
      expect(status).to.be.oneOf(file ? [422] : schema ? [413] : [413, 415]);
    }
    console.log(`      ${counts.requests} requests over ${operations.length} operations, ${counts.refused} refused, none a 500`);
    expect(counts.requests).to.be.greaterThan(700);
    expect(({} as { admin?: boolean }).admin).to.equal(undefined);
  });

  it('in addresses never makes an error of ours', async () => {
    for (const [, e] of listed) {
      if (!e.path.includes(':')) continue;
      for (const id of IDS) {
        const path = e.path.replace(/:\w+/g, id);
        const status = await send(e.method, path, e.body ? { body: '{}' } : {});
        expect(status).to.be.within(400, 499);
      }
    }
  });

  it('in headers and encodings is refused with a reason', async () => {
    const body = '{"from":"blank","name":"x"}';
    expect(await send('POST', '/api/bots', { body, headers: { 'content-type': 'application/json; charset=utf-99' } })).to.equal(
      415,
    );
    expect(await send('POST', '/api/bots', { body, headers: { 'content-encoding': 'zstd-99' } })).to.equal(415);
    expect(await send('POST', '/api/bots', { body: new Uint8Array([0x7b, 0xff, 0xfe, 0x7d]) })).to.equal(422);
    expect(await send('POST', '/api/bots', { body, headers: { 'content-type': 'text/xml' } })).to.equal(415);
    expect(await send('GET', '/api/bots?limit=99999')).to.equal(422);
    expect(await send('GET', '/api/bots?limit=1&limit=2')).to.be.within(200, 422);
    expect(await send('GET', '/api/bots?after=__proto__')).to.be.within(200, 422);
  });

  it('as a visitor’s key or event id opens nothing', async () => {
    const [channel] = (await service.client.call('listChannels', { params: { bot } })).items;
    const base = `/api/chat/${channel?.link.split('/').at(-1)}`;
    for (const key of ['', 'x', 'x'.repeat(200), '../', 'prt_'.padEnd(47, 'a')]) {
      const headers = { authorization: `Bearer ${key}` };
      expect(await send('POST', `${base}/messages`, { body: '{"id":"a","text":"b"}', headers })).to.equal(401);
      expect(await send('GET', `${base}/stream`, { headers: { ...headers, 'last-event-id': 'x:-1:__proto__' } })).to.equal(401);
    }
  });
});
