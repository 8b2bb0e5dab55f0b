import { countOf, daysIn, timesIn, type Found } from './moments.js';
import { plain, stem, telling } from './words.js';

/** How the practice model fills in a parameter: by its name, its type and its description, from what was said and what tools gave. */

export interface JsonSchema {
  readonly type?: string | readonly string[];
  readonly format?: string;
  readonly enum?: readonly (string | number | null)[];
  readonly description?: string;
  readonly properties?: Readonly<Record<string, JsonSchema>>;
  readonly required?: readonly string[];
  readonly items?: JsonSchema;
}

/** What there is to fill in from. */
export interface Sources {
  /** What the visitor said, the newest last. */
  readonly said: readonly string[];
  /** The day that the model is told, as `2026-05-11`; undefined where it is told none. */
  readonly today: string | undefined;
  /** What tools gave, the newest last. */
  readonly gave: readonly unknown[];
  /** Words of the tool itself, which are no values. */
  readonly tool: readonly string[];
}

/** What was taken from the words already, by the kind of value. */
interface Taken {
  readonly days: Set<number>;
  readonly times: Set<number>;
  readonly numbers: Set<number>;
  readonly listed: Set<string>;
}

export interface Filled {
  readonly values: Readonly<Record<string, unknown>>;
  /** Parameters that are needed and not known. */
  readonly missing: readonly string[];
}

/** Kinds of value that hardly anything else is: finding one says that the tool may be meant. */
const SURE = (name: string, field: JsonSchema, value: unknown): boolean =>
  field.enum !== undefined ||
  field.format === 'date' ||
  typeof value === 'number' ||
  (typeof value === 'string' && /^\d\d:\d\d$|^[A-Z]{1,5}-?\d+|^\d{4,}$/.test(value)) ||
  /language|sprache|idioma/.test(name);

/** How much of what a tool takes is in the words: for choosing. */
export function coverage(schema: JsonSchema, sources: Sources): number {
  const { values, missing } = fillAll(schema, sources);
  const sure = Object.entries(values).filter(([name, v]) => SURE(name, schema.properties?.[name] ?? {}, v)).length;
  const all = Object.keys(schema.properties ?? {}).length;
  return Math.min(1.1, sure * 0.4) + (sure > 0 && sure === all ? 0.2 : 0) - missing.length * 0.12;
}

/** Fills in all parameters. What was said last goes before what was said first. */
export function fillAll(schema: JsonSchema, sources: Sources): Filled {
  const fields = Object.entries(schema.properties ?? {});
  const required = new Set(schema.required ?? []);
  const values: Record<string, unknown> = {};
  // Of several of one kind the first ones named go to the first parameters, unless words before them say otherwise.
  for (const said of sources.said.toReversed()) {
    const taken: Taken = { days: new Set(), times: new Set(), numbers: new Set(), listed: new Set() };
    for (const [name, field] of fields) {
      const value = valueIn(name, field, said, { taken, sources, fields, needed: required.has(name) });
      if (value !== undefined && !(name in values)) values[name] = value;
    }
  }
  for (const [name, field] of fields) {
    const given = name in values ? undefined : fromGiven(name, field, sources, values);
    if (given !== undefined) values[name] = given;
  }
  return { values, missing: [...required].filter((name) => !(name in values)) };
}

export const typesOf = (field: JsonSchema): readonly string[] =>
  typeof field.type === 'string' ? [field.type] : (field.type ?? []);

const aboutOf = (name: string, field: JsonSchema): string => plain(`${name.replaceAll(/[_-]/g, ' ')} ${field.description ?? ''}`);

interface Setting {
  readonly taken: Taken;
  readonly sources: Sources;
  readonly fields: readonly (readonly [string, JsonSchema])[];
  readonly needed: boolean;
}

