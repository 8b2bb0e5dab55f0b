import { useEffect, useRef } from 'react';

const OFF_KEY = 'primrose-letters';

/** Single letters as commands can be turned off, for those who speak to their machine. */
export function singleLettersOn(): boolean {
  return localStorage.getItem(OFF_KEY) !== 'off';
}

export function turnSingleLetters(on: boolean): void {
  localStorage.setItem(OFF_KEY, on ? 'on' : 'off');
}

/** Pages behind `G`, by their letter. */
export const GO_TO: Readonly<Record<string, string>> = {
  m: 'map',
  u: 'understanding',
  k: 'knowledge',
  a: 'actions',
  d: 'models',
  r: 'rehearsals',
  p: 'pages',
  c: 'channels',
  v: 'conversations',
  s: 'settings',
};

export interface KeyLine {
  readonly keys: string;
  readonly does: string;
}

/** The map of keys as `?` shows it. */
export const KEY_MAP: readonly (readonly [string, readonly KeyLine[]])[] = [
  [
    'Everywhere',
    [
      { keys: '/', does: 'find anything in the bot' },
      {
        keys: 'G then M U K A D R P C V S',
        does: 'go to Map, Understanding, Knowledge, Actions, Models, Rehearsals, Pages, Channels, Conversations, Settings',
      },
      { keys: 'P', does: 'next problem' },
      { keys: 'S', does: 'fold or open the Simulator' },
      { keys: 'H', does: 'run all rehearsals' },
      { keys: 'Ctrl+Z, Ctrl+Shift+Z', does: 'undo, redo' },
      { keys: '?', does: 'this list' },
    ],
  ],
  [
    'On the Map',
    [
      { keys: 'Down Up', does: 'along the rail' },
      { keys: 'Left Right', does: 'across the bands' },
      { keys: 'digits, Enter', does: 'to a beat, such as 7 or 4b' },
      { keys: 'Home End', does: 'first and last node' },
      { keys: 'Enter', does: 'details of the node' },
      { keys: 'Tab', does: 'into the exits; Enter adds or links there' },
      { keys: '+', does: 'add after the node' },
      { keys: 'Del', does: 'remove and join the ends' },
      { keys: 'Space, Shift+Down, Shift+Up', does: 'mark several nodes; Ctrl+A marks all' },
      { keys: 'Ctrl+C, Ctrl+X, Ctrl+V', does: 'copy, cut, paste nodes, or lines of text as nodes' },
      { keys: 'Ctrl+D', does: 'duplicate' },
      { keys: 'Alt+Down, Alt+Up', does: 'move along the rail' },
      { keys: 'X', does: 'switch off or on' },
      { keys: 'T', does: 'take out as a flow of its own' },
      { keys: 'F', does: 'find in this flow' },
      { keys: 'R', does: 'replace words' },
      { keys: 'O', does: 'outline' },
      { keys: 'W', does: 'to the flow in which the conversation waits' },
      { keys: 'C', does: 'what the rehearsals came by' },
      { keys: 'Esc', does: 'back: closes what is open' },
    ],
  ],
  [
    'In a field',
    [
      { keys: 'Ctrl+Space', does: 'names and functions that fit' },
      { keys: 'Alt+Enter', does: 'apply the fix of the mistake' },
      { keys: 'Ctrl+B, Ctrl+I', does: 'bold, italic, in words that are said' },
      { keys: 'Alt+Up, Alt+Down', does: 'move a row of a list' },
      { keys: 'Esc', does: 'back to the node on the Map' },
    ],
  ],
  [
    'In the Simulator',
    [
      { keys: 'Enter', does: 'say' },
      { keys: 'Ctrl+Enter', does: 'start over and say' },
      { keys: 'Y', does: 'practice rows anew' },
    ],
  ],
];

/** True while the keys go into a field. */
function inField(target: EventTarget | null): boolean {
  return (
    target instanceof Element && target.closest('input, textarea, select, [contenteditable="true"], [role="dialog"]') !== null
  );
}

/**
 * Listens for single keys outside fields and dialogs, and for `G` followed by a letter (`g m`). A handler's key is as it is
 * typed, in small letters.
 */
export function useKeys(handlers: Readonly<Record<string, () => void>>): void {
  const current = useRef(handlers);
  useEffect(() => {
    current.current = handlers;
  });
  useEffect(() => {
    let waiting = false;
    let timer: ReturnType<typeof setTimeout> | undefined;
    const onKey = (event: KeyboardEvent) => {
      if (event.defaultPrevented || event.ctrlKey || event.metaKey || event.altKey || inField(event.target)) return;
      const key = event.key.toLowerCase();
      if (/^[a-z]$/.test(key) && !singleLettersOn()) return;
      const act = current.current[waiting ? `g ${key}` : key];
      waiting = !waiting && key === 'g';
      clearTimeout(timer);
      timer = setTimeout(() => (waiting = false), 1500);
      if (!act) return;
      event.preventDefault();
      act();
    };
    addEventListener('keydown', onKey);
    return () => {
      clearTimeout(timer);
      removeEventListener('keydown', onKey);
    };
  }, []);
}
