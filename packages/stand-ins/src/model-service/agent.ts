import { ranked, reads, type Fills, type Tool } from './choose.js';
import { coverage, fillAll, itemsIn, type Filled, type JsonSchema, type Sources } from './fill.js';
import { weekIn } from './moments.js';
import { languageOf, plain, telling, wantedLanguage, type Language } from './words.js';

/*
 * The practice model with tools: it chooses by likeness, fills in what was said, asks for what is missing, and puts what tools
 * gave into a sentence. It knows no trade.
 */

export interface ChatMessage {
  readonly role: string;
  readonly content: string;
  readonly tool_calls?: readonly {
    readonly id: string;
    readonly function: { readonly name: string; readonly arguments: string };
  }[];
  readonly tool_call_id?: string;
}

export interface AgentAnswer {
  readonly text: string;
  readonly calls: readonly { readonly name: string; readonly given: Readonly<Record<string, unknown>> }[];
}

const FINISH = 'finish';

type Says = Readonly<Record<Language, (value: string) => string>>;
const SAYS: Readonly<Record<string, Says>> = {
  needs: {
    en: (v) => `For that I need to know: ${v}?`,
    de: (v) => `Dafür muss ich wissen: ${v}?`,
    es: (v) => `Para eso necesito saber: ${v}?`,
    fr: (v) => `Pour cela, il me faut : ${v} ?`,
  },
  none: {
    en: () => 'I found nothing.',
    de: () => 'Ich habe nichts gefunden.',
    es: () => 'No he encontrado nada.',
    fr: () => 'Je n’ai rien trouvé.',
  },
  found: {
    en: (v) => `I found ${v}`,
    de: (v) => `Gefunden: ${v}`,
    es: (v) => `He encontrado ${v}`,
    fr: (v) => `J’ai trouvé ${v}`,
  },
  done: { en: (v) => `Done${v}.`, de: (v) => `Erledigt${v}.`, es: (v) => `Hecho${v}.`, fr: (v) => `C’est fait${v}.` },
  failed: {
    en: (v) => `That did not work: ${v}.`,
    de: (v) => `Das hat nicht geklappt: ${v}.`,
    es: (v) => `Eso no ha funcionado: ${v}.`,
    fr: (v) => `Cela n’a pas marché : ${v}.`,
  },
  left: {
    en: () => 'All right, I leave it.',
    de: () => 'Gut, dann lasse ich es.',
    es: () => 'De acuerdo, lo dejo.',
    fr: () => 'D’accord, je laisse cela.',
  },
  cannot: {
    en: (v) => `I am a practice model. What I can do here: ${v}.`,
    de: (v) => `Ich bin ein Übungsmodell. Was ich hier kann: ${v}.`,
    es: (v) => `Soy un modelo de práctica. Lo que puedo hacer aquí: ${v}.`,
    fr: (v) => `Je suis un modèle d’exercice. Ce que je peux faire ici : ${v}.`,
  },
  nothing: {
    en: () => 'I am a practice model, and I have no tools here.',
    de: () => 'Ich bin ein Übungsmodell und habe hier keine Werkzeuge.',
    es: () => 'Soy un modelo de práctica y aquí no tengo herramientas.',
    fr: () => 'Je suis un modèle d’exercice et je n’ai pas d’outils ici.',
  },
  hello: {
    en: () => 'Hello. What can I do for you?',
    de: () => 'Hallo. Was kann ich für Sie tun?',
    es: () => 'Hola. ¿Qué puedo hacer?',
    fr: () => 'Bonjour. Que puis-je faire ?',
  },
  welcome: { en: () => 'You are welcome.', de: () => 'Gern geschehen.', es: () => 'De nada.', fr: () => 'Je vous en prie.' },
  notyet: {
    en: () => 'None of that has been done. Tell me what you need, and I will ask before I do it.',
    de: () => 'Davon ist nichts getan. Sagen Sie mir, was Sie brauchen, und ich frage, bevor ich es tue.',
    es: () => 'Nada de eso está hecho. Dígame qué necesita y preguntaré antes de hacerlo.',
    fr: () => 'Rien de cela n’a été fait. Dites-moi ce qu’il vous faut.',
  },
  today: { en: (v) => `It is ${v}.`, de: (v) => `Heute ist ${v}.`, es: (v) => `Hoy es ${v}.`, fr: (v) => `Nous sommes ${v}.` },
};

const say = (what: keyof typeof SAYS, language: Language, value = ''): string => SAYS[what]?.[language](value) ?? '';

