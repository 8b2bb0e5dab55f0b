import { expect } from 'chai';
import type { ChatLook } from '@primrose/contract';
import { type ChatProblem, Connection, type Heard } from '../src/connection.js';
import { Host } from '../src/host.js';
import { KeyStore } from '../src/store.js';
import { wordsFor, type Words } from '../src/words.js';

/* The visitor's page without a browser: what it asks of the service, of the page around it, and of its storage. */

interface Asked {
  readonly method: string;
  readonly path: string;
  readonly headers: Headers;
  readonly body: unknown;
}

type Answer = { readonly status?: number; readonly body?: unknown; readonly stream?: string } | Error;

const here = globalThis as unknown as Record<string, unknown>;

/** Puts other things in the place of what a browser has, for the tests of a suite. */
function inPlaceOf(things: Readonly<Record<string, unknown>>): void {
  const before = new Map<string, PropertyDescriptor | undefined>();
  beforeEach(() => {
    for (const [name, value] of Object.entries(things)) {
      before.set(name, Object.getOwnPropertyDescriptor(globalThis, name));
      Object.defineProperty(globalThis, name, { value, configurable: true, writable: true });
    }
  });
  afterEach(() => {
    for (const [name, was] of before) {
      if (was) Object.defineProperty(globalThis, name, was);
      else delete here[name];
    }
  });
}

/** A service that answers one after the other as it is told. */
function answering(...answers: Answer[]) {
  const asked: Asked[] = [];
  const send = (path: string, init: RequestInit = {}): Promise<Response> => {
    const body = typeof init.body === 'string' ? (JSON.parse(init.body) as unknown) : init.body;
    asked.push({ method: init.method ?? 'GET', path, headers: new Headers(init.headers), body });
    const answer = answers.shift() ?? new Error('nobody answers');
    if (answer instanceof Error) return Promise.reject(answer);
    if (init.signal?.aborted) return Promise.reject(new DOMException('aborted', 'AbortError'));
    const { status = 200, body: told = {}, stream } = answer;
    return Promise.resolve(new Response(stream ?? JSON.stringify(told), { status }));
  };
  here['fetch'] = send;
  return asked;
}

const OPENED = {
  key: 'k'.repeat(43),
  name: 'Harbour desk',
  language: 'en',
  lines: [],
  begun: true,
  who: null,
  signedOut: false,
  rated: {},
};
const NOW = { token: null, waits: false };

