import { expect } from 'chai';
import fc from 'fast-check';
import { z } from 'zod';
import {
  ApiError,
  API_PROBLEMS,
  createClient,
  endpoints,
  everyPage,
  fillPath,
  lineOf,
  NOTHING_SAID,
  problemDetails,
  requestBodies,
  talked,
  UnreachableError,
  type Endpoint,
  type LiveEvent,
  type Simulation,
  type TalkAction,
  type TurnRecord,
} from '@primrose/contract';

const all = Object.entries(endpoints) as [string, Endpoint][];

interface Schema {
  readonly $ref?: string;
  readonly $defs?: Readonly<Record<string, Schema>>;
  readonly type?: string;
  readonly format?: string;
  readonly pattern?: string;
  readonly maxLength?: number;
  readonly maxItems?: number;
  readonly enum?: readonly unknown[];
  readonly const?: unknown;
  readonly items?: Schema;
  readonly properties?: Readonly<Record<string, Schema>>;
  readonly additionalProperties?: Schema | boolean;
  readonly propertyNames?: Schema;
  readonly anyOf?: readonly Schema[];
  readonly oneOf?: readonly Schema[];
  readonly allOf?: readonly Schema[];
}

/** Every place in a schema at which somebody may write as much as they like. */
function unbounded(schema: Schema, at: string, whole = schema, seen: readonly string[] = []): string[] {
  const { $ref: ref } = schema;
  if (ref !== undefined) {
    if (seen.includes(ref)) return [];
    const to = ref === '#' ? whole : whole.$defs?.[ref.split('/').at(-1) ?? ''];
    return to ? unbounded(to, at, whole, [...seen, ref]) : [];
  }
  const inside = [...(schema.anyOf ?? []), ...(schema.oneOf ?? []), ...(schema.allOf ?? [])].flatMap((s) =>
    unbounded(s, at, whole, seen),
  );
  const { type, additionalProperties: more } = schema;
  const fixed = schema.enum !== undefined || schema.const !== undefined;
  // A pattern that counts its letters, and forms that have an end of their own.
  const counted =
    /\{\d+(?:,\d+)?\}\$?$/.test(schema.pattern ?? '') || ['uuid', 'date-time', 'date'].includes(schema.format ?? '');
  const own = [
    ...(type === 'string' && schema.maxLength === undefined && !fixed && !counted ? [`${at}: a text`] : []),
    ...(type === 'array' && schema.maxItems === undefined ? [`${at}: a list`] : []),
  ];
  return [
    ...own,
    ...inside,
    ...(schema.items ? unbounded(schema.items, `${at}[]`, whole, seen) : []),
    ...Object.entries(schema.properties ?? {}).flatMap(([name, s]) => unbounded(s, `${at}.${name}`, whole, seen)),
    ...(typeof more === 'object' ? unbounded(more, `${at}.*`, whole, seen) : []),
  ];
}

/** What a page takes is declared by its flow, of any form; the size of the whole body is its bound. */
const OF_ANY_FORM = ['fillPage.body.inputs'];

describe('what strangers and visitors may send', () => {
  for (const [name, e] of all.filter(([, { access }]) => access !== 'person'))
    it(`${e.method} ${e.path} has an end in all its parts`, () => {
      const parts = { params: e.params, query: e.query, body: e.body };
      const places = Object.entries(parts).flatMap(([part, shape]) =>
        shape ? unbounded(z.toJSONSchema(shape, { unrepresentable: 'any', io: 'input' }) as Schema, `${name}.${part}`) : [],
      );
      expect(places.filter((p) => !OF_ANY_FORM.some((free) => p.startsWith(free)))).to.deep.equal([]);
    });

  it('is told apart from what people of the console send', () => {
    expect(
      unbounded(
        { type: 'object', properties: { a: { type: 'string' }, b: { type: 'array', items: { type: 'string', maxLength: 3 } } } },
        'x',
      ),
    ).to.deep.equal(['x.a: a text', 'x.b: a list']);
  });

  it('is nothing that only somebody who is signed in may have', () => {
    const open = all.filter(([, e]) => e.access === 'anybody').map(([name]) => name);
    for (const name of ['createBot', 'patchDraft', 'listConversations', 'getVisitor', 'createToken'])
      expect(open).to.not.include(name);
    for (const [name, e] of all) if (e.path.startsWith('/api/bots')) expect([name, e.access]).to.deep.equal([name, 'person']);
  });
});

