import { expect } from 'chai';
import {
  applyPatch,
  checkBot,
  comparePatch,
  documentJsonSchema,
  isBotFile,
  PROBLEM_CODES,
  problemSentence,
  readDocument,
  readFolder,
  withPresentPaths,
  writeFolder,
  type Problem,
} from '@primrose/core';
import { accepted, botOf, demoDocument, demoFolder } from './harbour.js';

function codes(problems: readonly Problem[]): string[] {
  return problems.map((p) => `${p.node ?? '-'}${p.field ?? ''} ${p.code}`);
}

function refused(source: unknown): Problem[] {
  const read = readDocument(source);
  return read.ok ? [] : [...read.problems];
}

const END = { kind: 'end' };

describe('the bot document', () => {
  it('reads the demo, which has no problems', () => expect(checkBot(demoDocument())).to.deep.equal([]));

  it('names the place and the nearest key for an unknown key', () => {
    const demo = demoDocument();
    const nodes = { ...demo.flows['welcome']?.nodes, hello: { kind: 'say', sayz: 'x', says: 'y' } };
    const [problem] = refused({ ...demo, flows: { welcome: { ...demo.flows['welcome'], nodes } } });
    expect(problem).to.deep.include({ code: 'unknown-key', flow: 'welcome', node: 'hello', field: '/sayz' });
    expect(problem && problemSentence(problem)).to.equal('There is no key "sayz" here. Did you mean says?');
    expect(refused({ ...demo, zome: 'x' })[0]?.facts['suggestion']).to.equal('zone');
  });

  for (const [name, source, code] of [
    ['a list', [], 'not-a-document'],
    ['a document without version', { bot: 'x' }, 'no-version'],
    ['one from the future', { primrose: 9 }, 'newer-version'],
    ['one without flows', { primrose: 1, bot: 'x', name: 'X', languages: ['en'], zone: 'Etc/UTC', begins: 'a' }, 'missing-key'],
    [
      'a zone that is none',
      { primrose: 1, bot: 'x', name: 'X', languages: ['en'], zone: 'Mars', begins: 'a', flows: {} },
      'unknown-zone',
    ],
  ] as const) {
    it(`refuses ${name}`, () => expect(refused(source)[0]?.code).to.equal(code));
  }

  it('refuses an id with capitals and a kind that is none', () => {
    const base = { primrose: 1, bot: 'x', name: 'X', languages: ['en'], zone: 'Etc/UTC', begins: 'a' };
    expect(refused({ ...base, flows: { Main: { nodes: {} } } })[0]?.code).to.equal('invalid-id');
    expect(refused({ ...base, flows: { a: { nodes: { n: { kind: 'sey' } } } } })[0]?.facts['suggestion']).to.equal('say');
  });

  it('has a JSON Schema with every kind of node', () => {
    const schema = documentJsonSchema() as { $defs: Record<string, unknown> };
    expect(Object.keys(schema.$defs)).to.include.members(['node-say', 'node-ask', 'node-choice', 'node-action']);
  });
});