describe('the visitor’s line to the service', () => {
  inPlaceOf({ fetch: undefined });

  it('opens as a stranger, and speaks with the key that it is given', async () => {
    const asked = answering({ body: OPENED }, { body: { accepted: true } });
    const line = new Connection('a b/c', undefined);
    expect(line.known).to.equal(false);
    await line.open('de', NOW);
    expect(line.known).to.equal(true);
    await line.say({ id: '1', text: 'Hallo' });
    expect(asked.map((a) => [a.method, a.path, a.headers.get('authorization')])).to.deep.equal([
      ['POST', '/api/chat/a%20b%2Fc/open', null],
      ['POST', '/api/chat/a%20b%2Fc/messages', `Bearer ${OPENED.key}`],
    ]);
    expect(asked.map((a) => a.body)).to.deep.equal([{ language: 'de' }, { id: '1', text: 'Hallo' }]);
  });

  it('says as whom the page names it, and that it only waits', async () => {
    const asked = answering({ body: OPENED }, { body: OPENED });
    const line = new Connection('c', 'old');
    await line.open('en', { token: 't', waits: true });
    line.forget();
    await line.open('en', NOW);
    expect(asked.map((a) => a.body)).to.deep.equal([{ language: 'en', key: 'old', token: 't', waits: true }, { language: 'en' }]);
  });

  it('tells a problem in the words of the service, and in its own where another program answers', async () => {
    answering(
      { status: 429, body: { code: 'too-many', detail: 'Wait a minute.' } },
      { status: 502, stream: '<html>Bad gateway</html>' },
      new TypeError('failed to fetch'),
    );
    const line = new Connection('c', 'k');
    const said = () => line.say({ id: '1', text: 'x' }).catch((error: unknown) => error);
    const first = (await said()) as ChatProblem;
    expect([first.status, first.code, first.message]).to.deep.equal([429, 'too-many', 'Wait a minute.']);
    const second = (await said()) as ChatProblem;
    expect([second.status, second.message]).to.deep.equal([502, 'This chat cannot be reached just now.']);
    expect(await said()).to.be.instanceOf(TypeError);
  });

  it('sends files with their type and name, and says why one was not taken', async () => {
    const asked = answering(
      { body: { address: 'https://p.test/files/1' } },
      { status: 422, body: { detail: 'It is too large.' } },
      { body: {} },
    );
    const line = new Connection('c', 'k');
    expect(await line.send(new File(['x'], 'a &b.txt', { type: 'text/plain' }))).to.equal('https://p.test/files/1');
    expect(asked[0]?.path).to.equal('/api/chat/c/files?name=a%20%26b.txt');
    expect(asked[0]?.headers.get('content-type')).to.equal('text/plain');
    const refused = await line.send(new File(['x'], 'b')).catch((e: unknown) => (e as Error).message);
    expect(refused).to.equal('It is too large.');
    expect(asked[1]?.headers.get('content-type')).to.equal('application/octet-stream');
    expect(await line.send(new File(['x'], 'c')).catch((e: unknown) => (e as Error).message)).to.equal(
      'This file cannot be sent just now.',
    );
  });

  it('asks for each thing where it stands', async () => {
    const line = new Connection('c', 'k');
    const asked = answering(
      ...Array.from({ length: 12 }, () => ({ body: { items: [], lines: [], address: 'https://id.test' } })),
    );
    await line.stop();
    await line.startOver();
    await line.rate(3, false, 'wrong day');
    await line.rate(0, null);
    await line.past();
    await line.pastLines('a/b');
    await line.typing();
    await line.mailCode('a@b.test');
    await line.tryCode('123456');
    expect(await line.serviceAddress()).to.equal('https://id.test');
    await line.finish('grant');
    await line.signOut();
    expect(asked.map((a) => `${a.method} ${a.path.replace('/api/chat/c', '')} ${JSON.stringify(a.body ?? null)}`)).to.deep.equal([
      'POST /stop null',
      'POST /start-over null',
      'POST /feedback {"line":3,"helpful":false,"words":"wrong day"}',
      'POST /feedback {"line":0,"helpful":null}',
      'GET /history null',
      'GET /history/a%2Fb null',
      'POST /typing null',
      'POST /sign-in/mail {"email":"a@b.test"}',
      'POST /sign-in/code {"code":"123456"}',
      'POST /sign-in/service null',
      'POST /sign-in/finish {"grant":"grant"}',
      'POST /sign-out null',
    ]);
  });

  it('does not mind that nobody hears that somebody types', async () => {
    answering(new TypeError('away'));
    await new Connection('c', 'k').typing();
  });

  /** What is heard over a stream, as words. */
  const ears = () => {
    const heard: string[] = [];
    const all: Heard = {
      line: (l) => heard.push(`line ${l.seq}`),
      typing: () => heard.push('typing'),
      words: (t) => heard.push(`words ${t}`),
      doing: (t) => heard.push(`doing ${t}`),
      staff: (n) => heard.push(`staff ${n}`),
      state: (connected) => heard.push(connected ? 'connected' : 'cut'),
    };
    return { heard, all };
  };
  const event = (name: string, data: unknown, id?: string) =>
    `${id === undefined ? '' : `id: ${id}\n`}event: ${name}\ndata: ${JSON.stringify(data)}\n\n`;

  it('hears everything that comes, until the conversation is over', async () => {
    answering({
      stream:
        event('typing', {}) +
        event('doing', { text: 'looks it up' }) +
        event('words', { text: 'It sai' }) +
        event('staff-typing', { text: 'Orla' }) +
        event('line', { seq: 2 }, '2') +
        event('something-new', { text: 'x' }) +
        event('over', {}) +
        event('line', { seq: 3 }, '3'),
    });
    const { heard, all } = ears();
    expect(await new Connection('c', 'k').follow(all)).to.equal('over');
    expect(heard).to.deep.equal(['connected', 'typing', 'doing looks it up', 'words It sai', 'staff Orla', 'line 2']);
  });

  it('goes on where it was after the line was cut', async () => {
    const asked = answering({ stream: event('line', { seq: 4 }, '4') }, new TypeError('away'), {
      stream: event('line', { seq: 5 }, '5') + event('over', {}),
    });
    const { heard, all } = ears();
    expect(await new Connection('c', 'k').follow(all)).to.equal('over');
    expect(heard).to.deep.equal(['connected', 'line 4', 'cut', 'cut', 'connected', 'line 5']);
    expect(asked.map((a) => a.headers.get('last-event-id'))).to.deep.equal([null, '4', '4']);
  });

  it('is over where its key leads nowhere any more, and closed where it is closed', async () => {
    for (const status of [401, 404]) {
      answering({ status });
      expect(await new Connection('c', 'k').follow(ears().all)).to.equal('over');
    }
    const line = new Connection('c', 'k');
    answering(new TypeError('away'));
    const following = line.follow(ears().all);
    line.close();
    expect(await following).to.equal('closed');
  });
});

