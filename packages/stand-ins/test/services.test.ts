import { createHash, createHmac, randomBytes } from 'node:crypto';
import type { AddressInfo } from 'node:net';
import { Client } from '@modelcontextprotocol/sdk/client/index.js';
import { StreamableHTTPClientTransport } from '@modelcontextprotocol/sdk/client/streamableHttp.js';
import { expect } from 'chai';
import { createRemoteJWKSet, jwtVerify } from 'jose';
import { createTransport } from 'nodemailer';
import { until } from '../../server/test/support/until.js';
import { createHarbourTools, tidesOn, type Lamps } from '../src/harbour-tools/app.js';
import { createHostSite, tokenFor } from '../src/host-site/app.js';
import { CUSTOMERS } from '../src/host-site/customers.js';
import { createIdentityService } from '../src/identity-service/app.js';
import { createMailboxApp, Mailbox } from '../src/mailbox/app.js';
import { createMessengerApp } from '../src/messenger/app.js';
import { Messenger, PEOPLE, ROOMS } from '../src/messenger/gull.js';
import { createModelService } from '../src/model-service/app.js';
import { serving } from './listening.js';

type Json = Record<string, unknown>;

describe('Gullpost, the messenger', () => {
  const serve = serving();
  const SETTINGS = { token: 'a-token', seal: 'a-seal', busyEvery: 0, twiceEvery: 0 };
  const [isla] = PEOPLE;

  /** A messenger, and a desk that takes its webhooks; `answers` is what the desk answers with, one status after another. */
  const connected = async (settings: Partial<typeof SETTINGS> = {}, answers: number[] = []) => {
    const messenger = new Messenger({ ...SETTINGS, ...settings });
    const at = await serve(createMessengerApp(messenger));
    const heard: { body: string; seal: string }[] = [];
    const desk = await serve((req, res) => {
      const url = new URL(req.url ?? '', 'http://desk');
      if (req.method === 'GET')
        return void res.end(url.searchParams.get('gull_check') === 'right' ? url.searchParams.get('gull_word') : 'no');
      let body = '';
      req.on('data', (chunk: Buffer) => (body += chunk.toString()));
      req.on('end', () => {
        heard.push({ body, seal: String(req.headers['gull-seal']) });
        res.statusCode = answers.shift() ?? 200;
        res.end();
      });
    });
    const send = async (method: string, path: string, body?: unknown, headers: Record<string, string> = {}) => {
      const response = await fetch(at + path, {
        method,
        headers: { authorization: 'Bearer a-token', 'content-type': 'application/json', ...headers },
        ...(body === undefined ? {} : { body: JSON.stringify(body) }),
      });
      const text = await response.text();
      return {
        status: response.status,
        after: response.headers.get('retry-after'),
        body: (text === '' ? {} : JSON.parse(text)) as Json,
      };
    };
    const hook = (check = 'right') => send('PUT', '/api/hook', { address: desk, check });
    const letters = () => heard.flatMap((h) => (JSON.parse(h.body) as { letters: Json[] }).letters);
    return { messenger, heard, letters, send, hook };
  };

  it('sends its webhooks only to a desk that has answered the handshake', async () => {
    const { send, hook, letters } = await connected();
    expect((await hook('wrong')).status).to.equal(422);
    await send('POST', `/phones/${isla?.number}`, { words: 'hello' });
    expect(letters()).to.deep.equal([]);
    expect((await hook()).body).to.deep.equal({ connected: true });
    await send('POST', `/phones/${isla?.number}`, { words: 'hello again' });
    expect(letters()).to.have.length(1);
    expect(letters()[0]).to.include({ kind: 'words', words: 'hello again' });
    expect(letters()[0]?.['from']).to.include({ given: 'Isla' });
  });

  it('signs what it sends with the seal that both sides have', async () => {
    const { send, hook, heard } = await connected();
    await hook();
    await send('POST', `/phones/${isla?.number}`, { words: 'Fähre?' });
    const [{ body = '', seal = '' } = {}] = heard;
    expect(seal).to.equal(`sha256=${createHmac('sha256', 'a-seal').update(body).digest('hex')}`);
  });

  it('sends some twice, and what is not taken again', async () => {
    const twice = await connected({ twiceEvery: 2 });
    await twice.hook();
    for (const words of ['one', 'two']) await twice.send('POST', `/phones/${isla?.number}`, { words });
    expect(twice.letters().map((l) => l['words'])).to.deep.equal(['one', 'two', 'two']);
    const shaky = await connected({}, [503, 409, 200]);
    await shaky.hook();
    await shaky.send('POST', `/phones/${isla?.number}`, { words: 'one' });
    expect(shaky.letters().map((l) => l['words'])).to.deep.equal(['one', 'one', 'one']);
    const refused = await connected({}, [401]);
    await refused.hook();
    await refused.send('POST', `/phones/${isla?.number}`, { words: 'one' });
    expect(refused.letters()).to.have.length(1);
  });

  it('takes a letter once for each key, and tells that it has arrived', async () => {
    const { send, hook, letters, messenger } = await connected();
    await hook();
    const letter = { to: isla?.number, words: 'Hello', picks: [{ id: 'a', label: 'A' }] };
    const first = await send('POST', '/api/letters', letter, { 'idempotency-key': 'k1' });
    const again = await send('POST', '/api/letters', letter, { 'idempotency-key': 'k1' });
    expect([first.status, again.body]).to.deep.equal([201, first.body]);
    expect(messenger.letters(isla?.number ?? '')).to.have.length(1);
    await until(() => Promise.resolve(letters().length > 0));
    expect(letters()[0]).to.include({ kind: 'receipt', letter: first.body['letter'] });
  });

  it('refuses a wrong token, a number that nobody has, a letter that is too long, and what comes too fast', async () => {
    const { send } = await connected({ busyEvery: 2 });
    const letter = { to: isla?.number, words: 'x' };
    expect((await send('POST', '/api/letters', letter, { authorization: 'Bearer other' })).status).to.equal(401);
    expect((await send('POST', '/api/letters', { ...letter, to: '1' })).status).to.equal(404);
    expect((await send('POST', '/api/letters', { ...letter, words: 'x'.repeat(601) })).status).to.equal(422);
    const answers = [await send('POST', '/api/letters', letter), await send('POST', '/api/letters', letter)];
    expect(answers.map((a) => [a.status, a.after])).to.deep.equal([
      [201, null],
      [429, '1'],
    ]);
    expect((await send('GET', '/nothing')).status).to.equal(404);
  });

  it('lends pictures to whoever has the token, and says who writes in a room', async () => {
    const { send, hook, letters } = await connected();
    await hook();
    const bytes = randomBytes(20);
    await send('POST', `/phones/${isla?.number}`, { picture: `data:image/png;base64,${bytes.toString('base64')}` });
    const [address = ''] = (letters()[0]?.['pictures'] ?? []) as string[];
    const get = (authorization: string) => fetch(address, { headers: { authorization } });
    expect((await get('Bearer other')).status).to.equal(401);
    const came = await get('Bearer a-token');
    expect(came.headers.get('content-type')).to.equal('image/png');
    expect(Buffer.from(await came.arrayBuffer()).equals(bytes)).to.equal(true);
    expect((await send('POST', '/rooms/nowhere', { words: 'x' })).status).to.equal(404);
    await send('POST', `/rooms/${ROOMS[0]?.id}`, { from: '772002', words: 'on my way' });
    const { rooms } = (await send('GET', '/phones')).body as { rooms: { letters: Json[] }[] };
    expect(rooms[0]?.letters[0]).to.include({ name: 'Piet', words: 'on my way' });
  });
});

