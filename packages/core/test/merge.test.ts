import { expect } from 'chai';
import fc from 'fast-check';
import fastJsonPatch from 'fast-json-patch';
import {
  applyPatch,
  compareDocuments,
  comparePatch,
  compile,
  differenceSentence,
  draftPatch,
  readDocument,
  readMarkdown,
  rebasePatch,
  type BotDocument,
  type PatchOperation,
} from '@primrose/core';
import { anyBot } from './any-bot.js';
import { accepted, botOf } from './harbour.js';

type Json = null | boolean | number | string | Json[] | { [key: string]: Json };
const json: fc.Arbitrary<Json> = fc.letrec<{ value: Json }>((tie) => ({
  value: fc.oneof(
    { maxDepth: 4, depthSize: 'small' },
    fc.constantFrom(null, true, 0, 1, 'a', 'b/c', 'd~e'),
    fc.array(tie('value'), { maxLength: 4 }),
    fc.dictionary(fc.constantFrom('x', 'y', 'z', 'p/q', 'r~s'), tie('value'), { maxKeys: 4 }),
  ),
})).value;
const object = fc.dictionary(fc.constantFrom('a', 'b', 'c', 'list'), json, { maxKeys: 4 });
const copy = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T;

function deepFreeze<T>(value: T): T {
  if (value !== null && typeof value === 'object') Object.values(Object.freeze(value)).forEach(deepFreeze);
  return value;
}

describe('applying a patch', () => {
  it('gives what a whole copy would give, and leaves the old value as it was', () => {
    fc.assert(
      fc.property(object, object, (before, after) => {
        const patch = comparePatch(before, after);
        const slow = fastJsonPatch.applyPatch(copy(before), copy(patch) as fastJsonPatch.Operation[]).newDocument;
        const done = applyPatch(deepFreeze(before), patch);
        expect(done.ok && done.value).to.deep.equal(slow);
        expect(slow).to.deep.equal(after);
      }),
      { numRuns: 500, seed: 11 },
    );
  });

  it('shares what it does not touch, and refuses what leads into prototypes', () => {
    const before = { left: { deep: [1, 2] }, right: { x: 1 } };
    const done = applyPatch(before, [{ op: 'replace', path: '/right/x', value: 2 }]);
    expect(done.ok && (done.value as typeof before).left).to.equal(before.left);
    expect(before.right.x).to.equal(1);
    for (const path of ['/__proto__/x', '/constructor/prototype/x', '/left/__proto__'])
      expect(applyPatch(before, [{ op: 'add', path, value: 1 }])).to.include({ ok: false, reason: 'forbidden' });
  });
});