function valueIn(name: string, field: JsonSchema, said: string, setting: Setting): unknown {
  const about = aboutOf(name, field);
  const { taken, sources } = setting;
  if (field.enum) return listed(name, field, said, taken);
  const types = typesOf(field);
  if (
    field.format === 'date' ||
    (types.includes('string') &&
      /\b(?:yyyy|date|day of|datum|fecha)\b|^day\b|\bday$/.test(about) &&
      !/\bhow many\b|\bnumber of\b/.test(about))
  )
    return nth(
      sources.today === undefined ? [] : daysIn(said, sources.today),
      about,
      said,
      taken.days,
      isLastDay(name, about, setting.fields),
    );
  if (
    /\bhh:mm\b|\btime\b|\buhrzeit\b|\bhora\b|\bo'clock\b|^(?:from|to|until|till|begins?|ends?|starts?)\b.*(?:hh|time|hour)/.test(
      about,
    ) &&
    types.includes('string')
  )
    return nth(timesIn(said), about, said, taken.times, isLast(about));
  if (types.includes('number') || types.includes('integer')) return amount(name, field, said, setting);
  if (types.includes('boolean')) return truth(about, said);
  if (field.format === 'email' || /\be-?mail\b/.test(about)) return /[\w.+-]+@[\w-]+\.[\w.-]+/.exec(said)?.[0];
  if (/\bphone\b|\btelefon|\btelefono/.test(about)) return /\+?\d[\d ()/-]{5,}\d/.exec(said)?.[0];
  if (types.includes('array')) return items(field, said);
  if (types.includes('object')) return undefined;
  return text(name, about, said, setting);
}

/** Words that say that a value is the end of something: where to, until when. */
const isLast = (about: string): boolean =>
  /^(?:to|until|till|ends?|end|return|back|arriv\w*|destination|last|bis|hasta)\b|\b(?:ends?|until|till|return|arrival|destination)\b/.test(
    about,
  );

/** Of days an arrival is the first where there is a departure as well: somebody stays. */
function isLastDay(name: string, about: string, fields: Setting['fields']): boolean {
  const stays = fields.some(([n]) => /arriv|check.?in/.test(n)) && fields.some(([n]) => /depart|check.?out|leav/.test(n));
  return stays ? /depart|check.?out|leav/.test(name) : isLast(about);
}

/** Of several values the first that is free, or for an end the next one. */
function nth<T>(found: readonly Found<T>[], about: string, said: string, taken: Set<number>, last: boolean): T | undefined {
  const free = found.filter((f) => !taken.has(f.from));
  if (free.length === 0) return undefined;
  const marked = free.find((f) => {
    const before = plain(said.slice(Math.max(0, f.from - 14), f.from));
    return last
      ? /\b(?:to|till|until|bis|back|return\w*|hasta|a)\s*(?:the )?$/.test(before)
      : /\b(?:from|on|at|von|ab|am|um|desde|el|las)\s*(?:the )?$/.test(before);
  });
  // What ends something stands behind what begins it.
  const chosen = last
    ? (marked ?? (found.length > 1 ? free.at(-1) : /\b(?:by|before|until|till)\b/.test(about) ? free[0] : undefined))
    : free.length > 1
      ? free[0]
      : (marked ?? free[0]);
  if (chosen) taken.add(chosen.from);
  return chosen?.value;
}

const WHERE_FROM = /\b(?:from|leaving|departing|off|out of|ab|von|aus|desde|de|salgo de)\s+(?:the |el |la |dem |der )?$/;
const WHERE_TO = /\b(?:to|for|towards|into|in|nach|zum|zur|hacia|a|al|para)\s+(?:the |el |la |dem |der )?$/;
const isFrom = (about: string): boolean => /\b(?:origin|from|departure|start|pick ?up|source|herkunft|origen|von)\b/.test(about);
const isTo = (about: string): boolean => /\b(?:destination|to|arrival|target|drop ?off|ziel|destino|nach)\b/.test(about);

