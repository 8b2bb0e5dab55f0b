import { BANDS, exitsOf, linesOf, type Flow, type FlowLayout, type PlacedNode } from '@primrose/core';
import { useEffect, useState, type KeyboardEvent, type RefObject } from 'react';
import { singleLettersOn } from '../keys/keys.js';
import type { MapActs } from './acts.js';
import { lastCopied, rememberCopied } from './copied.js';

interface MapKeys {
  readonly flow: Flow;
  readonly layout: FlowLayout;
  readonly marked: readonly string[];
  readonly acts: MapActs;
  readonly openChip: (chip: HTMLElement) => void;
  readonly goTo: (node: string) => void;
  readonly score: RefObject<HTMLDivElement | null>;
}

const FORGET_TYPED_MS = 2500;

/** The keys of the Map while a node or one of its chips has the focus, and copying through the clipboard. */
export function useMapKeys({ flow, layout, marked, acts, openChip, goTo, score }: MapKeys): {
  /** A beat number that is being typed. */
  readonly typed: string;
  readonly onKeyDown: (event: KeyboardEvent) => void;
} {
  const [typed, setTyped] = useState('');
  useEffect(() => {
    if (typed === '') return undefined;
    const timer = setTimeout(() => setTyped(''), FORGET_TYPED_MS);
    return () => clearTimeout(timer);
  }, [typed]);
  useClipboard({ marked, acts, score });

  const goToBeat = () => {
    const wanted = layout.nodes.find((n) => n.address === typed) ?? layout.nodes.find((n) => String(n.beat) === typed);
    setTyped('');
    if (wanted) goTo(wanted.id);
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const target = event.target as HTMLElement;
    const id = target.closest<HTMLElement>('.node')?.dataset['id'];
    if (id === undefined || target.closest('.addmenu')) return;
    const onCard = target.classList.contains('node');
    const nodes = marked.includes(id) ? marked : [id];
    const key = keyOf(event);
    const act = actFor(key, { id, nodes, onCard });
    if (!act) return;
    event.preventDefault();
    event.stopPropagation();
    act();
  };
  const actFor = (key: string, at: { id: string; nodes: readonly string[]; onCard: boolean }): (() => void) | undefined => {
    const { id, nodes, onCard } = at;
    const step = (to: string | undefined) => () => to !== undefined && goTo(to);
    const always: Record<string, () => void> = {
      Delete: () => acts.remove(nodes),
      Backspace: () => acts.remove(nodes),
      'Ctrl+d': () => acts.duplicate(nodes),
      'Ctrl+a': () => acts.mark(layout.nodes.map((n) => n.id)),
      'Alt+ArrowUp': () => acts.shift(id, 'up'),
      'Alt+ArrowDown': () => acts.shift(id, 'down'),
      ArrowDown: step(nextOf(flow, layout, id)),
      ArrowUp: step(beforeOf(flow, layout, id)),
      ArrowLeft: step(besideOf(layout, id, -1)),
      ArrowRight: step(besideOf(layout, id, 1)),
      Home: step(layout.nodes[0]?.id),
      End: step(layout.nodes.at(-1)?.id),
      Escape: typed === '' ? acts.leave : () => setTyped(''),
    };
    const card: Record<string, () => void> = {
      Enter: () => acts.select(id),
      ' ': () => acts.mark(marked.includes(id) ? marked.filter((m) => m !== id) : [...marked, id]),
      'Shift+ArrowDown': () => extend(nextOf(flow, layout, id), id),
      'Shift+ArrowUp': () => extend(beforeOf(flow, layout, id), id),
    };
    const letters: Record<string, () => void> = {
      '+': () => openFirstChip(score.current, id),
      x: () => acts.toggleOff(nodes),
      t: () => acts.cutOut(nodes),
    };
    if (typed !== '' && key === 'Enter') return goToBeat;
    if (always[key]) return always[key];
    if (onCard && card[key]) return card[key];
    if (/^\d$/.test(key)) return () => setTyped((t) => (t + key).slice(0, 5));
    if (typed !== '' && /^[vbo]$/.test(key)) return () => setTyped((t) => t + key);
    return key === '+' || singleLettersOn() ? letters[key] : undefined;
  };
  const extend = (to: string | undefined, from: string) => {
    if (to === undefined) return;
    acts.mark([...new Set([...marked, from, to])]);
    goTo(to);
  };
  const openFirstChip = (root: HTMLElement | null, id: string) => {
    const card = root?.querySelector(`#node-${id}`);
    const chip = card?.querySelector<HTMLElement>('.out.open') ?? card?.querySelector<HTMLElement>('.out');
    if (chip) openChip(chip);
  };
  return { typed, onKeyDown };
}