describe('putting a patch on top of what others changed', () => {
  const doc = { name: 'n', texts: { a: 'A', b: 'B' }, list: [{ id: 1 }, { id: 2 }, { id: 3 }] };
  const rebase = (mine: object, theirs: object, prefer?: 'mine' | 'theirs') =>
    rebasePatch(doc, theirs, draftPatch(doc, mine), prefer);

  it('is nothing else than the patch where nobody changed anything', () => {
    fc.assert(
      fc.property(object, object, (before, after) => {
        const done = rebasePatch(before, before, draftPatch(before, after));
        expect(done.ok && done.value).to.deep.equal(after);
      }),
      { numRuns: 500, seed: 12 },
    );
  });

  it('keeps both changes when they are in different branches, in either order', () => {
    fc.assert(
      fc.property(object, object, object, object, (left, right, newLeft, newRight) => {
        const [base, mine, theirs] = [
          { left, right },
          { left: newLeft, right },
          { left, right: newRight },
        ];
        const done = rebasePatch(base, theirs, draftPatch(base, mine));
        expect(done.ok && done.value).to.deep.equal({ left: newLeft, right: newRight });
        const other = rebasePatch(base, mine, draftPatch(base, theirs));
        expect(other.ok && other.value).to.deep.equal({ left: newLeft, right: newRight });
      }),
      { numRuns: 300, seed: 13 },
    );
  });

  it('never throws, changes no input, and is a document, a clash or a refusal', () => {
    fc.assert(
      fc.property(object, object, object, fc.constantFrom('mine', 'theirs', undefined), (base, mine, theirs, prefer) => {
        const done = rebasePatch(deepFreeze(base), deepFreeze(theirs), draftPatch(base, mine), prefer);
        if (prefer !== undefined) expect(done.ok).to.equal(true);
        if (!done.ok) expect(done.reason).to.equal('clash');
        if (done.ok) expect(applyPatch(theirs, done.patch)).to.deep.equal({ ok: true, value: done.value });
      }),
      { numRuns: 500, seed: 14 },
    );
  });

  it('is a clash where both changed one place, unless to the same', () => {
    const clash = rebase({ ...doc, name: 'mine' }, { ...doc, name: 'theirs' });
    expect(!clash.ok && clash.reason === 'clash' && clash.clashes).to.deep.equal([
      { path: '/name', base: 'n', mine: 'mine', theirs: 'theirs' },
    ]);
    const same = rebase({ ...doc, name: 'both' }, { ...doc, name: 'both' });
    expect(same.ok && same.patch).to.deep.equal([]);
  });

  it('takes whose value is preferred where it clashes, and everything else of both', () => {
    const mine = { ...doc, name: 'mine', texts: { ...doc.texts, a: 'mine' } };
    const theirs = { ...doc, name: 'theirs', texts: { ...doc.texts, b: 'theirs' } };
    const texts = { a: 'mine', b: 'theirs' };
    const take = (prefer: 'mine' | 'theirs') => {
      const done = rebase(mine, theirs, prefer);
      return done.ok && done.value;
    };
    expect(take('mine')).to.deep.equal({ ...doc, name: 'mine', texts });
    expect(take('theirs')).to.deep.equal({ ...doc, name: 'theirs', texts });
  });

  it('finds items of a list again by value, wherever they have gone', () => {
    const [one, two, three] = doc.list;
    const changed = { id: 2, says: 'two' };
    const theirs = { ...doc, list: [three, { id: 0 }, one, two] };
    const edited = rebase({ ...doc, list: [one, changed, three] }, theirs);
    expect(edited.ok && (edited.value as typeof doc).list).to.deep.equal([three, { id: 0 }, one, changed]);
    const removed = rebase({ ...doc, list: [one, three] }, { ...doc, list: [{ id: 0 }, one, two, three] });
    expect(removed.ok && (removed.value as typeof doc).list).to.deep.equal([{ id: 0 }, one, three]);
    const gone = rebase({ ...doc, list: [one, changed, three] }, { ...doc, list: [one, three] });
    expect(!gone.ok && gone.reason === 'clash' && gone.clashes.map((c) => c.path)).to.deep.equal(['/list/1/says']);
  });

  it('heeds a test of a place that others changed, though nothing is to be changed there', () => {
    const patch: PatchOperation[] = [
      { op: 'test', path: '/name', value: 'n' },
      { op: 'replace', path: '/texts/a', value: 'mine' },
    ];
    const clash = rebasePatch(doc, { ...doc, name: 'theirs' }, patch);
    expect(!clash.ok && clash.reason === 'clash' && clash.clashes).to.deep.equal([
      { path: '/name', base: 'n', theirs: 'theirs' },
    ]);
    const fine = rebasePatch(doc, { ...doc, texts: { a: 'A', b: 'theirs' } }, patch);
    expect(fine.ok && fine.value).to.deep.equal({ ...doc, texts: { a: 'mine', b: 'theirs' } });
  });

  it('refuses a patch that does not fit what it was made against', () => {
    const patch: PatchOperation[] = [{ op: 'test', path: '/name', value: 'other' }];
    expect(rebasePatch(doc, doc, patch)).to.deep.include({ ok: false, reason: 'patch-failed', index: 0, why: 'test-failed' });
  });
});

