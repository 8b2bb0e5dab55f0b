import { expect } from 'chai';
import { pino } from 'pino';
import { buildPart, encodePart, splitReading, type LookedUp } from '@primrose/core';
import { systemClock } from '../src/base/clock.js';
import { comparedBy } from '../src/knowledge/alike.js';
import { Vectoring } from '../src/knowledge/vectoring.js';
import { dropOldIndexed, saveIndexed } from '../src/store/contents.js';
import { openDatabase } from '../src/store/database.js';
import { migrate } from '../src/store/migrate.js';
import { ownDatabase } from './support/service.js';
import { until } from './support/until.js';

const log = pino({ level: 'silent' });

/** An encoder that knows two things: whether a text is about dogs or about money. */
function vectorOf(text: string): Float32Array {
  const vector = new Float32Array(512);
  vector[0] = /dog|hound/.test(text) ? 1 : 0;
  vector[1] = /pound|fare/.test(text) ? 1 : 0;
  vector[2] = 0.1;
  return vector;
}

describe('vectors of passages', () => {
  it('are made in the background, go on where a process was stopped, and rank what words have found', async () => {
    const db = openDatabase(await ownDatabase('vectors'), 4);
    await migrate(db);
    try {
      const store = async (id: string, language: string, texts: readonly string[]) => {
        const pieces = texts.flatMap((t, i) => [
          { level: 1, text: `Section ${i}` },
          { level: 0, text: t },
        ]);
        const passages = splitReading({ id, title: id }, { pieces }, { by: 'headings' });
        const bytes = encodePart(buildPart({ id, title: id, language }, passages));
        await saveIndexed(db, { id, readingId: 'r', passages: passages.length, language, bytes }, new Date());
      };
      const long = Array.from(
        { length: 90 },
        (_, i) => `Part ${i} of the log tells of the ${i % 2 === 0 ? 'dog' : 'fare'} of the day.`,
      );
      await store('a-long', 'en', long);
      await store('b-short', 'en', ['The hound sleeps on deck.', 'A crossing costs eight pounds.']);
      await store('c-german', 'de', ['Hunde fahren umsonst mit.']);
      const read: string[] = [];
      let mostAtOnce = 0;
      // Where it has read so many it is away: the process is stopped while much is left, however fast the machine is.
      let most = 40;
      const encoder = {
        ofTexts: (texts: readonly string[]) => {
          if (read.length >= most) return Promise.resolve(undefined);
          mostAtOnce = Math.max(mostAtOnce, texts.length);
          read.push(...texts);
          return Promise.resolve(new Map(texts.map((t) => [t, vectorOf(t)])));
        },
        ofMessage: (texts: readonly string[]) => Promise.resolve(new Map(texts.map((t) => [t, vectorOf(t)]))),
      };
      const far = async (id: string) => {
        const row: { vectors: number } | undefined = await db('indexed').where({ id }).first('vectors');
        return row?.vectors ?? 0;
      };
      const first = new Vectoring({ db, clock: systemClock, log, encoder });
      first.start();
      await until(async () => (await far('a-long')) >= 32);
      await first.stop();
      // The short one came first: it is the cheapest.
      expect(read[0]).to.contain('hound');
      expect(mostAtOnce).to.be.at.most(2);
      const done = await far('a-long');
      expect(done).to.be.lessThan(90);
      most = Infinity;
      read.length = 0;
      const second = new Vectoring({ db, clock: systemClock, log, encoder });
      second.start();
      await until(async () => (await far('a-long')) === 90);
      await second.stop();
      expect(read.length).to.equal(90 - done);
      expect(await far('c-german')).to.equal(0);
      const [{ n }] = (await db('passage_vectors').count('* as n')) as [{ n: number }];
      expect(Number(n)).to.equal(92);

      const found: LookedUp = {
        passages: [2, 1].map((place, i) => ({
          number: i + 1,
          document: 'b',
          title: '',
          heading: '',
          place,
          quote: '',
          score: 5 - i,
          why: { words: [], titled: [], near: 0 },
        })),
        covered: true,
        share: 1,
        missing: [],
      };
      const ask = (question: string, language = 'en', by: typeof encoder | null = encoder) =>
        comparedBy({ db, clock: systemClock, encoder: by ?? undefined }, found, { question, language, most: 2 }, () => 'b-short');
      const order = async (...asked: Parameters<typeof ask>) => (await ask(...asked)).passages.map((p) => p.place);
      expect(await order('where does my dog sleep?')).to.deep.equal([1, 2]);
      expect(await order('what is the fare?')).to.deep.equal([2, 1]);
      // In another language, without an encoder, and where it says nothing in time, words decide.
      expect(await order('where does my dog sleep?', 'de')).to.deep.equal([2, 1]);
      expect(await order('where does my dog sleep?', 'en', null)).to.deep.equal([2, 1]);
      const silent = { ...encoder, ofMessage: () => new Promise<undefined>(() => undefined) };
      expect(await order('where does my dog sleep?', 'en', silent as never)).to.deep.equal([2, 1]);
      // They go with their index.
      await dropOldIndexed(db, new Date(Date.now() + 60_000));
      expect(await db('passage_vectors').count('* as n')).to.deep.equal([{ n: 0 }]);
    } finally {
      await db.destroy();
    }
  });
});