/** A window in a page of somebody else's; what it is told is kept, and what the page says is `told` by hand. */
function framed(search: string, inside = true) {
  const said: unknown[] = [];
  const listeners: ((event: unknown) => void)[] = [];
  const parent = { postMessage: (message: unknown) => said.push(message) };
  const window: Record<string, unknown> = {};
  window['parent'] = inside ? parent : window;
  here['window'] = window;
  here['location'] = { search };
  here['addEventListener'] = (_type: string, listener: (event: unknown) => void) => listeners.push(listener);
  return { said, tell: (data: unknown, source: unknown = parent) => listeners.forEach((l) => l({ source, data })) };
}

describe('the page around the chat', () => {
  inPlaceOf({ window: undefined, location: undefined, addEventListener: undefined });
  const events = () => {
    const heard: unknown[] = [];
    return { heard, token: (t: string | null) => heard.push(['token', t]), opens: (o: boolean) => heard.push(['opens', o]) };
  };

  it('says where the chat stands; without a page around it, it is a page of its own', () => {
    framed('?as=bubble');
    expect(new Host().place).to.equal('bubble');
    framed('?as=inline');
    expect(new Host().place).to.equal('inline');
    framed('?as=elsewhere');
    expect(new Host().place).to.equal('page');
    framed('?as=bubble', false);
    expect(new Host().place).to.equal('page');
  });

  it('is greeted, and says who is there', async () => {
    const { said, tell } = framed('?as=bubble');
    const host = new Host();
    const told = events();
    const first = host.greet(told);
    tell({ primrose: 'hello', token: 't1', signsIn: true, keeps: true, kept: 'k1' });
    expect(await first).to.equal('t1');
    expect([host.signsIn, host.keeps, host.kept]).to.deep.equal([true, true, 'k1']);
    tell({ primrose: 'token', token: 't2' });
    tell({ primrose: 'token', token: 7 });
    tell({ primrose: 'open' });
    tell({ primrose: 'close' });
    expect(told.heard).to.deep.equal([
      ['token', 't2'],
      ['token', null],
      ['opens', true],
      ['opens', false],
    ]);
    expect(said).to.deep.equal([{ primrose: 'ready' }]);
  });

  it('is heard only where it is that page that speaks', async () => {
    const { tell } = framed('?as=bubble');
    const host = new Host();
    const told = events();
    const first = host.greet(told);
    tell({ primrose: 'hello', token: 'forged' }, { postMessage: () => undefined });
    for (const junk of [null, 'hello', 7, {}, { primrose: 'other' }]) tell(junk);
    tell({ primrose: 'hello', token: 3, kept: 5 });
    expect(await first).to.equal(null);
    expect([host.signsIn, host.keeps, host.kept]).to.deep.equal([false, false, undefined]);
    expect(told.heard).to.deep.equal([]);
  });
});