describe('an endpoint', () => {
  for (const [name, e] of all)
    it(`${name} says what it is, what comes back, and only problems that there are`, () => {
      expect(e.about)
        .to.match(/^[A-Z“]/)
        .and.not.match(/\.$/);
      expect(e.path).to.match(/^\/[a-zA-Z0-9:/._-]+$/);
      for (const code of e.problems ?? []) expect(API_PROBLEMS).to.have.property(code);
      if (e.method === 'GET') expect(e.body).to.equal(undefined);
      if (e.status === 204) expect(e.reply).to.equal(undefined);
      if (e.stream) expect(e.download).to.equal(undefined);
    });

  it('has its body in the docs’ table, each once', () => {
    const lines = requestBodies().split('\n');
    const withBody = all.filter(([, e]) => e.body !== undefined || e.upload !== undefined);
    expect(lines).to.have.length(withBody.length + 2);
    for (const [, e] of withBody) expect(lines.filter((l) => l.startsWith(`| \`${e.method} ${e.path}\` |`))).to.have.length(1);
  });
});

describe('problem details', () => {
  for (const code of Object.keys(API_PROBLEMS) as (keyof typeof API_PROBLEMS)[])
    it(`${code} has its status, its title and what was said`, () => {
      const told = problemDetails(code, 'Do this.', { errors: [{ pointer: '/a', detail: 'b' }] });
      expect(told).to.include({ code, status: API_PROBLEMS[code].status, title: API_PROBLEMS[code].title, detail: 'Do this.' });
      expect(told.errors).to.deep.equal([{ pointer: '/a', detail: 'b' }]);
      expect(told.type).to.match(/\S/);
    });
});

describe('the client’s streams and files', () => {
  /** A client that is answered with a body in the pieces given. */
  const fed = (pieces: readonly Uint8Array[], init: ResponseInit = {}) => {
    const body = new ReadableStream<Uint8Array>({
      start: (controller) => {
        pieces.forEach((p) => controller.enqueue(p));
        controller.close();
      },
    });
    const asked: Request[] = [];
    const send = ((url: string, options: RequestInit) => {
      asked.push(new Request(url, options));
      return Promise.resolve(new Response(body, init));
    }) as unknown as typeof fetch;
    return { asked, client: createClient({ address: 'http://ferry.example', token: 'prt_x', fetch: send }) };
  };
  const bytes = (text: string) => new TextEncoder().encode(text);
  const params = { bot: 'b', conversation: 'c' };
  const body = { id: 'x', text: 'hello', after: null } as never;

  it('tell of each event, however the stream is cut into pieces', async () => {
    const events = [
      ['words', { text: 'Fähre 🚢' }],
      ['said', { n: 1 }],
      ['turn', [1, 2, { a: null }]],
    ] as const;
    const whole = bytes(
      `retry: 100\n\n: still there\n\n${events.map(([name, data]) => `event: ${name}\ndata: ${JSON.stringify(data)}\n\n`).join('')}`,
    );
    await fc.assert(
      fc.asyncProperty(fc.uniqueArray(fc.integer({ min: 1, max: whole.length - 1 }), { maxLength: 12 }), async (cuts) => {
        const at = [0, ...cuts.sort((a, b) => a - b), whole.length];
        const pieces = at.slice(1).map((end, i) => whole.slice(at[i], end));
        const heard: [string, unknown][] = [];
        await fed(pieces).client.stream('runTurn', { params, body }, (event, data) => heard.push([event, data]));
        expect(heard).to.deep.equal(events.map(([name, data]) => [name, data]));
      }),
      { seed: 1, numRuns: 80 },
    );
  });

  it('end without the last event where that is not whole', async () => {
    const heard: string[] = [];
    const { client } = fed([bytes('event: said\ndata: 1\n\nevent: turn\ndata: 2\n')]);
    await client.stream('runTurn', { params, body }, (event) => heard.push(event));
    expect(heard).to.deep.equal(['said']);
  });

  it('bring files as they are, with their type', async () => {
    const file = Uint8Array.of(0, 255, 1, 254);
    const { client, asked } = fed([file.slice(0, 1), file.slice(1)], { headers: { 'content-type': 'image/png' } });
    const came = await client.download('exportFolder' in endpoints ? ('exportFolder' as never) : ('openapi' as never), {
      params,
    });
    expect([...came.bytes]).to.deep.equal([...file]);
    expect(came.type).to.equal('image/png');
    expect(asked[0]?.headers.get('authorization')).to.equal('Bearer prt_x');
  });

  it('throw what the service says before a stream begins', async () => {
    const told = problemDetails('too-many', 'Wait a little.', { retryAfter: 3 });
    const { client } = fed([bytes(JSON.stringify(told))], { status: 429 });
    const error = await client.stream('runTurn', { params, body }, () => undefined).catch((e: unknown) => e);
    expect(error).to.be.instanceOf(ApiError);
    expect((error as ApiError).details).to.include({ code: 'too-many', retryAfter: 3 });
  });

  it('say which address does not answer', async () => {
    const client = createClient({
      address: 'http://ferry.example',
      fetch: () => Promise.reject(new Error('ECONNREFUSED')),
    });
    const error = await client.call('openapi', {}).catch((e: unknown) => e);
    expect(error).to.be.instanceOf(UnreachableError);
    expect((error as Error).message).to.contain('http://ferry.example');
    expect((error as Error).cause).to.be.instanceOf(Error);
  });

  it('fill in any value so that it stays in its place', () => {
    fc.assert(
      fc.property(fc.string({ minLength: 1, maxLength: 20, unit: 'grapheme' }), fc.string({ maxLength: 10 }), (value, asked) => {
        const filled = fillPath(
          { path: '/api/bots/:bot/visitors/:visitor' },
          { params: { bot: value, visitor: 'v' }, query: { q: asked, no: undefined } },
        );
        const url = new URL(filled, 'http://x.test');
        expect(url.pathname.split('/')).to.have.length(value === '.' || value === '..' ? url.pathname.split('/').length : 6);
        expect(url.searchParams.get('q')).to.equal(new URLSearchParams({ q: asked }).get('q'));
        expect(url.searchParams.has('no')).to.equal(false);
      }),
      { seed: 2 },
    );
  });
});