describe('the folder form', () => {
  it('gives back the same document', () => {
    const document = demoDocument();
    const folder = readFolder(writeFolder(document));
    expect(folder.ok && accepted(folder.source)).to.deep.equal(document);
  });

  it('writes again to the letter what it wrote', () => {
    const first = writeFolder(demoDocument());
    const read = readFolder(first);
    expect(read.ok && writeFolder(accepted(read.source))).to.deep.equal(first);
    expect(writeFolder(demoDocument(), demoFolder())).to.deep.equal(demoFolder());
  });

  /** The demo as it was laid out once, with its comments. */
  const former = () => {
    const at = (path: string) =>
      path
        .replace(/^(entities|intents|contexts|out-of-scope)\.yaml$/, 'listening/$1.yaml')
        .replace(/^models\.yaml$/, 'thinking/models.yaml')
        .replace(/^connections\//, 'doing/')
        .replace(/^knowledge\//, 'knowing/');
    return Object.fromEntries(Object.entries(demoFolder()).map(([path, text]) => [at(path), text]));
  };

  it('is read as it was laid out once, and written as it is today, comments kept', () => {
    const files = former();
    expect(Object.keys(files)).to.include.members([
      'doing/booking-office.yaml',
      'knowing/passenger-guide.yaml',
      'thinking/models.yaml',
    ]);
    expect(Object.keys(files).every(isBotFile)).to.equal(true);
    const read = readFolder(files);
    expect(read.ok && accepted(read.source)).to.deep.equal(demoDocument());
    expect(writeFolder(demoDocument(), files)).to.deep.equal(demoFolder());
  });

  it('names the file as it stands, and says where two of them are one', () => {
    const wrong = { ...former(), 'doing/booking-office.yaml': 'connection: office\nactions: {}\n' };
    const read = readFolder(wrong);
    expect(!read.ok && read.problems).to.deep.equal([
      {
        file: 'doing/booking-office.yaml',
        line: 1,
        message: 'it should begin with "connection: booking-office", the name of the file',
      },
    ]);
    const both = readFolder({ ...former(), 'models.yaml': '{}\n' });
    expect(!both.ok && both.problems.map((p) => `${p.file}: ${p.message}`)).to.deep.equal([
      'thinking/models.yaml: it stands in models.yaml as well, which is its place today; keep one of the two',
    ]);
  });

  it('reads a connection that says `shows` as one that says `auth`, and patches of that time', () => {
    const connection = { actions: {}, shows: 'bearer' };
    const document = botOf({ bye: { kind: 'end' } }, { connections: { office: connection } });
    expect(document.connections?.['office']).to.deep.equal({ actions: {}, auth: 'bearer' });
    const patch = [{ op: 'replace', path: '/connections/office/shows', value: { header: 'x-key' } }] as const;
    const patched = applyPatch(document, withPresentPaths(patch));
    expect(patched.ok && accepted(patched.value).connections?.['office']?.auth).to.deep.equal({ header: 'x-key' });
    expect(withPresentPaths([{ op: 'remove', path: '/flows/main/nodes/shows' }])).to.deep.equal([
      { op: 'remove', path: '/flows/main/nodes/shows' },
    ]);
  });

  it('keeps comments and untouched lines where a value changed', () => {
    const document = demoDocument();
    const changed = { ...document, name: 'Shore desk' };
    const text = writeFolder(changed, demoFolder())['bot.yaml'] ?? '';
    expect(text).to.contain('name: Shore desk');
    expect(text).to.contain('# the first is the fallback');
    expect(text.split('\n')).to.have.length((demoFolder()['bot.yaml'] ?? '').split('\n').length);
  });

  it('names file and line of mistakes', () => {
    const broken = readFolder({ ...demoFolder(), 'flows/welcome.yaml': 'flow: welcome\nnodes: {a: [}' });
    expect(broken.ok ? [] : broken.problems[0]).to.include({ file: 'flows/welcome.yaml', line: 2 });
    const misnamed = readFolder({ ...demoFolder(), 'flows/other.yaml': 'flow: welcome\nnodes: {}\n' });
    expect(misnamed.ok ? '' : misnamed.problems[0]?.message).to.contain('flow: other');
    const none = readFolder({});
    expect(none.ok ? '' : none.problems[0]?.message).to.contain('not there');
  });

  it('says the mistakes of YAML in a sentence of ours, with what to do', () => {
    const told = (text: string): string[] => {
      const read = readFolder({ ...demoFolder(), 'flows/welcome.yaml': `flow: welcome\n${text}\n` });
      return read.ok ? [] : read.problems.map((p) => `${p.line}: ${p.message}`);
    };
    for (const [text, line, words] of [
      ['title: "Welcome', 3, 'a quote or a bracket is not closed'],
      ['title: Welcome: everybody', 2, 'put such a text in quotes'],
      ['nodes:\n\tmenu: x', 3, 'indented with a tab'],
      ['title: a\ntitle: b', 3, 'the same key stands here twice'],
      ['title: *welcome*', 2, 'stands for a value elsewhere'],
      ['title: @everybody', 2, 'put it in quotes'],
      ['title: {{ flow.x }} is here', 2, 'begins with { or ['],
      ['title: a\n---\ntitle: b', 3, 'several documents'],
    ] as const) {
      const [first = ''] = told(text);
      expect(first, text).to.contain(words);
      expect(first.startsWith(`${line}: `), first).to.equal(true);
    }
  });

  it('finds the line of a problem of the document', () => {
    const files = { ...demoFolder() };
    files['flows/welcome.yaml'] = (files['flows/welcome.yaml'] ?? '').replace('expects: date', 'expects: dat');
    const folder = readFolder(files);
    if (!folder.ok) throw new Error('cannot be read');
    const [problem] = checkBot(accepted(folder.source));
    const line = (files['flows/welcome.yaml'] ?? '').split('\n').findIndex((l) => l.includes('expects: dat')) + 1;
    expect(problem && folder.places(problem)).to.deep.equal({ file: 'flows/welcome.yaml', line });
  });
});

describe('patches', () => {
  it('lead from one document to another and say which step failed', () => {
    const before = demoDocument();
    const after = { ...before, name: 'Another' };
    const patch = comparePatch(before, after);
    expect(applyPatch(before, patch)).to.deep.equal({ ok: true, value: after });
    expect(applyPatch(before, [{ op: 'test', path: '/name', value: 'x' }])).to.include({ ok: false, reason: 'test-failed' });
    expect(applyPatch(before, [{ op: 'remove', path: '/nothing/there' }])).to.include({ ok: false, reason: 'no-such-place' });
    expect(applyPatch(before, [{ op: 'add', path: '/__proto__/x', value: 1 }])).to.include({ ok: false, reason: 'forbidden' });
  });
});

describe('checks', () => {
  const found = (nodes: Record<string, unknown>, more = {}) => codes(checkBot(botOf(nodes, { languages: ['en'], ...more })));

  it('finds exits that lead nowhere, or to what is not there', () => {
    expect(found({ a: { kind: 'say', says: 'x' } })).to.deep.equal(['a/exits/said dangling-exit']);
    expect(found({ a: { kind: 'say', says: 'x', exits: { said: 'bb', sad: 'b' } }, b: END })).to.include.members([
      'a/exits/said unknown-node',
      'a/exits/sad unknown-exit',
    ]);
  });
  it('finds nodes that no walk reaches, but lets notes stand alone', () => {
    expect(found({ a: END, b: END, c: { kind: 'note', says: 'later' } })).to.deep.equal(['b unreachable']);
  });
  it('finds loops that never wait', () => {
    expect(
      found({ a: { kind: 'say', says: 'x', exits: { said: 'b' } }, b: { kind: 'say', says: 'y', exits: { said: 'a' } } }),
    ).to.deep.equal(['a endless-loop']);
  });
  it('finds names that nothing has, with what was meant', () => {
    const problems = checkBot(
      botOf(
        {
          a: { kind: 'ask', says: 'Day?', expects: 'date', into: 'flow.day', exits: { answered: 'b', 'gave-up': 'b' } },
          b: { kind: 'say', says: 'So {{ flow.dai }} {{ session.reference }} {{ day }}', exits: { said: 'c' } },
          c: END,
        },
        { languages: ['en'], variables: { session: { reference: { type: 'text' } } } },
      ),
    );
    expect(problems.map((p) => [p.code, p.facts['name'], p.facts['suggestion'] ?? null])).to.deep.equal([
      ['unknown-name', 'flow.dai', 'flow.day'],
      ['never-set', 'session.reference', null],
      ['unknown-name', 'day', 'flow.day'],
    ]);
  });
  it('finds variables that are not declared, two buttons alike, and empty texts', () => {
    expect(found({ a: { kind: 'set', sets: [{ into: 'session.x', to: 1 }], exits: { done: 'b' } }, b: END })).to.include(
      'a/sets/0/into undeclared',
    );
    const choices = [
      { id: 'one', says: 'Yes' },
      { id: 'two', says: 'yes!' },
      { id: 'one', says: '' },
      { id: 'other', says: 'z' },
    ];
    const problems = found({ a: { kind: 'choice', says: '', choices, exits: { one: 'b', two: 'b', other: 'b' } }, b: END });
    expect(problems).to.include.members([
      'a/says empty-text',
      'a/choices/1/says same-words',
      'a/choices/2/id duplicate-id',
      'a/choices/2/says empty-text',
      'a/choices/3/id reserved-id',
    ]);
  });
  it('finds actions that are not there, and inputs that are missing or too many', () => {
    const connections = { office: { actions: { list: { get: '/list', takes: { day: 'date', port: 'text?' } } } } };
    const exits = { done: 'b', failed: 'b' };
    expect(found({ a: { kind: 'action', runs: 'office.lis', exits }, b: END }, { connections })).to.deep.equal([
      'a/runs unknown-action',
    ]);
    expect(
      found({ a: { kind: 'action', runs: 'office.list', given: { dai: '1' }, exits }, b: END }, { connections }),
    ).to.deep.equal(['a/given not-given', 'a/given/dai unknown-input']);
  });
  it('finds mistakes in expressions with their place', () => {
    const [problem] = checkBot(
      botOf({
        a: { kind: 'branch', cases: [{ exit: 'x', when: 'turn.text = "a"' }], exits: { x: 'b', otherwise: 'b' } },
        b: END,
      }),
    );
    expect(problem && problemSentence(problem)).to.equal(
      'The expression cannot be read (at character 11): unexpected character: =. Did you mean ==?',
    );
  });
  it('has a sentence for every code that it can find', () => {
    const nodes = {
      a: { kind: 'say', says: '{{ upperr(flow.x) }}' },
      b: { kind: 'ask', says: '', expects: 'nonsense', into: 'visitor.q' },
    };
    for (const p of checkBot(botOf(nodes))) expect(PROBLEM_CODES, p.code).to.include(p.code);
  });
});

describe('names that every JavaScript object has', () => {
  it('are no ids, and lead nowhere', () => {
    const base = { primrose: 1, bot: 'x', name: 'X', languages: ['en'], zone: 'Etc/UTC', begins: 'a' };
    const refusedNode = refused({ ...base, flows: { a: { begin: 'constructor', nodes: {} } } });
    expect(refusedNode[0]?.code).to.equal('invalid-value');
    const source = JSON.parse('{"kind":"set","sets":[{"into":"flow.constructor","to":1}]}') as unknown;
    expect(refused({ ...base, flows: { a: { nodes: { n: source } } } })[0]?.field).to.equal('/sets/0/into');
    const problems = checkBot(
      botOf({ a: { kind: 'action', runs: 'constructor.name', exits: { done: 'b', failed: 'b' } }, b: END }),
    );
    expect(codes(problems)).to.deep.equal(['a/runs unknown-action']);
  });
});
