import { readdirSync, readFileSync } from 'node:fs';
import { gzipSync } from 'node:zlib';
import { expect } from 'chai';

const SITE = new URL('../dist/site/', import.meta.url).pathname;
const PAGES = ['index.html', 'page.html', 'back.html'];

const named = (html: string): string[] => [
  ...new Set([...readFileSync(SITE + html, 'utf8').matchAll(/assets\/[\w.-]+\.js/g)].map((m) => m[0])),
];
const gzipped = (file: string): number => gzipSync(readFileSync(SITE + file)).length;

/** The scripts that a page of ours loads, gzipped, in bytes: those that its HTML names. */
function weightOf(html: string): number {
  const files = named(html);
  expect(files.length).to.be.greaterThan(0);
  return files.reduce((sum, f) => sum + gzipped(f), 0);
}

describe('the pages for visitors', () => {
  it('weigh at most 25 kB of script for web chat with the script that shows it, gzipped, and 40 kB for a form that answers', () => {
    expect(weightOf('index.html') + gzipped('embed.js')).to.be.at.most(25_000);
    expect(weightOf('page.html')).to.be.at.most(40_000);
  });

  it('load nothing later but what only the console shows', () => {
    const all = readdirSync(`${SITE}assets`).filter((f) => f.endsWith('.js'));
    const known = new Set(PAGES.flatMap(named).map((f) => f.replace('assets/', '')));
    expect(all.filter((f) => !known.has(f)).map((f) => f.replace(/-.*/, ''))).to.deep.equal(['preview']);
  });

  it('need no other script beside the one in the tag', () => {
    expect(readFileSync(`${SITE}embed.js`, 'utf8')).to.not.match(/\bimport\b|\bexport\b/);
  });
});
