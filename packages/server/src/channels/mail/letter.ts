import { simpleParser, type AddressObject, type ParsedMail } from 'mailparser';
import { automaticLetter, ownWords } from '@primrose/core';
import { hashSecret } from '../../base/clock.js';
import type { Came } from '../came.js';
import type { Thread } from './settings.js';

/** What a letter is to us. */
export type ReadLetter =
  | { readonly as: 'came'; readonly came: Came }
  | { readonly as: 'refused'; readonly about: string; readonly sender: string | null };

const MOST_TEXT = 8000;
const MOST_REFERENCES = 50;
const MOST_PAYLOAD = 4000;
const MOST_FILES = 10;

/** Headers that tell who sends a letter, and whether it answers by itself. */
const TELLING = [
  'auto-submitted',
  'return-path',
  'content-type',
  'list-id',
  'list-unsubscribe',
  'list-post',
  'mailing-list',
  'precedence',
  'x-autoreply',
  'x-autorespond',
  'x-auto-response-suppress',
  'x-failed-recipients',
  'x-loop',
] as const;

/** The raw value of a header, as it stands in the letter; the first where there are several. */
function rawHeader(letter: ParsedMail, name: string): string | undefined {
  const found = letter.headerLines.find((l) => l.key === name);
  return (
    found &&
    found.line
      .slice(found.line.indexOf(':') + 1)
      .replace(/\r?\n\s+/g, ' ')
      .trim()
  );
}

const firstAddress = (of: AddressObject | AddressObject[] | undefined) => [of].flat()[0]?.value[0];

/** The plain words of a page that came instead of text. */
function words({ text, html }: ParsedMail): string {
  if (text !== undefined && text.trim() !== '') return text;
  return typeof html === 'string' ? html.replace(/<[^>]*>/g, ' ').replace(/\s+/g, ' ') : '';
}

/**
 * Reads a letter: what its writer wrote, who it is from, which thread it goes on with, and what is attached. Never throws on what a letter
 * holds. Not taken are letters that no person wrote, our own, and those of which our own server says that the sender is forged.
 */
export async function readLetter(source: Buffer, own: string): Promise<ReadLetter> {
  const letter = await simpleParser(source, { skipHtmlToText: false, skipTextToHtml: true, skipImageLinks: true });
  const from = firstAddress(letter.from);
  const sender = from?.address?.trim().toLowerCase();
  if (sender === undefined || !/^[^\s@]+@[^\s@]+$/.test(sender) || sender.length > 190)
    return { as: 'refused', about: 'a letter without an address to answer to', sender: null };
  if (sender === own.toLowerCase()) return { as: 'refused', about: 'a letter of this account itself', sender };
  const headers = Object.fromEntries(TELLING.map((name) => [name, rawHeader(letter, name)]));
  const automatic = automaticLetter(headers, sender);
  if (automatic !== undefined) return { as: 'refused', about: `${automatic}; not answered`, sender };
  if (/\bdmarc=fail\b/i.test(rawHeader(letter, 'authentication-results') ?? ''))
    return { as: 'refused', about: 'the mail server says that the sender is forged (dmarc=fail)', sender };
  const id = letter.messageId ?? `<${hashSecret(source.toString('latin1')).slice(0, 40)}@unnamed.invalid>`;
  const references = [letter.references ?? []]
    .flat()
    .concat(letter.inReplyTo ?? [])
    .slice(-MOST_REFERENCES);
  const subject = (letter.subject ?? '').slice(0, 200);
  const thread: Thread = { subject, id, references };
  const said = textOf(letter, subject, references.length > 0);
  const files = letter.attachments.slice(0, MOST_FILES).map((a) => ({
    name: a.filename ?? 'file',
    type: a.contentType,
    bytes: a.content,
  }));
  if (said === '' && files.length === 0) return { as: 'refused', about: 'a letter without words', sender };
  const name = from?.name.trim().slice(0, 120);
  return {
    as: 'came',
    came: {
      id,
      sender,
      email: sender,
      ...(name ? { name } : {}),
      ...(said === '' ? {} : { text: said }),
      files,
      thread: { ids: references, kept: JSON.stringify(thread) },
      payload: JSON.stringify({ from: sender, subject, text: said.slice(0, MOST_PAYLOAD) }),
    },
  };
}

/** What somebody wrote; in a first letter without any words of its own, what stands in its subject. */
function textOf(letter: ParsedMail, subject: string, answers: boolean): string {
  const own = ownWords(words(letter).slice(0, 100_000)).slice(0, MOST_TEXT);
  return own === '' && !answers ? subject : own;
}
