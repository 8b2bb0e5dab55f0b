import { readdirSync, readFileSync } from 'node:fs';
import { gzipSync } from 'node:zlib';
import { expect } from 'chai';

const MOST_BYTES = 25_000;

describe('the web chat page', () => {
  it('weighs at most 25 kB of script, gzipped', () => {
    const assets = new URL('../dist/site/assets/', import.meta.url).pathname;
    const scripts = readdirSync(assets).filter((f) => f.endsWith('.js'));
    expect(scripts.length).to.be.greaterThan(0);
    const bytes = scripts.reduce((sum, f) => sum + gzipSync(readFileSync(assets + f)).length, 0);
    expect(bytes).to.be.at.most(MOST_BYTES);
  });
});
