import {
  comparePatch,
  groupMissed,
  listensForIntents,
  markValues,
  matchFrom,
  normalise,
  proposePhrases,
  readLabelled,
  reportOf,
  type BotDocument,
  type JudgedPhrase,
  type LabelledProblem,
  type LabelledText,
} from '@primrose/core';
import type { Clock } from '../../base/clock.js';
import { ownBot, ownDraft, type BotParts } from '../../bots/bots.js';
import { openMissed, settleMissed, type MissedRow } from '../../store/missed.js';
import { ownLexicon } from '../../understanding/lexicon.js';
import type { Listeners } from '../../understanding/listeners.js';
import { HttpProblem } from '../problem.js';
import type { Handlers } from '../route.js';

interface UnderstandingParts extends BotParts {
  readonly listeners: Listeners;
}

/** Texts of a labelled file that are read before others have their turn. */
const AT_ONCE = 20;
/** A file is read for so long; what is left of it then is named. */
const FILE_MS = 60_000;

/** Measuring how well a draft understands, and teaching it what was missed. */
export function understandingHandlers(parts: UnderstandingParts): Handlers {
  const { db, clock, drafts, listeners } = parts;
  return {
    measureQuality: async ({ person, params, body }) => {
      const { bot, revision, document } = await ownDraft(parts, person.id, params.bot);
      const begun = clock.tick();
      const { judged, duplicates, encoder } = await listeners.quality(document, bot.id);
      const report = reportOf(judged, body.threshold ?? matchFrom(document), duplicates);
      return { revision, ms: Math.round(clock.tick() - begun), encoder, report };
    },
    judgeFile: async ({ person, params, body }) => {
      const { bot, revision, document } = await ownDraft(parts, person.id, params.bot);
      const begun = clock.tick();
      const { rows, problems } = readLabelled(body.source, Object.keys(document.intents ?? {}));
      const language = body.language ?? document.languages[0] ?? 'en';
      const { judged, encoder, late } = await judge(listeners, { document, owner: bot.id, language, clock }, rows);
      const report = reportOf(judged, body.threshold ?? matchFrom(document));
      return {
        revision,
        ms: Math.round(clock.tick() - begun),
        encoder,
        rows: judged.length,
        problems: [...problems, ...late],
        report,
      };
    },
    proposePhrases: async ({ person, params, body }) => {
      const { revision, document } = await ownDraft(parts, person.id, params.bot);
      if (!Object.hasOwn(document.intents ?? {}, params.intent))
        throw new HttpProblem('not-found', `The draft has no intent "${params.intent}".`);
      const language = body.language ?? document.languages[0] ?? 'en';
      return { revision, language, phrases: proposePhrases(document, params.intent, language) };
    },
    listMissed: async ({ person, params }) => {
      const bot = await ownBot(db, person.id, params.bot);
      const open = await openMissed(db, bot.id);
      const conversations = new Map(open.map((m) => [m.id, m.conversation]));
      const groups = groupMissed(open, ownLexicon()).map(({ items, ...group }) => ({
        ...group,
        items: items.map((m) => ({ ...m, conversation: conversations.get(m.id) ?? null })),
      }));
      return { open: open.length, groups };
    },
    settleMissed: async ({ person, params, body }) => {
      const { bot, revision, document } = await ownDraft(parts, person.id, params.bot);
      const wanted = new Set(body.ids);
      const missed = (await openMissed(db, bot.id)).filter((m) => wanted.has(m.id));
      if (missed.length === 0) return { settled: 0, phrases: [], revision };
      const ids = missed.map((m) => m.id);
      const now = clock.now();
      if (body.as === 'left') return { settled: await settleMissed(db, bot.id, ids, 'left', now), phrases: [], revision };
      if (body.as === 'phrases' && body.intent === undefined)
        throw new HttpProblem('not-found', 'Say which intent is to learn these: "intent" is missing.');
      const { taught, phrases } =
        body.as === 'outside' ? withOutside(document, missed) : withPhrases(document, body.intent ?? '', missed);
      const patch = comparePatch(document, taught);
      const after =
        patch.length === 0
          ? revision
          : (await drafts.edit({ botId: bot.id, personId: person.id, revision, kind: 'edit', patch })).revision;
      const settled = await settleMissed(db, bot.id, ids, body.as === 'outside' ? 'outside' : 'taught', now);
      return { settled, phrases, revision: after };
    },
  };
}

