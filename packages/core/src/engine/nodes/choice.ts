import { z } from 'zod';
import { sameValue } from '../../document/merge.js';
import type { Value } from '../../document/shapes.js';
import { expression, id, nodeBase, target, template, text } from '../../document/shapes.js';
import { sampleText } from '../../document/texts.js';
import { plainText, readMarkdown } from '../../text/markdown.js';
import { correctionOf, isQuestion } from '../../understanding/cues/steering.js';
import { polarityOf, type Polarity } from '../../understanding/cues/yes-no.js';
import { pickOffered, type Picked } from '../../understanding/picking.js';
import { matchOption, normalise, tokensOf, understoodPart } from '../../understanding/words.js';
import type { Hearing, Outcome } from '../compiled.js';
import { choiceIn, wordsIn } from '../event.js';
import { defineKind, wordsInOneLanguage, wordUses, type Exit, type Found, type Use } from '../kind.js';
import { takeMeant } from '../talk/trail.js';
import type { Turn } from '../turn.js';
import type { OfferedChoice, Waiting } from '../types.js';

const schema = z.strictObject({
  kind: z.literal('choice'),
  ...nodeBase,
  says: text,
  choices: z.array(z.strictObject({ id, says: text })).optional(),
  from: expression.optional(),
  shows: template.optional(),
  into: target.optional(),
});
type Choice = z.infer<typeof schema>;

/** Buttons made of a list stop here; more would not be read. */
const MAX_FROM_LIST = 20;
const RESERVED = ['picked', 'other'];
const FEW_WORDS = 2;

const wordCount = (text = ''): number => normalise(text).split(' ').length;

function exits(node: Choice): Exit[] {
  const buttons = (node.choices ?? []).map((c) => ({ name: c.id, about: sampleText(c.says, 'en') }));
  const picked = node.from === undefined ? [] : [{ name: 'picked', about: 'one of the list', way: 'usual' } as const];
  return [...picked, ...buttons, { name: 'other', about: 'said something else', way: 'aside' }];
}

function checks(node: Choice): Found[] {
  const buttons = node.choices ?? [];
  const found: Found[] = [];
  if (buttons.length === 0 && node.from === undefined) {
    found.push({ code: 'no-choices', severity: 'error', field: '/choices', facts: {} });
  }
  const ids = new Set<string>();
  const words = new Map<string, string>();
  for (const [i, button] of buttons.entries()) {
    const field = `/choices/${i}`;
    if (RESERVED.includes(button.id))
      found.push({ code: 'reserved-id', severity: 'error', field: `${field}/id`, facts: { id: button.id } });
    if (ids.has(button.id))
      found.push({ code: 'duplicate-id', severity: 'error', field: `${field}/id`, facts: { id: button.id } });
    ids.add(button.id);
    for (const [language, said] of wordsInOneLanguage(button.says)) {
      const key = `${language}/${normalise(said)}`;
      const twin = words.get(key);
      if (twin !== undefined && twin !== button.id) {
        found.push({
          code: 'same-words',
          severity: 'error',
          field: `${field}/says`,
          facts: { words: said, id: button.id, other: twin },
        });
      }
      words.set(key, button.id);
    }
  }
  return found;
}

