/*
 * What somebody wrote in a letter, without what mail programs put around it; and which letters no person wrote.
 */

/** The most lines of a letter that are looked at. */
const MOST_LINES = 2000;

/** The line with which mail programs begin what they quote: "On …, … wrote:", in the languages that are here. */
const QUOTES_BEGIN = [
  /^on\b.{4,300}\bwrote\s*:\s*$/i,
  /^am\b.{4,300}\bschrieb\b.{0,200}:\s*$/i,
  /^(?:el|le|il|em|op|den)\b.{4,300}\s(?:escribi[óo]|a écrit|ha scritto|escreveu|schreef|skrev)(?!\p{L}).{0,200}:\s*$/iu,
];
/** The same where it begins with who wrote; it stands on one line. */
const WHO_WROTE = /^.{0,200}<[^<>\s@]+@[^<>\s@]+>.{0,40}\s(?:wrote|schrieb|escribi[óo]|a écrit)\s*:\s*$/iu;
/** Lines behind which there is nothing of the writer's own. */
const ENDS = [
  /^-{2,}\s*(?:original message|forwarded message|ursprüngliche nachricht|weitergeleitete nachricht|mensaje original|message d'origine)\s*-{2,}\s*$/i,
  /^_{10,}\s*$/,
  /^(?:sent|get) (?:from|with|outlook for) \S.{0,60}$/i,
  /^(?:gesendet|von meinem .{1,40} gesendet|enviado (?:desde|con)|envoyé (?:de|depuis))\b.{0,60}$/i,
];
/** A block of headers of the letter that is answered, as some programs put it: at least two such lines in a row. */
const HEADER =
  /^\*?(?:from|sent|to|subject|date|cc|von|gesendet|an|betreff|datum|de|enviado|para|asunto|fecha|à|objet|envoyé)\s?:\*?\s+\S/i;

/** True where what the mail program quotes begins at a line; the line that leads to it may be broken over two or three. */
function quotesFrom(lines: readonly string[], at: number): boolean {
  const line = lines[at] ?? '';
  if (ENDS.some((p) => p.test(line.trim()))) return true;
  if (HEADER.test(line) && HEADER.test(lines[at + 1] ?? '')) return true;
  if (WHO_WROTE.test(line.trim().slice(0, 600))) return true;
  return [1, 2, 3].some((n) => {
    const joined = lines
      .slice(at, at + n)
      .map((l) => l.trim())
      .join(' ')
      .slice(0, 600);
    return QUOTES_BEGIN.some((p) => p.test(joined));
  });
}

/**
 * The words of a letter that its writer wrote: quoted lines, what stands behind the line that leads to them, and the signature
 * (`-- ` on a line of its own, RFC 3676, 4.3) are cut. Where nothing is left the whole text counts, without its quoted lines.
 */
export function ownWords(text: string): string {
  const lines = text.replace(/\r\n?/g, '\n').split('\n').slice(0, MOST_LINES);
  const kept: string[] = [];
  for (const [i, line] of lines.entries()) {
    if (
      /^-- ?$/.test(line) ||
      (kept.length > 0 && quotesFrom(lines, i)) ||
      (kept.length === 0 && quotesFrom(lines, i) && !answersBelow(lines, i))
    )
      break;
    if (!/^\s{0,3}>/.test(line) && !(kept.length === 0 && (line.trim() === '' || quotesFrom(lines, i))))
      kept.push(line.trimEnd());
  }
  const own = kept
    .join('\n')
    .replace(/\n{3,}/g, '\n\n')
    .trim();
  return own;
}

/** True where somebody writes below what is quoted: behind its lines there are some of their own. */
function answersBelow(lines: readonly string[], from: number): boolean {
  if (ENDS.some((p) => p.test((lines[from] ?? '').trim()))) return false;
  const quoted = lines.findIndex((l, i) => i > from && /^\s{0,3}>/.test(l));
  if (quoted < 0) return false;
  return lines.slice(quoted).some((l) => l.trim() !== '' && !/^\s{0,3}>/.test(l));
}

/** The headers of a letter that tell who sends it, by their names in small letters. */
export type LetterHeaders = Readonly<Record<string, string | undefined>>;

const ROBOTS =
  /^(?:mailer-daemon|postmaster|no-?reply|do-?not-?reply|bounces?|listserv|majordomo|[^@]*-(?:request|bounces?|owner))(?:[+=-][^@]*)?@/i;

/**
 * Why a letter is not answered, as no person wrote it to us: an automatic answer, a report of a mail server, a mailing list, bulk mail
 * (RFC 3834, 2; RFC 2369; RFC 3464). Undefined for a letter that is to be answered.
 */
export function automaticLetter(headers: LetterHeaders, from: string): string | undefined {
  const has = (name: string): string => headers[name]?.trim().toLowerCase() ?? '';
  if (has('auto-submitted') !== '' && has('auto-submitted') !== 'no') return 'an automatic letter';
  if (headers['return-path'] !== undefined && /^<?\s*>?$/.test(has('return-path'))) return 'a report of a mail server';
  if (/multipart\/report|delivery-status|disposition-notification/.test(has('content-type'))) return 'a report of a mail server';
  if (['list-id', 'list-unsubscribe', 'list-post', 'mailing-list'].some((h) => has(h) !== ''))
    return 'a letter of a mailing list';
  if (/^(?:bulk|junk|list|auto_reply)$/.test(has('precedence'))) return 'bulk mail';
  if (['x-autoreply', 'x-autorespond', 'x-auto-response-suppress', 'x-failed-recipients', 'x-loop'].some((h) => has(h) !== ''))
    return 'an automatic letter';
  if (ROBOTS.test(from)) return 'a letter that nobody reads the answer to';
  return undefined;
}

/** A subject as that of an answer: one `Re:` before it, whatever stood there before. */
export function answerSubject(subject: string): string {
  const bare = subject
    .replace(/^(?:\s*(?:re|aw|sv|antw|rv|res)\s*(?:\[\d+\])?\s*:)+\s*/i, '')
    .replace(/\s+/g, ' ')
    .trim();
  return `Re: ${bare === '' ? 'your letter' : bare}`.slice(0, 200);
}
