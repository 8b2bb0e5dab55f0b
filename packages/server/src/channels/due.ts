import type { LineRow } from '../store/lines.js';

/**
 * The lines that may be shown now, and the moment at which the next one may. Lines are shown in order: one that is
 * not due yet holds back those behind it, unless the visitor went on talking after it.
 */
export function dueLines(lines: readonly LineRow[], now: Date): { due: readonly LineRow[]; next: Date | null } {
  const talked = lines.map((l) => l.who).lastIndexOf('visitor');
  const waits = lines.findIndex((l, i) => i > talked && l.due_at !== null && l.due_at > now);
  return waits < 0 ? { due: lines, next: null } : { due: lines.slice(0, waits), next: lines[waits]?.due_at ?? null };
}
