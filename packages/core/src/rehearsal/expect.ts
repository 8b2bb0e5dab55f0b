import { z } from 'zod';
import { sameValue } from '../document/merge.js';
import { expectation, type Expectation } from '../document/rehearsals.js';
import { value as jsonValue, type Immutable, type Value } from '../document/shapes.js';
import { waitingAt } from '../engine/advance.js';
import type { CallOutcome } from '../engine/agent/work.js';
import type { TurnSheet } from '../engine/sheet.js';
import type { Session } from '../engine/types.js';
import type { PracticeTables } from '../tables/practice.js';
import type { RowValues } from '../tables/rows.js';
import { compilePattern } from '../understanding/recognise.js';
import { effectName, valuesOf, wordsOf } from './difference.js';

/** An expectation that a turn did not meet: which one, what was expected, what was found. `name` is a variable's. */
export const miss = z.strictObject({
  kind: z.union([expectation.keyof(), z.literal('came-in')]),
  name: z.string().optional(),
  expected: jsonValue,
  found: jsonValue,
});
export type Miss = Immutable<z.infer<typeof miss>>;

const list = (of: string | readonly string[] | undefined): readonly string[] => (typeof of === 'string' ? [of] : (of ?? []));
const even = (text: string): string => text.replace(/\s+/g, ' ').trim();

/** What a turn did not do of what was expected; empty when it did it all. */
export function missesOf(expected: Expectation, sheet: TurnSheet, after: Session, tables?: PracticeTables): Miss[] {
  const said = wordsOf(sheet);
  return [
    ...wordMisses(expected, said),
    ...nodeMisses(expected, sheet),
    ...stateMisses(expected, sheet, after),
    ...valueMisses(expected, sheet),
    ...givenMisses(expected, sheet),
    ...rowMisses(expected, tables),
    ...agentMisses(expected, sheet),
    ...factMisses(expected, sheet),
    ...choiceMisses(expected, sheet),
  ];
}

function wordMisses(expected: Expectation, messages: readonly string[]): Miss[] {
  const said = even(messages.join('\n'));
  const found = messages.join('\n');
  return [
    ...list(expected.words).flatMap((w): Miss[] => (said.includes(even(w)) ? [] : [{ kind: 'words', expected: w, found }])),
    ...list(expected.not).flatMap((w): Miss[] => (said.includes(even(w)) ? [{ kind: 'not', expected: w, found }] : [])),
    ...list(expected.pattern).flatMap((p): Miss[] => {
      const fits = compilePattern(p)?.matcher(said).find() ?? false;
      return fits ? [] : [{ kind: 'pattern', expected: p, found }];
    }),
  ];
}

function nodeMisses(expected: Expectation, sheet: TurnSheet): Miss[] {
  const path = sheet.path.map((s) => `${s.flow}/${s.node}`);
  let from = 0;
  for (const node of list(expected.node)) {
    const at = path.indexOf(node, from);
    if (at < 0) return [{ kind: 'node', expected: node, found: path }];
    from = at + 1;
  }
  return [];
}

function stateMisses(expected: Expectation, sheet: TurnSheet, after: Session): Miss[] {
  const place = waitingAt(after);
  const found: readonly (readonly [keyof Expectation, Value])[] = [
    ['waits', place && `${place.flow}/${place.node}`],
    ['intent', sheet.understood?.took ?? null],
    ['taken', sheet.taken?.as ?? null],
    ['effects', sheet.effects.map(effectName)],
    ['choices', sheet.messages.flatMap((m) => m.choices ?? []).map((c) => c.says)],
    ['ended', sheet.ended],
    ['handed', sheet.handed !== undefined],
  ];
  return found.flatMap(([kind, is]): Miss[] => {
    const wanted = expected[kind];
    return wanted === undefined || sameValue(wanted, is) ? [] : [{ kind, expected: wanted, found: is }];
  });
}

