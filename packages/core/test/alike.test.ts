import { expect } from 'chai';
import { COMPARED, cosine, quantised, rankAlike, type FoundPassage, type LookedUp } from '@primrose/core';

const DIMENSIONS = 16;

/** A vector of length 1 that leans towards one direction by `share`, and otherwise by chance. */
function leaning(direction: number, share: number, seed: number): Float32Array {
  let state = seed;
  const chance = () => (state = (state * 48_271) % 2_147_483_647) / 2_147_483_647 - 0.5;
  const vector = Float32Array.from(
    { length: DIMENSIONS },
    (_, i) => (i === direction ? share : 0) + (1 - share) * chance() * 0.3,
  );
  const length = Math.hypot(...vector);
  return vector.map((v) => v / length);
}

const passage = (number: number, score: number): FoundPassage => ({
  number,
  document: `d${number}`,
  title: '',
  heading: '',
  place: 1,
  quote: `passage ${number}`,
  score,
  why: { words: [], titled: [], near: 0 },
});
const found = (scores: readonly number[]): LookedUp => ({
  passages: scores.map((s, i) => passage(i + 1, s)),
  covered: true,
  chance: 0.8,
  share: 0.5,
  missing: [],
});
const names = ({ passages }: LookedUp) => passages.map((p) => p.document);

describe('ranking by likeness', () => {
  const question = leaning(0, 1, 7);
  const alike = quantised(leaning(0, 0.9, 11));
  const other = quantised(leaning(3, 0.9, 13));

  it('keeps the direction of a vector in a byte each', () => {
    for (let seed = 1; seed < 200; seed++) {
      const [a, b] = [leaning(seed % DIMENSIONS, 0.5, seed), leaning((seed * 3) % DIMENSIONS, 0.4, seed + 1000)];
      expect(cosine(quantised(a), quantised(b))).to.be.closeTo(cosine(a, b), 0.02);
      expect(cosine(a, a)).to.be.closeTo(1, 1e-6);
    }
    expect(cosine(new Float32Array(4), new Float32Array([1, 0, 0, 0]))).to.equal(0);
  });

  it('brings forward what is like the question as a whole, where words come near to each other', () => {
    const vectors: Readonly<Record<string, Int8Array>> = { d1: other, d2: other, d3: alike };
    const came = rankAlike(found([10, 9, 8]), question, (p) => vectors[p.document], 2);
    expect(names(came)).to.deep.equal(['d3', 'd1']);
    expect(came.passages.map((p) => p.number)).to.deep.equal([1, 2]);
    expect(came.passages[0]?.why?.alike).to.be.greaterThan(0.8);
    // Whether it is answered is judged by words.
    expect(came).to.include({ covered: true, chance: 0.8, share: 0.5 });
  });

  it('leaves the order as it is where too few have a vector, and takes one without as the others are on average', () => {
    const one = rankAlike(found([10, 9, 8]), question, (p) => (p.document === 'd3' ? alike : undefined), 3);
    expect(names(one)).to.deep.equal(['d1', 'd2', 'd3']);
    expect(one.passages[2]?.why).to.not.have.property('alike');
    const vectors: Readonly<Record<string, Int8Array>> = { d2: alike, d3: other };
    const two = rankAlike(found([10, 9, 8]), question, (p) => vectors[p.document], 3);
    expect(names(two)).to.deep.equal(['d2', 'd1', 'd3']);
    expect(names(rankAlike(found([]), question, () => alike, 3))).to.deep.equal([]);
  });

  it('loses and doubles nothing, whatever is compared', () => {
    for (let seed = 1; seed < 60; seed++) {
      const scores = Array.from({ length: (seed * 7) % 45 }, (_, i) => 50 - i + ((seed * i) % 5) / 5);
      const vectorOf = (p: FoundPassage) =>
        p.number % 5 === seed % 5 ? undefined : quantised(leaning(p.number % DIMENSIONS, 0.6, p.number));
      const came = rankAlike(found(scores), question, vectorOf, 100);
      expect([...names(came)].sort()).to.deep.equal([...names(found(scores))].sort());
      // Those that are not compared stay behind those that are, in their order.
      expect(names(came).slice(COMPARED)).to.deep.equal(names(found(scores)).slice(COMPARED));
      expect(came.passages.map((p) => p.number)).to.deep.equal(scores.map((_, i) => i + 1));
    }
  });
});
