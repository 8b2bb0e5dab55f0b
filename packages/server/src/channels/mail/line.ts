import { ImapFlow, type FetchMessageObject } from 'imapflow';
import { z } from 'zod';
import { sleep } from '../../base/clock.js';
import { RateLimit } from '../../base/rate-limit.js';
import { NoLine, type Line, type LinePort } from '../channel.js';
import { noLine, outsideHost } from '../outside-host.js';
import { readLetter } from './letter.js';
import type { MailSettings } from './settings.js';

/** Servers tell of new letters; where one does not, it is looked so often. */
const LOOK_MS = 20_000;
const LOOK_AGAIN_MS = 1000;
const CONNECT_MS = 15_000;
/** Larger letters are not fetched. */
const MOST_BYTES = 12_000_000;
const AT_ONCE = 50;
/** No person writes more letters in an hour: whatever does may be answering us, and is answered no further. */
const MOST_AN_HOUR = 30;
const HOUR_MS = 3_600_000;
/** Where a server numbers its letters anew, those of the last day are looked at again; none is taken twice. */
const DAY_MS = 86_400_000;

/** How far the letters of a folder were taken: its numbering (UIDVALIDITY, RFC 9051, 2.3.1.1), the last number, and when that was. */
const cursor = z.object({ validity: z.string(), uid: z.number().int(), at: z.string() });
type Cursor = z.infer<typeof cursor>;

/** Holds a mailbox open and takes every letter that comes, once; those that lay there when the channel was connected are left. */
export async function holdMailbox(port: LinePort, settings: MailSettings): Promise<Line> {
  const { imap, address, account, folder = 'INBOX' } = settings;
  const where = `${imap.host}:${imap.port}`;
  const host = await outsideHost(imap.host, port.allowed);
  const box = new ImapFlow({
    ...{ host, port: imap.port, secure: imap.tls, servername: imap.host, tls: { servername: imap.host } },
    auth: { user: account ?? address, pass: port.secrets['password'] ?? '' },
    ...{ logger: false, greetingTimeout: CONNECT_MS, connectionTimeout: CONNECT_MS, maxIdleTime: 120_000 },
  });
  let end: (reason: string) => void = () => undefined;
  const ended = new Promise<string>((resolve) => (end = resolve));
  let trouble = 'the mail server has closed the connection';
  box.on('error', (error: unknown) => (trouble = noLine(where, error).message));
  box.on('close', () => end(trouble));
  try {
    await box.connect();
    await box.mailboxOpen(folder);
  } catch (error) {
    box.close();
    if ((error as { authenticationFailed?: boolean }).authenticationFailed)
      throw new NoLine(`${where} does not accept the password of ${account ?? address}`);
    if ((error as { mailboxMissing?: boolean }).mailboxMissing) throw new NoLine(`${where} has no folder ${folder}`);
    throw noLine(where, error);
  }
  const taking = new Taking(port, box, settings);
  await taking.begin();
  let stopped = false;
  let wake: () => void = () => undefined;
  box.on('exists', () => wake());
  const running = (async () => {
    while (!stopped && box.usable) {
      const more = await taking.takeNew();
      if (stopped) break;
      // The server tells of new letters while it is asked to; the library would begin with that much later.
      if (!more) box.idle().catch(() => undefined);
      const resting = sleep(port.clock, more ? LOOK_AGAIN_MS : LOOK_MS);
      wake = resting.wake;
      await resting.done;
    }
  })().catch((error: unknown) => {
    port.log.warn({ err: error, channel: port.channel.id }, 'letters could not be taken');
    end('a letter could not be taken; it is tried again');
    box.close();
  });
  return {
    ended,
    close: async () => {
      stopped = true;
      wake();
      await running;
      await box.logout().catch(() => box.close());
      end('it was closed');
    },
  };
}

/** Takes the letters of a folder behind the last one that was taken. */
class Taking {
  readonly #port: LinePort;
  readonly #box: ImapFlow;
  readonly #settings: MailSettings;
  #at: Cursor = { validity: '', uid: 0, at: '' };
  readonly #writers: RateLimit;
  #since: Date | undefined;

  constructor(port: LinePort, box: ImapFlow, settings: MailSettings) {
    this.#port = port;
    this.#box = box;
    this.#settings = settings;
    this.#writers = new RateLimit(port.clock, MOST_AN_HOUR, HOUR_MS);
  }

  /** Finds the place to go on from: where it was left, at the end for a channel that is new. */
  async begin(): Promise<void> {
    const box = this.#box.mailbox;
    if (!box) throw new NoLine('the folder is not open');
    const validity = String(box.uidValidity);
    const now = this.#port.clock.now().toISOString();
    const before = this.#port.cursor === null ? undefined : cursor.parse(JSON.parse(this.#port.cursor));
    if (!before) {
      this.#at = { validity, uid: box.uidNext - 1, at: now };
      return this.#keep();
    }
    this.#at = before.validity === validity ? before : { validity, uid: 0, at: before.at };
    if (before.validity !== validity) this.#since = new Date(Date.parse(before.at) - DAY_MS);
  }

  #keep(): Promise<void> {
    return this.#port.moveCursor(JSON.stringify(this.#at));
  }

  /** Takes what is new; true where there may be more. */
  async takeNew(): Promise<boolean> {
    const found = await this.#box.search(
      { uid: `${this.#at.uid + 1}:*`, ...(this.#since ? { since: this.#since } : {}) },
      { uid: true },
    );
    // `n:*` names the last letter also where its number is smaller (RFC 9051, 9, seq-range).
    const uids = (found || []).filter((uid) => uid > this.#at.uid).sort((a, b) => a - b);
    for (const uid of uids.slice(0, AT_ONCE)) {
      if (!(await this.#takeOne(uid))) return true;
      this.#at = { ...this.#at, uid, at: this.#port.clock.now().toISOString() };
      await this.#keep();
    }
    if (uids.length <= AT_ONCE) this.#since = undefined;
    return uids.length > AT_ONCE;
  }

  /** Takes one letter; false where it has to wait, as its sender has sent too many. */
  async #takeOne(uid: number): Promise<boolean> {
    const head = await this.#box.fetchOne(String(uid), { size: true }, { uid: true });
    if (head === false) return true;
    if ((head.size ?? 0) > MOST_BYTES) {
      await this.#port.refuse(`a letter of more than ${MOST_BYTES / 1e6} MB`, null);
      return true;
    }
    const whole: FetchMessageObject | false = await this.#box.fetchOne(String(uid), { source: true }, { uid: true });
    if (whole === false || whole.source === undefined) return true;
    const read = await readLetter(whole.source, this.#settings.address);
    if (read.as === 'refused') {
      await this.#port.refuse(read.about, read.sender);
      return true;
    }
    if (!this.#writers.allows(read.came.sender)) {
      await this.#port.refuse(
        'more letters in an hour than a person writes; not answered, so that nobody answers in a circle',
        read.came.sender,
      );
      return true;
    }
    await this.#port.take(read.came);
    await this.#box.messageFlagsAdd(String(uid), ['\\Seen'], { uid: true }).catch(() => undefined);
    return true;
  }
}
