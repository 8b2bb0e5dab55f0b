import { normalise } from '../understanding/words.js';

/*
 * What is never kept, whatever a designer says: numbers of cards and accounts, and words that open something.
 */

/** Thirteen to nineteen digits, as numbers of cards are written. */
const CARD = /(?<!\d)(?:\d[ -]?){12,18}\d(?!\d)/g;
/** ISO 13616: two letters, two check digits, up to thirty more. */
const ACCOUNT = /\b[A-Z]{2}\d{2}(?: ?[A-Z0-9]{2,4}){3,8}\b/g;
const OPENS =
  /(?:^| )(?:passwords?|passphrase|pass ?code|pin|cvv|cvc|passwort|kennwort|geheimzahl|contrasena|clave|mot de passe|code secret|iban|credit card|debit card|kreditkarte|bankkonto|kontonummer|tarjeta de credito|cuenta bancaria|carte bancaire|compte bancaire)(?: |$)/;
const LEFT_OUT = '(left out)';

/** ISO/IEC 7812-1: the check digit of a card's number. */
export function isCardNumber(written: string): boolean {
  const digits = written.replace(/\D/g, '');
  if (digits.length < 13 || digits.length > 19) return false;
  let sum = 0;
  for (let i = 0; i < digits.length; i++) {
    const digit = Number(digits[digits.length - 1 - i]) * (i % 2 === 1 ? 2 : 1);
    sum += digit > 9 ? digit - 9 : digit;
  }
  return sum % 10 === 0;
}

/** A text without numbers of cards and accounts. */
export function withoutSecrets(text: string): string {
  return text.replace(CARD, (found) => (isCardNumber(found) ? LEFT_OUT : found)).replace(ACCOUNT, LEFT_OUT);
}

/** True where a text holds what is never kept; `words` are the designer's own, normalised. */
export function holdsSecrets(text: string, words: readonly string[]): boolean {
  if (withoutSecrets(text) !== text) return true;
  const said = normalise(text);
  return OPENS.test(said) || words.some((w) => ` ${said} `.includes(` ${w} `));
}