/** What the conversation holds, as far as the model goes by it. */
interface Talk {
  /** What the visitor has said since what they wanted last was done, the newest last. */
  readonly said: readonly string[];
  readonly last: string;
  readonly told: string;
  readonly today: string | undefined;
  readonly language: Language;
  /** Tools that were called since then, with what came of each. */
  readonly made: readonly Made[];
  readonly gave: readonly unknown[];
  readonly note: string | undefined;
}

interface Made {
  readonly name: string;
  readonly given: string;
  readonly came: Readonly<Record<string, unknown>>;
}

const NOTE = /^Note from \S+, not from the visitor:/;

/** What stands between marks, and headings taken away. */
export function wordsOf(content: string): string {
  return content
    .replaceAll(/<\/?data[^>]*>/g, '')
    .replaceAll(/^# .*$/gm, '')
    .trim();
}

function cameOf(content: string): Readonly<Record<string, unknown>> {
  try {
    const read: unknown = JSON.parse(wordsOf(content));
    return read !== null && typeof read === 'object' && !Array.isArray(read)
      ? (read as Record<string, unknown>)
      : { result: read };
  } catch {
    return { result: wordsOf(content) };
  }
}

function talkOf(messages: readonly ChatMessage[]): Talk {
  const told = messages
    .filter((m) => m.role === 'system')
    .map((m) => m.content)
    .join('\n');
  const today = /\b(\d{4}-\d\d-\d\d)\b/.exec(told)?.[1];
  const rest = messages.filter((m) => m.role !== 'system');
  const users = rest.filter((m) => m.role === 'user' && !NOTE.test(m.content));
  const last = wordsOf(users.at(-1)?.content ?? '');
  // A matter begins where the model had last said something that asked for nothing.
  let from = 0;
  rest.forEach((m, i) => {
    const closes = m.role === 'assistant' && (m.tool_calls?.length ?? 0) === 0 && !/\?\s*$/.test(m.content);
    if (closes && rest.slice(i + 1).some((later) => later.role === 'user' && !NOTE.test(later.content))) from = i + 1;
  });
  const matter = rest.slice(from);
  const said = matter.filter((m) => m.role === 'user' && !NOTE.test(m.content)).map((m) => wordsOf(m.content));
  const calls = new Map(matter.flatMap((m) => (m.tool_calls ?? []).map((c) => [c.id, c.function] as const)));
  const made = matter.flatMap((m): Made[] => {
    const call = m.role === 'tool' ? calls.get(m.tool_call_id ?? '') : undefined;
    return call ? [{ name: call.name, given: call.arguments, came: cameOf(m.content) }] : [];
  });
  const newest = rest.at(-1);
  const all = [...said].reverse();
  const language = wantedLanguage(told) ?? languageOf(all.find((s) => telling(s).length > 1) ?? last);
  const gave = rest.filter((m) => m.role === 'tool').map((m) => cameOf(m.content)['result'] ?? null);
  return {
    said,
    last,
    told,
    today,
    language,
    made,
    gave,
    note: newest && NOTE.test(newest.content) ? newest.content : undefined,
  };
}

/** The next step of a conversation with tools; the same conversation has the same step. */
export function nextStep(messages: readonly ChatMessage[], tools: readonly Tool[]): AgentAnswer {
  const talk = talkOf(messages);
  const step = stepOf(messages, talk, tools);
  return { ...step, text: shaped(step.text, talk.told) };
}

function stepOf(messages: readonly ChatMessage[], talk: Talk, tools: readonly Tool[]): AgentAnswer {
  const { language, last, note } = talk;
  const finish = tools.find((t) => t.name === FINISH);
  const own = tools.filter((t) => t.name !== FINISH);
  const words = (text: string): AgentAnswer => ({ text, calls: [] });
  if (note !== undefined) {
    if (/calling the tool finish/.test(note) && finish) return handsIn(finish, talk, own);
    return words(say('notyet', language));
  }
  const newest = messages.at(-1);
  if (newest?.role === 'user') {
    const social = socialAnswer(last, talk, finish);
    if (social) return social;
  }
  const declined = talk.made.at(-1)?.came['not_done'];
  if (newest?.role === 'tool' && typeof declined === 'string' && /said no$/.test(declined)) return words(say('left', language));
  const plan = planned(talk, own);
  if (plan) return plan;
  const results = talk.made.filter((m) => m.name !== FINISH);
  if (results.length > 0) {
    if (finish && hasFields(finish) && results.every((r) => r.came['not_done'] === undefined)) return handsIn(finish, talk, own);
    return words(summed(results, own, language));
  }
  if (finish && hasFields(finish)) return handsIn(finish, talk, own);
  const abilities = own.map((t) => t.description.split(/[.:;]/)[0]?.trim() ?? t.name).join('; ');
  return words(abilities === '' ? say('nothing', language) : say('cannot', language, abilities));
}

const hasFields = (finish: Tool): boolean => Object.keys(finish.parameters.properties ?? {}).some((k) => k !== 'how');

/** Greetings, thanks, and the question for the day. */
function socialAnswer(last: string, { language, told }: Talk, finish: Tool | undefined): AgentAnswer | undefined {
  const said = plain(last)
    .replaceAll(/[^\p{L}\s']/gu, '')
    .trim();
  if (
    /^(?:thanks?(?: you)?(?: very much| a lot)?|thank you(?: very much)?|danke(?: schon| sehr)?|vielen dank|gracias|muchas gracias|merci)$/.test(
      said,
    )
  )
    return {
      text: say('welcome', language),
      calls: finish && !hasFields(finish) ? [{ name: FINISH, given: { how: 'done' } }] : [],
    };
  if (
    finish &&
    !hasFields(finish) &&
    /^(?:(?:no|nein)\s)?(?:(?:that s|thats|that's|that is) all|bye|goodbye|nothing else|das war alles|das ist alles|tschuss|eso es todo|nada mas|adios)(?: thanks| thank you| danke| gracias)?$/.test(
      said,
    )
  )
    return { text: say('welcome', language), calls: [{ name: FINISH, given: { how: 'done' } }] };
  if (
    /^(?:hi|hello|hey|good (?:morning|day|evening|afternoon)|hallo|guten (?:tag|morgen|abend)|moin|hola|buenos dias|buenas(?: tardes| noches)?|bonjour)(?: there)?$/.test(
      said,
    )
  )
    return { text: say('hello', language), calls: [] };
  const moment = /It is (.+?), in the time zone/.exec(told)?.[1];
  if (
    moment !== undefined &&
    /^(?:what (?:day|date|time) is it|what(?:'s| is) (?:the )?(?:date|day|time)|which day is (?:it )?today|welcher tag ist heute|que dia es hoy|wie spat ist es)\b/.test(
      said,
    )
  )
    return { text: say('today', language, moment), calls: [] };
  return undefined;
}

/** The clauses of a wish that may be for tools of their own. */
function clausesOf(said: string): string[] {
  return said
    .split(
      /(?:[.;!?]\s+|,?\s+(?:and|und|y|then|dann|luego)\s+(?:then\s+|also\s+|auch\s+|please\s+)?(?=(?:tell|send|note|add|book|cancel|order|inform|notify|show|list|find|let|put|what|which|when|how|is|record|log|move|change|remind|sag|schick|notier|trag|buch|zeig|storn|avis|anot|reserv|env|busc)))/iu,
    )
    .map((s) => s.trim())
    .filter((s) => telling(s).length > 0);
}

/** The calls that are still to be made for what was wished; undefined where nothing is. */
function planned(talk: Talk, tools: readonly Tool[]): AgentAnswer | undefined {
  const wish = talk.said.join('. ');
  const parts = talk.said.flatMap(clausesOf);
  const chosen = new Map<string, { readonly tool: Tool; readonly said: string[] }>();
  const fills: Fills = (tool) =>
    coverage(tool.parameters, {
      said: talk.said,
      today: talk.today,
      gave: [],
      tool: telling(`${tool.name} ${tool.description}`),
    });
  const [whole] = ranked(wish, tools, fills);
  for (const part of parts) {
    const [best] = ranked(part, tools, (tool) =>
      coverage(tool.parameters, { said: [part], today: talk.today, gave: [], tool: [] }),
    );
    if (!best) continue;
    const known = chosen.get(best.tool.name);
    if (known) known.said.push(part);
    else chosen.set(best.tool.name, { tool: best.tool, said: [part] });
  }
  // One thing that is wished in many words is for one tool: that of the whole, unless a part is clearly for another.
  if (whole && !chosen.has(whole.tool.name)) chosen.set(whole.tool.name, { tool: whole.tool, said: [...talk.said] });
  if (whole && chosen.size > 1)
    for (const [name, { said }] of chosen) {
      const own = ranked(said.join('. '), tools)[0];
      if (name !== whole.tool.name && (own?.score ?? 0) < 1.6) chosen.delete(name);
    }
  const calls: { name: string; given: Readonly<Record<string, unknown>> }[] = [];
  const asks: string[] = [];
  for (const { tool, said } of chosen.values()) {
    const sources: Sources = {
      said: sourcesFor(talk, said, chosen.size),
      today: talk.today,
      gave: talk.gave,
      tool: telling(`${tool.name} ${tool.description}`),
    };
    const filled = fillAll(tool.parameters, sources);
    const week = weekFor(tool, filled, talk);
    if (week.length > 0) {
      if (!talk.made.some((m) => m.name === tool.name)) calls.push(...week.map((given) => ({ name: tool.name, given })));
      continue;
    }
    if (wasMade(talk, tool, filled.values)) continue;
    if (filled.missing.length === 0) {
      calls.push({ name: tool.name, given: filled.values });
      continue;
    }
    const first = helper(tool, filled.missing, tools, talk);
    if (first) calls.push(first);
    else asks.push(...filled.missing.map((name) => asked(name, tool.parameters, talk.language)));
  }
  if (calls.length > 0) return { text: '', calls: calls.slice(0, 7) };
  return asks.length > 0 ? { text: say('needs', talk.language, [...new Set(asks)].join(', ')), calls: [] } : undefined;
}

/** One call for each day of a week, where a day is needed and only a week is named. */
function weekFor(tool: Tool, filled: Filled, talk: Talk): Readonly<Record<string, unknown>>[] {
  const days = Object.entries(tool.parameters.properties ?? {}).filter(([, p]) => p.format === 'date');
  const [name] = days[0] ?? [];
  if (days.length !== 1 || name === undefined || name in filled.values || talk.today === undefined) return [];
  if (filled.missing.some((m) => m !== name)) return [];
  return weekIn(talk.said.join('. '), talk.today).map((day) => ({ ...filled.values, [name]: day }));
}

/** What a tool is filled in from: all that was said, or where several tools are meant the parts that are for it, and what was said later. */
function sourcesFor({ said }: Talk, own: readonly string[], many: number): readonly string[] {
  if (many === 1) return said;
  const later = said.slice(1).filter((s) => !own.some((o) => s.includes(o)));
  return [...own, ...later];
}

/** True where a tool was called with these parameters already, or with others that nothing said since has changed. */
function wasMade(talk: Talk, tool: Tool, values: Readonly<Record<string, unknown>>): boolean {
  return talk.made.some((m) => {
    if (m.name !== tool.name) return false;
    const given = parsed(m.given);
    const same = Object.entries(values).every(([k, v]) => JSON.stringify(given[k]) === JSON.stringify(v));
    const otherwise = typeof m.came['not_done'] === 'string' && /neither yes nor no/.test(m.came['not_done']);
    return same || !otherwise;
  });
}

function parsed(text: string): Readonly<Record<string, unknown>> {
  try {
    return JSON.parse(text) as Record<string, unknown>;
  } catch {
    return {};
  }
}

/** A tool that only reads and may find what is missing: its words are like the parameter's, and it was not called yet. */
function helper(
  tool: Tool,
  missing: readonly string[],
  tools: readonly Tool[],
  talk: Talk,
): { name: string; given: Readonly<Record<string, unknown>> } | undefined {
  const about = missing
    .map((name) => `${name.replaceAll('_', ' ')} ${tool.parameters.properties?.[name]?.description ?? ''}`)
    .join(' ');
  const wanted = new Set(telling(about));
  for (const other of tools) {
    if (other === tool || !reads(other) || talk.made.some((m) => m.name === other.name)) continue;
    const words = telling(`${other.name.replaceAll(/[-_]/g, ' ')} ${other.description}`);
    const same =
      words.some((w) => wanted.has(w)) ||
      (/\b(?:row|id)\b/.test(about) &&
        words.some((w) => telling(`${tool.name.replaceAll(/[-_]/g, ' ')} ${tool.description}`).includes(w)));
    if (!same) continue;
    const filled = fillAll(other.parameters, { said: talk.said, today: talk.today, gave: talk.gave, tool: telling(other.name) });
    if (filled.missing.length === 0) return { name: other.name, given: filled.values };
  }
  return undefined;
}

const ASKED: Readonly<Record<Language, Readonly<Record<string, string>>>> = {
  en: {},
  de: { name: 'Ihr Name', day: 'der Tag', date: 'der Tag', time: 'die Uhrzeit' },
  es: { name: 'su nombre', day: 'el día', date: 'el día', time: 'la hora' },
  fr: { name: 'votre nom', day: 'le jour', date: 'le jour', time: 'l’heure' },
};

/** How a parameter is asked for: by its description where it is short, else by its name. */
function asked(name: string, { properties = {} }: JsonSchema, language: Language): string {
  const own = ASKED[language][name];
  if (own !== undefined) return own;
  const about = (properties[name]?.description ?? '').split(/[.;:]/)[0]?.trim() ?? '';
  return about !== '' && about.length <= 60 && !/HH:MM|YYYY/.test(about) ? about : name.replaceAll('_', ' ');
}

/** A field for an answer holds what the tools came to. */
function withSummary(finish: Tool, { values, missing }: Filled, summary: string): Filled {
  const name = Object.entries(finish.parameters.properties ?? {}).find(
    ([key, p]) =>
      p.format === undefined &&
      !p.enum &&
      /\b(?:answer|result|summary|outcome|reply|what you found)\b/.test(`${key.replaceAll('_', ' ')} ${p.description ?? ''}`),
  )?.[0];
  if (name === undefined || summary === '') return { values, missing };
  return { values: { ...values, [name]: summary }, missing: missing.filter((m) => m !== name) };
}

function handsIn(finish: Tool, talk: Talk, tools: readonly Tool[]): AgentAnswer {
  const results = talk.made.filter((m) => m.name !== FINISH);
  const filled = withSummary(
    finish,
    fillAll(finish.parameters, { said: talk.said, today: talk.today, gave: talk.gave, tool: [] }),
    summed(results, tools, talk.language),
  );
  if (filled.missing.length > 0) {
    const asks = filled.missing.map((name) => asked(name, finish.parameters, talk.language));
    return { text: say('needs', talk.language, asks.join(', ')), calls: [] };
  }
  return { text: '', calls: [{ name: FINISH, given: filled.values }] };
}

const MOST_ITEMS = 5;
/** Names of fields that tell people nothing. */
const HIDDEN = /^(?:id|row|version|_.*|.*_id|ok|done|state|status)$/;

/** What calls came to: each in a sentence, and several of one tool side by side. */
function summed(results: readonly Made[], tools: readonly Tool[], language: Language): string {
  const names = [...new Set(results.map((r) => r.name))];
  return names
    .map((name) => {
      const own = results.filter((r) => r.name === name);
      return own.length > 2 && own.every((r) => r.came['not_done'] === undefined)
        ? sideBySide(own, language)
        : own.map((r) => sentence(r, tools, language)).join(' ');
    })
    .filter(Boolean)
    .join(' ');
}

const MOST: Readonly<Record<Language, (value: string) => string>> = {
  en: (v) => `Most of all on ${v}.`,
  de: (v) => `Am meisten am ${v}.`,
  es: (v) => `Lo que más, el ${v}.`,
  fr: (v) => `Le plus, le ${v}.`,
};

/** Several calls of one tool with one parameter that differs: how much each found, and where there is most. */
function sideBySide(results: readonly Made[], language: Language): string {
  const given = results.map((r) => parsed(r.given));
  const differs = Object.keys(given[0] ?? {}).find((k) => new Set(given.map((g) => JSON.stringify(g[k]))).size > 1);
  const counts = results.map((r, i) => {
    const items = itemsIn(r.came['result']).filter((item) => Object.keys(item).length > 1);
    const value = differs === undefined ? undefined : given[i]?.[differs];
    return { what: typeof value === 'string' || typeof value === 'number' ? String(value) : String(i + 1), count: items.length };
  });
  const [best] = counts.toSorted((a, b) => b.count - a.count);
  const line = counts.map((c) => `${c.what}: ${c.count}`).join(', ');
  return `${say('found', language, line)}. ${best && best.count > 0 ? MOST[language](best.what) : ''}`.trim();
}

/** What a call came to, in a sentence. */
function sentence({ name, came }: Made, tools: readonly Tool[], language: Language): string {
  if (came['not_done'] !== undefined) {
    const reason =
      typeof came['reason'] === 'string' ? came['reason'] : typeof came['not_done'] === 'string' ? came['not_done'] : '';
    return say('failed', language, reason.replace(/[.\s]+$/, ''));
  }
  const tool = tools.find((t) => t.name === name);
  const result = came['result'];
  const about = tool?.description.split(/[.:;]/)[0]?.trim() ?? name;
  const told = answerIn(result);
  if (told !== undefined) return told;
  if (tool && !reads(tool)) {
    const facts = result === undefined || result === null ? '' : factsOf(itemsIn(result)[0] ?? {});
    return say('done', language, `: ${about}${facts === '' ? '' : ` – ${facts}`}`);
  }
  if (typeof result === 'string') return result.slice(0, 600);
  const passages =
    result !== null && typeof result === 'object' && 'passages' in result
      ? (result as { passages: { quote?: string; number?: number }[] }).passages
      : undefined;
  if (passages)
    return passages.length === 0 ? say('none', language) : `${passages[0]?.quote ?? ''} [${passages[0]?.number ?? 1}]`;
  const items = itemsIn(result).filter((i) => Object.keys(i).length > 0);
  if (items.length === 0) return say('none', language);
  const same =
    items.length > 1
      ? new Set(Object.keys(items[0] ?? {}).filter((k) => items.every((i) => i[k] === items[0]?.[k])))
      : new Set<string>();
  const lines = items
    .slice(0, MOST_ITEMS)
    .map((i) => factsOf(Object.fromEntries(Object.entries(i).filter(([k]) => !same.has(k)))));
  const more = items.length > MOST_ITEMS ? '; …' : '';
  const found = say('found', language, `${items.length === 1 ? '' : `${items.length}: `}${lines.join('; ')}${more}`);
  return found.endsWith('…') ? found : `${found}.`;
}

/** A result that is a sentence already, as a specialist hands it in. */
function answerIn(result: unknown): string | undefined {
  if (result === null || typeof result !== 'object' || Array.isArray(result)) return undefined;
  const entries = Object.entries(result);
  const [only] = entries;
  return entries.length === 1 && only && typeof only[1] === 'string' && /^(?:answer|text|summary|result|reply)$/.test(only[0])
    ? only[1]
    : undefined;
}

/** The facts of an item in a row: what is short and tells something. */
function factsOf(item: Readonly<Record<string, unknown>>): string {
  return Object.entries(item)
    .map(([key, v]) => [key, shortValue(v)] as const)
    .filter(([key, v]) => !HIDDEN.test(key) && v !== '' && v.length <= 80)
    .slice(0, 6)
    .map(([key, v]) => `${key.replaceAll('_', ' ')} ${v}`)
    .join(', ');
}

/** A text, a number, or a short list of them, as it is said; empty for anything else. */
function shortValue(value: unknown): string {
  if (typeof value === 'string' || typeof value === 'number') return String(value);
  const list = Array.isArray(value) && value.length > 0 && value.length <= 6 ? (value as unknown[]) : [];
  return list.every((v) => typeof v === 'string' || typeof v === 'number') ? list.join(', ') : '';
}

/** The form that instructions ask for: plain text, at most so many sentences or words. */
export function shaped(text: string, told: string): string {
  let out = text;
  const said = plain(told);
  if (/\bplain text\b|\bno markdown\b|\bkein markdown\b|\btexto plano\b/.test(said))
    out = out.replaceAll(/[*`#]+|(?<![\p{L}\p{N}])_+|_+(?![\p{L}\p{N}])/gu, '');
  const sentences =
    /\b(?:at most|no more than|hochstens|como maximo|in)\s+(one|two|three|a single|\d+|ein(?:em)?|zwei|drei|una|dos|tres)\s+(?:short )?(?:sentences?|satz|satze|satzen|frases?)\b/.exec(
      said,
    )?.[1];
  const many =
    sentences === undefined
      ? undefined
      : ({ one: 1, 'a single': 1, ein: 1, einem: 1, una: 1, two: 2, zwei: 2, dos: 2, three: 3, drei: 3, tres: 3 }[sentences] ??
        Number(sentences));
  if (many !== undefined && Number.isFinite(many))
    out = (out.match(/[^.!?]+[.!?]+(?:\s|$)|[^.!?]+$/g) ?? [out]).slice(0, many).join('').trim();
  const wordsMost = /\b(?:at most|no more than|under|hochstens|como maximo)\s+(\d{1,4})\s+(?:words|worter|palabras)\b/.exec(
    said,
  )?.[1];
  if (wordsMost !== undefined) {
    const all = out.split(/\s+/);
    if (all.length > Number(wordsMost)) out = `${all.slice(0, Number(wordsMost)).join(' ')}…`;
  }
  return out;
}