describe('the mailbox', () => {
  const serve = serving();
  let mailbox: Mailbox;
  let page: string;
  let port: number;
  before(async () => {
    mailbox = new Mailbox();
    page = await serve(createMailboxApp(mailbox));
    const server = mailbox.smtp.listen(0, '127.0.0.1');
    await new Promise((resolve) => server.once('listening', resolve));
    port = (server.address() as AddressInfo).port;
  });
  after((done) => {
    mailbox.smtp.close(() => done());
  });
  const send = (to: string, subject: string, text: string) =>
    createTransport({ host: '127.0.0.1', port, ignoreTLS: true }).sendMail({ from: 'desk@marrow.example', to, subject, text });

  it('keeps letters as they were written, however mail writes them', async () => {
    const text = 'Grüße aus Kelpwick — 100 % pünktlich.\n\n' + 'A line that is longer than mail likes it. '.repeat(8);
    await send('ines@marrow.example', 'Ihr Code für die Fähre: 123456 — nur für Sie, bitte niemandem weitersagen', text);
    const [letter] = mailbox.letters('ines@marrow.example');
    expect(letter?.subject).to.equal('Ihr Code für die Fähre: 123456 — nur für Sie, bitte niemandem weitersagen');
    expect(letter?.text.replace(/\s+/g, ' ')).to.equal(text.trim().replace(/\s+/g, ' '));
  });

  it('gives each address its own, the newest first, and shows names as text', async () => {
    await send('a@marrow.example', 'first', 'x');
    await send('a@marrow.example', '<b>second</b>', '<script>x</script>');
    await send('b@marrow.example', 'other', 'x');
    const listed = (await (await fetch(`${page}/letters?to=a@marrow.example`)).json()) as { subject: string }[];
    expect(listed.map((l) => l.subject)).to.deep.equal(['<b>second</b>', 'first']);
    const html = await (await fetch(page)).text();
    expect(html).to.contain('&lt;script&gt;').and.not.contain('<script>x');
  });

  it('refuses all while it is full, and what is too large', async () => {
    const before = mailbox.letters().length;
    mailbox.refuses = true;
    const refused = await send('a@marrow.example', 'x', 'x').catch((e: { responseCode?: number }) => e.responseCode);
    mailbox.refuses = false;
    expect(refused).to.equal(452);
    const large = await send('a@marrow.example', 'x', 'x'.repeat(300_000)).catch(
      (e: { responseCode?: number }) => e.responseCode,
    );
    expect(large).to.equal(552);
    expect(mailbox.letters()).to.have.length(before);
  });
});

