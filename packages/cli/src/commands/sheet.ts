import type { TurnRecord } from '@primrose/contract';
import {
  compareTurns,
  consideredWords,
  differenceKind,
  endsFlow,
  isCall,
  memoryNoteWords,
  plainText,
  problemSentence,
  takenWords,
  textOf,
  wentWrong,
  workWords,
  type PassedOver,
  type Performed,
  type Value,
  type WorkItem,
  typeOf,
  type LookupCall,
} from '@primrose/core';

/** What the bot said in a turn, choices numbered, and where it stands. */
export function spoken(turn: TurnRecord): string {
  const messages = turn.sheet.messages.map((m) => {
    const pause = m.wait === undefined ? '' : `(after ${m.wait / 1000} s) `;
    const words = `${pause}${plainText(m.blocks)}`.split('\n');
    const choices = (m.choices ?? []).map((c, i) => `     ${i + 1}  ${c.says}`);
    const cites = (m.cites ?? []).map(
      (c) =>
        `     [${c.number}] ${c.title}${c.heading === '' ? '' : ` › ${c.heading}`}${c.page === undefined ? '' : `, page ${c.page}`}${c.address === undefined ? '' : `\n         ${c.address}`}`,
    );
    return [...words.map((w, i) => (i === 0 ? `bot  ${w}` : `     ${w}`)), ...cites, ...choices].join('\n');
  });
  const { ended, handed } = turn.sheet;
  const after = ended
    ? ['     (the conversation is over; your next words begin a new one)']
    : handed
      ? [`     (handed over to staff: ${handed.reason})`]
      : [];
  return [...messages, ...after].join('\n');
}

/** Why an intent that was sure enough was passed over. */
const PASSED: Readonly<Record<PassedOver, string>> = {
  'starts-nothing': 'it begins no flow',
  'no-context': 'its context was not open',
  stays: 'it may not come between',
  answered: 'the node that waited took it as its answer',
  'fills-nothing': 'its flow is under way, and it fills in nothing of it',
  'too-deep': 'too many flows are under way inside each other',
  'not-heard': 'the node that waited does not listen for it',
  denied: 'the visitor said that they do not want it',
};

const cut = (text: string, most = 100): string => (text.length > most ? `${text.slice(0, most - 1)}…` : text);

/** A value on one line: text as it is, lists and objects as JSON. */
function shown(value: Value, most: number): string {
  if (Array.isArray(value)) return cut(`${value.length} items: ${JSON.stringify(value)}`, most);
  return cut(textOf(value) || 'empty', most);
}

/** One call, lookup or prompt with what came back, as lines. */
function performedText(performed: Performed): string[] {
  if (isCall('action', performed)) {
    const { request, result } = performed;
    const came =
      result.outcome === 'answered' ? `${result.status} ${cut(JSON.stringify(result.body))}` : `${result.code}: ${result.reason}`;
    const sent = request.body === null ? [] : [`      sent ${cut(JSON.stringify(request.body))}`];
    return [`call  ${request.method} ${result.url ?? request.target}`, ...sent, `      ${came}`];
  }
  if (isCall('model', performed)) {
    const { request, result } = performed;
    if (result.outcome === 'failed') return [`model ${request.profile}: ${result.code}: ${result.reason}`];
    const { tokens } = result;
    const used = tokens === null ? `about ${request.estimate} tokens in` : `${tokens.in} tokens in, ${tokens.out} out`;
    const wants = (result.calls ?? []).map((c) => c.name);
    const came = [
      ...(result.text === '' ? [] : [result.text.replace(/\s+/g, ' ')]),
      ...(wants.length > 0 ? [`wants ${wants.join(', ')}`] : []),
    ];
    return [`model ${request.profile}, ${used}`, ...came.map((c) => `      ${cut(c)}`)];
  }
  if (isCall('lookup', performed)) return lookupText(performed);
  const { request, result } = performed;
  return [cut(typeOf(request).whole(request), 120), `      ${cut(typeOf(request).came(result))}`];
}

function lookupText({ request, result }: LookupCall): string[] {
  const found = result.passages.map((p) => `      [${p.number}] ${p.title}${p.heading && ` › ${p.heading}`}, ${p.score}`);
  return [`look  ${request.base}: ${cut(request.question, 60)} ${result.covered ? '' : '(not covered)'}`, ...found];
}

