import { ranked } from './choose.js';
import { planned, written } from './write.js';

/** A small honest machine in place of a language model: it reads what it was asked as far as rules can, and says what it is. */

export interface Asked {
  readonly messages: readonly { readonly role: string; readonly content: string }[];
  readonly schema?: JsonSchema;
}

interface JsonSchema {
  readonly type?: string | readonly string[];
  readonly format?: string;
  readonly enum?: readonly (string | number | null)[];
  readonly description?: string;
  readonly properties?: Readonly<Record<string, JsonSchema>>;
  readonly items?: JsonSchema;
}

const WEEKDAYS = ['sunday', 'monday', 'tuesday', 'wednesday', 'thursday', 'friday', 'saturday'];
const NUMBERS = ['no', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine', 'ten'];
const DAY_MS = 86_400_000;
const WHO = 'I am a practice model. I can fill in fields and quote numbered passages, but I cannot hold a conversation.';

/** The answer to a request; the same request has the same answer. */
export function answer({ messages, schema }: Asked): string {
  const said = wishIn(messages);
  const told = messages
    .filter((m) => m.role === 'system')
    .map((m) => m.content)
    .join('\n');
  if (schema?.properties?.['inputs'] && schema.properties['outputs']) return JSON.stringify(planned(said));
  if (schema?.properties) return JSON.stringify(fill(schema.properties, said, told));
  const seen = /\((a picture [^)]*(?:\([^)]*\)[^)]*)*)\)/.exec(said)?.[1];
  return written(told, said) ?? quote(said, told) ?? (seen === undefined ? WHO : `I see ${seen}. ${WHO}`);
}

/** What is wished: the last thing that a user said, which is neither what is known of them nor that an answer does not fit. */
function wishIn(messages: Asked['messages']): string {
  const all = messages.filter((m) => m.role === 'user').map((m) => m.content);
  const wishes = all.filter(
    (c) => !/^<data from="what is known">/.test(c) && !/^(?:Your answer|The field "[^"]*" of your answer) does not fit/.test(c),
  );
  return wishes.at(-1) ?? all.at(-1) ?? '';
}