describe('the identity service', () => {
  const serve = serving();
  let at: string;
  before(async () => {
    at = await serve(await createIdentityService({ client: 'primrose', secret: 's3cret' }));
  });
  const verifier = randomBytes(32).toString('base64url');
  const challenge = createHash('sha256').update(verifier).digest('base64url');
  const asked = {
    client_id: 'primrose',
    redirect_uri: 'http://127.0.0.1:9/back',
    state: 'a "state"',
    nonce: 'n1',
    code_challenge: challenge,
  };

  const code = async (account: string) => {
    const body = new URLSearchParams({ ...asked, account });
    const response = await fetch(`${at}/authorize`, { method: 'POST', body, redirect: 'manual' });
    const location = new URL(response.headers.get('location') ?? 'http://none');
    return { code: location.searchParams.get('code') ?? '', state: location.searchParams.get('state') };
  };
  const token = async (more: Record<string, string>) => {
    const body = new URLSearchParams({
      grant_type: 'authorization_code',
      client_id: 'primrose',
      client_secret: 's3cret',
      redirect_uri: asked.redirect_uri,
      code_verifier: verifier,
      ...more,
    });
    const response = await fetch(`${at}/token`, { method: 'POST', body });
    return { status: response.status, body: (await response.json()) as Json };
  };

  it('tells where it does what', async () => {
    const told = (await (await fetch(`${at}/.well-known/openid-configuration`)).json()) as Json;
    expect(told).to.include({ issuer: at, token_endpoint: `${at}/token`, jwks_uri: `${at}/keys` });
  });

  it('names who has signed in by a token that its key has signed', async () => {
    const got = await code('h-7');
    expect(got.state).to.equal(asked.state);
    const { status, body } = await token({ code: got.code });
    expect(status).to.equal(200);
    const { payload } = await jwtVerify(String(body['id_token']), createRemoteJWKSet(new URL(`${at}/keys`)), {
      issuer: at,
      audience: 'primrose',
    });
    expect(payload).to.include({ sub: 'h-7', nonce: 'n1', name: 'Ines Marlow' });
  });

  it('gives no token for a code that was used, another secret, or another verifier', async () => {
    const { code: once } = await code('h-8');
    expect((await token({ code: once })).status).to.equal(200);
    expect((await token({ code: once })).status).to.be.at.least(400);
    const wrongs: Record<string, string>[] = [
      { client_secret: 'other' },
      { code_verifier: 'other' },
      { redirect_uri: 'http://127.0.0.1:9/other' },
      { code: 'none' },
    ];
    for (const wrong of wrongs) {
      const { code: fresh } = await code('h-8');
      expect((await token({ code: fresh, ...wrong })).status, JSON.stringify(wrong)).to.be.at.least(400);
    }
  });

  it('writes nothing that somebody sends into its page as a mark', async () => {
    const query = new URLSearchParams({ ...asked, state: '"><script>x</script>', '"><script>x': 'y' });
    expect(await (await fetch(`${at}/authorize?${query}`)).text()).to.not.contain('"><script>x');
  });
});

