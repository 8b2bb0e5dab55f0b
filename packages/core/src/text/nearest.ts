/** Texts longer than this are no spellings of anything. */
const LONGEST = 256;
const rows = [new Uint16Array(LONGEST + 1), new Uint16Array(LONGEST + 1), new Uint16Array(LONGEST + 1)] as const;

/**
 * Edit distance with swaps of neighbours (optimal string alignment: Damerau 1964, restricted form), of which only the
 * diagonals within `limit` are filled in (Ukkonen, 1985). Returns a whole number of edits, or `limit + 1` where it is larger,
 * or where a text is longer than 256 characters.
 */
export function editDistance(a: string, b: string, limit = LONGEST): number {
  const [n, m] = [a.length, b.length];
  if (Math.abs(n - m) > limit || Math.max(n, m) > LONGEST) return limit + 1;
  let [older, last, row] = rows;
  for (let j = 0; j <= m; j++) last[j] = j;
  for (let i = 1; i <= n; i++) {
    const [from, to] = [Math.max(1, i - limit), Math.min(m, i + limit)];
    row[from - 1] = from === 1 ? i : limit + 1;
    let least = row[from - 1] ?? 0;
    for (let j = from; j <= to; j++) {
      const same = a.charCodeAt(i - 1) === b.charCodeAt(j - 1);
      let best = Math.min((last[j] ?? 0) + 1, (row[j - 1] ?? 0) + 1, (last[j - 1] ?? 0) + (same ? 0 : 1));
      if (i > 1 && j > 1 && a.charCodeAt(i - 1) === b.charCodeAt(j - 2) && a.charCodeAt(i - 2) === b.charCodeAt(j - 1))
        best = Math.min(best, (older[j - 2] ?? 0) + 1);
      row[j] = best;
      if (best < least) least = best;
    }
    if (least > limit) return limit + 1;
    if (to < m) row[to + 1] = limit + 1;
    [older, last, row] = [last, row, older];
  }
  return Math.min(last[m] ?? limit + 1, limit + 1);
}

/** How many typing slips a word of this length may hold and still be taken for another. */
export function slipsAllowed(length: number): number {
  if (length < 4) return 0;
  return length < 8 ? 1 : 2;
}

/** The known word nearest to `word`, or undefined when none is near enough to be worth suggesting. */
export function nearest(word: string, known: Iterable<string>): string | undefined {
  let best: string | undefined;
  let least = Math.max(2, Math.ceil(word.length / 3)) + 1;
  for (const candidate of known) {
    const distance = editDistance(word.toLowerCase(), candidate.toLowerCase(), least);
    if (distance < least) [best, least] = [candidate, distance];
  }
  return best;
}
