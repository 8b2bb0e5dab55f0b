import type { InputForm, OutputForm } from '../document/pages.js';
import type { PagePlan } from './plan.js';

/*
 * A plan of a page by the words of its description alone. English and German: what stands behind words such as "asks for" is filled
 * in, what stands behind "gives" is made. It is a beginning, to be put right in the editor.
 */

const ASKS =
  /(?<!\b(?:a|an|the|its|their|his|her) )\b(?:asks?(?: for)?|takes?|fills? in|brings?|enters?|uploads?|given|from|with|needs?|wants to know|fragt nach|nimmt|braucht|bekommt|aus|mit)\b:?/giu;
const GIVES =
  /(?<!\b(?:a|an|the|its|their|his|her|ein|eine|die|der|das) )\b(?:gives?(?: back)?|makes?|gets?|writes?|shows?|answers? with|produces?|returns?|creates?|draws?|lists|plans|sums? up|gibt|macht|schreibt|zeigt|erstellt|liefert)\b:?/giu;

interface Clause {
  readonly as: 'asks' | 'gives';
  readonly at: number;
  readonly end: number;
  readonly verb: string;
}

/** Where words of asking and giving stand; each goes on to the next one. */
function clauses(words: string): { readonly as: Clause['as']; readonly verb: string; readonly text: string }[] {
  const marks: Clause[] = [];
  for (const [as, pattern] of [
    ['asks', ASKS],
    ['gives', GIVES],
  ] as const)
    for (const m of words.matchAll(pattern))
      marks.push({ as, at: m.index, end: m.index + m[0].length, verb: m[0].toLowerCase() });
  marks.sort((a, b) => a.at - b.at);
  return marks.map((m, i) => ({ as: m.as, verb: m.verb, text: words.slice(m.end, marks[i + 1]?.at ?? words.length) }));
}

/** Things in a clause: parted at commas and at "and", brackets kept whole. */
function things(text: string): string[] {
  const held: string[] = [];
  const plain = text.replace(/\([^)]*\)/g, (m) => `\uE000${held.push(m) - 1}\uE000`);
  return plain

    .split(/[.;]\s|\n/, 1)
    .join('')
    .split(/,|\band\b|\bund\b|&/iu)
    .map((t) => t.replace(/\uE000(\d+)\uE000/g, (_, n: string) => held[Number(n)] ?? ''))
    .map((t) =>
      t
        .trim()
        .replace(/^(?:then|also|a|an|the|their|his|her|its|some|it|them|eine[nmrs]?|ein|der|die|das|de[nms])\s+/iu, '')
        .replace(/[.;:]+$/, ''),
    )
    .filter((t) => t.length > 1 && !/^(?:it|them|this|that|who|which|es|sie|page|form|seite)$/iu.test(t));
}

const INPUT_WORDS: readonly (readonly [RegExp, InputForm])[] = [
  [/\b(?:picture|photo|image|bild|foto)\b/iu, 'picture'],
  [/\b(?:file|pdf|document|log|record|contract|manual|datei|dokument|protokoll)\b/iu, 'file'],
  [/\b(?:day|date|deadline|tag|datum)\b/iu, 'date'],
  [/\b(?:how many|number|count|amount|age|budget|price|people|anzahl|wie viele|menge|alter)\b/iu, 'number'],
  [/\b(?:whether|if|yes or no|ob)\b/iu, 'yes-no'],
  [/\b(?:text|letter|description|notes?|story|message|article|transcript|words|brief|beschreibung|notizen)\b/iu, 'long-text'],
];
const OUTPUT_WORDS: readonly (readonly [RegExp, OutputForm])[] = [
  [/\b(?:picture|banner|image|drawing|poster|logo|bild|zeichnung)\b/iu, 'picture'],
  [/\b(?:table|timetable|schedule|tabelle)\b/iu, 'table'],
  [/\b(?:list|checklist|steps|items|liste)\b/iu, 'list'],
];

function formIn<F>(words: readonly (readonly [RegExp, F])[], text: string, usual: F): F {
  return words.find(([pattern]) => pattern.test(text))?.[1] ?? usual;
}

const SMALL = /^(?:of|for|to|in|on|at|by|that|which|who|what|from|with|as|von|für|zu|im|am|die|der|das)$/iu;