/** What variables hold after a turn, and what flows that were left in it had set last: those have given their variables up. */
export function heldAfter(sheet: TurnSheet): Record<string, Value> {
  return { ...Object.fromEntries(sheet.changes.map((c) => [c.name, c.after])), ...valuesOf(sheet) };
}

function valueMisses({ values = {} }: Expectation, sheet: TurnSheet): Miss[] {
  const held = heldAfter(sheet);
  return Object.entries(values).flatMap(([name, wanted]): Miss[] => {
    const is = held[name] ?? null;
    return sameValue(wanted, is) ? [] : [{ kind: 'values', name, expected: wanted, found: is }];
  });
}

/** What the flow of a run gave: it was left last. */
function givenMisses({ gives = {} }: Expectation, { left = [] }: TurnSheet): Miss[] {
  const gave = left.at(-1)?.values ?? {};
  return Object.entries(gives).flatMap(([given, wanted]): Miss[] => {
    const is = gave[given] ?? null;
    return sameValue(wanted, is) ? [] : [{ kind: 'gives', name: given, expected: wanted, found: is }];
  });
}

function rowMisses({ rows = {} }: Expectation, tables: PracticeTables | undefined): Miss[] {
  return Object.entries(rows).flatMap(([table, wanted]): Miss[] => {
    const held = (tables?.rows(table) ?? []).map((r) => r.values);
    const found = held as readonly Value[];
    if (wanted.length === 0) return held.length === 0 ? [] : [{ kind: 'rows', name: table, expected: [], found }];
    const holds = (row: RowValues) => held.some((h) => Object.entries(row).every(([key, v]) => sameValue(h[key] ?? null, v)));
    return wanted.filter((row) => !holds(row)).map((row): Miss => ({ kind: 'rows', name: table, expected: row, found }));
  });
}

/** What is known of the visitor afterwards, as the sheet has it. */
function factMisses({ facts = {} }: Expectation, { known = [] }: TurnSheet): Miss[] {
  return Object.entries(facts).flatMap(([about, wanted]): Miss[] => {
    const values = known.filter((f) => f.about === about).map((f) => f.value);
    const fits =
      wanted === null
        ? values.length === 0
        : Array.isArray(wanted)
          ? sameValue(wanted, values)
          : values.some((v) => sameValue(v, wanted));
    return fits
      ? []
      : [{ kind: 'facts', name: about, expected: wanted, found: values.length === 1 ? (values[0] ?? null) : values }];
  });
}

/** The ways that models chose, as flow/node with the way. */
export function chosenWays({ path }: TurnSheet): Record<string, string> {
  return Object.fromEntries(path.flatMap((s) => (s.chose === undefined ? [] : [[`${s.flow}/${s.node}`, s.chose] as const])));
}

function choiceMisses({ chose = {} }: Expectation, sheet: TurnSheet): Miss[] {
  const ways = chosenWays(sheet);
  return Object.entries(chose).flatMap(([node, wanted]): Miss[] =>
    ways[node] === wanted ? [] : [{ kind: 'chose', name: node, expected: wanted, found: ways[node] ?? null }],
  );
}

/** What becomes of a call that was run, or may have been. */
const RUN: readonly CallOutcome[] = ['done', 'failed', 'began'];

/** What agents called and claimed in a turn. */
function agentMisses({ called = [], 'not-called': never, claimed }: Expectation, sheet: TurnSheet): Miss[] {
  const work = sheet.path.flatMap((s) => s.work ?? []);
  const calls = work.flatMap((w) => (w.did === 'called' && RUN.includes(w.outcome) ? [w] : []));
  const found = calls.map((c): Value => ({ tool: c.tool, with: c.given }));
  const named = (tool: string, of: (typeof calls)[number]) => of.tool === tool || of.runs === tool;
  let from = 0;
  const missing = called.find((wanted) => {
    const at = calls.findIndex((c, i) => i >= from && named(wanted.tool, c) && holdsAll(c.given, wanted.with ?? {}));
    from = at + 1;
    return at < 0;
  });
  const claims = work.flatMap((w) => (w.did === 'checked' ? w.claims.map((c) => c.says) : []));
  const caught = claims.length > 0 ? 'something' : 'nothing';
  return [
    ...(missing ? [{ kind: 'called', expected: { tool: missing.tool, with: missing.with ?? {} }, found } as const] : []),
    ...list(never).flatMap((tool): Miss[] =>
      calls.some((c) => named(tool, c)) ? [{ kind: 'not-called', expected: tool, found }] : [],
    ),
    ...(claimed === undefined || claimed === caught ? [] : [{ kind: 'claimed', expected: claimed, found: claims } as const]),
  ];
}

