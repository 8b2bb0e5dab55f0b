import { sameValue } from '../document/merge.js';
import type { BotDocument } from '../document/schema.js';
import { freeId } from '../editing/nodes.js';
import {
  isActionSample,
  isModelSample,
  type Expectation,
  type Rehearsal,
  type RehearsedTurn,
  type Sample,
} from '../document/rehearsals.js';
import type { Value } from '../document/shapes.js';
import { PRACTICE_CODE } from '../engine/effects/sign-in.js';
import { callsOf, typeOf, type Performed } from '../engine/effects/registry.js';
import { choiceIn, spokenEvent, wordsIn } from '../engine/event.js';
import type { TurnSheet } from '../engine/sheet.js';
import type { Values } from '../engine/types.js';
import { effectName, wordsOf } from './difference.js';
import { chosenWays, heldAfter } from './expect.js';
import { sampleFor, sampleOf, type Samples } from './samples.js';

/** Messages that are taken as one of these are kept as such: how else they might have been taken is what matters in them. */
const STEERED: ReadonlySet<string> = new Set([
  'answers',
  'correction',
  'two-wishes',
  'follow-up',
  'way-out',
  'distress',
  'denial',
]);

/** A turn as it is to be kept: its record, and where the bot waited after it. */
export interface KeptTurn {
  readonly sheet: TurnSheet;
  readonly waitsAt: { readonly flow: string; readonly node: string } | null;
}

export interface Kept {
  readonly rehearsal: Rehearsal;
  /** Samples that are new: results of calls that those there would not answer the same. */
  readonly samples: Samples;
}

/**
 * Makes a rehearsal of a conversation, from its first turn on. What the bot said is expected to the letter unless a
 * model wrote it; so are where it waits, the plain values that were set and what was done outside. Results of calls are kept as samples named after
 * the rehearsal, in the order of the conversation; those that `document` has are used again. `kept` are the visitor's variables before the first turn.
 */
export function keepConversation(
  id: string,
  turns: readonly KeptTurn[],
  document: Pick<BotDocument, 'samples' | 'languages'>,
  kept: Values = {},
): Kept {
  const present = document.samples ?? {};
  const samples: Record<string, Sample> = {};
  const [first] = turns;
  const heard = first && spokenEvent(first.sheet.heard);
  const language = first?.sheet.language;
  const visitor = {
    ...(heard?.name === undefined ? {} : { name: heard.name }),
    ...(heard?.firstName === undefined ? {} : { first_name: heard.firstName }),
    ...(heard?.email === undefined ? {} : { email: heard.email }),
    ...(heard?.signedIn === undefined ? {} : { signed_in: heard.signedIn }),
    ...(language === undefined || language === document.languages[0] ? {} : { language }),
    ...(heard?.zone === undefined ? {} : { zone: heard.zone }),
    ...(heard === undefined || heard.channel === 'simulator' ? {} : { channel: heard.channel }),
    ...(Object.keys(kept).length > 0 ? { kept } : {}),
  };
  const rows = rowsMet(turns);
  const made = turns.map(({ sheet }) => sheet.effects.flatMap((e) => keepResult(id, e, present, samples)));
  const all = { ...present, ...samples };
  let known = heard?.signedIn === true;
  const list = turns.map(({ sheet, waitsAt }, i): RehearsedTurn => {
    const { signedIn, name, email } = spokenEvent(sheet.heard) ?? {};
    const signs = signedIn === true && !known;
    known ||= signs;
    const as = { ...(name === undefined ? {} : { name }), ...(email === undefined ? {} : { email }) };
    const named = pinned(sheet, made[i] ?? [], all);
    const before = turns[i - 1]?.sheet.heard.at;
    const gap = before === undefined ? 0 : Date.parse(sheet.heard.at) - Date.parse(before);
    return {
      ...cameIn(sheet),
      ...(signs ? { 'signs-in': as } : {}),
      // Moments matter where hours pass, not where somebody typed slowly.
      ...(gap >= 60_000 ? { after: `${Math.round(gap / 60_000)}m` } : {}),
      ...(named.length > 0 ? { samples: named } : {}),
      expects: expectationOf(sheet, waitsAt),
    };
  });
  return {
    rehearsal: {
      ...(Object.keys(visitor).length > 0 ? { visitor } : {}),
      ...(heard === undefined ? {} : { clock: heard.at }),
      ...(Object.keys(rows).length > 0 ? { rows } : {}),
      turns: list,
    },
    samples,
  };
}

const MOST_KEPT_ROWS = 100;

/** Rows that were found before they were changed: what the tables of the rehearsal begin with. */
function rowsMet(turns: readonly KeptTurn[]): Record<string, Values[]> {
  const met = new Map<string, Map<string, Values>>();
  const made = new Set<string>();
  for (const { request, result } of turns.flatMap(({ sheet }) => callsOf('table', sheet.effects))) {
    if (result.outcome !== 'rows' && result.outcome !== 'stored') continue;
    const rows = met.get(request.table) ?? new Map<string, Values>();
    for (const row of result.rows) {
      if (result.outcome === 'stored' && row.version === 1 && request.does !== 'remove') made.add(row.id);
      else if (result.outcome === 'rows' && !made.has(row.id) && !rows.has(row.id) && rows.size < MOST_KEPT_ROWS)
        rows.set(row.id, row.values);
    }
    met.set(request.table, rows);
  }
  return Object.fromEntries([...met].flatMap(([table, rows]) => (rows.size > 0 ? [[table, [...rows.values()]]] : [])));
}

