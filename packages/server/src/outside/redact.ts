/** Shorter ones are no secrets that could be told from words. */
const SHORTEST = 4;
const SECRET = '[secret]';

/** Takes known secrets out of a text, as they are, as they stand in addresses and in headers of Basic authentication. */
export function redact(text: string, secrets: Iterable<string>): string {
  let clean = text;
  for (const secret of secrets) {
    if (secret.length < SHORTEST) continue;
    const forms = [secret, encodeURIComponent(secret), encodeURI(secret), Buffer.from(secret).toString('base64')];
    for (const form of new Set(forms)) clean = clean.replaceAll(form, SECRET);
  }
  return clean;
}

/** What a failure tells, without secrets. */
export function redacted<T extends object>(came: T, secrets: Iterable<string>): T {
  const known = [...secrets];
  const clean = Object.entries(came).map(([key, v]: [string, unknown]) => [
    key,
    (key === 'reason' || key === 'url') && typeof v === 'string' ? redact(v, known) : v,
  ]);
  return Object.fromEntries(clean) as T;
}
