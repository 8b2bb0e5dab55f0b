import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { expect } from 'chai';
import type { ActionEffect } from '@primrose/core';
import { hashSecret, newId, newSecret } from '../src/base/clock.js';
import { handClock } from './support/clock.js';
import { readConfig } from '../src/start/config.js';
import { loadExamples } from '../src/start/examples.js';
import { RateLimit } from '../src/base/rate-limit.js';
import type { Refused } from '../src/base/refused.js';
import { wordedProblem } from '../src/http/wording.js';
import { mayCall } from '../src/outside/agent.js';
import { createHttpActions } from '../src/outside/http-action.js';
import type { Reach } from '../src/outside/reach.js';
import { blankDocument } from '../src/bots/bots.js';
import { migrations } from '../src/store/migrations.js';
import { Wakes } from '../src/turns/wakes.js';

describe('settings', () => {
  const url = 'mysql://u:p@127.0.0.1:3306/primrose';
  it('are complete from an address alone', () => {
    expect(readConfig({ PRIMROSE_DATABASE_URL: url })).to.deep.include({
      port: 4800,
      host: '127.0.0.1',
      publicUrl: 'http://127.0.0.1:4800',
      privateAddresses: 'none',
      secureCookies: false,
    });
  });
  it('name every variable that is wrong', () => {
    const wrong = { PRIMROSE_DATABASE_URL: 'postgres://x', PRIMROSE_PORT: '99999', PRIMROSE_SECURE_COOKIES: 'maybe' };
    expect(() => readConfig(wrong)).to.throw(/PRIMROSE_DATABASE_URL.*PRIMROSE_PORT.*PRIMROSE_SECURE_COOKIES.*docs\/settings\.md/);
    expect(() => readConfig({})).to.throw('PRIMROSE_DATABASE_URL');
  });
  it('take the public address without its last slash', () => {
    expect(readConfig({ PRIMROSE_DATABASE_URL: url, PRIMROSE_PUBLIC_URL: 'https://bots.ferry.example/' }).publicUrl).to.equal(
      'https://bots.ferry.example',
    );
  });
});

describe('ids and secrets', () => {
  it('sort by time and never repeat', () => {
    const clock = handClock(1_700_000_000_000);
    const ids = Array.from({ length: 500 }, () => (clock.move(1), newId(clock)));
    expect([...ids].sort()).to.deep.equal(ids);
    expect(new Set(ids).size).to.equal(500);
    expect(ids[0]).to.match(/^[0-9a-f]{8}-[0-9a-f]{4}-7[0-9a-f]{3}-[89ab][0-9a-f]{3}-[0-9a-f]{12}$/);
  });
  it('are long, fit into a link, and are stored as a hash', () => {
    expect(newSecret()).to.match(/^[A-Za-z0-9_-]{43}$/);
    expect(hashSecret('a')).to.equal('ca978112ca1bbdcafac231b39a23dc4da786eff8147c4e72b9807785afee48bb');
  });
});

describe('the limit of requests', () => {
  it('counts per sender and window, and tells how long to wait', () => {
    const clock = handClock();
    const limit = new RateLimit(clock, 3, 1000);
    for (let i = 0; i < 3; i++) limit.count('a');
    limit.count('b');
    let refused: unknown;
    try {
      limit.count('a');
    } catch (error) {
      refused = error;
    }
    expect(wordedProblem(refused as Refused)).to.include({ status: 429, retryAfter: 1 });
    clock.move(1000);
    expect(() => limit.count('a')).to.not.throw();
  });
});

describe('waking streams', () => {
  it('reaches those that listen to a conversation, until they stop', () => {
    const wakes = new Wakes();
    const heard: string[] = [];
    const stop = wakes.listen('a', () => heard.push('a1'));
    wakes.listen('a', () => heard.push('a2'));
    wakes.listen('b', () => heard.push('b'));
    wakes.wake('a');
    stop();
    wakes.wake('a');
    wakes.wake('nobody');
    expect(heard).to.deep.equal(['a1', 'a2', 'a2']);
  });
});

