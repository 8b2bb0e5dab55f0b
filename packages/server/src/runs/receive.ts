import { createHmac, timingSafeEqual } from 'node:crypto';
import type { Request } from 'express';
import {
  asksVisitor,
  checkBot,
  givenOf,
  readForm,
  repeatKey,
  sizeOf,
  type BotDocument,
  type Came,
  type StartOf,
  type Value,
} from '@primrose/core';
import { hashSecret, newId, type Clock } from '../base/clock.js';
import { Recent } from '../base/recent.js';
import { Refused, type RefusalCode, type Refusals } from '../base/refused.js';
import { fieldErrors } from '../bots/documents.js';
import { addressKey, RateLimit } from '../base/rate-limit.js';
import { startOwner, type Secrets } from '../outside/secrets.js';
import { jsonColumn } from '../store/columns.js';
import type { Db } from '../store/database.js';
import { statement } from '../store/hot.js';
import { findRun, type RunRow } from '../store/runs.js';
import * as store from '../store/starts.js';
import { withinMs, type LoadedStart, type Runs } from './runs.js';

export interface ReceivingParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly secrets: Secrets;
  readonly runs: Runs;
  readonly limits: { readonly startsAMinute: number };
}

/** What came of something that came to a start. */
export interface Begun {
  readonly run: string;
  readonly repeat: boolean;
  /** How long whoever sent it waits for what the flow gives, in ms; undefined where it is answered at once. */
  readonly waits: number | undefined;
}

const MINUTE_MS = 60_000;
/** Forged deliveries of one address a minute; then nothing of it is looked at for the rest of it. */
const FORGERIES = 30;
export const MOST_BODY = 1_000_000;
/** Bodies that are kept, to be looked at and made samples of; of longer ones the beginning. */
const KEPT_BODY = 200_000;
/** How often old entries of a start are swept away, in entries. */
const TRIM_EVERY = 20;
const KEPT_COUNTS = 10_000;
const SECRET_HEADERS = /^(authorization|cookie|proxy-authorization|x-.*(token|secret|key|signature).*)$/i;
const DULL_HEADERS = new Set([
  'host',
  'connection',
  'content-length',
  'accept-encoding',
  'transfer-encoding',
  'keep-alive',
  'te',
]);

/** A body that was read, or that is too long to be. */
export type ReadBody = Buffer | 'too-large';

/** Reads a body up to what is taken; what comes beyond runs by and is not kept. Fails where the line breaks. */
export function readBody(req: Request): Promise<ReadBody> {
  return new Promise((resolve, reject) => {
    let parts: Buffer[] = [];
    let size = 0;
    req.on('data', (part: Buffer) => {
      size += part.length;
      if (size <= MOST_BODY) return void parts.push(part);
      parts = [];
      resolve('too-large');
    });
    req.once('end', () => resolve(Buffer.concat(parts)));
    req.once('close', () => reject(new Refused('start-body', { wanted: 'a whole body', reason: 'the line broke' })));
    req.once('error', reject);
  });
}

/** Takes what comes to the addresses of hooks and calls: known, read, mapped, and stored before it is acknowledged. */
export class Receiving {
  readonly #parts: ReceivingParts;
  readonly #rate: RateLimit;
  readonly #forgeries: RateLimit;
  /** How many entries were made here, by start. */
  readonly #entries = new Recent<number>(KEPT_COUNTS);

  constructor(parts: ReceivingParts) {
    this.#parts = parts;
    this.#rate = new RateLimit(parts.clock, parts.limits.startsAMinute, MINUTE_MS);
    this.#forgeries = new RateLimit(parts.clock, FORGERIES, MINUTE_MS);
  }