/** A listed value whose words stand in the text. `id: words, words; id: words` in the description are its words. */
function listed(name: string, field: JsonSchema, said: string, taken: Taken): unknown {
  const words = new Map<string, string[]>();
  for (const part of (field.description ?? '').split(/[;.]\s+|;\s*/)) {
    const [id, list] = part.split(/:\s*/);
    if (id !== undefined && list !== undefined) words.set(id.trim(), list.split(/,\s*/));
  }
  const text = ` ${plain(said).replaceAll(/[^\p{L}\p{N}]+/gu, ' ')} `;
  const about = plain(name);
  const found = (field.enum ?? []).flatMap((value) => {
    if (typeof value !== 'string') return [];
    return [value.replaceAll(/[-_]/g, ' '), ...(words.get(value) ?? [])].flatMap((word) => {
      const bare = plain(word)
        .replaceAll(/[^\p{L}\p{N}]+/gu, ' ')
        .trim();
      const at = bare.length < 2 ? -1 : text.search(new RegExp(` ${escape(bare)}(?:s|es|e|n)?(?= )`));
      if (at < 0) return [];
      const before = text.slice(0, at + 1);
      return [{ value, at, length: bare.length, from: WHERE_FROM.test(before), to: WHERE_TO.test(before) }];
    });
  });
  const free = found.filter((f) => !taken.listed.has(f.value)).sort((a, b) => b.length - a.length || a.at - b.at);
  const fits = isFrom(about) ? free.filter((f) => f.from || !f.to) : isTo(about) ? free.filter((f) => f.to || !f.from) : free;
  const hinted = isFrom(about) ? fits.find((f) => f.from) : isTo(about) ? fits.find((f) => f.to) : undefined;
  const best = hinted ?? fits.sort((a, b) => a.at - b.at)[0];
  if (best) taken.listed.add(best.value);
  return best?.value;
}

const escape = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

/** A number: the one beside a word of the parameter's name or description, else the only one that is free. */
function amount(name: string, field: JsonSchema, said: string, { taken, sources, fields, needed }: Setting): number | undefined {
  const text = plain(said);
  const spans = [...timesIn(said), ...(sources.today === undefined ? [] : daysIn(said, sources.today))];
  const all = [...text.matchAll(/[€$£]?\s?\b(\d+(?:[.,]\d+)?)\b|\b([a-z]+)\b/g)].flatMap((m) => {
    const value = m[1] !== undefined ? Number(m[1].replace(',', '.')) : countOf(m[2] ?? '');
    const article = m[1] === undefined && /^(?:a|an|un|una|une|ein|eine|einen|einem|einer|sept)$/.test(m[2] ?? '');
    const inside = spans.some((s) => s.from < m.index + m[0].length && m.index < s.to);
    const digits = m[1] === undefined ? m.index : m.index + m[0].lastIndexOf(m[1]);
    const code = m[1] !== undefined && /\p{L}-?$/u.test(text.slice(0, digits));
    return value === undefined || inside || code ? [] : [{ value, at: m.index, end: m.index + m[0].length, article }];
  });
  const hints = new Set(telling(`${name.replaceAll(/[_-]/g, ' ')} ${field.description ?? ''}`));
  const near = all
    .filter((n) => !taken.numbers.has(n.at))
    .map((n) => {
      const behind = telling(text.slice(n.end, n.end + 24)).slice(0, 2);
      const before = telling(text.slice(Math.max(0, n.at - 20), n.at)).slice(-1);
      const people =
        /\b(?:people|persons?|guests?|passengers?|adults?|seats?|tickets?|attendees|party|personen|personas|plazas)\b/.test(
          plain(`${name} ${field.description ?? ''}`),
        );
      const ofUs =
        people &&
        /^\s*(?:of us|people|persons?|guests?|adults?|passengers?|persone?n?|personas?|tickets?|seats?|plazas)/.test(
          text.slice(n.end),
        )
          ? 3
          : 0;
      const score =
        ofUs +
        (behind[0] !== undefined && hints.has(behind[0]) ? 2 : 0) +
        (behind[1] !== undefined && hints.has(behind[1]) ? 1 : 0) +
        (before[0] !== undefined && hints.has(before[0]) ? 1 : 0);
      return { ...n, score };
    });
  const [best] = near.filter((n) => n.score > 0).sort((a, b) => b.score - a.score || a.at - b.at);
  const numbers = fields.filter(([, f]) => typesOf(f).some((t) => t === 'number' || t === 'integer')).length;
  const free = near.filter((n) => !n.article);
  const only = needed || numbers === 1 ? free[0] : undefined;
  const chosen = best ?? (needed || (numbers === 1 && free.length === 1) ? only : undefined);
  if (chosen) taken.numbers.add(chosen.at);
  return chosen?.value;
}

