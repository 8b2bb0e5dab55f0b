import type { OutsideMode } from '@primrose/contract';
import { TARGET_PATTERN, type Value } from '@primrose/core';
import { CommandFailure, EXIT } from '../../outcome.js';

/** Where calls go, as it is typed. */
export function modeOf(words: string): OutsideMode {
  const found = (['samples', 'stand-in', 'real'] as const).find((m) => m === words.replace(/^for /, ''));
  if (found) return found;
  throw new CommandFailure(EXIT.usage, `"${words}" is nowhere to go. Say samples, stand-in or for real.`);
}

/** `flow.day=2026-05-15` as a name and a value: JSON where it is some, else text. */
export function assignment(words: string): [string, Value] {
  const at = words.indexOf('=');
  const name = words.slice(0, at).trim();
  if (at < 0 || !TARGET_PATTERN.test(name))
    throw new CommandFailure(EXIT.usage, `"${words}" sets nothing. Write it as flow.day=2026-05-15.`);
  const text = words.slice(at + 1).trim();
  try {
    return [name, JSON.parse(text) as Value];
  } catch {
    return [name, text === '' ? null : text];
  }
}

/** A clock as it is typed: the real one, or a moment at which it stands, or from which it runs. */
export function clockOf(words: string): { readonly at: string; readonly runs: boolean } | null {
  const [first = '', second = ''] = words.split(/\s+/);
  if (first === 'now' || first === '') return null;
  const runs = first === 'run';
  const said = runs ? second : first;
  const at = new Date(said);
  if (Number.isNaN(at.getTime())) throw new CommandFailure(EXIT.usage, `"${said}" is no moment. Write it as 2026-05-14T09:00Z.`);
  return { at: at.toISOString(), runs };
}