/** A key with its modifiers in words: `Ctrl+d`, `Shift+ArrowDown`; letters that need Shift are as they are typed. */
function keyOf(event: KeyboardEvent): string {
  const { key, ctrlKey, metaKey, altKey, shiftKey } = event;
  const long = key.length > 1;
  return [ctrlKey || metaKey ? 'Ctrl+' : '', altKey ? 'Alt+' : '', shiftKey && long ? 'Shift+' : '', key].join('');
}

/** Copy, cut and paste while the focus is on the Map: nodes travel as text on the clipboard. */
function useClipboard({ marked, acts, score }: Pick<MapKeys, 'marked' | 'acts' | 'score'>): void {
  useEffect(() => {
    const focused = () => {
      const active = document.activeElement;
      const inMap = active?.closest('.score') === score.current && !active?.closest('input, textarea, [contenteditable]');
      return inMap ? active?.closest<HTMLElement>('.node')?.dataset['id'] : undefined;
    };
    const copy = (event: ClipboardEvent) => {
      const id = focused();
      if (id === undefined || String(getSelection()) !== '') return;
      const nodes = marked.includes(id) ? marked : [id];
      const text = acts.copy(nodes);
      event.clipboardData?.setData('text/plain', text);
      rememberCopied(text);
      event.preventDefault();
      if (event.type === 'cut') acts.remove(nodes);
    };
    const paste = (event: ClipboardEvent) => {
      const active = document.activeElement;
      if (active !== document.body && focused() === undefined) return;
      const chip = active?.closest<HTMLElement>('.out')?.dataset;
      const id = focused();
      const exit = chip?.['exit'] ?? score.current?.querySelector<HTMLElement>(`#node-${id ?? ''} .out`)?.dataset['exit'];
      const text = event.clipboardData?.getData('text/plain') ?? lastCopied() ?? '';
      const after = id === undefined || exit === undefined ? undefined : { node: id, exit };
      const lines = linesOf(text);
      if (acts.paste(text, after)) event.preventDefault();
      else if (after && lines.length > 1) {
        acts.addLines(lines, after);
        event.preventDefault();
      }
    };
    document.addEventListener('copy', copy);
    document.addEventListener('cut', copy);
    document.addEventListener('paste', paste);
    return () => {
      document.removeEventListener('copy', copy);
      document.removeEventListener('cut', copy);
      document.removeEventListener('paste', paste);
    };
  }, [marked, acts, score]);
}

/** Down along the rail: where the node leads first, and from the last one on to the next in reading order. */
function nextOf(flow: Flow, layout: FlowLayout, id: string): string | undefined {
  const at = layout.nodes.findIndex((n) => n.id === id);
  const here = layout.nodes[at];
  const placed = new Map(layout.nodes.map((n) => [n.id, n]));
  const below = exitsOf(flow, id)
    .flatMap((e) => placed.get(flow.nodes[id]?.exits?.[e.name] ?? '') ?? [])
    .filter((n) => n.beat > (here?.beat ?? 0))
    .sort((a, b) => a.beat - b.beat);
  return below[0]?.id ?? layout.nodes[at + 1]?.id;
}

/** Up along the rail: the nearest node above that leads here, else the one before in reading order. */
function beforeOf(flow: Flow, layout: FlowLayout, id: string): string | undefined {
  const at = layout.nodes.findIndex((n) => n.id === id);
  const leading = layout.nodes.slice(0, at).filter((n) => Object.values(flow.nodes[n.id]?.exits ?? {}).includes(id));
  return leading.at(-1)?.id ?? layout.nodes[at - 1]?.id;
}

/** Across to the nearest node of the next band that has one. */
function besideOf(layout: FlowLayout, id: string, way: 1 | -1): string | undefined {
  const here = layout.nodes.find((n) => n.id === id);
  if (!here) return undefined;
  const near = (a: PlacedNode, b: PlacedNode) => Math.abs(a.beat - here.beat) - Math.abs(b.beat - here.beat);
  for (let column = BANDS.indexOf(here.band) + way; column >= 0 && column < BANDS.length; column += way) {
    const [first] = layout.nodes.filter((n) => n.band === BANDS[column]).sort(near);
    if (first) return first.id;
  }
  return undefined;
}
