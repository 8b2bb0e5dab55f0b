import type { FailureCode } from './effects/effect.js';

/** Why something outside came to nothing, as far as a visitor is concerned: an HTTP error counts as `answered`. */
export type VisibleFailure = FailureCode | 'answered';

type Kind = 'slow' | 'unsure' | 'broken';
const KINDS: Partial<Record<VisibleFailure, Kind>> = {
  timeout: 'slow',
  unreachable: 'slow',
  'unknown-outcome': 'unsure',
  stopped: 'unsure',
};

/** What a visitor may be told, by language; no host, no status, nothing that only the designer understands. */
const SAYS: Readonly<Record<string, Readonly<Record<Kind, string>>>> = {
  en: {
    slow: 'The service behind this does not answer just now. Please try again in a few minutes.',
    unsure: 'Something broke off in the middle, and it is not certain whether it was done. Please check before you try again.',
    broken: 'That did not work: something is wrong on our side. Please try again later.',
  },
  de: {
    slow: 'Der Dienst dahinter antwortet gerade nicht. Bitte versuchen Sie es in ein paar Minuten noch einmal.',
    unsure:
      'Mittendrin ist etwas abgebrochen, und es ist nicht sicher, ob es erledigt wurde. Bitte prüfen Sie das, bevor Sie es noch einmal versuchen.',
    broken: 'Das hat nicht geklappt: Bei uns stimmt etwas nicht. Bitte versuchen Sie es später noch einmal.',
  },
  fr: {
    slow: 'Le service ne répond pas pour le moment. Veuillez réessayer dans quelques minutes.',
    unsure: 'Une interruption est survenue, et il n’est pas certain que ce soit fait. Veuillez vérifier avant de réessayer.',
    broken: 'Cela n’a pas fonctionné : quelque chose ne va pas de notre côté. Veuillez réessayer plus tard.',
  },
  es: {
    slow: 'El servicio no responde en este momento. Inténtelo de nuevo en unos minutos.',
    unsure: 'Algo se interrumpió a medias y no es seguro que se haya hecho. Compruébelo antes de intentarlo de nuevo.',
    broken: 'No ha funcionado: algo va mal por nuestra parte. Inténtelo de nuevo más tarde.',
  },
};

/** A sentence for the visitor, in their language where it is one of ours, else in English. */
export function failureSays(code: VisibleFailure, language: string): string {
  const words = SAYS[language.toLowerCase().split('-')[0] ?? 'en'] ?? SAYS['en'];
  return words?.[KINDS[code] ?? 'broken'] ?? '';
}
