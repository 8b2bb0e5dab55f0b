import type { BotDocument } from '../../document/schema.js';
import type { Value } from '../../document/shapes.js';
import { admitted, clip, FACT_SIZE, type NotKept } from '../../memory/index.js';
import { statedIn } from '../../understanding/cues/remembering.js';
import { wordsIn } from '../event.js';
import type { Turn } from '../turn.js';

/*
 * The tool by which a model proposes a fact about the visitor. What it proposes passes the same door as what rules find: a kind that the
 * designer has declared, nothing that is never kept, nothing that tells the bot what to do, and the visitor says for how long: the word of the model does not do.
 */

/** What a tool of our own comes to. */
export type OwnCame = { readonly ok: true; readonly gave: Value } | { readonly ok: false; readonly reason: string };

/** So many kinds, or values of one, are told where what was given is none. */
const MOST_TOLD = 30;

/** What the tool is for, and what it takes, with the kinds of facts of a bot. */
export function rememberTool({ memory }: BotDocument) {
  const all = Object.entries(memory?.facts ?? {});
  const kinds = all.map(([id, k]) => `${id} (${k.about})`);
  return {
    about: `keeps a fact that the visitor has told about themselves in mind for later conversations. Only facts of these kinds are kept: ${kinds.join('; ')}`,
    takes: {
      about: { type: 'text', one_of: all.map(([id]) => id), about: all.map(([id, k]) => `${id}: ${k.about}`).join('; ') },
      fact: { type: 'text', about: 'the fact as a short sentence, close to the words of the visitor' },
      value: { type: 'text?', about: 'its value, where the kind has one: yes, no, or a value' },
      lasts: { type: 'text?', about: 'always, now, or not-said where the visitor has not said for how long it is so' },
    },
  };
}

const text = (value: Value | undefined): string => (typeof value === 'string' ? value.trim() : '');

const WHY: Readonly<Record<NotKept, string>> = {
  'no-kind': 'there is no such kind of fact',
  empty: 'the fact is empty',
  never: 'this is something that is never kept',
  order: 'this tells the bot what to do, and is no fact about the visitor',
  'no-value': 'the value is none of those that there are',
  'not-said': 'the visitor has said nothing of this',
};

/** What comes of a call of the tool. */
export function remembers(turn: Turn, given: Readonly<Record<string, Value>>): OwnCame {
  const about = text(given['about']);
  const says = clip(text(given['fact']), FACT_SIZE);
  const { document } = turn.bot;
  const said = [wordsIn(turn.event), ...turn.memory.kept.exchanges.map((e) => e.said)].join(' . ');
  const value = given['value'] ?? null;
  const came = admitted(document, { about, says, value }, { languages: document.languages, said });
  if (!came.ok) {
    const type = document.memory?.facts?.[about]?.type ?? '';
    const among =
      came.why === 'no-kind' ? document.memory?.facts : came.why === 'no-value' ? document.entities?.[type]?.values : {};
    const known = Object.keys(among ?? {}).slice(0, MOST_TOLD);
    return { ok: false, reason: `${WHY[came.why]}${known.length > 0 ? `; there are ${known.join(', ')}` : ''}` };
  }
  const wanted = text(given['lasts']);
  const always =
    wanted === 'always' && (statedIn(said, turn.language).always || document.memory?.facts?.[about]?.lasts === 'always');
  turn.memory.keep({ about, says, value: came.value, by: 'model', lasts: always ? 'always' : 'now' });
  turn.refreshFacts();
  if (always || wanted === 'now') return { ok: true, gave: { kept: says, for: wanted } };
  turn.memory.propose({ about, says, value: came.value, by: 'model' });
  return { ok: true, gave: { kept: says, for: 'now', then: 'the visitor is asked whether it is so always' } };
}
