import { z } from 'zod';
import type { Value } from '../../document/shapes.js';
import { expression, id, nodeBase, target, template, text } from '../../document/shapes.js';
import { plainText, readMarkdown } from '../../text/markdown.js';
import { SURE_FROM } from '../../understanding/listener.js';
import { matchOption, normalise, understoodPart } from '../../understanding/words.js';
import type { Hearing, Outcome } from '../compiled.js';
import { choiceIn, wordsIn } from '../event.js';
import { defineKind, sampleText, wordsInOneLanguage, wordUses, type Exit, type Found, type Use } from '../kind.js';
import type { Turn } from '../turn.js';
import type { OfferedChoice } from '../types.js';

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
    return {
      run: (turn): Outcome => {
        const said = turn.wording(says);
        const choices = [...listed(turn), ...written(turn)];
        turn.say(
          said,
          choices.map(({ id: key, says: words }) => ({ id: key, says: words })),
        );
        return { wait: { tries: 0, choices } };
      },
      hear: (turn, event, waiting): Hearing => {
        const offered = waiting.choices ?? [];
        const pressed = offered.find((c) => c.id === choiceIn(event));
        const match = pressed
          ? { id: pressed.id, by: 'pressed' }
          : matchOption(
              understoodPart(wordsIn(event)),
              offered.map((c) => ({ id: c.id, words: [c.says] })),
            );
        const chosen = offered.find((c) => c.id === match?.id);
        if (!chosen || !match) return { missed: () => ({ exit: 'other' }) };
        const take = (): Outcome => {
          if (node.into !== undefined) turn.write(node.into, chosen.value === undefined ? chosen.id : chosen.value);
          return { exit: chosen.exit, note: match.by };
        };
        // A sentence that merely holds a word of a button may rather be a wish of its own.
        const longer = wordCount(wordsIn(event)) > wordCount(chosen.says) + FEW_WORDS;
        return match.by === 'part' && longer ? { missed: take, from: SURE_FROM } : take();
      },
    };
  },
});
