import { expect } from 'chai';
import fc from 'fast-check';
import { checkBot, problemSentence, type BotDocument, type FactKind, type Message, type Value } from '@primrose/core';
import type { LiveTurn } from '@primrose/contract';
import { demoDocument } from '../../core/test/harbour.js';
import { movedItem } from '../src/details/Rows.js';
import { PageGrid } from '../src/formpages/PageGrid.js';
import { partName } from '../src/formpages/words.js';
import { GO_TO, KEY_MAP } from '../src/keys/keys.js';
import { splitText } from '../src/knowledge/SplittingForm.js';
import { Serves } from '../src/messenger/Serves.js';
import { typedValue } from '../src/pages/TablesPage.js';
import { RehearsalEditor } from '../src/rehearsals/RehearsalEditor.js';
import { TextProblems } from '../src/rehearsals/TextProblems.js';
import { LiveTurnPart } from '../src/simulator/LiveTurn.js';
import { readValue, writeValue } from '../src/simulator/PausedPart.js';
import { FactEditor, factNote, withFact } from '../src/understanding/FactEditor.js';
import { IntentEditor } from '../src/understanding/IntentEditor.js';
import { ContextEditor, EntityEditor, OutOfScopeEditor, withPart } from '../src/understanding/OtherEditors.js';
import { drawn, readable } from './drawn.js';

const demo = demoDocument();
const nothing = () => undefined;
/** The values that stand in the fields of some HTML. */
const filledIn = (html: string): string[] =>
  [...html.matchAll(/<(?:input|option|textarea)[^>]*?value="([^"]*)"/g), ...html.matchAll(/<textarea[^>]*>([^<]*)</g)].map(
    (m) => m[1] ?? '',
  );

describe('editors of what a bot listens for', () => {
  for (const [name, intent] of Object.entries(demo.intents ?? {}))
    it(`show the intent ${name} with what it is and its phrases`, () => {
      const html = drawn(IntentEditor, { name, onRemoved: nothing }, demo);
      if (intent.about !== undefined) expect(filledIn(html).map((v) => readable(v))).to.include(readable(intent.about));
      expect(readable(html)).to.contain(name.replace(/[-_]/g, ' '));
    });

  for (const [name, entity] of Object.entries(demo.entities ?? {}))
    it(`show the entity ${name} with its values`, () => {
      const html = drawn(EntityEditor, { name, onRemoved: nothing }, demo);
      for (const value of Object.keys(entity.values ?? {}).slice(0, 3)) expect(html).to.contain(value);
    });

  for (const name of Object.keys(demo.contexts ?? {}))
    it(`show the context ${name}`, () => {
      expect(readable(drawn(ContextEditor, { name, onRemoved: nothing }, demo))).to.contain(name.replace(/[-_]/g, ' '));
    });

  for (const [name, kind] of Object.entries(demo.memory?.facts ?? {}))
    it(`show the fact ${name}, and say what it is`, () => {
      expect(drawn(FactEditor, { name, onRemoved: nothing }, demo)).to.match(/<fieldset/);
      expect(factNote(kind)).to.match(/^[a-z]/);
    });

  it('show nothing of what is not there', () => {
    for (const editor of [IntentEditor, EntityEditor, ContextEditor, FactEditor])
      expect(drawn(editor, { name: 'nobody', onRemoved: nothing }, demo)).to.equal('');
    expect(drawn(OutOfScopeEditor, {}, demo)).to.match(/</);
  });

  it('put a part in once, and leave one that is there as it is', () => {
    for (const what of ['entity', 'pattern', 'context'] as const) {
      const once = withPart(demo, what, 'harbour-seal');
      const key = what === 'context' ? 'contexts' : 'entities';
      expect(Object.keys(once[key] ?? {})).to.include('harbour-seal');
      expect(withPart(once, what, 'harbour-seal')).to.equal(once);
      expect(demo[key]).to.not.have.property('harbour-seal');
    }
  });

  it('put a fact in and take it out again, and leave no empty table behind', () => {
    const { memory: _none, ...bare } = demo as BotDocument & { memory?: unknown };
    const kind: FactKind = { about: 'comes with a seal', words: ['seal'] };
    const one = withFact(bare, 'seal', kind);
    expect(one.memory?.facts).to.deep.equal({ seal: kind });
    expect(withFact(one, 'seal', undefined)).to.deep.equal(bare);
    expect(Object.keys(withFact(demo, 'seal', kind).memory?.facts ?? {})).to.include.members([
      'seal',
      ...Object.keys(demo.memory?.facts ?? {}),
    ]);
  });
});

describe('parts of a page, as its owner lays them out', () => {
  for (const bot of ['harbour-desk', 'shore-desk'] as const)
    for (const [id, page] of Object.entries(demoDocument(bot).pages ?? {}))
      it(`of ${id} stand in their order, the chosen one marked`, () => {
        const html = drawn(PageGrid, {
          page: page,
          selected: 0,
          onSelect: nothing,
          onChange: nothing,
          onRemove: nothing,
        });
        const parts = html.split('<li').slice(1);
        expect(parts).to.have.length(page.parts.length);
        expect(parts[0]).to.contain('pagepart on');
        page.parts.forEach((part, i) => expect(readable(`<li${parts[i]}`)).to.contain(readable(partName(part))));
      });
});

describe('rehearsals', () => {
  for (const [id, rehearsal] of Object.entries(demo.rehearsals ?? {}))
    it(`${id} is shown as its file reads`, () => {
      const html = drawn(RehearsalEditor, { id, rehearsal }, demo);
      expect(html).to.contain(`rehearsals/${id}.yaml`);
      expect(filledIn(html).join('')).to.contain('turns:');
    });

  it('say where a text is wrong', () => {
    const problems = [{ line: 3, message: 'There is no key "sayz" here.' }];
    expect(readable(drawn(TextProblems, { problems: problems as never })))
      .to.contain('3')
      .and.contain('sayz');
    expect(readable(drawn(TextProblems, { problems: [] }))).to.equal('');
  });
});