function truth(about: string, said: string): boolean | undefined {
  const [, first, second] = /\b([a-z]+),? (?:or|oder|o) ([a-z]+)\b/.exec(about) ?? [];
  const spoken = plain(said).split(/[^\p{L}]+/u);
  if (first !== undefined && second !== undefined && spoken.includes(first) !== spoken.includes(second))
    return spoken.includes(first);
  const text = plain(said);
  const words = (about.match(/\p{L}{4,}/gu) ?? []).filter((w) => !/^(?:whether|true|false|with|wants?)$/.test(w)).map(stem);
  const at = words.map((w) => text.indexOf(w)).find((i) => i >= 0);
  if (at === undefined) return undefined;
  return !/\b(?:no|not|without|kein\w*|ohne|sin|nicht)\b[^.,;?!]{0,20}$/.test(text.slice(0, at));
}

function items(field: JsonSchema, said: string): unknown[] | undefined {
  const listedItems = field.items?.enum;
  if (listedItems) {
    const text = ` ${plain(said)} `;
    const found = listedItems.filter((v) => typeof v === 'string' && text.includes(plain(v.replaceAll(/[-_]/g, ' '))));
    return found.length > 0 ? found : undefined;
  }
  const list = /:\s*(.+)$/.exec(said)?.[1] ?? /\b(?:order|buy|add|bring|need|take)\s+(.+)$/i.exec(said)?.[1];
  if (list === undefined) return undefined;
  return list
    .replace(/[.!?]+$/, '')
    .split(/,\s*|\s+(?:and|und|y|et)\s+/)
    .map((s) => s.trim())
    .filter(Boolean);
}

