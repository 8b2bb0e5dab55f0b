import {
  decodePart,
  isLookedAt,
  type BotDocument,
  type IndexPart,
  type KnowledgeBase,
  type KnowledgeSource,
} from '@primrose/core';
import type { SourceStateView } from '@primrose/contract';
import { newId } from '../../base/clock.js';
import { dayIn } from '../../base/day.js';
import { own } from '../../base/own.js';
import { Refused } from '../../base/refused.js';
import { ownDraft, ownBot, type BotParts } from '../../bots/bots.js';
import type { Contents } from '../../knowledge/contents.js';
import { askedIn, evaluateBase, proposedOf } from '../../knowledge/evaluating.js';
import { hashOf, identitiesOf, type Identity } from '../../knowledge/identity.js';
import type { Fetching } from '../../knowledge/fetching.js';
import type { Indexer } from '../../knowledge/indexer.js';
import type { Indexing } from '../../knowledge/indexing.js';
import type { Lookups } from '../../knowledge/lookups.js';
import { passagePage } from '../../knowledge/page.js';
import * as store from '../../store/contents.js';
import { sheetColumn, skippedColumn } from '../../store/columns.js';
import { lookupSheets } from '../../store/conversations.js';
import * as sourceRows from '../../store/sources.js';
import * as evaluations from '../../store/evaluations.js';
import { HttpProblem } from '../problem.js';
import { firstNumber, PAGE, type Handlers } from '../route.js';

interface KnowingParts extends BotParts {
  readonly contents: Contents;
  readonly indexing: Indexing;
  readonly indexer: Indexer;
  readonly lookups: Lookups;
  readonly fetching: Fetching;
}

const decoder = new TextDecoder();
/** A request waits so long for documents that were brought just now. */
const WAIT_MS = 20_000;
const MOST_PROPOSED = 200;
/** So many turns in which something was looked up are gone through for questions. */
const MOST_SHEETS = 400;
/** An evaluation takes so long at most. */
const EVALUATE_MS = 110_000;

