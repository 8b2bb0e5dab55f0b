import robots from 'robots-parser';
import type { DocumentForm, KnowledgeSource } from '@primrose/core';
import type { PageRead } from './indexing-worker.js';

/** What came from an address. */
export type Got =
  | {
      readonly ok: true;
      /** 200, or 304 where it is as it was. */
      readonly status: 200 | 304;
      readonly bytes: Uint8Array;
      readonly type: string;
      readonly etag: string | undefined;
      readonly modified: string | undefined;
    }
  | { readonly ok: false; readonly kind: 'moved'; readonly to: string }
  /** `gone`: there is no such page any more (404, 410); else it may be there another time. */
  | { readonly ok: false; readonly kind: 'gone' | 'refused' | 'trouble'; readonly reason: string };

/** A page or file as it stood when it was fetched last. */
export interface KnownPage {
  readonly address: string;
  readonly form: DocumentForm;
  readonly hash: string;
  readonly said: string;
  readonly title: string | undefined;
  readonly etag: string | undefined;
  readonly modified: string | undefined;
}

/** One that stands there now; `bytes` where it says something else than before. */
export type CrawledPage = Omit<KnownPage, 'hash'> &
  ({ readonly bytes: Uint8Array; readonly hash?: undefined } | { readonly bytes?: undefined; readonly hash: string });

export interface Skipped {
  readonly address: string;
  readonly why: string;
}

export type Crawled =
  | { readonly ok: false; readonly reason: string }
  | {
      readonly ok: true;
      readonly pages: readonly CrawledPage[];
      readonly skipped: readonly Skipped[];
      /** Addresses of which the site says that there is nothing any more. */
      readonly gone: ReadonlySet<string>;
      /** Everything that is linked was had; what was not met is linked no more. */
      readonly whole: boolean;
    };

/** What a crawl needs of the world. */
export interface CrawlPort {
  readonly get: (url: URL, headers: Readonly<Record<string, string>>) => Promise<Got>;
  /** What a page in UTF-8 says, and where it leads. */
  readonly page: (bytes: Uint8Array) => Promise<PageRead>;
  /** Why a file of another form cannot be read; undefined where it can. */
  readonly unreadable: (bytes: Uint8Array, form: DocumentForm) => Promise<string | undefined>;
  readonly stored: (hash: string) => Promise<Uint8Array | undefined>;
  readonly hashOf: (bytes: Uint8Array) => string;
  readonly pause: (ms: number) => Promise<void>;
  readonly tick: () => number;
  readonly stopped: () => boolean;
}

/** What robots.txt knows us by (RFC 9309). */
export const AGENT = 'primrose';
const USUAL_MOST = 50;
const WITHIN_MS = 600_000;
const MOST_BYTES = 100_000_000;
const MOST_QUEUED = 5000;
const MOST_ADDRESS = 2000;
const MOST_MOVES = 5;
const MOST_SKIPPED = 100;
/** Addresses of one path that differ behind the `?` only: a calendar or a list that goes on for ever. */
const MOST_OF_A_PATH = 25;
const PAUSE_MS = 100;
const MOST_PAUSE_MS = 5000;
const MOST_RULES_BYTES = 500_000;

/**
 * Fetches what stands at an address and, as far as it is wanted, what that leads to: nearest first, on the same origin, as its
 * robots.txt lets it, within bounds of number, depth, time and bytes. What says the same as another page is taken once.
 */
export function crawl(source: KnowledgeSource, known: ReadonlyMap<string, KnownPage>, port: CrawlPort): Promise<Crawled> {
  const start = resolved(source.address, source.address);
  if (!start) {
    const reason =
      'this is no address that can be fetched; write one such as https://example.org/help, without a name and password';
    return Promise.resolve({ ok: false, reason });
  }
  return new Crawl(source, known, port).run(start);
}

/** The package is one function; its types say that it is a module which has one. */
const parseRobots = robots as unknown as typeof robots.default;

interface Queued {
  readonly url: URL;
  readonly depth: number;
}