/** Verbs and phrases with which a wish begins before it comes to its matter. */
const LEAD =
  /^(?:(?:hi|hello|hey|hallo|hola|please|pls|bitte|ok|okay|so|then|and|und|y)[,!\s]+)*(?:(?:can|could|would|will) you (?:please )?|(?:i|we)(?:'d| would)? (?:like|want|need) (?:you )?to |(?:i|we) have to |kannst du (?:bitte )?|konnen sie (?:bitte )?|ich (?:mochte|will) |puede[s]? |quiero |me gustaria )?(?:please |bitte |por favor )?/i;
const VERB =
  /^(?:note|record|log|report|write down|jot down|add|enter|put down|register|file|send|tell|inform|notify|let|message|remind me|remember|search(?: for)?|find|look up|translate|say|announce|post|create|make|open|notiere?n?|melde?n?|trage?n? (?:ein)?|schicke?n?|sage?n?|suche?n?|anote|apunte|registre|envie|mande|diga|busque|avise)\b\s*(?:down|in|up)?\s*/i;

/** A text: by what its name and description say that it is. */
function text(name: string, about: string, said: string, { sources, needed, fields }: Setting): string | undefined {
  const named = plain(name.replaceAll(/[_-]/g, ' '));
  const quoted = /[“"„«]([^”"“»]{2,300})[”"“»]/.exec(said)?.[1];
  if (/\b(?:reference|code|number|id|nummer|codigo|numero|ref)\b/.test(about) && !/\bmessage\b/.test(named)) {
    const noun = named
      .split(' ')
      .filter((w) => w.length > 2 && !/^(?:number|code|reference|id|ref)$/.test(w))
      .join('|');
    const behind =
      noun === ''
        ? undefined
        : new RegExp(`\\b(?:${noun})\\s+(?:no\\.?|nr\\.?|number)?\\s*([A-Z]{0,5}-?\\d+)\\b`, 'i').exec(said)?.[1];
    if (behind !== undefined) return behind;
    const code = /\b(?=[A-Za-z-]*\d)[A-Z]{1,5}-?\d{2,}[A-Z0-9-]*\b|\b\d{4,}\b/.exec(said)?.[0];
    if (code !== undefined) return code;
    if (/\b(?:reference|code|id|number)\b/.test(named)) return undefined;
  }
  if (/^(?:row|id)$/.test(named) || /\bthe id of\b/.test(about)) return undefined;
  if (/\b(?:question|query|topic|search|frage|suche|consulta|what to look|wish|request|anliegen)\b/.test(about))
    return said.trim();
  if (/\bwords for days and times\b/.test(about)) return said.trim();
  if (/\bthe sum in figures\b/.test(about)) return sumIn(said);
  if (/\b(?:recipient|to whom|person or room|room that|who gets|receiver|empfanger|destinatario)\b/.test(about) || named === 'to')
    return recipient(said);
  if (/\b(?:dish|product|article|goods|song|film|book title)\b/.test(about)) return thing(said);
  if (/\b(?:name|who|person|guest|wer|nombre|quien|reporter|driver|crew member|employee|member)\b/.test(about))
    return person(said);
  if (/\b(?:place|city|town|address|street|location|station|ort|stadt|ciudad|lugar|adresse|direccion)\b/.test(about))
    return place(said, about, sources.tool);
  if (quoted !== undefined && /\b(?:text|message|words|says|title|subject|note|what|nachricht|mensaje)\b/.test(about))
    return quoted;
  if (/\b(?:language|sprache|idioma)\b/.test(about))
    return /\b(?:in|into|auf|ins|al|en) (english|german|spanish|french|italian|deutsch|englisch|spanisch|ingles|aleman|espanol)\b/.exec(
      plain(said),
    )?.[1];
  if (
    /\b(?:what|matter|problem|message|words|says|text|note|content|description|details|issue|subject|title|reason|comment|task|item|was|beschreibung|problema|mensaje|nachricht|broken|defect|dish|product|thing)\b/.test(
      about,
    ) ||
    (needed && fields.filter(([, f]) => typesOf(f).includes('string') && !f.enum && !f.format).length === 1)
  )
    return matter(said);
  return undefined;
}

function sumIn(said: string): string | undefined {
  const text = plain(said)
    .replaceAll(/\b(?:times|multiplied by|mal|por)\b/g, '*')
    .replaceAll(/\b(?:plus|and|und|y|mas)\b/g, '+')
    .replaceAll(/\b(?:minus|less|menos)\b/g, '-')
    .replaceAll(/\b(?:divided by|geteilt durch|entre)\b/g, '/')
    .replaceAll(',', '.');
  return /[\d(][\d\s.+\-*/()%]*[\d)%]/.exec(text)?.[0]?.trim();
}

/** Whom a message goes to: "tell the workshop that …", "a message to Finn". */
function recipient(said: string): string | undefined {
  const m =
    /\b(?:tell|inform|notify|let|remind|message|warn|ask|sage?n? (?:sie )?|benachrichtige?n?|avisa|avise|diga(?: a)?|informe(?: a)?)\s+(?:the |der |dem |die |den |das |a la |al |a |el |la )?([\p{L}][\p{L}\p{N}-]*(?:\s(?!that|know|about|of|to|when|if|dass|que|it|we|he|she)[\p{L}][\p{L}-]*)?)/iu.exec(
      said,
    ) ??
    /\b(?:to|an|a)\s+(?:the |die |den |das |la |el )?([\p{L}][\p{L}\p{N}-]*(?:\s(?!that|about|of|when|if|saying|dass|que|it|we)[\p{L}][\p{L}-]*)?)(?=\s+(?:that|about|saying|dass|que)|[:,.!?]|$)/iu.exec(
      said,
    );
  return m?.[1]?.trim();
}

const NO_NAME =
  /^(?:I|Please|Can|Could|Hi|Hello|Put|Book|Add|Note|Send|Tell|The|On|For|What|Which|Who|When|Is|Are|And|Yes|No|My|We|It|Thursday|Friday|Saturday|Sunday|Monday|Tuesday|Wednesday|January|February|March|April|May|June|July|August|September|October|November|December|Ich|Bitte|Der|Die|Das|Montag|Dienstag|Mittwoch|Donnerstag|Freitag|Samstag|Sonntag|Morgen|Heute|Quiero|El|La|Por)$/;

/** A name: introduced, or the first word with a capital that begins no sentence. */
function person(said: string): string | undefined {
  const titled = /\b((?:Dr|Mr|Mrs|Ms|Prof|Frau|Herr|Señora?|Doctor|Captain|Nurse)\.?\s\p{Lu}[\p{L}'-]+)/u.exec(said)?.[1];
  if (titled !== undefined && !/\b(?:my name is|i am|ich heiße|me llamo)\b/i.test(said)) return titled;
  const introduced =
    /\b(?:my name is|name is|i am|i'm|this is|call me|name of|under the name(?: of)?|ich heiße|mein name ist|me llamo|soy|name:)\s+(\p{Lu}[\p{L}'-]+(?:\s\p{Lu}[\p{L}'-]+)?)/iu.exec(
      said,
    )?.[1];
  if (introduced !== undefined && /^\p{Lu}/u.test(introduced)) return introduced;
  const lone = /^\s*(\p{Lu}[\p{L}'-]+(?:\s\p{Lu}[\p{L}'-]+)?)[.!]?\s*$/u.exec(said)?.[1];
  if (lone !== undefined && !NO_NAME.test(lone)) return lone;
  const marked =
    /\b(?:for|to|with|put|assign|give|für|mit|para|con|dr\.?|mr\.?|mrs\.?|ms\.?)\s+((?:Dr\.?\s|Mr\.?\s|Mrs\.?\s|Ms\.?\s)?\p{Lu}[\p{L}'-]+(?:\s\p{Lu}[\p{L}'-]+)?)/u.exec(
      said,
    )?.[1];
  if (marked !== undefined && !NO_NAME.test(marked.split(' ')[0] ?? '')) return marked;
  const first =
    /^(\p{Lu}[\p{L}'-]+)\s(?:works?|is|has|will|takes?|can|wants?|needs?|does|arbeitet|hat|ist|kommt|trabaja|tiene|hace)\b/u.exec(
      said.trim(),
    )?.[1];
  if (
    first !== undefined &&
    !NO_NAME.test(first) &&
    !/^(?:The|This|That|There|It|He|She|What|Who|Which|One|Nobody|Somebody|Everybody)$/.test(first)
  )
    return first;
  const all = [...said.matchAll(/(?<=[\p{Ll}\p{N},]\s)\p{Lu}[\p{L}'-]+(?:\s\p{Lu}[\p{L}'-]+)?/gu)]
    .map((m) => m[0])
    .filter((w) => !NO_NAME.test(w.split(' ')[0] ?? ''));
  return all[0];
}

function place(said: string, about: string, tool: readonly string[]): string | undefined {
  const from = isFrom(about) && !isTo(about);
  const lead = from ? /\b(?:from|ab|von|desde|de)\s+/iu : /\b(?:in|at|to|near|for|from|nach|bei|en|a|for)\s+/iu;
  const m = new RegExp(`${lead.source}(?:the )?((?:\\p{Lu}[\\p{L}'-]+)(?:\\s\\p{Lu}[\\p{L}'-]+)*(?:\\s\\d+)?)`, 'u').exec(
    said,
  )?.[1];
  if (m !== undefined && !NO_NAME.test(m) && !tool.includes(stem(plain(m)))) return m;
  const all = [...said.matchAll(/(?<=[\p{Ll}\p{N},]\s)\p{Lu}[\p{L}'-]+(?:\s\p{Lu}[\p{L}'-]+)*/gu)]
    .map((x) => x[0])
    .filter((w) => !NO_NAME.test(w));
  return all[0];
}

/** A thing that is wanted: what stands between the count and where it goes. */
function thing(said: string): string | undefined {
  const whole = matter(said);
  const bare = whole
    ?.replace(/^(?:order|buy|get|bring|want|need|bestelle?n?|pida?)\s+/i, '')
    .replace(/^(?:\d+|\p{L}+)\s+/u, (m) => (countOf(plain(m.trim())) === undefined ? m : ''))
    .replace(/\s+(?:to|for|nach|an|in|a)\s+(?:\d+|\p{Lu}).*$/u, '');
  return bare === '' ? undefined : bare;
}

/** What it is about: what stands behind "that" or a colon, else the clause without its leading verb. */
function matter(said: string): string | undefined {
  const bare = said.replace(LEAD, '').trim();
  const behind = /(?:\bthat\b|\bdass\b|\bque\b|:)\s+(.{3,300})$/isu.exec(bare)?.[1];
  const rest = (behind ?? bare.replace(VERB, '')).replace(
    /^(?:a|an|the|das|dass|that|la|el|una?)\s+(?=(?:message|note|notice|mail|repair|entry|report|nachricht|mensaje|nota)\b)/i,
    '',
  );
  const clean = rest
    .replace(/^(?:(?:message|note|notice|mail|repair|entry|report|task|reminder) (?:to \S+ )?(?:that |about |for |of )?)/i, '')
    .replace(/\s*(?:,?\s*(?:please|thanks|thank you|bitte|danke|por favor))?[.!?\s]*$/i, '')
    .trim();
  return clean.length >= 2 ? clean.slice(0, 300) : undefined;
}

/** A value that a tool gave: of the items in a list the one that what was said speaks of, by the name of the parameter or as its id. */
function fromGiven(name: string, field: JsonSchema, { said, gave }: Sources, values: Readonly<Record<string, unknown>>): unknown {
  if (field.enum || field.format !== undefined || !typesOf(field).includes('string')) return undefined;
  const about = aboutOf(name, field);
  const wanted = plain(said.join(' '));
  for (const result of gave.toReversed()) {
    const items = itemsIn(result);
    const scored = items
      .map((item, at) => ({ item, at, score: talkedOf(item, wanted, said.join(' '), values) }))
      .sort((a, b) => b.score - a.score || a.at - b.at);
    const [best] = scored;
    if (
      !best ||
      (items.length > 1 && best.score === 0 && !/\b(?:first|earliest|next|cheapest|any|erste[nr]?|primer[ao]?)\b/.test(wanted))
    )
      continue;
    const own =
      best.item[name] ??
      (/\b(?:id|row|reference|code|number)\b/.test(about) || items.length > 0
        ? (best.item[`${name}_id`] ?? best.item['id'] ?? best.item['reference'] ?? best.item['number'] ?? best.item['code'])
        : undefined);
    if (typeof own === 'string' || typeof own === 'number') return typesOf(field).includes('string') ? String(own) : own;
  }
  return undefined;
}

type Item = Readonly<Record<string, unknown>>;

/** The things in a result: the items of its lists, else the result itself. */
export function itemsIn(result: unknown, depth = 0): Item[] {
  if (depth > 4 || result === null || typeof result !== 'object') return [];
  if (Array.isArray(result)) return result.filter((v): v is Item => v !== null && typeof v === 'object' && !Array.isArray(v));
  const lists = Object.values(result).flatMap((v) => (Array.isArray(v) ? itemsIn(v, depth + 1) : []));
  if (lists.length > 0) return lists;
  const inner = Object.values(result).flatMap((v) =>
    v !== null && typeof v === 'object' && !Array.isArray(v) ? itemsIn(v, depth + 1) : [],
  );
  return inner.length > 0 ? inner : [result as Item];
}

/** How much of an item is spoken of. */
function talkedOf(item: Item, wanted: string, raw: string, values: Readonly<Record<string, unknown>>): number {
  const times = timesIn(raw).map((t) => t.value);
  return Object.values(item).reduce<number>((sum, v) => {
    if (typeof v !== 'string' && typeof v !== 'number') return sum;
    const text = plain(String(v));
    const spoken =
      (text.length > 1 && wanted.includes(text)) || times.includes(text.slice(0, 5)) || Object.values(values).includes(v);
    const part = telling(text).filter((w) => w.length > 3 && wanted.includes(w)).length;
    return sum + (spoken ? 3 : 0) + part;
  }, 0);
}
