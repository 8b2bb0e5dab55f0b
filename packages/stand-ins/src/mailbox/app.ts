import express, { type Express } from 'express';
import { SMTPServer } from 'smtp-server';

/** A letter that came in. */
export interface Letter {
  readonly to: readonly string[];
  readonly subject: string;
  readonly text: string;
  readonly at: string;
}

const MOST_LETTERS = 200;
const MOST_BYTES = 200_000;

/** A mail server that takes every letter and keeps the last ones, for whoever wants to read them; it sends nothing on. */
export class Mailbox {
  #letters: readonly Letter[] = [];
  /** Letters are refused while this is on, as by a server that is full. */
  refuses = false;
  readonly smtp: SMTPServer;

  constructor() {
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
          this.#keep(
            Buffer.concat(chunks).toString('utf8'),
            session.envelope.rcptTo.map((r) => r.address),
          );
          done();
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
    const letter = { to, subject: fromEncodedWords(field('subject')), text: text.trim(), at: new Date().toISOString() };
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

/** The page on which the letters are read. */
export function createMailboxApp(mailbox: Mailbox): Express {
  const app = express();
  app.disable('x-powered-by');
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
        `<!doctype html><html lang="en"><meta charset="utf-8"><title>Mailbox</title><style>body{font:15px/1.5 Georgia,serif;max-width:720px;margin:32px auto;padding:0 16px}article{border-top:1px solid #ccc}h2{font-size:17px;margin-bottom:0}p{margin:0;color:#555}</style><h1>Mailbox</h1><p>Every letter that this installation sent stands here; none went further.</p>${each.join('') || '<p>No letters yet.</p>'}</html>`,
      );
  });
  return app;
}