function holdsAll(given: Readonly<Record<string, Value>>, wanted: Readonly<Record<string, Value>>): boolean {
  return Object.entries(wanted).every(([key, v]) => sameValue(given[key] ?? null, v));
}

/** A name that is known to be text. */
const name = (value: Value): string => (typeof value === 'string' ? value : JSON.stringify(value));

const brief = (value: Value): string => {
  const text = typeof value === 'string' ? `“${value}”` : value === null ? 'nothing' : JSON.stringify(value);
  return text.length > 300 ? `${text.slice(0, 299)}…` : text;
};

/** A miss as one sentence: what was expected and what came instead. */
export function missSentence({ kind, name: variable, expected, found }: Miss): string {
  switch (kind) {
    case 'words':
      return `The bot should say ${brief(expected)}; it said ${brief(found)}.`;
    case 'not':
      return `The bot should not say ${brief(expected)}; it said ${brief(found)}.`;
    case 'pattern':
      return `What the bot says should fit ${brief(expected)}; it said ${brief(found)}.`;
    case 'node':
      return `The turn should come by ${name(expected)}; it went ${(found as string[]).join(', ') || 'nowhere'}.`;
    case 'waits':
      return `The bot should wait at ${name(expected)}; it waits ${found === null ? 'nowhere' : `at ${name(found)}`}.`;
    case 'intent':
      return `The bot should go by the intent ${brief(expected)}; it went by ${brief(found)}.`;
    case 'taken':
      return `The message should be taken as ${brief(expected)}; it was taken as ${brief(found)}.`;
    case 'values':
      return `${variable} should be ${brief(expected)}; it is ${brief(found)}.`;
    case 'gives':
      return `The flow should give ${variable} as ${brief(expected)}; it is ${brief(found)}.`;
    case 'rows':
      return `The table ${variable} should hold ${Array.isArray(expected) ? 'no row' : `a row with ${brief(expected)}`}; it holds ${brief(found)}.`;
    case 'effects':
      return `Outside it should do ${brief(expected)}; it did ${brief(found)}.`;
    case 'choices':
      return `The buttons should be ${brief(expected)}; they are ${brief(found)}.`;
    case 'ended':
      return expected === true ? 'The conversation should be over; it goes on.' : 'The conversation should go on; it is over.';
    case 'handed':
      return expected === true
        ? 'The conversation should be handed over to staff; it is not.'
        : 'The conversation should not be handed over to staff; it is.';
    case 'called':
      return `An agent should call ${brief(expected)}; called was ${(found as Value[]).length === 0 ? 'nothing' : brief(found)}.`;
    case 'not-called':
      return `No agent should call ${name(expected)}; it was called: ${brief(found)}.`;
    case 'claimed':
      return expected === 'nothing'
        ? `No agent should claim what was not done; it claimed ${brief(found)}.`
        : 'An agent should be caught claiming what was not done; it claimed nothing of the kind.';
    case 'facts':
      return `Known of the visitor as ${variable} should be ${brief(expected)}; it is ${brief(found)}.`;
    case 'chose':
      return `${variable} should choose ${brief(expected)}; it chose ${brief(found)}.`;
    case 'came-in':
      return `${name(expected)}; ${name(found)}.`;
    default:
      return kind satisfies never;
  }
}