describe('a blank bot', () => {
  for (const [name, id] of [
    ['Pier desk', 'pier-desk'],
    ['Überfahrt & mehr!', 'uberfahrt-mehr'],
    ['123', 'bot'],
    ['渡し船', 'bot'],
  ] as const) {
    it(`called "${name}" has the id ${id}`, () => expect(blankDocument(name)).to.include({ bot: id, name }));
  }
});

describe('what ships', () => {
  it('has the demo as an example, and numbered migrations', () => {
    expect([...loadExamples(new URL('../../../demo', import.meta.url).pathname).keys()]).to.deep.equal([
      'harbour-desk',
      'shore-desk',
    ]);
    const names = Object.keys(migrations);
    expect(names.every((n) => /^\d{4}_[a-z_]+$/.test(n))).to.equal(true);
    expect([...names].sort()).to.deep.equal(names);
  });
});

describe('calls to the outside', () => {
  it('go to public addresses, and to private ones only as the operator says', () => {
    for (const [ip, none, loopback, all] of [
      ['93.184.216.34', true, true, true],
      ['127.0.0.1', false, true, true],
      ['::1', false, true, true],
      ['::ffff:127.0.0.1', false, true, true],
      ['10.1.2.3', false, false, true],
      ['192.168.1.1', false, false, true],
      ['169.254.169.254', false, false, true],
      ['0.0.0.0', false, false, true],
      ['fd00::1', false, false, true],
    ] as const) {
      expect([ip, mayCall(ip, 'none'), mayCall(ip, 'loopback'), mayCall(ip, 'all')]).to.deep.equal([ip, none, loopback, all]);
    }
  });

  describe('over HTTP', () => {
    let server: Server;
    let address: string;
    const seen: { url: string; headers: Record<string, unknown>; body: string }[] = [];
    const actions = createHttpActions('loopback');
    const strict = createHttpActions('none');
    before(async () => {
      server = createServer((req, res) => {
        let body = '';
        req.on('data', (chunk: Buffer) => (body += chunk.toString()));
        req.on('end', () => {
          seen.push({ url: req.url ?? '', headers: req.headers, body });
          const path = (req.url ?? '').split('?')[0];
          if (path === '/api/json') res.setHeader('content-type', 'application/json; charset=utf-8').end('{"a":[1]}');
          else if (path === '/api/text') res.setHeader('content-type', 'text/plain').end('plain');
          else if (path === '/api/broken') res.setHeader('content-type', 'application/json').end('{"a":');
          else if (path === '/api/empty') res.writeHead(204).end();
          else if (path === '/api/away') res.writeHead(302, { location: 'http://10.0.0.1/' }).end();
          else if (path === '/api/huge') res.end('x'.repeat(3_000_000));
          else if (path === '/api/never') return;
          else if (path === '/api/cut') req.socket.destroy();
          else res.writeHead(404, { 'content-type': 'application/json' }).end('{"error":"none"}');
        });
      });
      await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
      address = `http://127.0.0.1:${(server.address() as AddressInfo).port}/api/`;
    });
    after(async () => {
      server.closeAllConnections();
      await new Promise((resolve) => server.close(resolve));
      await actions.close();
      await strict.close();
    });
    const effect = (target: string, more: Partial<ActionEffect> = {}): ActionEffect => ({
      type: 'action',
      path: '0/0',
      connection: 'office',
      action: 'a',
      method: 'GET',
      target,
      query: {},
      headers: {},
      body: null,
      timeoutMs: 2000,
      changes: false,
      repeatable: false,
      ...more,
    });
    const call = (target: string, more?: Partial<ActionEffect>, to: string = address) =>
      actions.perform(effect(target, more), at(to), 'event/0/0');
    const at = (to: string, headers: Record<string, string> = {}): Reach => ({ ok: true, address: to, headers, secrets: [] });

    it('keep the path of the address, add the query, and read JSON or text', async () => {
      expect(await call('/json', { query: { day: '2026-05-15', q: 'a b&c' } })).to.deep.include({
        outcome: 'answered',
        status: 200,
        body: { a: [1] },
      });
      expect(seen.at(-1)?.url).to.equal('/api/json?day=2026-05-15&q=a+b%26c');
      expect(await call('/text')).to.deep.include({ status: 200, body: 'plain' });
      expect(await call('/empty')).to.deep.include({ status: 204, body: null });
      expect(await call('/nowhere')).to.deep.include({ status: 404, body: { error: 'none' } });
    });
    it('send a body and a steady idempotency key with what changes something, and none with a read', async () => {
      await call('/json', { method: 'POST', changes: true, body: { a: 1 }, headers: { 'x-desk': 'one' } });
      expect(seen.at(-1)).to.deep.include({ body: '{"a":1}' });
      expect(seen.at(-1)?.headers).to.include({
        'idempotency-key': 'event/0/0',
        'x-desk': 'one',
        'content-type': 'application/json',
      });
      await call('/json');
      expect(seen.at(-1)?.headers).to.not.have.property('idempotency-key');
    });
    it('show a secret in a header that no field of the bot can replace', async () => {
      await actions.perform(effect('/json', { headers: { 'x-key': 'mine' } }), at(address, { 'x-key': 's3cret' }), 'k');
      expect(seen.at(-1)?.headers['x-key']).to.equal('s3cret');
    });
    it('follow no redirect, so that nobody is led into a private network', async () => {
      expect(await call('/away')).to.deep.include({ outcome: 'answered', status: 302 });
    });
    for (const [target, code, words, changes] of [
      ['/broken', 'bad-answer', 'cannot be read', false],
      ['/huge', 'bad-answer', 'more than 2 MB', false],
      ['/cut', 'bad-answer', 'broke off before it answered', false],
      ['/cut', 'unknown-outcome', 'broke off before it answered; whether it was done is not known', true],
    ] as const) {
      it(`explain a failure: ${target}${changes ? ', of a change' : ''}`, async () => {
        const result = await call(target, changes ? { method: 'POST', body: {}, changes } : {});
        expect(result).to.include({ outcome: 'failed', code });
        expect(result.outcome === 'failed' && result.reason).to.contain(words);
      });
    }
    it('know that nothing was done where nobody takes the connection, also of a change', async () => {
      const result = await call('/json', { method: 'POST', body: {}, changes: true }, 'http://127.0.0.1:9');
      expect(result).to.include({ outcome: 'failed', code: 'unreachable' });
    });
    it('stop waiting when the time is over', async () => {
      expect(await call('/never', { timeoutMs: 150 })).to.include({ outcome: 'failed', code: 'timeout' });
    });
    it('refuse what is no address, has none, leads to another host, or is private', async () => {
      expect(await actions.perform(effect('/json'), { ok: false, reason: 'it has no address' }, 'k')).to.include({
        code: 'not-configured',
      });
      expect(await call('/json', {}, 'ferry.example')).to.include({ code: 'not-configured' });
      expect(await call('/json', {}, 'file:///etc/')).to.include({ code: 'not-configured' });
      expect(await strict.perform(effect('/json'), at(address), 'k')).to.include({ code: 'refused' });
      expect(await strict.perform(effect('/json'), at(address.replace('127.0.0.1', 'localhost')), 'k')).to.include({
        code: 'refused',
      });
      expect(await call('/json', {}, 'http://10.0.0.1')).to.include({ code: 'refused' });
      const before = seen.length;
      await call('@elsewhere.example/json');
      expect(seen.slice(before).every((s) => s.url.startsWith('/api/'))).to.equal(true);
    });
  });
});