/** Offers buttons, written ones and those of a list; typed answers count too. What fits none leaves by `other`. */
export const choice = defineKind<Choice>({
  kind: 'choice',
  band: 'visitor',
  about: 'offer buttons and wait',
  waits: true,
  schema,
  blank: () => ({ says: '', choices: [] }),
  exits,
  prose: (node, language) => ({ text: sampleText(node.says, language) }),
  uses: (node): Use[] => [
    ...wordUses(node.says, '/says'),
    ...(node.choices ?? []).flatMap((c, i) => wordUses(c.says, `/choices/${i}/says`)),
    ...(node.from === undefined ? [] : [{ field: '/from', as: 'expression', text: node.from } as const]),
    ...(node.shows === undefined ? [] : [{ field: '/shows', as: 'template', text: node.shows, locals: ['item'] } as const]),
    ...(node.into === undefined ? [] : [{ field: '/into', as: 'target', text: node.into } as const]),
  ],
  checks,
  prepare: (node, compiler) => {
    const says = compiler.text('/says', node.says);
    const buttons = (node.choices ?? []).map((c, i) => ({ id: c.id, says: compiler.text(`/choices/${i}/says`, c.says) }));
    const from = node.from === undefined ? undefined : compiler.expression(node.from);
    const shows = compiler.template(node.shows ?? '{{ item }}');
    const listed = (turn: Turn): OfferedChoice[] => {
      const list = from ? turn.evaluate('/from', from) : [];
      const items = Array.isArray(list) ? (list as readonly Value[]).slice(0, MAX_FROM_LIST) : [];
      return items.map((item, i) => ({
        id: `item-${i + 1}`,
        exit: 'picked',
        says: turn.text('/shows', shows, { item }),
        value: item,
      }));
    };
    const written = (turn: Turn): OfferedChoice[] =>
      buttons.map((b) => ({ id: b.id, exit: b.id, says: plainText(readMarkdown(turn.wording(b.says))) }));
    const all = (turn: Turn): OfferedChoice[] => [...listed(turn), ...written(turn)];
    const settle = (turn: Turn, chosen: OfferedChoice, note: string): Outcome => {
      if (node.into !== undefined) turn.write(node.into, chosen.value === undefined ? chosen.id : chosen.value);
      return { exit: chosen.exit, note };
    };
    const offer = (turn: Turn, said: string, choices: readonly OfferedChoice[]): Outcome => {
      turn.say(
        said,
        choices.map(({ id: key, says: words }) => ({ id: key, says: words })),
      );
      return { wait: { tries: 0, choices } };
    };
    return {
      asks: (turn) => turn.wording(says),
      offers: all,
      run: (turn): Outcome => {
        const choices = all(turn);
        const meant = takeMeant(turn.frame, choices);
        if (meant) return settle(turn, meant, 'the one that is talked about');
        return offer(turn, turn.wording(says), choices);
      },
      hear: (turn, event, waiting): Hearing => {
        const offered = waiting.choices ?? [];
        const pressed = offered.find((c) => c.id === choiceIn(event));
        if (pressed) return settle(turn, pressed, 'pressed');
        const before = node.into === undefined ? null : turn.read(node.into);
        const now = offered.find((c) => c.value !== undefined && sameValue(c.value, before))?.id;
        const found = readChoice(turn, wordsIn(event), waiting, now);
        const take = (): Outcome => {
          if (!found || found.takes.length === 0) return { exit: 'other', note: found?.by ?? '' };
          const [chosen, ...more] = found.takes;
          if (chosen && more.length === 0) return settle(turn, chosen, found.by);
          return offer(turn, turn.talk.words('which-of-these'), [
            ...found.takes,
            ...offered.filter((c) => c.value === undefined),
          ]);
        };
        return {
          reads: found && { sure: found.sure, as: found.by, take },
          missed: () => ({ exit: 'other' }),
        };
      },
    };
  },
});

interface TakenChoice {
  readonly takes: readonly OfferedChoice[];
  readonly by: string;
  readonly sure: number;
}

/** What is taken of what was offered: by the words of a button, by agreement or refusal, or as one picks from a list. */
function readChoice(
  turn: Turn,
  words: string,
  { choices: offered = [], recalled }: Waiting,
  now: string | undefined,
): TakenChoice | undefined {
  const said = understoodPart(words);
  const { language, zone, at } = turn;
  const match = matchOption(
    said,
    offered.map((c) => ({ id: c.id, words: [c.says, ...synonymsOf(turn, c)] })),
  );
  const named = offered.find((c) => c.id === match?.id);
  if (named && match?.by === 'words') return { takes: [named], by: 'words', sure: 1 };
  // Buttons that were not under what was said last are taken by their words only.
  const before = turn.talk.saidBefore;
  const seen =
    recalled === true || before.length === 0 || before.some((m) => m.choices?.some((c) => offered.some((o) => o.id === c.id)));
  if (!seen) return named && match ? { takes: [named], by: match.by, sure: 0.6 } : undefined;
  const question = isQuestion(said, language);
  const items = offered.filter((c) => c.value !== undefined);
  const polar = items.length > 0 ? {} : polarButtons(offered, language);
  const polarity = polarityOf(said, language);
  const agreed = polarity && (polarity.agrees ? polar.yes : polar.no);
  if (agreed && polarity && !polarity.whole && saysOtherwise(said, language, polarity, before)) return undefined;
  if (agreed && !(question && !polarity.whole))
    return { takes: [agreed], by: polarity.agrees ? 'agreed' : 'refused', sure: polarity.whole ? 0.99 : 0.7 };
  const picked = pickOffered(said, items.length > 0 ? items : offered, { at, zone, language }, now);
  const sure = question ? 0.5 : wordCount(said) <= 6 ? 0.95 : 0.8;
  const refused = items.length > 0 && polarity?.whole === true && !polarity.agrees && !named;
  if (refused || (picked && 'refuses' in picked)) return refusedAll(offered, items, language, sure);
  // A sentence that merely holds a word of a button may rather be a wish of its own.
  const longer = named !== undefined && wordCount(said) > wordCount(named.says) + FEW_WORDS;
  // One that has words of its own beside those of a button may be one too.
  const own = named !== undefined && !normalise(named.says).includes(normalise(said));
  const nearly = longer ? 0.6 : Math.min(sure, own && named.value === undefined ? 0.85 : 1);
  if (!picked || (named && named.value === undefined && items.length === 0))
    return named && match ? { takes: [named], by: match.by, sure: nearly } : takenOf(offered, picked, sure);
  return takenOf(offered, picked, sure);
}

