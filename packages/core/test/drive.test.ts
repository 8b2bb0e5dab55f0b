import { expect } from 'chai';
import {
  beginTurn,
  checksum,
  compile,
  createMind,
  drive,
  everyPerformer,
  openSession,
  PAUSE,
  performWith,
  recordedResults,
  type ActionEffect,
  type ActionResult,
  type BotDocument,
  type Completed,
  type Effect,
  type IncomingEvent,
  type Noted,
  type Performers,
  type Port,
  type Result,
} from '@primrose/core';
import { botOf, MONDAY } from './harbour.js';
import { compileWithTestKinds } from './support-kinds.js';

const OPEN: IncomingEvent = { type: 'open', at: MONDAY, channel: 'test' };
const CALL = { exits: { done: 'told', failed: 'told' }, kind: 'action' } as const;

/** Books, then says what came of it; two flows of it side by side where `both`. */
function booking(repeatable: boolean, both = false): BotDocument {
  const nodes = {
    wait: { kind: 'say', says: 'One moment.', exits: { said: 'book' } },
    book: { ...CALL, runs: 'office.book', into: 'flow.reference' },
    told: { kind: 'end', says: '{{ flow.reference }}{{ turn.failure.reason }}' },
  };
  const actions = { book: { post: '/book', gives: { reference: '{{ answer.ref }}' }, repeatable }, look: { get: '/look' } };
  const bot = botOf(nodes, { connections: { office: { address: 'http://office.example', actions } } });
  if (!both) return bot;
  const branch = (id: string, runs: string) => [
    id,
    { begin: 'a', nodes: { a: { kind: 'action', runs, exits: { done: 'e', failed: 'e' } }, e: { kind: 'end', says: id } } },
  ];
  const flows = Object.fromEntries([branch('one', 'office.book'), branch('two', 'office.look')]) as BotDocument['flows'];
  const branches = [
    { id: 'left', calls: 'one' },
    { id: 'right', calls: 'two' },
  ];
  const main = {
    begin: 'both',
    nodes: {
      both: { kind: 'parallel', branches, exits: { done: 'bye', left: 'bye', right: 'bye' } },
      bye: { kind: 'end', says: 'Bye.' },
    },
  };
  return { ...bot, flows: { ...bot.flows, ...flows, main } };
}

const BOOKED: ActionResult = { outcome: 'answered', status: 201, body: { ref: 'TST1' } };

function turnOf(document: BotDocument, options: Parameters<typeof beginTurn>[3] = {}) {
  const bot = compile(document);
  return beginTurn(bot, openSession(bot, {}), OPEN, options);
}

const performing = (document: BotDocument, perform: (effect: Effect) => Result | Promise<Result>): Performers => ({
  ...everyPerformer(perform),
  ...createMind(document, { listener: undefined }),
});

const pauses = (): typeof PAUSE => PAUSE;

const said = (result: { readonly messages: readonly { readonly text: string }[] }) => result.messages.map((m) => m.text);

