// Labelled sets: a name and a description, phrases to teach, then phrases to try; and sayings that belong to nothing.
import { readFileSync } from 'node:fs';

const list = (line) =>
  line
    .split(';')
    .map((t) => t.trim())
    .filter(Boolean);

/** A set of a file: intents with what is taught and tried, and what belongs to none. */
export function readSet(name) {
  const lines = readFileSync(new URL(`${name}.txt`, import.meta.url), 'utf8')
    .split('\n')
    .filter((l) => l && !l.startsWith('#'));
  const intents = {};
  let outside = [];
  for (let i = 0; i < lines.length; i++) {
    if (lines[i].startsWith('= ')) outside = list(lines[++i]);
    else {
      const [id, about] = lines[i].split('|').map((t) => t.trim());
      intents[id] = { about, taught: list(lines[++i]), tried: list(lines[++i].replace(/^\?\?\s*/, '')) };
    }
  }
  return { intents, outside };
}

/** Numbers between 0 and 1 by a seed (a linear congruential generator, Numerical Recipes' constants). */
export function chance(seed) {
  let state = seed >>> 0;
  return () => (state = (Math.imul(state, 1664525) + 1013904223) >>> 0) / 2 ** 32;
}

/** A set whose phrases are dealt out anew: as many to teach as before, the rest to try. */
export function dealt({ intents, outside }, seed, most = Infinity) {
  const next = chance(seed * 7919 + 1);
  const deal = ({ about, taught, tried }) => {
    const all = [...taught, ...tried];
    for (let i = all.length - 1; i > 0; i--) {
      const j = Math.floor(next() * (i + 1));
      [all[i], all[j]] = [all[j], all[i]];
    }
    return { about, taught: all.slice(0, taught.length).slice(0, most), tried: all.slice(taught.length) };
  };
  return { outside, intents: Object.fromEntries(Object.entries(intents).map(([id, of]) => [id, deal(of)])) };
}

const LETTERS = 'abcdefghijklmnopqrstuvwxyz';

/** A text with one typing error in `every` characters: a letter left out, put in, put for another, or changed with the next. */
export function mistyped(text, next, every = 12) {
  let out = '';
  for (let i = 0; i < text.length; i++) {
    const c = text[i];
    if (c === ' ' || next() >= 1 / every) {
      out += c;
      continue;
    }
    const letter = LETTERS[Math.floor(next() * 26)];
    const kind = Math.floor(next() * 4);
    if (kind === 1) out += c + letter;
    else if (kind === 2) out += letter;
    else if (kind === 3) out += i + 1 < text.length ? text[++i] + c : c;
  }
  return out;
}

/** A bot that listens for a set and does nothing else. */
export function botOf({ intents }, language = 'en') {
  return {
    primrose: 1,
    bot: 'ears',
    name: 'Ears',
    languages: [language],
    zone: 'Europe/Dublin',
    begins: 'main',
    intents: Object.fromEntries(
      Object.entries(intents).map(([id, { about, taught }]) => [id, { about, starts: 'main', phrases: { [language]: taught } }]),
    ),
    flows: { main: { nodes: {} } },
  };
}

/** The area under the curve of telling the first apart from the second by a number (Mann and Whitney, 1947). */
export function areaUnder(inside, outside) {
  let won = 0;
  for (const a of inside) for (const b of outside) won += a > b ? 1 : a === b ? 0.5 : 0;
  return won / (inside.length * outside.length);
}

/** The expected calibration error in ten bins (Naeini, Cooper and Hauskrecht, 2015). */
export function calibrationError(judged) {
  const bins = Array.from({ length: 10 }, () => ({ score: 0, right: 0, n: 0 }));
  for (const { score, right } of judged) {
    const bin = bins[Math.min(9, Math.floor(score * 10))];
    bin.n++;
    bin.score += score;
    bin.right += right ? 1 : 0;
  }
  return bins.reduce((sum, b) => sum + Math.abs(b.score - b.right), 0) / Math.max(1, judged.length);
}