/** Documents of knowledge bases: their contents, how far they are, their passages, and how good lookups are. */
export function knowingHandlers(parts: KnowingParts): Handlers {
  const { db, clock, contents, indexing, indexer, lookups, fetching } = parts;

  const baseOf = async (personId: string, botId: string, name: string) => {
    const { revision, document, bot } = await ownDraft(parts, personId, botId);
    const base = own(document.knowledge, name);
    if (!base) throw new HttpProblem('not-found', noBase(name, document));
    return { botId: bot.id, revision, document, base };
  };
  const documentOf = async (personId: string, botId: string, name: string, id: string) => {
    const found = await baseOf(personId, botId, name);
    const identity = identitiesOf(found.botId, found.document, name).find((d) => d.document === id);
    if (!identity) throw new Refused('no-document', { document: id });
    return { ...found, identity };
  };
  const sourcesAt = async (botId: string, name: string, base: KnowledgeBase): Promise<SourceStateView[]> => {
    const rows = new Map((await sourceRows.sourcesOf(db, botId, name)).map((row) => [row.source, row]));
    return Object.entries(base.sources ?? {}).map(([source, declared]) => sourceView(source, declared, rows.get(source)));
  };
  const ready = async (identity: Identity): Promise<void> => {
    await indexing.settled([identity], WAIT_MS);
    const [at] = await indexing.states([identity]);
    if (at?.state === 'failed') throw new Refused('document-unreadable', { reason: at.problem ?? 'it failed' });
    if (at?.state !== 'ready') throw new HttpProblem('not-ready', 'The document is being read. Try again in a moment.');
  };
  const partOf = async (identity: Identity): Promise<IndexPart> => {
    await ready(identity);
    const bytes = (await store.indexedBytes(db, [identity.index])).get(identity.index);
    const part = bytes && decodePart(bytes);
    if (!part) throw new Error('an index cannot be read');
    return part;
  };
  const timed = async <T>(work: () => Promise<T>): Promise<{ value: T; ms: number }> => {
    const begun = clock.tick();
    const value = await work();
    return { value, ms: Math.round((clock.tick() - begun) * 100) / 100 };
  };
  const askedOf = async (botId: string, name: string, document: BotDocument) => {
    const sheets = await lookupSheets(db, botId, MOST_SHEETS);
    return askedIn(
      name,
      document,
      sheets.map((s) => sheetColumn.read(s)),
    );
  };
  const headingsOf = async (identities: readonly Identity[]) => {
    await indexing.settled(identities, WAIT_MS);
    const found = [];
    const until = clock.tick() + WAIT_MS;
    for (const identity of identities) {
      if (found.length >= MOST_PROPOSED || clock.tick() > until) break;
      const bytes = await store.readingBytes(db, identity.reading);
      if (!bytes) continue;
      const { headings } = await indexer.do('headings', { reading: bytes });
      found.push(...proposedOf(identity.document, identity.title ?? identity.document, { pieces: headings }));
    }
    return found;
  };

  return {
    putContent: async ({ person, params, req }) => {
      const { id } = await ownBot(db, person.id, params.bot);
      const bytes = req.body as Buffer;
      if (hashOf(bytes) !== params.hash) throw new Refused('content-differs', {});
      await contents.put(id, bytes);
      return { hash: params.hash, size: bytes.length };
    },
    addContent: async ({ person, params, req }) => {
      const { id } = await ownBot(db, person.id, params.bot);
      const bytes = req.body as Buffer;
      return { hash: await contents.put(id, bytes), size: bytes.length };
    },
    missingContents: async ({ person, params, body }) => {
      const { id } = await ownBot(db, person.id, params.bot);
      return { missing: await contents.missing(id, body.hashes) };
    },
    bringContent: async ({ person, params, req }) => {
      const bytes = req.body as Buffer;
      if (hashOf(bytes) !== params.hash) throw new Refused('content-differs', {});
      await contents.put(person.id, bytes);
      return { hash: params.hash, size: bytes.length };
    },
    missingBrought: async ({ person, body }) => {
      await store.shareOwnContents(db, person.id, person.id, body.hashes, clock.now());
      return { missing: await contents.missing(person.id, body.hashes) };
    },
    getContent: async ({ person, params, res }) => {
      const { id } = await ownBot(db, person.id, params.bot);
      const bytes = await contents.of(id, params.hash);
      if (!bytes) throw new HttpProblem('not-found', 'The bot has no such contents.');
      res.setHeader('content-disposition', 'attachment');
      res.type('application/octet-stream').send(Buffer.from(bytes));
      return undefined;
    },
    listDocuments: async ({ person, params }) => {
      const { botId, document, base } = await baseOf(person.id, params.bot, params.knowledge);
      const identities = identitiesOf(botId, document, params.knowledge);
      await indexing.want(identities);
      const [states, sizes] = await Promise.all([
        indexing.states(identities),
        store.contentsOf(
          db,
          botId,
          identities.map((d) => d.hash),
        ),
      ]);
      const day = dayIn(document.zone, clock.now());
      const items = identities.map((d, i) => {
        const stored = base.documents[d.document];
        const at = states[i] ?? {
          state: 'waiting' as const,
          problem: null,
          note: null,
          pages: null,
          characters: 0,
          passages: null,
        };
        return {
          document: d.document,
          title: d.title ?? d.document,
          form: d.form,
          ...at,
          size: sizes.get(d.hash) ?? null,
          used: stored !== undefined && isLookedAt(stored, undefined, day),
          hash: d.hash,
        };
      });
      return { items, next: null };
    },
    readDocumentAgain: async ({ person, params }) => {
      const { identity } = await documentOf(person.id, params.bot, params.knowledge, params.document);
      await indexing.again([identity]);
      return undefined;
    },
    listSources: async ({ person, params }) => {
      const { botId, base } = await baseOf(person.id, params.bot, params.knowledge);
      return { items: await sourcesAt(botId, params.knowledge, base), next: null };
    },
    fetchSource: async ({ person, params }) => {
      const { botId, base } = await baseOf(person.id, params.bot, params.knowledge);
      if (!own(base.sources, params.source)) throw new HttpProblem('not-found', noSource(params.source, base));
      await fetching.want(botId, params.knowledge, params.source);
      const found = (await sourcesAt(botId, params.knowledge, base)).find((s) => s.source === params.source);
      if (!found) throw new HttpProblem('not-found', noSource(params.source, base));
      return found;
    },
    listPassages: async ({ person, params, query }) => {
      const { identity } = await documentOf(person.id, params.bot, params.knowledge, params.document);
      const part = await partOf(identity);
      const from = firstNumber(query.after);
      const to = Math.min(part.lengths.length, from + (query.limit ?? PAGE));
      const items = Array.from({ length: to - from }, (_, i) => passageAt(part, from + i));
      return { items, next: to < part.lengths.length ? String(to) : null };
    },
    previewSplit: async ({ person, params, body }) => {
      const { identity } = await documentOf(person.id, params.bot, params.knowledge, params.document);
      await ready(identity);
      const bytes = await store.readingBytes(db, identity.reading);
      if (!bytes) throw new Error('a reading is gone');
      const { sizes, first } = await indexer.do('split', {
        reading: bytes,
        title: identity.title,
        split: body.split ?? undefined,
      });
      const sorted = [...sizes].sort((a, b) => a - b);
      const at = (share: number) => sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * share))] ?? 0;
      return { passages: sizes.length, characters: { least: at(0), median: at(0.5), most: at(1) }, first: [...first] };
    },
    askKnowledge: async ({ person, params, body }) => {
      const { botId, revision, document } = await baseOf(person.id, params.bot, params.knowledge);
      const { question, also = [], before, language, labels, most = 5 } = body;
      const unknown = also.find((name) => !own(document.knowledge, name));
      if (unknown !== undefined) throw new HttpProblem('not-found', noBase(unknown, document));
      const effect = {
        type: 'lookup' as const,
        path: 'try',
        base: params.knowledge,
        question,
        most,
        ...(also.length > 0 ? { also } : {}),
        ...(before === undefined ? {} : { before }),
        ...(language === undefined ? {} : { language }),
        ...(labels === undefined ? {} : { labels }),
      };
      const { value, ms } = await timed(() => lookups.look({ botId, document }, effect));
      const { outcome: _outcome, ...found } = value;
      return { revision, passages: await lookups.passages(botId, document, params.knowledge), ms, found };
    },
    listTestQuestions: async ({ person, params }) => {
      const { botId } = await baseOf(person.id, params.bot, params.knowledge);
      return { items: (await evaluations.testQuestions(db, botId, params.knowledge)).map(questionView), next: null };
    },
    addTestQuestions: async ({ person, params, body }) => {
      const { botId, base } = await baseOf(person.id, params.bot, params.knowledge);
      const unknown = body.questions.find((q) => q.document !== null && !own(base.documents, q.document));
      if (unknown?.document) throw new Refused('no-document', { document: unknown.document });
      const there = await evaluations.testQuestions(db, botId, params.knowledge);
      const seen = new Set(there.map((r) => tidy(r.question)));
      const fresh = body.questions.filter((q) => !seen.has(tidy(q.question)) && seen.add(tidy(q.question)));
      if (there.length + fresh.length > evaluations.MOST_QUESTIONS)
        throw new HttpProblem('invalid-input', `A set has at most ${evaluations.MOST_QUESTIONS} questions. Take some out first.`);
      await evaluations.insertTestQuestions(
        db,
        fresh.map(({ question, document, heading = null, says = null, origin = 'hand' }) => ({
          id: newId(clock),
          bot_id: botId,
          base: params.knowledge,
          question,
          document,
          heading,
          says,
          origin,
          at: clock.now(),
        })),
      );
      return { added: fresh.length, questions: there.length + fresh.length };
    },
    proposeTestQuestions: async ({ person, params, query }) => {
      const { botId, document } = await baseOf(person.id, params.bot, params.knowledge);
      const there = new Set((await evaluations.testQuestions(db, botId, params.knowledge)).map((r) => tidy(r.question)));
      const proposed =
        query.from === 'conversations'
          ? await askedOf(botId, params.knowledge, document)
          : await headingsOf(identitiesOf(botId, document, params.knowledge));
      return { items: proposed.filter((q) => !there.has(tidy(q.question))).slice(0, MOST_PROPOSED), next: null };
    },
    dropTestQuestion: async ({ person, params }) => {
      const { botId } = await baseOf(person.id, params.bot, params.knowledge);
      if ((await evaluations.dropTestQuestion(db, botId, params.knowledge, params.question)) === 0)
        throw new HttpProblem('not-found', 'The set has no such question.');
      return undefined;
    },
    evaluateKnowledge: async ({ person, params, body }) => {
      const { botId, revision, document } = await baseOf(person.id, params.bot, params.knowledge);
      const rows = await evaluations.testQuestions(db, botId, params.knowledge);
      const results = [];
      const until = clock.tick() + EVALUATE_MS;
      let done = 0;
      const onQuestion = () => {
        if (clock.tick() > until) throw new Refused('evaluation-long', { seconds: EVALUATE_MS / 1000, done });
        done++;
      };
      const at = { botId, document, base: params.knowledge };
      for (const split of [undefined, ...(body.splits ?? [])]) {
        const { value, ms } = await timed(() => evaluateBase(lookups, at, rows, split, onQuestion));
        results.push({ split: split ?? null, ms, ...value });
      }
      return { revision, results };
    },
    readPassage: async ({ params, res }) => {
      const place = Number(params.place);
      const known = lookups.isOurs(params.index, place, params.sign);
      const bytes = known ? (await store.indexedBytes(db, [params.index])).get(params.index) : undefined;
      const part = bytes && decodePart(bytes);
      res.setHeader('content-security-policy', "default-src 'none'; style-src 'unsafe-inline'; frame-ancestors *");
      res.setHeader('x-robots-tag', 'noindex');
      res
        .status(part ? 200 : 404)
        .type('html')
        .send(passagePage(part, place));
      return undefined;
    },
  };
}