describe('driving a turn', () => {
  it('tells its port what is about to be done and said before anything is begun, and notes what came before it goes on', async () => {
    const order: string[] = [];
    const document = booking(false);
    const { result } = await drive(turnOf(document), {
      performers: performing(document, () => (order.push('booked'), BOOKED)),
      before: ({ said: words }, toNote) => {
        order.push(`before ${words.map((m) => m.text).join()} ${toNote.map((e) => e.path).join()}`);
      },
      note: (request, _came, seq) => Promise.resolve(void order.push(`noted ${request.path} as ${seq}`)),
      end: () => order.push('end'),
    });
    expect(order).to.deep.equal(['before One moment. 1/0', 'booked', 'noted 1/0 as 1', 'end']);
    expect(said(result)).to.deep.equal(['One moment.', 'TST1']);
  });

  for (const repeatable of [true, false])
    it(`${repeatable ? 'does again' : 'does not do again'} what an earlier try began and nobody knows of`, async () => {
      let times = 0;
      const document = booking(repeatable);
      const toNote: string[] = [];
      const { result } = await drive(turnOf(document), {
        performers: performing(document, () => (times++, BOOKED)),
        noted: [{ path: '1/0', result: null, seq: 0 }],
        before: (_batch, effects) => void toNote.push(...effects.map((e) => e.path)),
      });
      expect(times).to.equal(repeatable ? 1 : 0);
      expect(said(result).at(-1)).to.match(repeatable ? /^TST1$/ : /whether it was done is not known$/);
      // It was noted that it is about to be done, so that is not noted again.
      expect(toNote).to.deep.equal([]);
    });

  it('hands results on in the order in which they were noted, whatever comes first now', async () => {
    const document = booking(true, true);
    const noted: Noted[] = [];
    const finish = new Map<string, (came: Result) => void>();
    const slow = performing(document, ({ path, type }) =>
      type === 'timer' ? new Promise(() => undefined) : new Promise((resolve) => finish.set(path, resolve)),
    );
    const note: Port['note'] = ({ path }, result, seq) => Promise.resolve(void noted.push({ path, result, seq }));
    const going = drive(turnOf(document), { performers: slow, note });
    await Promise.resolve();
    const paths = [...finish.keys()];
    expect(paths).to.have.length(2);
    for (const path of [...paths].reverse()) {
      finish.get(path)?.(BOOKED);
      await new Promise((resolve) => setImmediate(resolve));
    }
    const { result } = await going;
    expect(noted.map((n) => n.path)).to.deep.equal([...paths].reverse());
    const never = performing(document, () => new Promise(() => undefined));
    const again = await drive(turnOf(document), { performers: never, noted });
    expect(again.result.sheet).to.deep.equal(result.sheet);
  });

  it('pauses where a performer says so, with what was done until then', async () => {
    const document = booking(false);
    const turn = turnOf(document, { stepping: true });
    let steps = 0;
    const driven = await drive(turn, {
      performers: { ...performing(document, () => BOOKED), step: () => (++steps > 1 ? PAUSE : { outcome: 'go-on' }) },
    });
    expect(driven.as).to.equal('paused');
    expect(driven.as === 'paused' && driven.at).to.deep.include({ type: 'step', node: 'book' });
    expect(said(driven.result)).to.deep.equal(['One moment.']);
    expect(driven.result.sheet.stopped).to.equal(true);
    const effect = driven.as === 'paused' ? driven.at : undefined;
    const pausing = { ...performing(document, () => BOOKED), step: pauses };
    const thrown = effect && (await performWith(pausing, effect).catch((e: Error) => e.message));
    expect(thrown).to.equal('step pauses');
  });

  it('is stopped while a call is under way, of which then nobody knows whether it was done', async () => {
    const document = booking(false);
    let stop = (): void => undefined;
    let ended = 0;
    const stopped = new Promise<void>((resolve) => (stop = resolve));
    const going = drive(turnOf(document), {
      performers: performing(document, () => (stop(), new Promise(() => undefined))),
      stopped,
      end: () => ended++,
    });
    const { as, result } = await going;
    expect([as, ended]).to.deep.equal(['stopped', 1]);
    const [call] = result.sheet.effects;
    expect(call?.result).to.deep.include({ outcome: 'failed', code: 'stopped' });
    expect(result.sheet.path.at(-1)?.effects).to.deep.equal(['1/0']);
  });

  it('ends with what was thrown: by a performer, by a note, or before a batch', async () => {
    const document = booking(false);
    const broken = (port: Partial<Port>) =>
      drive(turnOf(document), { performers: performing(document, () => BOOKED), ...port }).then(
        () => 'done',
        (e: Error) => e.message,
      );
    const late = () => Promise.reject(new Error('no wire'));
    const atOnce = () => {
      throw new Error('no plug');
    };
    expect(await broken({ performers: performing(document, late) })).to.equal('no wire');
    expect(await broken({ performers: performing(document, atOnce) })).to.equal('no plug');
    expect(await broken({ note: () => Promise.reject(new Error('no ink')) })).to.equal('no ink');
    expect(await broken({ before: () => Promise.reject(new Error('no paper')) })).to.equal('no paper');
  });

  it('lets time pass only where nothing else is left to come', async () => {
    const document = booking(true, true);
    const ran = async (answer: () => Result | Promise<Result>) => {
      const timers: Completed[] = [];
      const { result } = await drive(turnOf(document), {
        performers: {
          ...performing(document, answer),
          timer: ({ path }) => {
            timers.push({ path, result: { outcome: 'elapsed' } });
            return new Promise(() => undefined);
          },
        },
        idle: () => timers.shift(),
      });
      return [result.sheet.path.find((s) => s.kind === 'parallel')?.exit, ...said(result)];
    };
    expect(await ran(() => BOOKED)).to.deep.equal(['done', 'one', 'two', 'Bye.']);
    expect(await ran(() => new Promise(() => undefined))).to.deep.equal(['left', 'Bye.']);
  });
});

