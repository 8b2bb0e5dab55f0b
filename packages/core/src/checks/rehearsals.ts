import { pointer, type Problem } from '../document/problem.js';
import { findAction } from '../document/actions.js';
import { SIGN_IN_FIRST } from '../engine/nodes/sign-in-name.js';
import { WAYS_IN, type Firing, type RehearsedTurn } from '../document/rehearsals.js';
import type { BotDocument } from '../document/schema.js';
import { isActionSample, isEventSample, isHookSample, isModelSample } from '../document/rehearsals.js';
import { fitValues, misfitWords, type RowValues } from '../tables/rows.js';
import { nearest } from '../text/nearest.js';
import { compilePattern } from '../understanding/recognise.js';

type Path = readonly (string | number)[];

/** A mistake in a rehearsal does not keep a bot from running, so it warns; the rehearsal itself fails. */
const warning = (code: string, path: Path, facts: Problem['facts']): Problem => {
  return { code, severity: 'warning', field: pointer(path), facts };
};

/** What is doubtful in samples and rehearsals: what they name and the bot does not have, turns without anything coming in. */
export function rehearsalProblems(document: BotDocument): Problem[] {
  return [...sampleProblems(document), ...Object.keys(document.rehearsals ?? {}).flatMap((id) => oneRehearsal(document, id))];
}

function sampleProblems(document: BotDocument): Problem[] {
  return Object.entries(document.samples ?? {}).flatMap(([id, sample]): Problem[] => {
    if (isActionSample(sample) && !findAction(document, sample.answers))
      return [warning('unknown-action', ['samples', id, 'answers'], { name: sample.answers, suggestion: null })];
    const models = Object.keys(document.models ?? {});
    if (isModelSample(sample) && !models.includes(sample.writes)) {
      const facts = { name: sample.writes, suggestion: nearest(sample.writes, models) ?? null };
      return [warning('unknown-model', ['samples', id, 'writes'], facts)];
    }
    return isHookSample(sample) ? startNamed(document, sample.came, ['samples', id, 'came']) : [];
  });
}

function startNamed({ starts = {} }: BotDocument, name: string, path: Path): Problem[] {
  if (Object.hasOwn(starts, name)) return [];
  return [warning('unknown-start', path, { name, suggestion: nearest(name, Object.keys(starts)) ?? null })];
}

function firingProblems(document: BotDocument, { start, page }: Firing, path: Path): Problem[] {
  if (page === undefined) return startNamed(document, start ?? '', [...path, 'start']);
  const pages = Object.keys(document.pages ?? {});
  if (pages.includes(page)) return [];
  return [warning('unknown-page', [...path, 'page'], { name: page, suggestion: nearest(page, pages) ?? null })];
}

function oneRehearsal(document: BotDocument, id: string): Problem[] {
  const { samples = [], turns = [], rows = {} } = document.rehearsals?.[id] ?? {};
  const at = ['rehearsals', id] as const;
  return [
    ...samples.flatMap((name, i) => sampleNamed(document, name, [...at, 'samples', i])),
    ...Object.entries(rows).flatMap(([table, list]) => rowProblems(document, table, list, [...at, 'rows', table])),
    ...turns.flatMap((turn, i) => turnProblems(document, turn, [...at, 'turns', i])),
  ];
}

function rowProblems(
  { tables = {}, ...document }: BotDocument,
  table: string,
  rows: readonly RowValues[],
  path: Path,
): Problem[] {
  const declared = Object.hasOwn(tables, table) ? tables[table] : undefined;
  if (!declared)
    return [warning('unknown-table', path, { name: table, suggestion: nearest(table, Object.keys(tables)) ?? null })];
  return rows.flatMap((row, i) => {
    const fitted = fitValues({ tables, ...document }, declared, row);
    return fitted.ok ? [] : [warning('rehearsal-row', [...path, i], { table, reason: misfitWords(table, fitted.misfits) })];
  });
}

function turnProblems(document: BotDocument, turn: RehearsedTurn, at: Path): Problem[] {
  const others = WAYS_IN.filter((w) => turn[w] !== undefined);
  const ways = others.length === 0 && turn['signs-in'] ? ['signs-in'] : others;
  const { expects = {} } = turn;
  const places = [expects.node ?? [], expects.waits ?? [], turn.starts?.node ?? []].flat();
  const patterns = [expects.pattern ?? []].flat();
  return [
    ...(ways.length === 1 ? [] : [warning('rehearsal-turn', at, { ways: [...ways] })]),
    ...places.flatMap((p) => placeProblem(document, p, at)),
    ...patterns.flatMap((p) => (compilePattern(p) ? [] : [warning('bad-pattern', [...at, 'expects', 'pattern'], { name: p })])),
    ...(turn.samples ?? []).flatMap((name, i) => sampleNamed(document, name, [...at, 'samples', i])),
    ...(turn.fires === undefined ? [] : firingProblems(document, turn.fires, [...at, 'fires'])),
    ...(turn.fires?.sample === undefined ? [] : sampleNamed(document, turn.fires.sample, [...at, 'fires', 'sample'])),
    ...(turn.sends === undefined ? [] : eventNamed(document, turn.sends, [...at, 'sends'])),
  ];
}

function placeProblem({ flows }: BotDocument, place: string, at: Path): Problem[] {
  const [flow = '', node = ''] = place.split('/');
  if (Object.hasOwn(flows, flow) && Object.hasOwn(flows[flow]?.nodes ?? {}, node)) return [];
  if (node === SIGN_IN_FIRST && Object.hasOwn(flows, flow) && flows[flow]?.needs !== undefined) return [];
  const all = Object.entries(flows).flatMap(([f, { nodes }]) => Object.keys(nodes).map((n) => `${f}/${n}`));
  return [warning('rehearsal-node', at, { name: place, suggestion: nearest(place, all) ?? null })];
}

function sampleNamed({ samples = {} }: BotDocument, name: string, path: Path): Problem[] {
  if (Object.hasOwn(samples, name)) return [];
  return [warning('unknown-sample', path, { name, suggestion: nearest(name, Object.keys(samples)) ?? null })];
}

function eventNamed(document: BotDocument, name: string, path: Path): Problem[] {
  const sample = document.samples?.[name];
  if (!sample || isEventSample(sample)) return sampleNamed(document, name, path);
  return [warning('no-event', path, { name })];
}