describe('reading and compiling an edited document', () => {
  it('gives what reading and compiling the whole would give, and keeps what did not change', () => {
    fc.assert(
      fc.property(anyBot, fc.constantFrom('New title', 'Other'), (document, title) => {
        const patched = applyPatch(document, [{ op: 'add', path: '/flows/main/title', value: title }]);
        const quick = readDocument(patched.ok ? patched.value : undefined, document);
        const whole = readDocument(copy(patched.ok ? patched.value : undefined));
        expect(quick).to.deep.equal(whole);
        if (!quick.ok) return;
        expect(quick.document.flows['side']).to.equal(document.flows['side']);
        const before = compile(document);
        const after = compile(quick.document, before);
        expect(after.flows.get('side')).to.equal(before.flows.get('side'));
        expect(after.flows.get('main')).to.not.equal(before.flows.get('main'));
      }),
      { numRuns: 60, seed: 15 },
    );
  });

  it('still finds what is wrong in the part that changed', () => {
    const document = botOf({ hello: { kind: 'say', says: 'Hello.' } });
    const patched = applyPatch(document, [{ op: 'replace', path: '/flows/main/nodes/hello/kind', value: 'saay' }]);
    const read = readDocument(patched.ok ? patched.value : undefined, document);
    expect(!read.ok && read.problems.map((p) => p.code)).to.deep.equal(['unknown-kind']);
  });
});

describe('the difference between two documents', () => {
  const before = botOf(
    {
      hello: { kind: 'say', says: { en: 'Hello.', de: 'Hallo.' }, exits: { said: 'stop' } },
      stop: { kind: 'end' },
    },
    { variables: { session: { day: 'date' } } },
  );
  const sentences = (change: (d: Record<string, never>) => void) => {
    const after = copy(before) as unknown as Record<string, never>;
    change(after);
    return compareDocuments(before, accepted(after)).map(differenceSentence);
  };

  it('is nothing for the same document', () => {
    fc.assert(
      fc.property(anyBot, (d) => {
        expect(compareDocuments(d, accepted(copy(d)))).to.deep.equal([]);
      }),
      { numRuns: 30, seed: 16 },
    );
  });

  const cases: readonly [string, (d: BotDocument) => unknown, string][] = [
    [
      'a text',
      (d) => ((d.flows['main']?.nodes['hello']?.['says'] as Record<string, string>)['en'] = 'Hi.'),
      'main, hello: says en was “Hello.”, is now “Hi.”',
    ],
    [
      'a new node',
      (d) => Object.assign(d.flows['main']?.nodes ?? {}, { more: { kind: 'say', says: 'More.' } }),
      'main, more: added, “say: More.”',
    ],
    [
      'a node gone',
      (d) => delete (d.flows['main']?.nodes as Record<string, unknown>)['stop'],
      'main, stop: removed, “end: The flow is over”',
    ],
    [
      'another kind',
      (d) => Object.assign(d.flows['main']?.nodes ?? {}, { stop: { kind: 'say', says: 'Bye.' } }),
      'main, stop: was “end: The flow is over”, is now “say: Bye.”',
    ],
    [
      'a link',
      (d) => Object.assign(d.flows['main']?.nodes['hello']?.exits ?? {}, { said: 'hello' }),
      'main, hello: the exit said leads to “hello”, no longer to “stop”',
    ],
    ['a title', (d) => ((d.flows['main'] as { title: string }).title = 'Start'), 'main: title was “Main”, is now “Start”'],
    ['a new flow', (d) => Object.assign(d.flows, { extra: { title: 'Extra', nodes: {} } }), 'flow Extra added, with 0 nodes'],
    ['a variable', (d) => Object.assign(d.variables?.session ?? {}, { seats: 'number' }), 'variable session.seats added'],
    [
      'the bot',
      (d) => ((d as { zone: string }).zone = 'Europe/Paris'),
      'the bot’s zone was “Europe/Dublin”, is now “Europe/Paris”',
    ],
  ];
  for (const [what, change, sentence] of cases)
    it(`names ${what}`, () => expect(sentences((d) => change(d as unknown as BotDocument))).to.deep.equal([sentence]));
});

describe('plain text', () => {
  it('is read the same with and without the short way', () => {
    const letters = fc.constantFrom(...'aZé9 ,;:.?!\'"()…–—/0123.)');
    fc.assert(
      fc.property(fc.array(letters, { minLength: 1, maxLength: 24 }), (list) => {
        const text = list.join('').trim();
        fc.pre(text !== '');
        expect(readMarkdown(text)).to.deep.equal(readMarkdown(`${text}\n`));
      }),
      { numRuns: 2000, seed: 17 },
    );
  });
});