describe('the ferry line’s site', () => {
  const serve = serving();
  const site = {
    service: 'http://127.0.0.1:4830',
    chat: 'abc',
    key: { id: 'site', secret: 'a-secret-that-is-long-enough-for-both' },
  };
  let at: string;
  before(async () => {
    at = await serve(createHostSite(site));
  });
  const signedIn = async (customer: string) => {
    const body = new URLSearchParams({ customer });
    const response = await fetch(`${at}/sign-in`, { method: 'POST', body, redirect: 'manual' });
    return { to: response.headers.get('location'), cookie: response.headers.get('set-cookie')?.split(';')[0] ?? '' };
  };

  it('signs a customer in and out, and nobody else', async () => {
    const { to, cookie } = await signedIn('c-1041');
    expect(to).to.equal('/account');
    expect(await (await fetch(`${at}/account`, { headers: { cookie } })).text()).to.contain('Ines Marlow');
    expect(await signedIn('c-9')).to.deep.equal({ to: '/sign-in', cookie: '' });
    expect((await fetch(`${at}/account`, { redirect: 'manual' })).headers.get('location')).to.equal('/sign-in');
    expect((await fetch(`${at}/account`, { headers: { cookie: 'marrow_customer=c-9' }, redirect: 'manual' })).status).to.equal(
      302,
    );
  });

  it('has a token for whoever is signed in, for a few minutes, and none for anybody else', async () => {
    const { cookie } = await signedIn('c-1042');
    const token = await (await fetch(`${at}/chat-token`, { headers: { cookie } })).text();
    const { payload, protectedHeader } = await jwtVerify(token, new TextEncoder().encode(site.key.secret));
    expect(payload).to.include({ sub: 'c-1042', name: 'Tobias Fenn' });
    expect((payload.exp ?? 0) - (payload.iat ?? 0)).to.equal(300);
    expect(protectedHeader).to.include({ alg: 'HS256', kid: 'site' });
    expect((await fetch(`${at}/chat-token`)).status).to.equal(204);
  });

  it('has tokens that are over when their time is', async () => {
    const [customer] = CUSTOMERS;
    if (!customer) throw new Error('there is no customer');
    const old = await tokenFor(customer, site.key, Date.now() - 600_000);
    const told = await jwtVerify(old, new TextEncoder().encode(site.key.secret)).catch((e: { code?: string }) => e.code);
    expect(told).to.equal('ERR_JWT_EXPIRED');
  });

  it('can be strict: then nothing but the chat’s own script and frame may run', async () => {
    const rules = (await fetch(`${at}/?strict`)).headers.get('content-security-policy');
    expect(rules).to.contain("default-src 'none'").and.contain('script-src http://127.0.0.1:4830').and.not.contain('unsafe');
    expect((await fetch(`${at}/`)).headers.get('content-security-policy')).to.equal(null);
  });
});

describe('the harbour’s tools', () => {
  const serve = serving();
  const lamps: Lamps = { on: new Set(), switches: 0 };
  let at: string;
  before(async () => {
    at = await serve(createHarbourTools(lamps));
  });

  it('tell the tides, the same each time, and switch lamps', async () => {
    const client = new Client({ name: 'a test', version: '1' });
    await client.connect(new StreamableHTTPClientTransport(new URL(`${at}/mcp`)));
    const { tools } = await client.listTools();
    expect(tools.map((t) => [t.name, t.annotations?.readOnlyHint])).to.deep.equal([
      ['tides', true],
      ['switch-lamp', undefined],
    ]);
    const told = await client.callTool({ name: 'tides', arguments: { port: 'kelpwick', day: '2026-12-01' } });
    expect(told.structuredContent).to.deep.equal({
      port: 'kelpwick',
      day: '2026-12-01',
      high_waters: tidesOn('kelpwick', '2026-12-01'),
    });
    await client.callTool({ name: 'switch-lamp', arguments: { port: 'tarn-holm', on: true } });
    expect(await (await fetch(`${at}/lamps`)).json()).to.deep.equal({ on: ['tarn-holm'], switches: 1 });
    const wrong = await client
      .callTool({ name: 'tides', arguments: { port: 'moon', day: '2026-12-01' } })
      .then((r) => JSON.stringify(r), String);
    expect(wrong).to.match(/error|invalid/i);
    await client.close();
  });

  it('know no session that they have not begun', async () => {
    const response = await fetch(`${at}/mcp`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', accept: 'application/json, text/event-stream', 'mcp-session-id': 'none' },
      body: JSON.stringify({ jsonrpc: '2.0', id: 1, method: 'tools/list' }),
    });
    expect(response.status).to.equal(404);
  });

  it('have one or two high waters a day, twelve hours and some apart', () => {
    for (let n = 0; n < 400; n++) {
      const day = new Date(Date.UTC(2026, 0, 1) + n * 86_400_000).toISOString().slice(0, 10);
      for (const port of ['kelpwick', 'port-anselm', 'gannet-quay', 'tarn-holm'] as const) {
        const high = tidesOn(port, day);
        expect(high.length).to.be.oneOf([1, 2]);
        for (const time of high) expect(time).to.match(/^([01]\d|2[0-3]):[0-5]\d$/);
      }
    }
  });
});

