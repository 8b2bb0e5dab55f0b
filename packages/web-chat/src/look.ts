import type { ChatLook, ChatWords } from '@primrose/contract';
import type { Words } from './words.js';

/** The data that the service has put into a page; undefined where it has put none. */
export function dataOf<T>(): T | undefined {
  const held = document.getElementById('data')?.textContent ?? 'null';
  return (JSON.parse(held) as T | null) ?? undefined;
}

/** What a web chat is called, says of itself and offers, in a language. */
export interface Said {
  readonly name: string;
  readonly about: string;
  readonly open: string;
  readonly say: string;
  readonly starters: readonly string[];
}

const given = (text: string | undefined): string | undefined => (text === undefined || text === '' ? undefined : text);

/** The words of a web chat's owner in a language, else those for all, else ours. */
export function saidIn(look: ChatLook | undefined, language: string, words: Words): Said {
  const own: ChatWords = { ...look?.words['any'], ...look?.words[language.split('-')[0] ?? ''], ...look?.words[language] };
  const name = given(own.name) ?? look?.name ?? '';
  return {
    name,
    about: given(own.about) ?? words.about,
    open: given(own.open) ?? (name === '' ? words.open : name),
    say: given(own.say) ?? words.say,
    starters: own.starters ?? [],
  };
}

/** Puts the owner's colours on the page, and the theme that they chose. */
export function drawLook(look: ChatLook | undefined): void {
  if (!look) return;
  const root = document.documentElement;
  if (look.theme !== 'auto') root.dataset['theme'] = look.theme;
  const put = (name: string, value: string | null) => value !== null && root.style.setProperty(name, value);
  const { accent, onAccent, ground, ink } = look.colours;
  put('--accent', accent);
  put('--on-accent', onAccent);
  if (ground === null || ink === null) return;
  // One ground for all: what stands on it is mixed from it and its ink, so that it stays legible.
  root.dataset['ground'] = 'own';
  put('--paper', ground);
  put('--slip', ground);
  put('--ink', ink);
}
