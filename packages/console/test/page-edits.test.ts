import { expect } from 'chai';
import {
  checkBot,
  isChatPart,
  isInputPart,
  isOutputPart,
  readPhrase,
  type BotDocument,
  type Performed,
  type TurnSheet,
} from '@primrose/core';
import { chanceOf } from '../../core/test/chance.js';
import { demoDocument } from '../../core/test/harbour.js';
import { putPart } from '../src/draft/parts.js';
import { partKind, partName, widthOf } from '../src/formpages/words.js';
import { waited } from '../src/inbox/waited.js';
import { formOf, putDocument } from '../src/knowledge/uploading.js';
import { inOrder, placeOf } from '../src/problems/places.js';
import { costOf, tokensOf, withKeptEvent } from '../src/turn/costs.js';
import { deletePhrase, mergeIntents, movePhrase } from '../src/understanding/quality/changes.js';

/** Every phrase of every intent, as `language: text`. */
function phrasesOf(document: BotDocument): Map<string, string[]> {
  return new Map(
    Object.entries(document.intents ?? {}).map(([id, { phrases = {} }]) => [
      id,
      Object.entries(phrases).flatMap(([language, list]) => list.map((p) => `${language}: ${readPhrase(p).text}`)),
    ]),
  );
}

describe('what pages of the console make of a document', () => {
  const demo = demoDocument();

  describe('phrases that are mixed up', () => {
    const all = [...phrasesOf(demo)].flatMap(([intent, list]) => list.map((said) => ({ intent, said })));
    const textOf = (said: string) => said.slice(said.indexOf(' ') + 1);

    it('are moved with their marks and language, and none is lost or doubled, whatever is moved where', () => {
      const chance = chanceOf(7);
      const ids = Object.keys(demo.intents ?? {});
      const pick = <T>(items: readonly T[]): T => items[Math.floor(chance() * items.length)] as T;
      let document = demo;
      for (let i = 0; i < 60; i++) {
        const { said } = pick(all);
        const text = textOf(said);
        const intent = [...phrasesOf(document)].find(([, list]) => list.includes(said))?.[0] ?? '';
        const read = pick(ids);
        document = movePhrase(document, { intent, read, text });
        expect(phrasesOf(document).get(read)?.map(textOf)).to.include(text);
      }
      const sources = (d: BotDocument) =>
        new Set(Object.values(d.intents ?? {}).flatMap((x) => Object.values(x.phrases ?? {}).flat()));
      expect(sources(document)).to.deep.equal(sources(demo));
    });

    it('are taken away from the intent that is named, and from nowhere else', () => {
      const { intent, said } = all[3] ?? { intent: '', said: '' };
      const left = phrasesOf(deletePhrase(demo, { intent, text: textOf(said) }));
      const before = phrasesOf(demo);
      expect(left.get(intent)).to.deep.equal(before.get(intent)?.filter((p) => p !== said));
      left.delete(intent);
      before.delete(intent);
      expect(left).to.deep.equal(before);
      expect(deletePhrase(demo, { intent, text: 'nobody ever said this' })).to.equal(demo);
      expect(movePhrase(demo, { intent: 'gone', read: intent, text: textOf(said) })).to.equal(demo);
    });

    it('of two intents become those of the first, each once; what refers to the second is left to the checks', () => {
      const document: BotDocument = {
        ...demo,
        intents: {
          one: { phrases: { en: ['when does it leave', 'the next boat'] } },
          two: { phrases: { en: ['the next boat', 'any boat today'], de: ['das nächste Boot'] } },
        },
      };
      expect(mergeIntents(document, ['one', 'two']).intents).to.deep.equal({
        one: { phrases: { en: ['when does it leave', 'the next boat', 'any boat today'], de: ['das nächste Boot'] } },
      });
    });
  });

  it('puts an entry in its table and takes it away; a table without entries is left out', () => {
    const { intents: _intents, ...bare } = demo;
    const one = putPart(bare, 'intents', 'greet', { phrases: { en: ['hello'] } });
    expect(one.intents).to.deep.equal({ greet: { phrases: { en: ['hello'] } } });
    expect(putPart(one, 'intents', 'greet', undefined)).to.deep.equal(bare);
    expect(putPart(one, 'intents', 'nobody', undefined)).to.deep.equal(one);
    const samples = putDocument(one, 'guide', 'pets', { title: 'Pets', form: 'text', text: 'Dogs are welcome.' });
    expect(samples.knowledge?.['guide']?.documents).to.deep.equal({
      pets: { title: 'Pets', form: 'text', text: 'Dogs are welcome.' },
    });
    expect(putDocument(samples, 'guide', 'pets', undefined).knowledge?.['guide']?.documents).to.deep.equal({});
  });

  it('reads a file by its ending, in whatever letters it is written', () => {
    expect(['Fares.PDF', 'a.b.md', 'guide.htm', 'log.markdown'].map(formOf)).to.deep.equal([
      'pdf',
      'markdown',
      'html',
      'markdown',
    ]);
    expect(['program.exe', 'README', '.', ''].map(formOf)).to.deep.equal([undefined, undefined, undefined, undefined]);
  });

  it('leads to the page on which each problem is mended, errors first', () => {
    const broken: BotDocument = {
      ...demo,
      begins: 'nowhere',
      intents: { ...demo.intents, lone: { phrases: { en: ['x'] } } },
      flows: {
        ...demo.flows,
        lost: { begin: 'a', nodes: { a: { kind: 'say', says: '{{ flow.gone }}', exits: { done: 'nobody' } } } },
      },
    };
    const problems = inOrder(checkBot(broken));
    const firstWarning = problems.findIndex((p) => p.severity === 'warning');
    expect(firstWarning === -1 || problems.slice(firstWarning).every((p) => p.severity === 'warning')).to.equal(true);
    expect(problems).to.have.length(checkBot(broken).length);
    const places = problems.map(placeOf);
    expect(places).to.include('map/lost/a').and.include('settings');
    const at = (field: string) => placeOf({ code: 'x', severity: 'error', message: '', field } as never);
    expect(
      [
        '/intents/greet',
        '/entities/boat',
        '/pages/log',
        '/rehearsals/one',
        '/knowledge/guide',
        '/models/m',
        '/samples/s',
        '/zone',
      ].map(at),
    ).to.deep.equal([
      'understanding/intent/greet',
      'understanding',
      'pages/log',
      'rehearsals/one',
      'knowledge',
      'models',
      'actions',
      'settings',
    ]);
  });

  it('names the parts of a page for those who do not see it', () => {
    const parts = Object.values(demo.pages ?? {}).flatMap((p) => p.parts);
    expect(parts.length).to.be.greaterThan(3);
    for (const part of parts) {
      expect(partName(part)).to.not.equal('').and.not.contain('_');
      expect(partKind(part)).to.match(
        isInputPart(part) ? /^input, / : isOutputPart(part) ? /^output/ : isChatPart(part) ? /^chat$/ : /./,
      );
      expect(widthOf(part)).to.be.within(1, 12);
    }
    expect(partName({ text: '\nSecond line' })).to.equal('text');
    expect(partName({ picture: 'a.png', alt: '' })).to.equal('picture');
    expect([widthOf({ input: 'a', as: 'text' }), widthOf({ input: 'a', as: 'long-text' })]).to.deep.equal([6, 12]);
  });

  it('says how long somebody has waited, from now to days', () => {
    const now = Date.parse('2026-05-12T12:00:00Z');
    const ago = (minutes: number) => waited(new Date(now - minutes * 60_000).toISOString(), now);
    expect([-3, 0, 0.9, 1, 59, 60, 47 * 60 + 59, 48 * 60, 60 * 24 * 9].map(ago)).to.deep.equal([
      'now',
      'now',
      'now',
      '1 min',
      '59 min',
      '1 h',
      '47 h',
      '2 d',
      '9 d',
    ]);
  });

  describe('what a turn cost', () => {
    const call = (profile: string, tokens: { in: number; out: number } | null, estimate = 0): Performed =>
      ({
        request: { type: 'model', profile, estimate },
        result: { type: 'model', outcome: 'written', text: '', tokens },
      }) as never;
    const failed = {
      request: { type: 'model', profile: 'dear', estimate: 40 },
      result: { type: 'model', outcome: 'failed' },
    } as never;
    const models = {
      dear: { connection: 'm', model: 'a', price: { in: 2, out: 10, currency: 'EUR' } },
      cheap: { connection: 'm', model: 'b', price: { in: 1, out: 1, currency: 'EUR' } },
      other: { connection: 'm', model: 'c', price: { in: 1, out: 1, currency: 'USD' } },
      free: { connection: 'm', model: 'd' },
    } as NonNullable<BotDocument['models']>;

    it('is summed by currency; what has no price or was not counted costs nothing that is known', () => {
      const effects = [
        call('dear', { in: 1000, out: 500 }),
        call('cheap', { in: 1000, out: 0 }),
        call('other', { in: 500, out: 0 }),
      ];
      expect(costOf(effects, models)).to.equal('0.0080 EUR, 0.00050 USD');
      expect(
        costOf([call('free', { in: 9, out: 9 }), call('dear', null), failed, call('gone', { in: 1, out: 1 })], models),
      ).to.equal('');
      expect(costOf([], undefined)).to.equal('');
    });

    it('is counted in tokens, by an estimate where the service did not count', () => {
      expect(tokensOf([call('dear', { in: 10, out: 5 }), call('dear', null, 7), failed])).to.equal(62);
      expect(tokensOf([])).to.equal(0);
    });
  });

  it('keeps what came in as an event that can be said again, under a name that is free', () => {
    const heard = { type: 'message', at: '2026-05-12T12:00:00Z', channel: 'web-chat', text: 'to Tarn Holm', name: 'Ines' };
    const one = withKeptEvent(demo, { heard } as unknown as TurnSheet, 'Tarn Holm');
    expect(one.samples?.['tarn-holm']).to.deep.equal({ says: 'to Tarn Holm', channel: 'web-chat', name: 'Ines' });
    const two = withKeptEvent(
      one,
      { heard: { ...heard, channel: 'simulator', choice: 'yes' } } as unknown as TurnSheet,
      'Tarn Holm',
    );
    const added = Object.keys(two.samples ?? {}).filter((id) => !Object.hasOwn(one.samples ?? {}, id));
    expect(added.map((id) => two.samples?.[id])).to.deep.equal([{ says: 'to Tarn Holm', presses: 'yes', name: 'Ines' }]);
    expect(withKeptEvent(demo, { heard: { type: 'open', at: heard.at } } as unknown as TurnSheet, 'x')).to.equal(demo);
  });
});