/**
 * Whether a half-hearted yes or no goes on with something that nobody has read: a number that does not stand in what was said
 * before, or a yes with a "but" behind it. "Yes but make it 10" is never a yes, and "not 4, 5" no refusal of everything.
 */
function saysOtherwise(said: string, language: string, { agrees }: Polarity, before: Turn['talk']['saidBefore']): boolean {
  const numbersOf = (text: string): string[] =>
    tokensOf(text).flatMap((t) => (/\p{Nd}/u.test(t.word) ? [t.word.replace(/^0+(?=\d)/, '')] : []));
  const shown = new Set(before.flatMap((m) => numbersOf(m.text)));
  if (numbersOf(said).some((n) => !shown.has(n))) return true;
  const other = agrees ? correctionOf(said, language) : undefined;
  return other !== undefined && other.sure && other.to !== '' && polarityOf(other.to, language)?.agrees !== true;
}

function takenOf(offered: readonly OfferedChoice[], picked: Picked, sure: number): TakenChoice | undefined {
  if (!picked || 'refuses' in picked) return undefined;
  return { takes: offered.filter((c) => picked.takes.includes(c.id)), by: picked.by, sure };
}

/** Other words for a button that stands for a value of a list entity: "big" for a button `large`. */
function synonymsOf(turn: Turn, { id: key, says, value }: OfferedChoice): readonly string[] {
  if (value !== undefined) return [];
  const own = normalise(says);
  return Object.values(turn.bot.document.entities ?? {}).flatMap(({ values = {} }) =>
    Object.entries(values).flatMap(([name, words]) => {
      const all = Array.isArray(words) ? words : Object.values(words).flat();
      return name === key || all.some((w) => normalise(w) === own) ? all : [];
    }),
  );
}

/** None of what was listed: the button that says so, else none at all. */
function refusedAll(
  offered: readonly OfferedChoice[],
  items: readonly OfferedChoice[],
  language: string,
  sure: number,
): TakenChoice {
  const written = offered.filter((c) => c.value === undefined);
  const none = written.find(
    (c) => buttonAgrees(c.says, language)?.agrees === false || /^(none|no|neither|leave|other|another)/.test(c.id),
  );
  const only = items.length > 0 && written.length === 1 ? written[0] : undefined;
  const taken = none ?? only;
  return { takes: taken ? [taken] : [], by: 'none', sure };
}

const AGREEING_IDS = /^(yes|ok|confirm|agree|accept|do|book|send|go)(-|$)/;
const REFUSING_IDS = /^(no|leave|keep|decline|skip|stop|not|back)(-|$)/;

/** "Cancel it" refuses beside "Book it" and agrees beside "Keep it": what another button is for goes before it. */
const CANCELS = /cancel|storn|absag|anul|annul/i;

const firstClause = (says: string): string => says.split(/[,.;:!–—]/)[0] ?? says;

/** What a button says by the words it begins with: "Yes, cancel it" agrees, though to cancel by itself refuses. */
function buttonAgrees(says: string, language: string): Polarity | undefined {
  return polarityOf(firstClause(says), language) ?? polarityOf(says, language);
}

/** Of some buttons the one that agrees and the one that refuses, by their words, their ids, or as one of two is the other. */
function polarButtons(offered: readonly OfferedChoice[], language: string): { yes?: OfferedChoice; no?: OfferedChoice } {
  const by = (agrees: boolean, ids: RegExp): OfferedChoice | undefined => {
    const worded = offered.filter((c) => buttonAgrees(c.says, language)?.agrees === agrees);
    const plainly = worded.filter((c) => buttonAgrees(c.says, language)?.whole && !CANCELS.test(firstClause(c.says)));
    const known = offered.filter((c) => ids.test(c.id));
    return [plainly, known, worded].find((found) => found.length === 1)?.[0];
  };
  let yes = by(true, AGREEING_IDS);
  let no = by(false, REFUSING_IDS);
  if (yes && yes === no) yes = undefined;
  if (offered.length === 2 && (yes ?? no)) {
    yes ??= offered.find((c) => c !== no);
    no ??= offered.find((c) => c !== yes);
  }
  return { ...(yes ? { yes } : {}), ...(no ? { no } : {}) };
}