describe('the practice model over HTTP', () => {
  const serve = serving();
  let at: string;
  before(async () => {
    at = await serve(createModelService());
  });
  const ask = (model: string, more: Json = {}) =>
    fetch(`${at}/v1/chat/completions`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ model, messages: [{ role: 'user', content: 'When does the Wrackline sail?' }], ...more }),
    });

  it('answers whole and in a stream with the same words', async () => {
    const whole = (await (await ask('practice')).json()) as { choices: { message: { content: string } }[]; usage: Json };
    const text = await (await ask('practice', { stream: true })).text();
    const chunks = [...text.matchAll(/^data: (\{.*\})$/gm)].map(
      (m) => JSON.parse(m[1] ?? '{}') as { choices: { delta?: { content?: string } }[] },
    );
    const said = chunks.map((c) => c.choices[0]?.delta?.content ?? '').join('');
    expect(said).to.equal(whole.choices[0]?.message.content).and.not.equal('');
    expect(text.trimEnd().endsWith('data: [DONE]')).to.equal(true);
    expect(whole.usage['prompt_tokens']).to.be.above(0);
  });

  it('stops at the most that it may write, and says so', async () => {
    const { choices } = (await (await ask('practice', { max_tokens: 2 })).json()) as {
      choices: { message: { content: string }; finish_reason: string }[];
    };
    expect(choices[0]?.finish_reason).to.equal('length');
    expect(choices[0]?.message.content.length).to.be.at.most(8);
  });

  it('refuses what it does not know, and misbehaves as its names say', async () => {
    expect((await ask('gull-9')).status).to.equal(404);
    expect((await ask('practice', { messages: 'x' })).status).to.equal(400);
    expect((await ask('practice-refuses')).status).to.equal(500);
    expect([(await ask('practice-flaky')).status, (await ask('practice-flaky')).status]).to.deep.equal([503, 200]);
    const limited = await ask('practice-limited');
    expect([limited.status, limited.headers.get('retry-after')]).to.deep.equal([429, '1']);
    expect((await ask('practice-page')).headers.get('content-type')).to.contain('text/html');
    const cut = await ask('practice-breaks', { stream: true })
      .then((r) => r.text())
      .catch((e: Error) => e.name);
    expect(cut).to.equal('TypeError');
  });

  it('goes on for as long as somebody listens, and ends when nobody does', async () => {
    const stop = new AbortController();
    const response = await fetch(`${at}/v1/chat/completions`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ model: 'practice-endless', stream: true, messages: [] }),
      signal: stop.signal,
    });
    const reader = response.body?.getReader();
    let bytes = 0;
    for (let i = 0; i < 20; i++) bytes += (await reader?.read())?.value?.length ?? 0;
    expect(bytes).to.be.above(1000);
    stop.abort();
    expect((await ask('practice')).status).to.equal(200);
  });

  it('draws a picture of the size that is asked for', async () => {
    const draw = (more: Json) =>
      fetch(`${at}/v1/images/generations`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ model: 'practice', ...more }),
      });
    const { data } = (await (await draw({ prompt: 'a ferry', size: '256x128' })).json()) as { data: { b64_json: string }[] };
    const png = Buffer.from(data[0]?.b64_json ?? '', 'base64');
    expect([png.subarray(1, 4).toString(), png.readUInt32BE(16), png.readUInt32BE(20)]).to.deep.equal(['PNG', 256, 128]);
    expect((await draw({ prompt: ' ' })).status).to.equal(400);
  });
});