describe('what this browser keeps of a chat', () => {
  inPlaceOf({ window: undefined, location: undefined, addEventListener: undefined, localStorage: undefined });
  const look = (mail: boolean, service: string | null) => ({ signIn: { mail, service, host: true } }) as unknown as ChatLook;
  const storage = () => {
    const held = new Map<string, string>();
    here['localStorage'] = {
      getItem: (name: string) => held.get(name) ?? null,
      setItem: (name: string, value: string) => void held.set(name, value),
      removeItem: (name: string) => void held.delete(name),
    };
    return held;
  };
  const closed = () => {
    const never = () => {
      throw new DOMException('denied', 'SecurityError');
    };
    here['localStorage'] = { getItem: never, setItem: never, removeItem: never };
  };

  it('is the key of each chat by itself', () => {
    const held = storage();
    framed('');
    const host = new Host();
    const [one, two] = [new KeyStore('one', host, look(false, null)), new KeyStore('two', host, look(true, 'x'))];
    one.keep('k1', false);
    two.keep('k2', true);
    expect([one.key, two.key, one.works]).to.deep.equal(['k1', 'k2', true]);
    one.forget();
    expect([one.key, two.key]).to.deep.equal([undefined, 'k2']);
    expect([...held.keys()]).to.deep.equal(['primrose-visitor-two']);
  });

  it('is left to the page around it where our own storage is closed, but never what speaks for a person', () => {
    closed();
    const { said } = framed('?as=inline');
    const host = new Host();
    host.keeps = true;
    const store = new KeyStore('c', host, look(false, null));
    expect(store.works).to.equal(true);
    store.keep('k1', false);
    expect(store.key).to.equal('k1');
    store.keep('k2', true);
    expect(store.key).to.equal(undefined);
    store.keep('k3', false);
    store.forget();
    expect(store.key).to.equal(undefined);
    expect(said).to.deep.equal([
      { primrose: 'keep', key: 'k1' },
      { primrose: 'keep', key: null },
      { primrose: 'keep', key: 'k3' },
      { primrose: 'keep', key: null },
    ]);
  });

  for (const [about, signIn] of [
    ['by mail', look(true, null)],
    ['with a service', look(false, 'Sound account')],
    ['in a way that is not known', undefined],
  ] as const)
    it(`is nothing where our own storage is closed and visitors sign in ${about}`, () => {
      closed();
      const { said } = framed('?as=inline');
      const host = new Host();
      host.keeps = true;
      host.kept = 'made up by the page';
      const store = new KeyStore('c', host, signIn);
      store.keep('k1', false);
      expect([store.works, store.key]).to.deep.equal([false, undefined]);
      expect(said).to.deep.equal([]);
    });
});

describe('the words of the page', () => {
  const english = wordsFor('en');
  for (const language of ['de', 'fr', 'es', 'it', 'nl', 'pt', 'ar', 'xx', 'constructor', ''])
    it(`are all there in ${language || 'no language'}`, () => {
      const words = wordsFor(language);
      for (const name of Object.keys(english) as (keyof Words)[]) {
        expect(words[name], name).to.match(/\S/);
        const places = (text: string) => [...text.matchAll(/\{[^}]*\}|%\w/g)].map((m) => m[0]).sort();
        expect(places(words[name]), name).to.deep.equal(places(english[name]));
      }
    });

  it('are those of the language, whatever its region, and English where nobody has written any', () => {
    expect(wordsFor('de-AT')).to.deep.equal(wordsFor('de'));
    expect(wordsFor('de').send).to.not.equal(english.send);
    expect(wordsFor('xx')).to.deep.equal(english);
  });
});
