/** Milliseconds as people read them: 12 ms, 1.9 s. */
export function duration(ms: number): string {
  return ms < 950 ? `${Math.round(ms)} ms` : `${(ms / 1000).toFixed(1)} s`;
}

/** A moment as the time of day, 14:05. */
export function timeOfDay(at: string, seconds = false): string {
  return new Date(at).toLocaleTimeString([], {
    hour: '2-digit',
    minute: '2-digit',
    ...(seconds ? { second: '2-digit' as const } : {}),
    hourCycle: 'h23',
  });
}

/** A score as people read it here: .97. */
export function scoreText(score: number): string {
  return score >= 0.995 ? '1.0' : score.toFixed(2).replace(/^0/, '');
}

/** An id as words: book-crossing becomes book crossing. */
export function plainName(id: string): string {
  return id.replace(/[-_]/g, ' ');
}
