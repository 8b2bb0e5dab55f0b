import { readClip } from '@primrose/core';

const KEY = 'primrose-copied';

/** Keeps copied nodes for those who paste with the mouse, in any window of this console. */
export function rememberCopied(text: string): void {
  try {
    localStorage.setItem(KEY, text);
  } catch {
    // Too large to keep: the clipboard itself still has it.
  }
}

export function lastCopied(): string | undefined {
  return localStorage.getItem(KEY) ?? undefined;
}

/** How many nodes could be pasted; 0 where nothing was copied. */
export function countCopied(): number {
  const clip = readClip(lastCopied() ?? '');
  return clip ? Object.keys(clip.nodes).length : 0;
}
