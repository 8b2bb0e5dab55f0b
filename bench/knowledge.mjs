// How fast documents are indexed and looked up, and what that takes: 100,000 passages of made-up text whose words are as often as
// those of a language (Zipf), in 5,000 documents. Beside it the floor: counting the words of the same texts in one map, without stems,
// parts or ranking. And how well sections are found again by headings that were taken away, where documentation of Debian packages is
// installed, beside plain BM25.
import { availableParallelism } from 'node:os';
import {
  buildPart,
  COMPARED,
  decodePart,
  encodePart,
  mergeParts,
  quantised,
  rankAlike,
  Ranking,
} from '../packages/core/dist/index.js';
import { documentation, foundAgain } from './knowledge/sections.mjs';

const DOCUMENTS = 5000;
const PASSAGES = 20;
const WORDS = 60;
const VOCABULARY = 60_000;

/** A linear congruential generator (Numerical Recipes' constants): the same texts each time. */
function chance(seed) {
  let state = seed >>> 0;
  return () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return state / 2 ** 32;
  };
}
const next = chance(7);
const syllables = 'ka re to mi sol an ber ti no ul fa ge ro la ni'.split(' ');
const vocabulary = Array.from({ length: VOCABULARY }, (_, i) => {
  let word = '';
  for (let n = i + 20; n > 0; n = Math.floor(n / syllables.length)) word += syllables[n % syllables.length];
  return word;
});
const word = () => vocabulary[Math.min(VOCABULARY - 1, Math.floor(VOCABULARY ** next()) - 1)] ?? 'ka';
const sentence = (n) => Array.from({ length: n }, word).join(' ');
/** A question's words that are looked for: the hundred commonest only hold sentences together, and are not. */
const asked = (n) =>
  Array.from({ length: n }, () => vocabulary[100 + Math.floor((VOCABULARY / 100) ** next() * 100 - 100)] ?? 'ka').join(' ');

const share = (list, at) => [...list].sort((a, b) => a - b)[Math.min(list.length - 1, Math.floor(list.length * at))];
const mb = (bytes) => Math.round(bytes / 1e6);

export async function knowledge(say) {
  say(`${availableParallelism()} cores, Node.js ${process.versions.node}`);
  const documents = Array.from({ length: DOCUMENTS }, (_, d) =>
    Array.from({ length: PASSAGES }, (_p, i) => ({
      document: `d${d}`,
      title: sentence(3),
      heading: sentence(2),
      text: sentence(WORDS),
      place: i + 1,
    })),
  );
  const floorBegun = performance.now();
  const counts = new Map();
  for (const passages of documents)
    for (const p of passages) for (const w of p.text.split(' ')) counts.set(w, (counts.get(w) ?? 0) + 1);
  const floor = (DOCUMENTS * PASSAGES) / ((performance.now() - floorBegun) / 1000);

  const begun = performance.now();
  const stored = documents.map((passages, d) =>
    encodePart(buildPart({ id: `d${d}`, title: passages[0].title, language: 'en' }, passages)),
  );
  const rate = (DOCUMENTS * PASSAGES) / ((performance.now() - begun) / 1000);
  say(`indexed: ${Math.round(rate)} passages a second (aim 7,000); ${(rate / floor).toFixed(2)} of counting words alone`);
  say(`stored: ${mb(stored.reduce((sum, b) => sum + b.length, 0))} MB`);
  documents.length = 0;
  counts.clear();
  globalThis.gc?.();
  const before = process.memoryUsage();
  const readyBegun = performance.now();
  const part = mergeParts(stored.map((bytes) => decodePart(bytes)).filter((p) => p !== undefined));
  const ranking = new Ranking([{ part }]);
  ranking.look(sentence(4), 5);
  say(
    `ready from what is stored: ${((performance.now() - readyBegun) / 1000).toFixed(1)} s (aim 3), without reading it from the database`,
  );
  globalThis.gc?.();
  const after = process.memoryUsage();
  const grown = after.heapUsed + after.arrayBuffers - before.heapUsed - before.arrayBuffers;
  say(`memory: ${mb(grown)} MB beside what is stored (aim 400 with vectors, which stay in the database)`);
  const times = [];
  for (let i = 0; i < 400; i++) {
    const question = `how do I ${asked(2 + (i % 8))}`;
    const start = performance.now();
    ranking.look(question, 5);
    times.push(performance.now() - start);
  }
  say(
    `a lookup in 100,000 passages: p50 ${share(times, 0.5).toFixed(1)} ms, p95 ${share(times, 0.95).toFixed(1)} ms (aim p95 15)`,
  );
  const vector = (seed) => Float32Array.from({ length: 512 }, (_, i) => Math.sin(seed * 31 + i * i));
  const vectors = Array.from({ length: 512 }, (_, i) => quantised(vector(i)));
  const compared = [];
  for (let i = 0; i < 400; i++) {
    const [question, meant] = [`how do I ${asked(2 + (i % 8))}`, vector(i)];
    const start = performance.now();
    rankAlike(ranking.look(question, COMPARED), meant, (p) => vectors[p.place % vectors.length], 5);
    compared.push(performance.now() - start);
  }
  say(
    `the same with vectors, the question's given: p50 ${share(compared, 0.5).toFixed(1)} ms, p95 ${share(compared, 0.95).toFixed(1)} ms (aim p95 40), without reading ${COMPARED} of them from the database`,
  );
  const oneBegun = performance.now();
  const more = buildPart(
    { id: 'one', title: 'one', language: 'en' },
    Array.from({ length: PASSAGES }, (_, i) => ({
      document: 'one',
      title: 'one',
      heading: '',
      text: sentence(WORDS),
      place: i + 1,
    })),
  );
  new Ranking([{ part }, { part: more }]).look(sentence(4), 5);
  say(`one more document: ${(performance.now() - oneBegun).toFixed(0)} ms`);
  const sets = documentation();
  if (sets.length === 0)
    say('no documentation of Debian packages is installed here: debian-handbook, postfix-doc, git-doc, postgresql-doc-15 …');
  for (const { name, sections } of sets) {
    const { ours, bm25, found } = foundAgain(sections);
    say(
      `${name}: ${found} of ${sections.length} headings asked; first ${ours.first} (BM25 with stems ${bm25.first}), among three ${ours.three} (${bm25.three})`,
    );
  }
}