const VAGUE = /^(?:list|number|day|date|table|kind|picture|drawing|liste|anzahl|tabelle|bild)$/iu;

/** The name of a thing: its words up to the first small one behind it. */
function named(thing: string): string {
  const words = thing
    .replace(/\([^)]*\)/g, ' ')
    .split(/\s+/)
    .filter(Boolean);
  const end = words.findIndex((w, i) => i > 0 && SMALL.test(w));
  const kept = (end < 0 ? words : words.slice(0, end)).slice(0, 4);
  // "a list of next steps": such words say little without what stands behind them.
  const behind = end < 0 ? [] : words.slice(end + 1);
  const stop = behind.findIndex((w) => SMALL.test(w));
  const more = behind.slice(0, stop < 0 ? 3 : Math.min(stop, 3));
  const long = kept.length === 1 && VAGUE.test(kept[0] ?? '') && more.length > 0 ? [...kept, words[end] ?? '', ...more] : kept;
  return long.join(' ').slice(0, 60);
}

function choicesIn(thing: string): string[] | undefined {
  const inside = /\(([^)]*)\)/.exec(thing)?.[1] ?? '';
  const list = inside
    .split(/,|\/|\bor\b|\boder\b/iu)
    .map((c) => c.trim())
    .filter(Boolean);
  return list.length > 1 ? list.slice(0, 20) : undefined;
}

/** The first words of a description as a title. */
function titleIn(words: string): string {
  const first = words.trim().split(/[.:\n]/)[0] ?? '';
  const cut = first.split(/\b(?:that|which|where|asks?|takes?|gives?|for|der|die|das|für)\b/iu)[0] ?? first;
  const plain = (cut.trim().length > 2 ? cut : first)
    .trim()
    .replace(/^(?:i (?:want|need)|we need|make|build|create|ich brauche|ein|eine|a|an|the)\s+/iu, '')
    .replace(/^(?:a|an|the|page|seite)\s+/iu, '')
    .replace(/[,\s]+$/, '');
  const title = plain.split(/\s+/).slice(0, 6).join(' ').slice(0, 80) || 'Page';
  return title.charAt(0).toUpperCase() + title.slice(1);
}

/**
 * A plan by the words of a description: what is asked for, what is given, what is made from what. It always has an output; where
 * nothing says what is filled in, one text is.
 */
export function planFromWords(words: string): PagePlan {
  const found = clauses(words);
  const inputs = new Map<string, PagePlan['inputs'][number]>();
  const outputs = new Map<string, PagePlan['outputs'][number]>();
  /** Outputs as they were described, without all else. */
  const described = new Map<string, string>();
  for (const { as, text } of found)
    for (const thing of things(text)) {
      const name = named(thing);
      const key = name.toLowerCase();
      if (name === '' || inputs.has(key) || outputs.has(key)) continue;
      if (as === 'gives') {
        outputs.set(key, { name, as: formIn(OUTPUT_WORDS, thing, 'text'), task: taskOf(thing, words) });
        described.set(name, thing.toLowerCase());
      } else if (inputs.size < 12) inputs.set(key, inputOf(name, thing));
    }
  const made = [...outputs.values()].slice(0, 8);
  for (const [i, o] of made.entries()) {
    const text = described.get(o.name) ?? '';
    const from = made
      .slice(0, i)
      .filter((f) =>
        new RegExp(`\\b(?:for|from|of|that fits|based on|behind) (?:the |that |this )?${escaped(f.name.toLowerCase())}`).test(
          text,
        ),
      );
    if (from.length > 0) made[i] = { ...o, from: from.map((f) => f.name) };
  }
  return {
    title: titleIn(words),
    about: words.trim().slice(0, 480),
    inputs: inputs.size > 0 ? [...inputs.values()] : [{ name: 'text', as: 'long-text' }],
    outputs: made.length > 0 ? made : [{ name: 'answer', as: 'text', task: words.trim().slice(0, 1900) }],
  };
}

const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

function inputOf(name: string, thing: string): PagePlan['inputs'][number] {
  const of = choicesIn(thing);
  if (of) return { name, as: /s$/iu.test(name) ? 'choices' : 'choice', of };
  return { name, as: formIn(INPUT_WORDS, thing, 'text') };
}

function taskOf(thing: string, words: string): string {
  return `Make this: ${thing}. The page it is for was described so: ${words.trim().slice(0, 1200)}`;
}