const tidy = (text: string): string => text.replace(/\s+/g, ' ').trim().toLowerCase();

function passageAt(part: IndexPart, i: number) {
  const page = part.pageOf[i] ?? 0;
  return {
    place: part.placeOf[i] ?? i + 1,
    heading: part.headings[part.headingOf[i] ?? 0] ?? '',
    page: page > 0 ? page : null,
    text: decoder.decode(part.texts.subarray(part.textAt[i], part.textAt[i + 1])),
  };
}

function questionView(row: evaluations.TestQuestionRow) {
  const { id, question, document, heading, says, origin } = row;
  return { id, question, document, heading, says, origin };
}

function sourceView(source: string, { address, every }: KnowledgeSource, row: sourceRows.SourceRow | undefined): SourceStateView {
  const { state = 'never', problem = null, pages = 0, changed = 0, fetched_at: at, next_at: next } = row ?? {};
  const skipped = [...skippedColumn.read(row?.skipped ?? '[]')];
  return {
    source,
    address,
    every: every ?? null,
    state,
    problem,
    pages,
    changed,
    skipped,
    at: at?.toISOString() ?? null,
    next: next?.toISOString() ?? null,
  };
}

function noSource(name: string, { sources = {} }: KnowledgeBase): string {
  const names = Object.keys(sources);
  return `The knowledge base has no source "${name}".${names.length > 0 ? ` It has: ${names.join(', ')}.` : ''}`;
}

function noBase(name: string, { knowledge = {} }: BotDocument): string {
  const known: Readonly<Record<string, KnowledgeBase>> = knowledge;
  const names = Object.keys(known);
  return `The draft has no knowledge base "${name}".${names.length > 0 ? ` It has: ${names.join(', ')}.` : ''}`;
}
