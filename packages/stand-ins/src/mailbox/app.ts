import express, { type Express } from 'express';
import { SMTPServer } from 'smtp-server';

/** A letter that came in. */
export interface Letter {
  readonly to: readonly string[];
  readonly subject: string;
  readonly text: string;
  readonly at: string;
  readonly from?: string;
  /** Its headers that say what it answers, and whether by itself. */
  readonly headers?: Readonly<Record<string, string>>;
}

/** Puts a letter into the mailbox of somebody who has one. */
export type Deliver = (to: string, source: Buffer) => Promise<void>;

const MOST_LETTERS = 200;
const MOST_BYTES = 200_000;

/** A mail server that takes every letter and keeps the last ones, for whoever wants to read them; it sends nothing on. */
export class Mailbox {
  #letters: readonly Letter[] = [];
  /** Letters are refused while this is on, as by a server that is full. */
  refuses = false;
  readonly smtp: SMTPServer;

  /** `deliver` puts letters into real mailboxes as well, where there are some. */
  constructor(deliver: Deliver = () => Promise.resolve()) {
    this.smtp = new SMTPServer({
      authOptional: true,
      disabledCommands: ['STARTTLS', 'AUTH'],
      size: MOST_BYTES,
      onData: (stream, session, done) => {
        const chunks: Buffer[] = [];
        // A letter that is too large is heard to its end, and nothing of it is kept.
        stream.on('data', (chunk: Buffer) => void (stream.sizeExceeded ? chunks.splice(0) : chunks.push(chunk)));
        stream.on('end', () => {
          if (stream.sizeExceeded) return done(Object.assign(new Error('the letter is too large'), { responseCode: 552 }));
          if (this.refuses) return done(Object.assign(new Error('the mailbox is full'), { responseCode: 452 }));
          const source = Buffer.concat(chunks);
          const to = session.envelope.rcptTo.map((r) => r.address);
          this.#keep(source.toString('utf8'), to);
          Promise.all(to.map((address) => deliver(address, source))).then(
            () => done(),
            (error: unknown) => done(Object.assign(error as Error, { responseCode: 451 })),
          );
        });
      },
    });
  }

  #keep(source: string, to: readonly string[]): void {
    const [head = '', ...body] = source.split('\r\n\r\n');
    const field = (name: string) =>
      new RegExp(`^${name}: (.*(?:\r\n[ \t].*)*)`, 'mi').exec(head)?.[1]?.replace(/\r\n[ \t]/g, ' ') ?? '';
    const raw = body.join('\r\n\r\n');
    const coding = field('content-transfer-encoding').toLowerCase();
    const text =
      coding === 'quoted-printable'
        ? fromQuotedPrintable(raw)
        : coding === 'base64'
          ? Buffer.from(raw, 'base64').toString()
          : raw;
    const named = ['message-id', 'in-reply-to', 'references', 'auto-submitted'] as const;
    const letter = {
      to,
      subject: fromEncodedWords(field('subject')),
      text: text.trim(),
      at: new Date().toISOString(),
      from: field('from'),
      headers: Object.fromEntries(named.map((name) => [name, field(name)])),
    };
    this.#letters = [letter, ...this.#letters].slice(0, MOST_LETTERS);
  }

  /** Letters to an address, or to all, the newest first. */
  letters(to?: string): readonly Letter[] {
    return to === undefined ? this.#letters : this.#letters.filter((l) => l.to.includes(to));
  }
}

function fromQuotedPrintable(text: string): string {
  const bytes = text
    .replace(/=\r\n/g, '')
    .replace(/=([0-9A-F]{2})/gi, (_, hex: string) => String.fromCharCode(Number.parseInt(hex, 16)));
  return Buffer.from(bytes, 'latin1').toString('utf8');
}

function fromEncodedWords(text: string): string {
  return text.replace(/=\?utf-8\?(q|b)\?([^?]*)\?=\s*/gi, (_, how: string, held: string) =>
    how.toLowerCase() === 'b' ? Buffer.from(held, 'base64').toString() : fromQuotedPrintable(held.replaceAll('_', ' ')),
  );
}

const escaped = (text: string): string => text.replace(/[&<>]/g, (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;' })[c] ?? c);

/** A letter that somebody writes on the page. */
export interface Writing {
  readonly to: string;
  readonly people: readonly string[];
  readonly send: (letter: { readonly from: string; readonly subject: string; readonly text: string }) => Promise<void>;
}

function writingForm(writing: Writing | undefined): string {
  if (!writing) return '';
  const people = writing.people.map((p) => `<option>${escaped(p)}</option>`).join('');
  return `<form method="post" action="/letters"><h2>Write to ${escaped(writing.to)}</h2><p><label>From <select name="from">${people}</select></label> <label>Subject <input name="subject" value="A question" maxlength="200"></label></p><p><textarea name="text" aria-label="Letter" rows="4" cols="70" required></textarea></p><p><button>Send</button></p></form>`;
}

/** The page on which the letters are read. */
export function createMailboxApp(mailbox: Mailbox, writing?: Writing): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(express.urlencoded({ extended: false, limit: '64kb' }));
  app.post('/letters', async (req, res) => {
    if (!writing) return void res.status(409).type('text').send('Nobody here has a mailbox to write to.');
    const { from = '', subject = '', text = '' } = req.body as Record<string, string>;
    await writing.send({ from, subject, text });
    res.redirect('/');
  });
  app.get(
    '/letters',
    (req, res) => void res.json(mailbox.letters(typeof req.query['to'] === 'string' ? req.query['to'] : undefined)),
  );
  app.get('/', (_req, res) => {
    const each = mailbox
      .letters()
      .map(
        (l) =>
          `<article><h2>${escaped(l.subject)}</h2><p>${escaped(l.to.join(', '))} · ${l.at}</p><pre>${escaped(l.text)}</pre></article>`,
      );
    res
      .type('html')
      .send(
        `<!doctype html><html lang="en"><meta charset="utf-8"><title>Mailbox</title><style>body{font:15px/1.5 Georgia,serif;max-width:720px;margin:32px auto;padding:0 16px}article{border-top:1px solid #ccc}h2{font-size:17px;margin-bottom:0}p{margin:0;color:#555}</style><h1>Mailbox</h1><p>Every letter that this installation sent stands here; none went further.</p>${writingForm(writing)}${each.join('') || '<p>No letters yet.</p>'}</html>`,
      );
  });
  return app;
}