function fill(fields: Readonly<Record<string, JsonSchema>>, said: string, told: string): Record<string, unknown> {
  const words = said.replace(/^# .*$/gm, '').trim();
  const taken = new Set<string>();
  return Object.fromEntries(Object.entries(fields).map(([name, field]) => [name, read(name, field, words, told, taken)]));
}

function types(field: JsonSchema): readonly string[] {
  return typeof field.type === 'string' ? [field.type] : (field.type ?? []);
}

/** Objects in each other, and lists of them: a part of what was said for each item. */
function nested(name: string, field: JsonSchema, said: string, told: string): unknown {
  if (field.properties) return fill(field.properties, said, told);
  const { items } = field;
  if (!items) return [];
  const parts = said
    .replace(/<\/?data[^>]*>/g, '')
    .replace(/^bot:.*$/gm, '')
    .split(/[\n;.?!]|,|\sand\s/i)
    .map((p) => p.replace(/^visitor:\s*/, '').trim())
    .filter((p) => p !== '');
  return parts
    .map((part) => item(name, items, part, told))
    .filter((found) => found !== undefined && found !== null && found !== '')
    .slice(0, 10);
}

/** One item of a list; undefined where a part of what was said is none. Which of listed values it is, likeness tells. */
function item(name: string, items: JsonSchema, part: string, told: string): unknown {
  if (!items.properties) return read(name, items, part, told, new Set());
  const filled = fill(items.properties, part, told);
  for (const [key, field] of Object.entries(items.properties)) {
    if (!field.enum) continue;
    filled[key] ??= likeliest(field, part);
    if (filled[key] === undefined) return undefined;
  }
  return Object.values(filled).some((v) => v !== null && v !== '') ? filled : undefined;
}

/** Which of some described ways fits best; the last one where none does. */
function chosen(field: JsonSchema, said: string): string | undefined {
  return likeliest(field, said) ?? (field.enum ?? []).filter((v): v is string => typeof v === 'string').at(-1);
}

function likeliest(field: JsonSchema, said: string): string | undefined {
  const ids = (field.enum ?? []).filter((v): v is string => typeof v === 'string');
  const about = new Map(
    (field.description ?? '')
      .split(/;\s*/)
      .map((part): [string, string] => [part.split(':')[0]?.trim() ?? '', part.split(':').slice(1).join(':')]),
  );
  const tools = ids.filter((id) => about.has(id)).map((id) => ({ name: id, description: about.get(id) ?? '', parameters: {} }));
  return ranked(said, tools)[0]?.tool.name;
}

function read(name: string, field: JsonSchema, said: string, told: string, taken: Set<string>): unknown {
  if (name === 'way' && field.enum?.at(-1) === 'none-of-them') return chosen(field, said);
  if (types(field).some((t) => t === 'object' || t === 'array')) return nested(name, field, said, told);
  if (field.enum) return listed(name, field, said, taken);
  if (field.format === 'date') return day(said, told);
  const kinds = types(field);
  if (kinds.includes('number') || kinds.includes('integer')) return number(said);
  if (kinds.includes('boolean')) return new RegExp(`\\b(${keywords(name, field).join('|')})`, 'i').test(said);
  const about = `${name} ${field.description ?? ''}`;
  if (/HH:MM|\btime\b/.test(about)) return hour(said);
  if (/\b(phone|number)\b/i.test(about.replaceAll('_', ' '))) return /\+?\d[\d ()/-]{5,}\d/.exec(said)?.[0] ?? null;
  if (/\b(summary|matter)\b/i.test(about))
    return sentence(
      said
        .replace(/<\/?data[^>]*>/g, '')
        .replace(/^bot:.*$/gm, '')
        .replace(/^visitor:\s*/gm, ''),
      /summary/i.test(about),
    );
  if (/\bname\b|\bwho\b/.test(about)) return /\b(?:[Nn]ame is|I am|[Tt]his is) ([A-Z]\p{L}+)/u.exec(said)?.[1] ?? null;
  return kinds.includes('null') ? null : said;
}

function keywords(name: string, field: JsonSchema): string[] {
  const words = `${name.replaceAll('_', ' ')} ${field.description ?? ''}`.toLowerCase().match(/\p{L}{3,}/gu) ?? [];
  return [...new Set(words)];
}

/** Words before a value that say what it is there for. */
const HINTS: Readonly<Record<string, RegExp>> = {
  origin: /\b(from|leaving|ab|von|desde)\s+$/i,
  destination: /\b(to|for|towards|nach|hacia|a)\s+$/i,
};

/** The listed value whose words stand in the text; with a hint before them first. `id: words, words; id: words`. */
function listed(name: string, field: JsonSchema, said: string, taken: Set<string>): unknown {
  const described = new Map(
    (field.description ?? '').split(/[;.]\s*/).flatMap((part): [string, string[]][] => {
      const [id, words] = part.split(/:\s*/);
      return id !== undefined && words !== undefined ? [[id.trim(), words.split(/,\s*/)]] : [];
    }),
  );
  const found = (field.enum ?? []).flatMap((value) => {
    if (typeof value !== 'string') return [];
    return [value, ...(described.get(value) ?? [])].flatMap((word) => {
      const at = said.toLowerCase().search(new RegExp(`(?<!\\p{L})${escape(word.toLowerCase())}(?!\\p{L})`, 'u'));
      return at < 0 || word.length < 3 ? [] : [{ value, hinted: HINTS[name]?.test(said.slice(0, at)) ?? false, at }];
    });
  });
  const hinted = found.find((f) => f.hinted);
  const others = found.filter(
    (f) => !taken.has(f.value) && !Object.entries(HINTS).some(([n, h]) => n !== name && h.test(said.slice(0, f.at))),
  );
  const best = hinted ?? others[0];
  if (best) taken.add(best.value);
  return best?.value ?? null;
}

const escape = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

function day(said: string, told: string): string | null {
  const iso = /\d{4}-\d{2}-\d{2}/;
  const written = iso.exec(said)?.[0];
  if (written !== undefined) return written;
  const today = iso.exec(told)?.[0];
  if (today === undefined) return null;
  const start = Date.parse(`${today}T00:00:00Z`);
  const after = (days: number) => new Date(start + days * DAY_MS).toISOString().slice(0, 10);
  if (/\btoday\b/i.test(said)) return after(0);
  if (/\btomorrow\b/i.test(said)) return after(1);
  const weekday = WEEKDAYS.findIndex((w) => new RegExp(`\\b${w}\\b`, 'i').test(said));
  return weekday < 0 ? null : after((weekday - new Date(start).getUTCDay() + 7) % 7 || 7);
}

function number(said: string): number | null {
  const digits = /\b\d+\b/.exec(said)?.[0];
  if (digits !== undefined) return Number(digits);
  const word = NUMBERS.findIndex((n) => new RegExp(`\\b${n}\\b`, 'i').test(said));
  return word < 0 ? null : word;
}

/** A time of the day, as `HH:MM`. */
function hour(said: string): string | null {
  const written = /\b([01]?\d|2[0-3])[:.]([0-5]\d)\b/.exec(said);
  if (written) return `${(written[1] ?? '').padStart(2, '0')}:${written[2]}`;
  const [, word = '', half] = /\b(?:by|before|at) (\d{1,2}|noon|\p{L}+)\s*(?:o'clock|(am|pm))?\b/iu.exec(said) ?? [];
  if (word.toLowerCase() === 'noon') return '12:00';
  const count = /^\d+$/.test(word) ? Number(word) : NUMBERS.indexOf(word.toLowerCase());
  if (count < 1 || count > 24) return null;
  const late = half?.toLowerCase() === 'pm' && count < 12 ? 12 : 0;
  return `${String((count + late) % 24).padStart(2, '0')}:00`;
}

const GREETING = /^(hello|hi|good (morning|evening|afternoon)|this is|my name is|i am)\b/i;

/** What it is about: the first sentence that is no greeting; for a summary, with the one behind it. */
function sentence(said: string, long: boolean): string {
  const all = (said.match(/[^.!?]+[.!?]*/g) ?? [said]).map((s) => s.trim()).filter((s) => s !== '');
  const from = Math.max(
    0,
    all.findIndex((s) => !GREETING.test(s)),
  );
  return all
    .slice(from, from + (long ? 2 : 1))
    .join(' ')
    .slice(0, 200);
}

/** Where passages such as `[1] text` were given: the sentence of them that has most of the question's words, with its number. */
function quote(said: string, told: string): string | undefined {
  const passages = [...`${told}\n${said}`.matchAll(/^\[(\d+)\] (.+)$/gm)].map((m) => ({ number: m[1], text: m[2] ?? '' }));
  if (passages.length === 0) return undefined;
  const question = /^# question\s+([\s\S]+)$/im.exec(said)?.[1] ?? said.replace(/^\[\d+\] .+$/gm, '');
  const asked = new Set(tellingWords(question));
  const sentences = passages.flatMap((p, rank) =>
    (p.text.match(/[^.!?]+[.!?]?/g) ?? []).map((text) => {
      const shared = [...new Set(tellingWords(text))].filter((w) => asked.has(w)).length;
      // What comes first was found to be nearest: it needs less in common.
      return { number: p.number, text: text.trim(), shared, score: shared + 0.6 / (rank + 1) };
    }),
  );
  const fitting = sentences.filter((s) => s.shared > 0);
  // Who asks for each of something is given each of it, in the order in which it stands.
  if (/^\s*(?:every|each|all)\b/i.test(question)) {
    const all = fitting.filter((s) => s.shared > 0).slice(0, MOST_QUOTED);
    if (all.length > 0) return all.map((s) => `${s.text} [${s.number}]`).join(' ');
  }
  const [best] = fitting.sort((a, b) => b.score - a.score);
  return best ? `${best.text} [${best.number}]` : 'The passages do not say.';
}

/** So many sentences are quoted where each of something is asked for. */
const MOST_QUOTED = 12;

const COMMON = new Set(
  'the and are can for how may you our your what when where who will with come does take there this that'.split(' '),
);

/** The words of a text that say what it is about, without a plural's s. */
function tellingWords(text: string): string[] {
  const words = text.toLowerCase().match(/\p{L}{3,}/gu) ?? [];
  return words.filter((w) => !COMMON.has(w)).map((w) => w.replace(/s$/, ''));
}
