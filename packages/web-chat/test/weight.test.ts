import { readdirSync, readFileSync } from 'node:fs';
import { gzipSync } from 'node:zlib';
import { expect } from 'chai';

/** The scripts that a page of ours loads, gzipped, in bytes: those that its HTML names. */
function weightOf(html: string): number {
  const site = new URL('../dist/site/', import.meta.url).pathname;
  const named = [...readFileSync(site + html, 'utf8').matchAll(/assets\/[\w.-]+\.js/g)].map((m) => m[0]);
  expect(named.length).to.be.greaterThan(0);
  // Nothing else is loaded later: there is no script that no page names.
  const all = readdirSync(`${site}assets`).filter((f) => f.endsWith('.js')).length;
  expect(all).to.be.at.most(3);
  return named.reduce((sum, f) => sum + gzipSync(readFileSync(site + f)).length, 0);
}

describe('the pages for visitors', () => {
  it('weigh at most 25 kB of script for web chat, gzipped, and 40 kB for a form that answers', () => {
    expect(weightOf('index.html')).to.be.at.most(25_000);
    expect(weightOf('page.html')).to.be.at.most(40_000);
  });
});