/** What a message was understood as, on one line. */
function heardText({ understood, contexts }: TurnRecord['sheet']): string[] {
  if (!understood) return [];
  const intents = understood.intents.slice(0, 3).map((i) => `${i.intent} ${i.score.toFixed(2).replace(/^0/, '')}`);
  const values = understood.values.map((v) => `${v.entity} ${textOf(v.value)}`);
  const open = contexts && contexts.after.length > 0 ? [`contexts ${contexts.after.join(', ')}`] : [];
  const passed = (understood.passed ?? []).map((p) => `     !     ${p.intent} was passed over: ${PASSED[p.why]}`);
  const filled = Object.entries(understood.filled ?? {}).map(([name, v]) => `${name} ${textOf(v)}`);
  return [
    `     heard ${[intents.join(', ') || 'nothing', ...values, ...open].join(' · ')}`,
    ...(understood.learning ? ['     !     the bot was still learning: only phrases said to the letter were understood'] : []),
    ...(filled.length > 0 ? [`     fills ${filled.join(', ')}`] : []),
    ...passed,
  ];
}

/** How a node was left. */
function wayOf({ kind, exit, note }: TurnRecord['sheet']['path'][number]): string {
  if (exit !== undefined) return `${exit}${note ? ` (${note})` : ''}`;
  if (!note) return 'waits';
  return endsFlow(kind) ? `ends the ${note === 'failed' ? 'flow as failed' : note}` : note;
}

/** One thing that an agent did, with what it was given and what came of it. */
function workText(item: WorkItem): string[] {
  const words = `${wentWrong(item) ? '! ' : '· '}${workWords(item)}`;
  if (item.did === 'asked') return [item.tokens ? `${words} (${item.tokens.in} tokens in, ${item.tokens.out} out)` : words];
  if (item.did === 'asked-first') return item.says === '' ? [words] : [words, `    “${cut(item.says)}”`];
  if (item.did === 'checked') return [words, ...item.claims.map((c) => `    “${cut(c.says, 80)}”: ${c.why}`)];
  if (item.did === 'stopped') return [words];
  const given = Object.entries(item.given).map(([name, v]) => `${name} ${shown(v, 40)}`);
  return [
    item.reason === undefined ? words : `${words}: ${cut(item.reason, 80)}`,
    ...(given.length > 0 ? [`    with ${cut(given.join(', '))}`] : []),
    ...(item.gave === undefined || item.gave === null ? [] : [`    gave ${shown(item.gave, 90)}`]),
  ];
}

/** The turn sheet as text: nodes with what they read, calls, changes, problems. */
export function sheetText({ number, ms, sheet, timings }: TurnRecord): string {
  const out = [`     ── turn ${number}, ${Math.round(ms)} ms ${'─'.repeat(40)}`];
  out.push(...heardText(sheet));
  if (sheet.taken) {
    const others = consideredWords(sheet.taken).map((words) => `           considered ${words}`);
    out.push(`     taken as ${takenWords(sheet.taken)}`, ...others);
  }
  for (const [i, step] of sheet.path.entries()) {
    const way = wayOf(step);
    out.push(
      `     ${String(i + 1).padStart(2)}  ${step.kind.padEnd(8)} ${(step.branch === undefined ? step.node : `${step.branch}: ${step.node}`).padEnd(18)} ${way.padEnd(28)} ${Math.round(timings[i]?.ms ?? 0)} ms`,
    );
    for (const v of step.values.filter((r) => r.field.startsWith('/') && r.field !== '/shows'))
      out.push(`           ${cut(v.source, 48)} = ${shown(v.value, 70)}`);
    for (const item of step.work ?? []) out.push(...workText(item).map((l) => `           ${l}`));
  }
  for (const performed of sheet.effects) out.push(...performedText(performed).map((l) => `     ${l}`));
  for (const c of sheet.changes) out.push(`     set   ${c.name}: ${shown(c.before, 40)} -> ${shown(c.after, 60)}`);
  for (const m of sheet.memory ?? []) out.push(`     mind  ${memoryNoteWords(m)}`);
  for (const p of sheet.problems) out.push(`     !     ${problemSentence(p)}`);
  return out.join('\n');
}

/** How a turn that was said again differs from the one it repeats, as lines. */
export function differenceText(before: TurnRecord, after: TurnRecord): string {
  const found = compareTurns(before.sheet, after.sheet);
  if (found.length === 0) return `     turn ${after.number}: as before`;
  return [
    `     turn ${after.number} answers otherwise:`,
    ...found.flatMap((d) => [
      `       ${differenceKind(d)}`,
      `         before  ${shown(d.before, 100).replace(/\s+/g, ' ')}`,
      `         now     ${shown(d.after, 100).replace(/\s+/g, ' ')}`,
    ]),
  ].join('\n');
}
