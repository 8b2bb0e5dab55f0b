// Sections of documentation that Debian packages ship, and how well they are found again by their headings, which are taken away.
// The first set was tuned on, the second was measured only. PRIMROSE_BENCH_DOCS is the folder with the packages' folders.
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { gunzipSync } from 'node:zlib';
import { createKnowledgeIndex, readText } from '../../packages/core/dist/index.js';
import { ownLexicon } from '../../packages/server/dist/understanding/lexicon.js';

const SETS = {
  'tuned on': ['postfix-doc', 'git-doc', 'debian-handbook', 'debian-reference'],
  'measured only': ['postgresql-doc-15', 'python-django-doc', 'apache2-doc', 'exim4-doc-html', 'sqlite3-doc'],
};
const MOST_SECTIONS = 1400;
const LENGTH = [250, 8000];

function* pagesIn(folder) {
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    const path = join(folder, entry.name);
    if (entry.isDirectory()) yield* pagesIn(path);
    else if (/\.html(\.gz)?$/.test(entry.name)) yield path;
  }
}

/** The sections of a page: a heading of at least two words with what stands under it. */
function sectionsOf(path) {
  const raw = readFileSync(path);
  const { pieces } = readText('html', (path.endsWith('.gz') ? gunzipSync(raw) : raw).toString('utf8'));
  const found = [];
  for (const piece of pieces) {
    if (piece.level > 0) found.push({ heading: piece.text.replace(/¶$/, '').replace(/^(chapter \S+|[\d.]+)\s+/i, ''), text: '' });
    else if (found.length > 0) found[found.length - 1].text += `${piece.text}\n\n`;
  }
  return found.filter(
    ({ heading, text }) =>
      text.length >= LENGTH[0] &&
      text.length <= LENGTH[1] &&
      heading.length < 90 &&
      (heading.match(/[A-Za-z]{3,}/g) ?? []).length >= 2,
  );
}

/** The sets of which any package is there. */
export function documentation() {
  const at = process.env['PRIMROSE_BENCH_DOCS'] ?? '/usr/share/doc';
  return Object.entries(SETS).flatMap(([name, packages]) => {
    const folders = packages.map((p) => join(at, p)).filter((f) => existsSync(f));
    const each = folders.map((folder) => [...pagesIn(folder)].flatMap((page) => sectionsOf(page)));
    const seen = new Map();
    for (const s of each.flat()) seen.set(s.heading.toLowerCase(), [...(seen.get(s.heading.toLowerCase()) ?? []), s]);
    const once = [...seen.values()].filter((same) => same.length === 1).map(([s]) => s);
    const step = Math.max(1, once.length / MOST_SECTIONS);
    const sections = Array.from({ length: Math.min(once.length, MOST_SECTIONS) }, (_, i) => once[Math.floor(i * step)]);
    return sections.length > 0 ? [{ name, sections }] : [];
  });
}

const words = (text) => text.toLowerCase().match(/[\p{L}\p{N}]+/gu) ?? [];

/** BM25 with stems over whole sections (Robertson and Zaragoza, 2009; k1 1.2, b 0.75). */
function plainRanking(sections) {
  const lexicon = ownLexicon();
  const terms = (text) => words(text).map((w) => lexicon.stem(w, 'en'));
  const postings = new Map();
  const lengths = sections.map(({ text }, i) => {
    const own = terms(text);
    const counts = new Map();
    for (const t of own) counts.set(t, (counts.get(t) ?? 0) + 1);
    for (const [t, n] of counts) postings.set(t, [...(postings.get(t) ?? []), [i, n]]);
    return own.length;
  });
  const mean = lengths.reduce((a, b) => a + b, 0) / lengths.length;
  return (question) => {
    const scores = new Float64Array(sections.length);
    for (const t of new Set(terms(question))) {
      const list = postings.get(t) ?? [];
      const weight = Math.log(1 + (sections.length - list.length + 0.5) / (list.length + 0.5));
      for (const [i, n] of list) scores[i] += (weight * n * 2.2) / (n + 1.2 * (0.25 + (0.75 * lengths[i]) / mean));
    }
    return [...scores.keys()]
      .filter((i) => scores[i] > 0)
      .sort((a, b) => scores[b] - scores[a])
      .slice(0, 3);
  };
}

/** How often the section of a heading comes first, and among three; of 100. */
export function foundAgain(sections) {
  const index = createKnowledgeIndex({
    documents: Object.fromEntries(sections.map(({ text }, i) => [`s${i}`, { form: 'text', text }])),
  });
  const ours = (question) => [...new Set(index.look(question, 6).passages.map((p) => Number(p.document.slice(1))))].slice(0, 3);
  const plain = plainRanking(sections);
  const rate = (rank) => {
    const places = sections.map(({ heading }, i) => rank(heading).indexOf(i));
    const of = (fits) => ((100 * places.filter(fits).length) / sections.length).toFixed(1);
    return { first: of((p) => p === 0), three: of((p) => p >= 0) };
  };
  return { found: sections.length, ours: rate(ours), bm25: rate(plain) };
}