type Taught = { readonly taught: BotDocument; readonly phrases: string[] };

/** One wording of each, in the language of the bot that it was said in. */
function wordings(document: BotDocument, missed: readonly MissedRow[]): { language: string; text: string }[] {
  const seen = new Set<string>();
  return missed.flatMap(({ text, language }) => {
    const key = normalise(text);
    if (key === '' || seen.has(key)) return [];
    seen.add(key);
    return [{ text, language: document.languages.includes(language) ? language : (document.languages[0] ?? 'en') }];
  });
}

function added(lists: Readonly<Record<string, string[]>> | undefined, more: readonly { language: string; text: string }[]) {
  const next: Record<string, string[]> = { ...lists };
  for (const { language, text } of more) if (!next[language]?.includes(text)) next[language] = [...(next[language] ?? []), text];
  return next;
}

function withPhrases(document: BotDocument, intent: string, missed: readonly MissedRow[]): Taught {
  const more = wordings(document, missed).map(({ text, language }) => ({
    language,
    text: markValues(document, intent, text.replaceAll('<<', '«'), language),
  }));
  const old = document.intents?.[intent] ?? {};
  const taught = { ...document, intents: { ...document.intents, [intent]: { ...old, phrases: added(old.phrases, more) } } };
  return { taught, phrases: more.map((m) => m.text) };
}

function withOutside(document: BotDocument, missed: readonly MissedRow[]): Taught {
  const more = wordings(document, missed);
  return { taught: { ...document, 'out-of-scope': added(document['out-of-scope'], more) }, phrases: more.map((m) => m.text) };
}

interface Judging {
  readonly clock: Clock;
  readonly document: BotDocument;
  readonly owner: string;
  readonly language: string;
}

/** Reads the texts of a labelled file as if visitors had said them, some at a time. */
async function judge(
  listeners: Listeners,
  { document, owner, language: usual, clock }: Judging,
  rows: readonly LabelledText[],
): Promise<{ readonly judged: JudgedPhrase[]; readonly encoder: boolean; readonly late: readonly LabelledProblem[] }> {
  const judged: JudgedPhrase[] = [];
  if (!listensForIntents(document)) return { judged, encoder: false, late: [] };
  const listener = await listeners.finalOf(document, owner);
  const begun = clock.tick();
  let encoder = false;
  for (let i = 0; i < rows.length; i += AT_ONCE) {
    if (clock.tick() - begun > FILE_MS) {
      const line = rows[i]?.line ?? 0;
      return {
        judged,
        encoder,
        late: [{ line, problem: 'This line and those behind it were not read: it took longer than a minute.' }],
      };
    }
    const some = rows.slice(i, i + AT_ONCE);
    const read = some.map(async ({ text, intent, language = usual }): Promise<JudgedPhrase> => {
      const setting = { at: clock.now().toISOString(), zone: document.zone, language };
      const asks = listener.asks(text, setting);
      const vectors = asks.length > 0 ? await listeners.encodeLater(asks) : undefined;
      if (vectors) encoder = true;
      const [best] = listener.hear(text, setting, vectors).intents;
      return { text, language, intent, read: best?.intent ?? '', score: best?.score ?? 0 };
    });
    judged.push(...(await Promise.all(read)));
    await new Promise((resolve) => setImmediate(resolve));
  }
  return { judged, encoder, late: [] };
}
