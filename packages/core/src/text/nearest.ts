/**
 * Edit distance with swaps of neighbours (optimal string alignment: Damerau 1964, restricted form).
 * Returns a whole number of edits; stops early with `limit + 1` when it must be larger.
 */
export function editDistance(a: string, b: string, limit = Infinity): number {
  if (Math.abs(a.length - b.length) > limit) return limit + 1;
  let before: number[] = [];
  let last = Array.from({ length: b.length + 1 }, (_, j) => j);
  for (let i = 1; i <= a.length; i++) {
    const row = [i];
    for (let j = 1; j <= b.length; j++) row.push(cell(a, b, i, j, row, last, before));
    if (Math.min(...row) > limit) return limit + 1;
    before = last;
    last = row;
  }
  return last[b.length] ?? limit + 1;
}

function cell(a: string, b: string, i: number, j: number, row: number[], last: number[], before: number[]): number {
  const same = a[i - 1] === b[j - 1];
  const best = Math.min((last[j] ?? 0) + 1, (row[j - 1] ?? 0) + 1, (last[j - 1] ?? 0) + (same ? 0 : 1));
  const swapped = i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1];
  return swapped ? Math.min(best, (before[j - 2] ?? 0) + 1) : best;
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
