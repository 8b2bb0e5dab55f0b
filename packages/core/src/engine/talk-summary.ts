import type { BotDocument } from '../document/schema.js';
import type { Value } from '../document/shapes.js';
import { deedOf } from './deeds.js';
import { typeOf } from './effects/registry.js';
import { wordsIn } from './event.js';
import type { TurnSheet } from './sheet.js';

/** What somebody who takes a conversation over has to know of it: from its turn sheets, by rules and not by a model. */
export interface TalkSummary {
  /** What the visitor wanted, in order, by what the intents and flows are about. */
  readonly wants: readonly string[];
  /** What they have named, by the plain names of the values. */
  readonly named: readonly (readonly [name: string, value: string])[];
  /** What was done outside, and what failed. */
  readonly done: readonly string[];
  readonly failed: readonly string[];
  /** Messages that matched nothing. */
  readonly missed: readonly string[];
  /** What the bot asked last without an answer; null where it waits for none. */
  readonly open: string | null;
}

const MOST = 8;
const LONGEST = 160;

const short = (text: string): string => (text.length > LONGEST ? `${text.slice(0, LONGEST - 1)}…` : text);
const last = <T>(items: readonly T[]): T[] => [...new Set(items)].slice(-MOST);

function plain(value: Value): string | undefined {
  if (typeof value === 'string') return value.trim() === '' ? undefined : short(value.trim());
  if (typeof value === 'number') return String(value);
  if (Array.isArray(value) && value.length > 0 && value.every((v) => typeof v === 'string' || typeof v === 'number'))
    return short(value.join(', '));
  return undefined;
}

const nameOf = (target: string): string => target.replace(/^(flow|session|visitor)\./, '').replaceAll('_', ' ');

/** Sums a conversation up. `turns` are its turn sheets in order. */
export function talkSummary(document: BotDocument, turns: readonly TurnSheet[]): TalkSummary {
  const wants = turns.flatMap(({ understood }) => {
    const took = understood?.took;
    if (took === undefined) return [];
    const intent = document.intents?.[took];
    return [intent?.about ?? (intent?.starts && document.flows[intent.starts]?.title) ?? took];
  });
  const named = new Map<string, string>();
  // What nodes of the Visitor band wrote is what the visitor said.
  for (const { changes, understood, path } of turns) {
    const asked = path.some((s) => s.kind === 'ask' || s.kind === 'choice');
    if (asked) for (const change of changes) put(named, change.name, change.after);
    for (const [name, value] of Object.entries(understood?.filled ?? {})) put(named, `flow.${name}`, value);
  }
  const effects = turns.flatMap((t) => t.effects);
  const acts = effects.flatMap((e) => {
    const deed = deedOf(document, e);
    return deed && deed.acts !== 'reads' ? [short(deed.about === '' ? deed.name : deed.about)] : [];
  });
  const line = (e: (typeof effects)[number]) => short(typeOf(e.request).spoken(e.request));
  const lastTurn = turns.at(-1);
  const missed = turns.flatMap(({ heard, taken }) => (taken?.as === 'miss' ? [short(wordsIn(heard))] : []));
  return {
    wants: last(wants.filter((w): w is string => typeof w === 'string')),
    named: [...named].slice(-MOST),
    done: last(acts),
    failed: last(effects.filter((e) => e.result.outcome === 'failed').map((e) => `${line(e)}: ${failureOf(e.result)}`)),
    missed: last(missed.filter((m) => m !== '')),
    open: lastTurn && !lastTurn.ended ? (lastTurn.messages.at(-1)?.text ?? null) : null,
  };
}

function put(named: Map<string, string>, target: string, value: Value): void {
  const text = plain(value);
  const name = nameOf(target);
  named.delete(name);
  if (text !== undefined) named.set(name, text);
}

function failureOf(result: object): string {
  return 'reason' in result && typeof result.reason === 'string' ? short(result.reason) : 'failed';
}