interface Robots {
  readonly allows: (url: URL) => boolean;
  readonly pauseMs: number;
}

class Crawl {
  readonly #source: KnowledgeSource;
  readonly #known: ReadonlyMap<string, KnownPage>;
  readonly #port: CrawlPort;
  readonly #queue: Queued[] = [];
  readonly #met = new Set<string>();
  readonly #ofPath = new Map<string, number>();
  readonly #pages: CrawledPage[] = [];
  readonly #says = new Map<string, string>();
  readonly #skipped: Skipped[] = [];
  readonly #gone = new Set<string>();
  #bytes = 0;
  #whole = true;
  #origin = '';
  #robots: Robots = { allows: () => true, pauseMs: PAUSE_MS };

  constructor(source: KnowledgeSource, known: ReadonlyMap<string, KnownPage>, port: CrawlPort) {
    this.#source = source;
    this.#known = known;
    this.#port = port;
  }

  async run(start: URL): Promise<Crawled> {
    this.#origin = start.origin;
    const trouble = await this.#heed(this.#origin);
    if (trouble !== undefined) return { ok: false, reason: trouble };
    this.#enqueue(start, 0);
    const until = this.#port.tick() + WITHIN_MS;
    const most = this.#source.most ?? USUAL_MOST;
    for (let next = this.#queue.shift(); next; next = this.#queue.shift()) {
      if (this.#port.stopped()) return { ok: false, reason: 'the service was stopped' };
      const bound = this.#bound(most, until);
      if (bound !== undefined) {
        this.#whole = false;
        this.#skip(next.url, bound);
        break;
      }
      const failed = await this.#take(next);
      if (failed !== undefined && next.depth === 0) return { ok: false, reason: failed };
      if (this.#queue.length > 0) await this.#port.pause(this.#robots.pauseMs);
    }
    return { ok: true, pages: this.#pages, skipped: this.#skipped, gone: this.#gone, whole: this.#whole };
  }

  /** Why nothing more is fetched. */
  #bound(most: number, until: number): string | undefined {
    if (this.#pages.length >= most) return `${most} were fetched already; what comes behind them is left out`;
    if (this.#port.tick() > until) return `fetching took ${WITHIN_MS / 60_000} minutes; what comes behind is left out`;
    if (this.#bytes > MOST_BYTES) return `${MOST_BYTES / 1e6} MB were fetched; what comes behind is left out`;
    return undefined;
  }

  #skip(url: URL, why: string): void {
    if (this.#skipped.length < MOST_SKIPPED) this.#skipped.push({ address: url.href, why });
  }

  #enqueue(url: URL, depth: number): void {
    const { href } = url;
    if (this.#met.has(href) || href.length > MOST_ADDRESS || url.origin !== this.#origin) return;
    if (depth > 0 && this.#source.under !== undefined && !url.pathname.startsWith(this.#source.under)) return;
    const path = url.origin + url.pathname;
    const ofPath = this.#ofPath.get(path) ?? 0;
    if (ofPath >= MOST_OF_A_PATH || this.#queue.length >= MOST_QUEUED) {
      this.#whole = false;
      return;
    }
    this.#ofPath.set(path, ofPath + 1);
    this.#met.add(href);
    this.#queue.push({ url, depth });
  }

  /** Takes in what stands at an address; why it could not, where it is to be told. */
  async #take({ url: asked, depth }: Queued): Promise<string | undefined> {
    if (!this.#robots.allows(asked)) return this.#leave(asked, 'its robots.txt does not let programs read it');
    const found = await this.#follow(asked, depth);
    if (!found.ok) {
      // What stands behind a page that cannot be had now is not met, and is there all the same.
      if (found.kind === 'gone') this.#gone.add(asked.href);
      else this.#whole = false;
      return this.#leave(asked, found.reason);
    }
    const { url, got } = found;
    const form = got.status === 304 ? this.#known.get(url.href)?.form : formOf(got.type, url);
    if (!form) return this.#leave(url, `documents are not made of ${got.type.split(';')[0] || 'what has no type'}`);
    this.#bytes += got.bytes.length;
    return form === 'html' ? this.#page(url, got, depth) : this.#file(url, got, form);
  }

  #leave(url: URL, why: string): string {
    this.#skip(url, why);
    return why;
  }

  /** What stands at an address, wherever it has moved to on the same site; only the first one may lead to another one. */
  async #follow(
    asked: URL,
    depth: number,
  ): Promise<
    { ok: true; url: URL; got: Got & { ok: true } } | { ok: false; reason: string; kind: 'gone' | 'refused' | 'trouble' }
  > {
    let url = asked;
    for (let moves = 0; ; moves++) {
      const got = await this.#port.get(url, this.#conditions(url));
      if (got.ok) return { ok: true, url, got };
      if (got.kind !== 'moved') return { ok: false, reason: got.reason, kind: got.kind };
      const to = resolved(got.to, url.href);
      if (!to || moves >= MOST_MOVES)
        return { ok: false, reason: to ? 'it moves on and on' : 'it has moved to no address', kind: 'refused' };
      if (to.origin !== this.#origin) {
        if (depth > 0) return { ok: false, reason: `it has moved to another site, ${to.host}`, kind: 'refused' };
        this.#origin = to.origin;
        const trouble = await this.#heed(to.origin);
        if (trouble !== undefined) return { ok: false, reason: trouble, kind: 'trouble' };
      }
      if (!this.#robots.allows(to))
        return { ok: false, reason: `it has moved to ${to.href}, which robots.txt does not let programs read`, kind: 'refused' };
      if (to.href !== url.href && this.#met.has(to.href))
        return { ok: false, reason: `it has moved to ${to.href}, which is fetched`, kind: 'refused' };
      this.#met.add(to.href);
      url = to;
    }
  }

  /** Says which version is known, so that only what changed is sent. */
  #conditions(url: URL): Readonly<Record<string, string>> {
    const { etag, modified } = this.#known.get(url.href) ?? {};
    return {
      ...(etag === undefined ? {} : { 'if-none-match': etag }),
      ...(modified === undefined ? {} : { 'if-modified-since': modified }),
    };
  }

  async #page(url: URL, got: Got & { ok: true }, depth: number): Promise<string | undefined> {
    const known = this.#known.get(url.href);
    const bytes = got.status === 304 && known ? await this.#port.stored(known.hash) : inUtf8(got.bytes, got.type);
    if (!bytes) {
      this.#whole = false;
      return this.#leave(url, 'what was stored of it is gone; fetch it again');
    }
    let page: PageRead;
    try {
      page = await this.#port.page(bytes);
    } catch {
      return this.#leave(url, 'it cannot be read as a page');
    }
    const twin = this.#says.get(page.said);
    if (page.followed && depth < (this.#source.depth ?? 0) && twin === undefined) {
      const base = resolved(page.base ?? '', url.href) ?? url;
      for (const link of page.links) {
        const to = resolved(link, base.href);
        if (to) this.#enqueue(to, depth + 1);
      }
    }
    if (!page.kept) return this.#leave(url, 'it says that it is not to be kept');
    if (page.empty) return this.#leave(url, 'no text was found in it');
    if (twin !== undefined) return this.#leave(url, `it says the same as ${twin}`);
    this.#says.set(page.said, url.href);
    const { said, title } = page;
    const about = { address: url.href, form: 'html', said, title, etag: got.etag, modified: got.modified } as const;
    this.#pages.push(known?.said === said ? { ...about, hash: known.hash } : { ...about, bytes });
    return undefined;
  }

  async #file(url: URL, got: Got & { ok: true }, form: DocumentForm): Promise<string | undefined> {
    const known = this.#known.get(url.href);
    const about = { address: url.href, form, title: undefined, etag: got.etag, modified: got.modified };
    if (got.status === 304 && known) {
      this.#pages.push({ ...about, said: known.said, hash: known.hash });
      return undefined;
    }
    const bytes = TEXTUAL.has(form) ? inUtf8(got.bytes, got.type) : got.bytes;
    const said = this.#port.hashOf(bytes);
    const twin = this.#says.get(said);
    if (twin !== undefined) return this.#leave(url, `it is the same as ${twin}`);
    if (known?.said !== said) {
      const why = await this.#port.unreadable(bytes, form);
      if (why !== undefined) return this.#leave(url, why);
    }
    this.#says.set(said, url.href);
    this.#pages.push(known?.said === said ? { ...about, said, hash: known.hash } : { ...about, said, bytes });
    return undefined;
  }

  /**
   * Takes in the rules of a site. Where it has none everything is allowed; where they cannot be had now, nothing is (RFC 9309,
   * 2.3.1), and that is told.
   */
  async #heed(origin: string): Promise<string | undefined> {
    const url = new URL('/robots.txt', origin);
    const got = await this.#port.get(url, {});
    if (!got.ok && got.kind === 'trouble') return got.reason;
    const rules = got.ok ? parseRobots(url.href, new TextDecoder().decode(got.bytes.subarray(0, MOST_RULES_BYTES))) : undefined;
    const delayMs = (rules?.getCrawlDelay(AGENT) ?? 0) * 1000;
    this.#robots = {
      allows: (to) => rules?.isDisallowed(to.href, AGENT) !== true,
      pauseMs: Math.min(Math.max(delayMs, PAUSE_MS), MOST_PAUSE_MS),
    };
    return undefined;
  }
}

/** An address as it is written somewhere, without what stands behind `#`; undefined where it is none of HTTP. */
function resolved(address: string, base: string): URL | undefined {
  if (!URL.canParse(address, base)) return undefined;
  const url = new URL(address, base);
  url.hash = '';
  return /^https?:$/.test(url.protocol) && url.username === '' ? url : undefined;
}

const TYPES: Readonly<Record<string, DocumentForm>> = {
  'text/html': 'html',
  'application/xhtml+xml': 'html',
  'application/pdf': 'pdf',
  'application/vnd.openxmlformats-officedocument.wordprocessingml.document': 'docx',
  'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet': 'xlsx',
  'application/epub+zip': 'epub',
  'text/markdown': 'markdown',
  'text/csv': 'csv',
  'application/json': 'json',
};
const ENDINGS: Readonly<Record<string, DocumentForm>> = {
  html: 'html',
  htm: 'html',
  pdf: 'pdf',
  docx: 'docx',
  xlsx: 'xlsx',
  epub: 'epub',
  md: 'markdown',
  txt: 'text',
  csv: 'csv',
  json: 'json',
};
const TEXTUAL: ReadonlySet<DocumentForm> = new Set<DocumentForm>(['markdown', 'text', 'csv', 'json', 'html']);

/** What a type is read as; where it only says "text" or "bytes", the ending of the address decides. */
function formOf(type: string, url: URL): DocumentForm | undefined {
  const plain = type.split(';')[0]?.trim().toLowerCase() ?? '';
  const known = TYPES[plain];
  if (known) return known;
  if (plain !== '' && plain !== 'text/plain' && plain !== 'application/octet-stream') return undefined;
  const ending = ENDINGS[/\.([a-z]+)$/i.exec(url.pathname)?.[1]?.toLowerCase() ?? ''];
  return ending ?? (plain === 'text/plain' ? 'text' : undefined);
}

/** A text in UTF-8, whatever it says it is written in: in its head, or in the first lines of a page. */
function inUtf8(bytes: Uint8Array, type: string): Uint8Array {
  const beginning = Buffer.from(bytes.subarray(0, 2048)).toString('latin1');
  const said = /charset=["']?([\w-]+)/i.exec(type)?.[1] ?? /<meta[^>]+charset=["']?([\w-]+)/i.exec(beginning)?.[1];
  if (said === undefined || /^utf-?8$/i.test(said)) return bytes;
  try {
    return new TextEncoder().encode(new TextDecoder(said).decode(bytes));
  } catch {
    // A name that nobody knows: the reader tells by the bytes.
    return bytes;
  }
}