  /** The start at an address, whatever its version; or the end of the request. */
  async at(address: string): Promise<store.StartRow> {
    const row = await store.startByAddress(this.#parts.db, address);
    if (!row || (row.kind !== 'hook' && row.kind !== 'call')) throw new Refused('no-start-here', {});
    return row;
  }

  /** The start that is to begin: on, released, without errors. */
  async #ready(row: store.StartRow, found: LoadedStart | undefined, refuse: Refuse): Promise<LoadedStart> {
    if (row.is_on !== 1) await refuse('start-off', {}, 409, 'the start is switched off');
    if (!found)
      return refuse(
        'start-unreleased',
        {},
        409,
        row.stage === 'live' ? 'no release has this start yet' : 'the draft has no such start',
      );
    const errors = row.stage === 'draft' ? errorsOf(found.loaded.bot.document, row.name, found.start.flow) : [];
    if (errors.length > 0)
      await refuse(
        'start-broken',
        { errors },
        422,
        `the draft has errors: ${errors[0]?.pointer ?? ''} ${errors[0]?.detail ?? ''}`,
      );
    return found;
  }

  /** Takes what somebody sends. What is refused leaves an entry that says why; what is taken is stored when this returns. */
  async take(row: store.StartRow, req: Request, body: ReadBody): Promise<Begun> {
    this.#refuseForgers(row, req);
    this.#rate.count(row.id);
    const found = await this.#parts.runs.start(row);
    const headers = headersOf(req, found);
    const entry = entryOf(row, req, { body, headers }, this.#parts.clock);
    const refuse: Refuse = async (code, facts, status, about) => {
      await this.#note({ ...entry, outcome: 'refused', status, about });
      throw new Refused(code, facts);
    };
    if (body === 'too-large') {
      await this.#count(row, 413, `the body has more than ${MOST_BODY / 1e6} MB`);
      throw new Refused('start-too-large', { bytes: MOST_BODY });
    }
    await this.#known(row, found, req, body);
    const ready = await this.#ready(row, found, refuse);
    const { start, loaded } = ready;
    if (start.by !== 'hook' && start.by !== 'call') throw new Refused('no-start-here', {});
    const read = bodyOf(start, req, body);
    if (!read.ok)
      return refuse(
        'start-body',
        { wanted: read.wanted, reason: read.reason },
        422,
        `the body cannot be read as ${read.wanted}: ${read.reason}`,
      );
    const came: Came = { body: read.value, inputs: read.value, headers, query: queryOf(req) };
    const at = this.#parts.clock.now();
    const { values, problems } = givenOf(loaded.bot.document, start, came, at.toISOString());
    if (problems.length > 0)
      return refuse(
        'inputs-missing',
        { problems },
        422,
        `it does not fill in: ${problems.map((p) => `${p.input} ${p.reason}`).join('; ')}`,
      );
    const externalId = hashSecret(`${row.id} ${keyOf(start, req, came) ?? `once ${newId(this.#parts.clock)}`}`);
    const status = start.by === 'call' || start.answers === 'given-back' ? 200 : 202;
    const taken = (run: string) => [store.insertStartEvent({ ...entry, outcome: 'taken', status, about: '', run_id: run })];
    const accepted = await this.#parts.runs.begin(ready, { externalId, given: values, also: taken });
    const { conversationId: run, repeat } = accepted;
    if (repeat) await this.#note({ ...entry, outcome: 'repeat', status, about: 'it was taken before', run_id: run });
    else await this.#trim(row.id);
    return { run, repeat, waits: waitsFor(start) };
  }

  /** Waits for a run and tells what it gave. Refused where it failed. */
  async answer(row: store.StartRow, run: string, forMs: number): Promise<RunRow> {
    const over = await this.#parts.runs.wait(row.bot_id, run, forMs);
    if (!over) throw new Refused('no-run', {});
    if (over.outcome === 'failed' || over.outcome === 'aside')
      throw new Refused('run-failed', { reason: over.reason ?? 'nobody knows why', run });
    return over;
  }

  /** One run of a start, for whoever may call it. */
  async run(row: store.StartRow, req: Request, run: string): Promise<RunRow> {
    this.#refuseForgers(row, req);
    await this.#known(row, await this.#parts.runs.start(row), req, Buffer.alloc(0));
    const found = await findRun(this.#parts.db, row.bot_id, run);
    if (found?.start !== row.name || found.stage !== row.stage) throw new Refused('no-run', {});
    return found;
  }

  /** True for whoever bears the token of a start. */
  bearsToken(row: store.StartRow, req: Request): boolean {
    const given = /^Bearer ([A-Za-z0-9_-]{20,200})$/.exec(req.headers.authorization ?? '')?.[1];
    return given !== undefined && row.token_hash !== null && same(hashSecret(given), row.token_hash);
  }

  /** Ends the request of whoever has sent too many deliveries that were not known. */
  #refuseForgers(row: store.StartRow, req: Request): void {
    if (this.#forgeries.isUsedUp(forger(row, req))) this.#forgeries.refuse();
  }

  /** Ends the request of whoever is not who they should be: they are counted, and nothing of what they sent is kept. */
  async #known(row: store.StartRow, found: LoadedStart | undefined, req: Request, body: Buffer): Promise<void> {
    // Where there is nothing to begin there is nobody to know.
    if (!found) return;
    const how = found.start.by === 'hook' ? (found.start.secured ?? 'none') : 'token';
    if (how === 'none') return;
    const right =
      how === 'token' ? this.bearsToken(row, req) : await this.#isSigned(row, found.start as StartOf<'hook'>, req, body);
    if (right) return;
    this.#forgeries.allows(forger(row, req));
    await this.#count(row, 401, how === 'token' ? 'the token is not right' : 'the signature is not right');
    throw new Refused('start-forged', { how });
  }

  async #isSigned(
    row: store.StartRow,
    { header = 'x-signature' }: StartOf<'hook'>,
    req: Request,
    body: Buffer,
  ): Promise<boolean> {
    const { [SIGNING]: key } = await this.#parts.secrets.open(startOwner(row.id));
    const given = req.headers[header.toLowerCase()];
    if (key === undefined || typeof given !== 'string') return false;
    const mac = createHmac('sha256', key).update(body).digest();
    const plain = given.trim().replace(/^(sha256=|v1=)/i, '');
    return same(plain.toLowerCase(), mac.toString('hex')) || same(plain, mac.toString('base64'));
  }

  /** Counts what anybody can bring about. */
  async #count(row: store.StartRow, status: number, about: string): Promise<void> {
    const { db, clock } = this.#parts;
    const nothing = { content_type: null, headers: null, query: null, body: null, run_id: null };
    const base = { id: newId(clock), start_id: row.id, bot_id: row.bot_id, at: clock.now() };
    await store.countStartEvent(db, { ...base, ...nothing, outcome: 'refused', status, about }, 1);
  }

  async #note(row: Omit<store.StartEventRow, 'times'>): Promise<void> {
    await statement(this.#parts.db, (hot) => hot.run(store.insertStartEvent(row)));
    await this.#trim(row.start_id);
  }

  async #trim(startId: string): Promise<void> {
    const before = this.#entries.get(startId) ?? 0;
    this.#entries.set(startId, before + 1);
    if (before % TRIM_EVERY === 0) await store.trimStartEvents(this.#parts.db, startId);
  }
}

/** How long whoever sends it waits for what the flow gives, in ms; undefined where it is answered at once. */
function waitsFor(start: StartOf<'hook'> | StartOf<'call'>): number | undefined {
  return start.by === 'call' || start.answers === 'given-back' ? withinMs(start.within) : undefined;
}

/** The name of the secret with which deliveries are signed. */
export const SIGNING = 'signing';

const forger = (row: store.StartRow, req: Request): string => `${row.id} ${addressKey(req.ip)}`;

type Refuse = <C extends RefusalCode>(code: C, facts: Refusals[C], status: number, about: string) => Promise<never>;

function same(a: string, b: string): boolean {
  const [x, y] = [Buffer.from(a), Buffer.from(b)];
  return x.length === y.length && timingSafeEqual(x, y);
}

/** Errors of a draft that stand in the way of one start: its own, those of its flow and of the flows that this one calls. */
function errorsOf(document: BotDocument, name: string, flow: string) {
  if (asksVisitor(document, flow)) return fieldErrors(checkBot(document).filter((p) => p.severity === 'error'));
  const own = checkBot(document).filter(
    (p) => p.severity === 'error' && (p.flow === flow || p.field?.startsWith(`/starts/${name}`) === true),
  );
  return fieldErrors(own);
}

/** What is kept of a delivery, as it came. */
function entryOf(
  row: store.StartRow,
  req: Request,
  { body, headers }: { readonly body: ReadBody; readonly headers: Readonly<Record<string, string>> },
  clock: Clock,
): Omit<store.StartEventRow, 'times' | 'outcome' | 'status' | 'about'> {
  return {
    id: newId(clock),
    start_id: row.id,
    bot_id: row.bot_id,
    content_type: (req.headers['content-type'] ?? '').slice(0, 120),
    headers: JSON.stringify(headers),
    query: JSON.stringify(queryOf(req)),
    body: body === 'too-large' ? null : body.toString('utf8').slice(0, KEPT_BODY),
    run_id: null,
    at: clock.now(),
  };
}

/** Headers that a mapping may read: none with which somebody shows who they are. */
function headersOf(req: Request, found: LoadedStart | undefined): Record<string, string> {
  const seal = found?.start.by === 'hook' ? found.start.header?.toLowerCase() : undefined;
  const entries = Object.entries(req.headers).filter(
    ([name]) => name !== seal && !SECRET_HEADERS.test(name) && !DULL_HEADERS.has(name),
  );
  return Object.fromEntries(entries.slice(0, 50).map(([name, v]) => [name, String(v).slice(0, 500)]));
}

function queryOf(req: Request): Record<string, string> {
  const entries = Object.entries(req.query as Record<string, unknown>);
  return Object.fromEntries(entries.slice(0, 50).map(([name, v]) => [name, String(v).slice(0, 500)]));
}

type Read =
  { readonly ok: true; readonly value: Value } | { readonly ok: false; readonly wanted: string; readonly reason: string };

/** The body in the form that the start says. */
function bodyOf(start: StartOf<'hook'> | StartOf<'call'>, req: Request, bytes: Buffer): Read {
  const form = start.by === 'hook' ? (start.body ?? 'json') : 'json';
  const text = bytes.toString('utf8');
  if (Buffer.compare(Buffer.from(text), bytes) !== 0) return { ok: false, wanted: form, reason: 'it is no UTF-8' };
  if (form === 'text') return { ok: true, value: text };
  if (form === 'form') return { ok: true, value: readForm(text) };
  if (text.trim() === '' && start.by === 'call') return { ok: true, value: {} };
  try {
    const value = jsonColumn.read(text);
    if (sizeOf(value) === Infinity) return { ok: false, wanted: 'JSON', reason: 'it is nested too deeply' };
    return { ok: true, value };
  } catch (error) {
    const type = req.headers['content-type'] ?? 'without a content type';
    return { ok: false, wanted: 'JSON', reason: `${error instanceof Error ? error.message : 'it is none'} (${type})` };
  }
}

/** What makes two deliveries the same. */
function keyOf(start: StartOf<'hook'> | StartOf<'call'>, req: Request, came: Came): string | undefined {
  const header = req.headers['idempotency-key'];
  if (typeof header === 'string' && header !== '') return `header ${header.slice(0, 500)}`;
  const key = start.by === 'hook' ? repeatKey(start.repeats, came) : undefined;
  return key === undefined ? undefined : `body ${key}`;
}