/** The samples that a turn names: those that were made for it, and those that another one would go before now. */
function pinned({ effects }: TurnSheet, named: readonly string[], all: Samples): string[] {
  const names = [...named];
  for (const performed of effects) {
    const fresh = sampleOf(performed, true);
    const found = fresh && sampleFor(all, performed.request, [names]);
    const there = found && all[found.sample];
    if (!fresh || (there && sameResult(there, fresh))) continue;
    const right = Object.entries(all).find(
      ([name, kept]) => sameResult(kept, fresh) && sampleFor({ [name]: kept }, performed.request),
    );
    if (right && !names.includes(right[0])) names.push(right[0]);
  }
  return names;
}

/** Keeps what a call came to, unless a sample there answers it the same; the name of a sample that has to go first. */
function keepResult(id: string, performed: Performed, present: Samples, made: Record<string, Sample>): string[] {
  const fresh = sampleOf(performed, true);
  if (!fresh) return [];
  const all = { ...present, ...made };
  const found = sampleFor(all, performed.request);
  const there = found && all[found.sample];
  // A call that goes on with a transcript is asked with all that stood there before, and another sample would fit that better.
  const goesOn = performed.request.type === 'model' && performed.request.earlier !== undefined;
  const wide = there && isModelSample(there) && there.asked === undefined;
  if (there && sameResult(there, fresh) && !(goesOn && wide)) return [];
  const name = freeId(all, `${id}-${Object.keys(made).length + 1}`);
  made[name] = fresh;
  return [name];
}

function sameResult(a: Sample, b: Sample): boolean {
  if (isActionSample(a) && isActionSample(b))
    return (a.status ?? 200) === (b.status ?? 200) && a.fails === b.fails && sameValue(a.body ?? null, b.body ?? null);
  if (isModelSample(a) && isModelSample(b)) return a.text === b.text && a.fails === b.fails;
  return false;
}

function cameIn({ heard, effects }: TurnSheet): RehearsedTurn {
  if (heard.type === 'open') return { opens: true };
  if (heard.type === 'hand-back') return { 'hands-back': heard.closes ? 'closes' : true };
  if (heard.type === 'signed-in') return {};
  if (heard.type === 'fired') {
    const from = heard.page === undefined ? { start: heard.start ?? heard.flow } : { page: heard.page };
    return { fires: { ...from, given: { ...heard.given } } };
  }
  if (heard.type === 'start') {
    const { flow, node, variables } = heard.start;
    const values = Object.fromEntries(
      Object.entries(variables).flatMap(([scope, held]) =>
        Object.entries(held as Values).map(([name, v]): [string, Value] => [`${scope}.${name}`, v]),
      ),
    );
    return { starts: { node: `${flow}/${node}`, ...(Object.keys(values).length > 0 ? { values } : {}) } };
  }
  const choice = choiceIn(heard);
  const words = codeForPractice(wordsIn(heard), effects);
  return choice === undefined ? { says: words } : { presses: words === '' ? choice : words };
}

/** The words with which a visitor signed in, with the code that is right where no mail goes out. */
function codeForPractice(words: string, effects: TurnSheet['effects']): string {
  const right = callsOf('sign-in', effects).some(
    ({ request, result }) => request.does === 'try' && result.outcome === 'signed-in',
  );
  return right ? words.replace(/\d(?:[\s-]?\d){5}/, PRACTICE_CODE) : words;
}

/**
 * Whether models were asked the same in so many words and answered differently: samples know a call by its words, so the turn cannot
 * be played again as it was.
 */
function isAmbiguous({ effects }: TurnSheet): boolean {
  const answers = new Map<string, string>();
  return effects.some((performed) => {
    const kept = sampleOf(performed, true);
    if (!kept || !isModelSample(kept)) return false;
    const { writes, asked = '', ...came } = kept;
    const key = JSON.stringify([writes, asked]);
    const answer = JSON.stringify(came);
    const before = answers.get(key);
    answers.set(key, answer);
    return before !== undefined && before !== answer;
  });
}

function expectationOf(sheet: TurnSheet, waitsAt: KeptTurn['waitsAt']): Expectation {
  if (isAmbiguous(sheet)) return sheet.understood?.took === undefined ? {} : { intent: sheet.understood.took };
  const words = wordsOf(sheet).filter((w) => w !== '');
  const written = sheet.effects.some(({ request }) => typeOf(request).varies);
  // Lists and objects are what a call brought; they would be expected to the letter and say little.
  const held = heldAfter(sheet);
  const values = sheet.changes.map(({ name }) => [name, held[name] ?? null] as const);
  const set = Object.fromEntries(values.filter(([, v]) => v === null || typeof v !== 'object'));
  return {
    ...(written || words.length === 0 ? {} : { words: words.length === 1 ? (words[0] ?? '') : words }),
    ...(waitsAt ? { waits: `${waitsAt.flow}/${waitsAt.node}` } : {}),
    ...(sheet.understood?.took === undefined ? {} : { intent: sheet.understood.took }),
    ...(sheet.taken && STEERED.has(sheet.taken.as) ? { taken: sheet.taken.as } : {}),
    ...(Object.keys(set).length > 0 && !written ? { values: set } : {}),
    ...(Object.keys(chosenWays(sheet)).length > 0 ? { chose: chosenWays(sheet) } : {}),
    ...(sheet.effects.length > 0 ? { effects: sheet.effects.map(effectName) } : {}),
    ...(sheet.ended ? { ended: true } : {}),
    ...(sheet.handed ? { handed: true } : {}),
  };
}
