import { sameValue } from '../document/merge.js';
import type { Value } from '../document/shapes.js';
import { typeOf, type Performed } from '../engine/effects/registry.js';
import type { TurnSheet } from '../engine/sheet.js';
import { plainText } from '../text/markdown.js';

/** One way in which a turn answered otherwise than another. `name` is a variable's; the others have none. */
export interface TurnDifference {
  readonly kind: 'words' | 'choices' | 'path' | 'understood' | 'value' | 'effects' | 'end';
  readonly name?: string;
  readonly before: Value;
  readonly after: Value;
}

/** What the bot said in a turn, as plain text, message by message. */
export function wordsOf(sheet: TurnSheet): string[] {
  return sheet.messages.map((m) => plainText(m.blocks));
}

/** A call in one line: `booking-office.list-sailings`, `model helper`, `lookup passenger-guide`. */
export function effectName({ request }: Performed): string {
  return typeOf(request).name(request);
}

/** A call with what it sent: two of them that are equal did the same. */
function effectLine({ request }: Performed): string {
  const type = typeOf(request);
  const [name, whole] = [type.name(request), type.whole(request)];
  return whole === name ? name : `${name}: ${whole}`;
}

/** The nodes of a turn with the exits by which it left them. */
export function pathOf(sheet: TurnSheet): string[] {
  return sheet.path.map((s) => `${s.flow}/${s.node}${s.exit === undefined ? '' : ` → ${s.exit}`}`);
}

/**
 * How a turn differs from the one it repeats: words, buttons, path, intent, values, what was done outside. Empty when it
 * answers the same; timings, tokens and moments do not count.
 */
export function compareTurns(before: TurnSheet, after: TurnSheet): TurnDifference[] {
  const pair = (kind: TurnDifference['kind'], of: (sheet: TurnSheet) => Value): TurnDifference[] => {
    const [a, b] = [of(before), of(after)];
    return sameValue(a, b) ? [] : [{ kind, before: a, after: b }];
  };
  return [
    ...pair('words', wordsOf),
    ...pair('choices', (s) => s.messages.flatMap((m) => m.choices ?? []).map((c) => c.says)),
    ...pair('path', pathOf),
    ...pair('understood', (s) => s.understood?.took ?? null),
    ...valueDifferences(before, after),
    ...pair('effects', (s) => s.effects.map(effectLine)),
    ...pair('end', (s) => (s.ended ? 'ended' : s.handed ? `handed over: ${s.handed.reason}` : 'goes on')),
  ];
}

/** What variables hold after a turn, by their full names. */
export function valuesOf(sheet: TurnSheet): Record<string, Value> {
  const { flow = {}, session = {}, visitor = {} } = sheet.variables ?? {};
  return Object.fromEntries(
    Object.entries({ flow, session, visitor }).flatMap(([scope, values]) =>
      Object.entries(values).map(([name, v]) => [`${scope}.${name}`, v] as const),
    ),
  );
}

function valueDifferences(before: TurnSheet, after: TurnSheet): TurnDifference[] {
  if (!before.variables || !after.variables) return [];
  const [a, b] = [valuesOf(before), valuesOf(after)];
  return [...new Set([...Object.keys(a), ...Object.keys(b)])]
    .filter((name) => !sameValue(a[name] ?? null, b[name] ?? null))
    .map((name) => ({ kind: 'value', name, before: a[name] ?? null, after: b[name] ?? null }));
}

const KINDS: Readonly<Record<TurnDifference['kind'], string>> = {
  words: 'words',
  choices: 'buttons',
  path: 'path',
  understood: 'intent',
  value: 'value',
  effects: 'effects',
  end: 'end',
};

/** What a difference is about, in a word or with the variable's name. */
export function differenceKind({ kind, name }: Pick<TurnDifference, 'kind' | 'name'>): string {
  return name ?? KINDS[kind];
}