describe('a turn while it runs', () => {
  const NOTHING_YET: LiveTurn = { steps: [], calls: [], said: [], words: '', work: {}, doing: '' };
  const live = (more: Partial<LiveTurn>): string =>
    drawn(LiveTurnPart, { live: { ...NOTHING_YET, ...more }, onStop: nothing }, demo);
  it('shows what was said, what is written, and what is done, with times as far as there are some', () => {
    const message: Message = { text: 'Hello.', blocks: [{ type: 'paragraph', inside: [{ type: 'text', text: 'Hello.' }] }] };
    const calls = [
      { path: '0', words: 'asks the office', begun: 1, tookMs: 30 },
      { path: '1', words: 'looks it up', begun: 1, sample: 'a sample' },
    ];
    const html = live({ said: [message], doing: 'looks at the timetable', words: 'It sai', calls });
    const text = readable(html);
    for (const words of [
      'Hello.',
      'looks at the timetable',
      'It sai',
      'asks the office',
      '30 ms',
      'looks it up',
      'from a sample',
      '…',
    ])
      expect(text).to.contain(words);
    expect(html).to.contain('aria-busy="true"');
  });
});

describe('which release a channel serves', () => {
  it('is told, and that it is whichever is live', () => {
    const channel = {
      id: 'c',
      kind: 'web-chat',
      name: 'Web chat',
      on: true,
      serves: 'live',
      live: 3,
      link: 'x',
      conversations: 0,
    } as const;
    const html = drawn(Serves, { channel: channel as never, onChange: nothing }, demo);
    expect(html)
      .to.match(/<select/)
      .and.match(/live/i);
  });
});

describe('what is typed', () => {
  it('is a value where it reads as one, and comes back as it was written', () => {
    const values: Value[] = ['plain words', '12', 12, true, null, [1, 'a'], { a: 1 }, '"quoted"', '[not a list', '{', 'true'];
    for (const value of values) expect([value, readValue(writeValue(value))]).to.deep.equal([value, value]);
    expect(readValue('  ')).to.equal(null);
  });

  it('comes back whatever value it was', () => {
    fc.assert(
      fc.property(fc.jsonValue({ maxDepth: 2 }), (value) => {
        const plain = JSON.parse(JSON.stringify(value)) as Value;
        if (typeof plain === 'string' && plain.trim() === '') return;
        expect(readValue(writeValue(plain))).to.deep.equal(plain);
      }),
      { seed: 1, numRuns: 300 },
    );
  });

  it('into a cell is what its column holds', () => {
    const of = (type: string) => ({ name: 'c', type }) as never;
    expect(typedValue(of('text'), ' ramp ')).to.equal(' ramp ');
    expect(typedValue(of('list'), 'a; b ;;c')).to.deep.equal(['a', 'b', 'c']);
    expect(typedValue(of('list'), ' ')).to.equal(null);
    expect(typedValue(of('number'), '12')).to.equal('12');
  });
});

describe('lists and words of the console', () => {
  it('hold the same items after one was moved, each once', () => {
    fc.assert(
      fc.property(fc.uniqueArray(fc.nat(), { minLength: 1, maxLength: 8 }), fc.nat(), fc.nat(), (list, a, b) => {
        const [from, to] = [a % list.length, b % list.length];
        const moved = movedItem(list, from, to);
        expect([...moved].sort()).to.deep.equal([...list].sort());
        expect(moved[to]).to.equal(list[from]);
        expect(movedItem(moved, to, from)).to.deep.equal(list);
      }),
      { seed: 2 },
    );
  });

  it('say how documents are split', () => {
    expect(
      [null, { by: 'rows' }, { by: 'headings', size: 800 }, { by: 'size', size: 800, overlap: 60 }].map((s) =>
        splitText(s as never),
      ),
    ).to.deep.equal([
      'as is usual',
      'row by row',
      'at headings, 800 characters',
      'by size alone, 800 characters, 60 of them from the one before',
    ]);
  });

  it('name every key once in each place, and each page behind G by a letter of its own', () => {
    for (const [place, lines] of KEY_MAP) {
      const keys = lines.map((l) => l.keys);
      expect(new Set(keys).size, place).to.equal(keys.length);
      for (const line of lines) expect(line.does, line.keys).to.match(/\S/);
    }
    expect(new Set(Object.values(GO_TO)).size).to.equal(Object.keys(GO_TO).length);
    const [, everywhere = []] = KEY_MAP[0] ?? [];
    const told = everywhere.find((l) => l.keys.startsWith('G then'))?.keys ?? '';
    for (const letter of Object.keys(GO_TO)) expect(told).to.contain(letter.toUpperCase());
  });
});

describe('problems of a bot', () => {
  it('are sentences that end, for each that the checks find in a bot with many mistakes', () => {
    const broken: BotDocument = {
      ...demo,
      begins: 'nowhere',
      flows: {
        ...demo.flows,
        lost: {
          title: 'Lost',
          begin: 'a',
          nodes: {
            a: { kind: 'say', says: '', exits: { said: 'b' } },
            c: { kind: 'ask', says: '{{ flow.x', expects: 'prt', into: 'flow.y' },
          },
        },
      },
    };
    const found = checkBot(broken);
    expect(found.length).to.be.above(4);
    for (const problem of found) expect(problemSentence(problem)).to.match(/^\S.*[.?]$/s);
  });
});