describe('a transcript that is said again', () => {
  const bot = compileWithTestKinds(botOf({ bye: { kind: 'end', says: 'Bye.' } }), {
    loop: { kind: 'looping', exits: { done: 'bye' } },
  });
  const written = (text: string): Result => ({ outcome: 'written', text, stopped: 'end', tokens: null });
  /** One turn of ten calls on a transcript; the answer to each tells its number. */
  const run = async (answer: (n: number) => string, recorded?: (effect: Effect) => Result | undefined) => {
    let asked = 0;
    let fresh = 0;
    const performers: Performers = {
      ...everyPerformer((effect) => {
        const n = asked++;
        return recorded?.(effect) ?? (fresh++, written(answer(n)));
      }),
    };
    const { result } = await drive(beginTurn(bot, openSession(bot, {}), OPEN), { performers });
    return { sheet: result.sheet, fresh };
  };

  it('gets the recorded answers where all before was the same', async () => {
    const { sheet, fresh } = await run((n) => `answer ${n}`);
    expect(fresh).to.equal(10);
    const again = await run(() => 'another', recordedResults(sheet));
    expect(again.fresh).to.equal(0);
    expect(again.sheet.effects).to.deep.equal(sheet.effects);
  });
  it('asks again from where it differs: the same new words behind others are another request', async () => {
    const { sheet } = await run((n) => `answer ${n}`);
    const kept = recordedResults(sheet);
    // The fourth call is asked anew, and answers otherwise than it did.
    let asked = 0;
    const again = await run(
      () => 'otherwise',
      (effect) => (asked++ === 3 ? undefined : kept(effect)),
    );
    expect(again.fresh).to.equal(7);
    expect(again.sheet.effects.slice(0, 3)).to.deep.equal(sheet.effects.slice(0, 3));
  });
  it('is marked by a checksum that is known for what it is', () => {
    expect(['', 'a', 'foobar'].map(checksum)).to.deep.equal(['811c9dc5', 'e40c292c', 'bf9cf968']);
  });
});

describe('what a flow begins with', () => {
  const takes = {
    port: 'port',
    day: { type: 'date', value: '2026-05-15' },
    seats: { type: 'number', value: 2 },
    note: 'text?',
  } as const;
  const entities = { port: { values: { kelpwick: ['Kelpwick'], 'tarn-holm': ['Tarn Holm'] } } };
  const tell = { kind: 'end', says: '{{ flow.port }} {{ flow.day }} {{ flow.seats }}' };
  const document = botOf(
    {
      call: {
        kind: 'flow',
        calls: 'sail',
        given: { port: '{{ settings.port }}', seats: '{{ settings.seats }}' },
        exits: { done: 'bye', failed: 'bye' },
      },
      bye: { kind: 'end' },
    },
    { entities, variables: { settings: { port: { type: 'text', value: 'tarn-holm' }, seats: { type: 'any', value: 'many' } } } },
  );
  const bot = compile({
    ...document,
    flows: { ...document.flows, sail: { begin: 'tell', takes, nodes: { tell } } },
  });
  const performers = everyPerformer(() => ({ outcome: 'elapsed' }));
  const ran = async (event: IncomingEvent) => (await drive(beginTurn(bot, openSession(bot, {}), event), { performers })).result;

  it('is the same whoever begins it: what fits is taken, what does not is told, what is declared stands in', async () => {
    const fired = await ran({
      type: 'fired',
      at: MONDAY,
      by: 'hook',
      flow: 'sail',
      given: { port: 'kelpwick', seats: 'many', day: null, spare: 1 },
    });
    expect(said(fired)).to.deep.equal(['Kelpwick 2026-05-15 2']);
    expect(fired.sheet.problems.map((p) => [p.code, p.facts['name']])).to.deep.equal([['wrong-type', 'seats']]);
    expect(fired.sheet.left?.[0]?.values).to.not.have.property('spare');
    const called = await ran(OPEN);
    expect(said(called)).to.deep.equal(['Tarn Holm 2026-05-15 2']);
    expect(called.sheet.problems.map((p) => [p.code, p.facts['name']])).to.deep.equal([['wrong-type', 'seats']]);
  });
});

describe('an action that is taken up again', () => {
  it('asks with the same request, so that its service can know the repeat', async () => {
    const document = booking(true);
    const seen: ActionEffect[] = [];
    const performers = performing(document, (effect) => (effect.type === 'action' && seen.push(effect), BOOKED));
    await drive(turnOf(document), { performers });
    await drive(turnOf(document), { performers, noted: [{ path: '1/0', result: null, seq: 0 }] });
    expect(seen).to.have.length(2);
    expect(seen[1]).to.deep.equal(seen[0]);
  });
});