describe('a list in pages', () => {
  const pagesOf = (sizes: readonly number[]) => {
    const asked: (string | undefined)[] = [];
    const fetch = ({ after }: { after?: string }) => {
      asked.push(after);
      const page = Number(after ?? 0);
      const items = Array.from({ length: sizes[page] ?? 0 }, (_, i) => `${page}.${i}`);
      return Promise.resolve({ items, next: page + 1 < sizes.length ? String(page + 1) : null });
    };
    return { asked, fetch };
  };

  it('is brought together whole, each page asked for once', async () => {
    const { asked, fetch } = pagesOf([2, 0, 3]);
    expect(await everyPage(fetch)).to.deep.equal(['0.0', '0.1', '2.0', '2.1', '2.2']);
    expect(asked).to.deep.equal([undefined, '1', '2']);
  });

  it('comes to an end where the service would go on for ever', async () => {
    let pages = 0;
    const items = await everyPage(() => Promise.resolve({ items: [++pages], next: 'again' }), 7);
    expect(items).to.deep.equal([1, 2, 3, 4, 5, 6, 7]);
  });
});

describe('a conversation with the draft, whatever is done and heard in whatever order', () => {
  const turn = (id: string, parent: string | null, conversation: string) =>
    ({ id, parent, conversation }) as unknown as TurnRecord;
  const ids = fc.constantFrom('a', 'b', 'c', 'd');
  const heard: fc.Arbitrary<LiveEvent> = fc.oneof(
    fc
      .tuple(ids, fc.option(ids), fc.constantFrom('s', 'other'))
      .map(([id, parent, of]) => ({ event: 'turn' as const, turn: turn(id, parent === id ? null : parent, of) })),
    ids.map((text) => ({ event: 'words' as const, path: '0', text })),
    ids.map((text) => ({ event: 'doing' as const, text })),
  );
  const action: fc.Arbitrary<TalkAction> = fc.oneof(
    fc
      .constantFrom('s', 'other')
      .map((id): TalkAction => ({ did: 'open', simulation: { id, head: null } as unknown as Simulation })),
    fc.constant<TalkAction>({ did: 'begin' }),
    fc.constant<TalkAction>({ did: 'end' }),
    fc.option(ids).map((head): TalkAction => ({ did: 'place', head })),
    heard.map((event): TalkAction => ({ did: 'hear', event })),
  );

  it('holds each turn once, none of another conversation, and changes nothing that was there before', () => {
    fc.assert(
      fc.property(fc.array(action, { maxLength: 20 }), (actions) => {
        let talking = NOTHING_SAID;
        for (const one of actions) {
          const before = JSON.stringify(talking);
          const next = talked(talking, one);
          expect(JSON.stringify(talking)).to.equal(before);
          talking = next;
          const { turns, simulation } = talking;
          expect(new Set(turns.map((t) => t.id)).size).to.equal(turns.length);
          for (const t of turns) expect(t.conversation).to.equal(simulation?.id);
        }
      }),
      { seed: 3, numRuns: 300 },
    );
  });

  it('has a line from its beginning to where it is talked on', () => {
    const talking = [turn('a', null, 's'), turn('b', 'a', 's'), turn('c', 'a', 's'), turn('d', 'c', 's')].reduce(
      (t, one) => talked(t, { did: 'hear', event: { event: 'turn', turn: one } }),
      talked(NOTHING_SAID, { did: 'open', simulation: { id: 's', head: null } as unknown as Simulation }),
    );
    expect(lineOf(talking).map((t) => t.id)).to.deep.equal(['a', 'c', 'd']);
    expect(lineOf(talked(talking, { did: 'place', head: 'b' })).map((t) => t.id)).to.deep.equal(['a', 'b']);
    expect(lineOf(talked(talking, { did: 'place', head: null }))).to.deep.equal([]);
  });
});
