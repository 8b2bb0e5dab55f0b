import type { EffectClass } from '../../honesty/index.js';
import { ofLanguage } from '../../understanding/lexicon.js';

/*
 * What the bot says around an agent by itself: that it asks first, that it came to a limit. In the languages that we speak.
 */

export const AGENT_SAYINGS = [
  'shall-i',
  'yes',
  'no',
  'limit',
  'limit-with',
  'stopped',
  'anything-else',
  'not-done',
  'really-done',
  'nothing-was',
  'add-to',
  'change-in',
  'remove-from',
  'tell',
] as const;
export type AgentSaying = (typeof AGENT_SAYINGS)[number];

const WORDS: Readonly<Record<string, Readonly<Record<AgentSaying, string>>>> = {
  en: {
    'shall-i': 'Shall I do this: {}?',
    yes: 'Yes, please',
    no: 'No',
    limit: 'I have to stop here: this takes more than I may do at once.',
    'limit-with': 'I have to stop here: this takes more than I may do at once. What I have so far: {}',
    stopped: 'I have stopped.',
    'anything-else': 'What else can I do?',
    'not-done': 'To be clear: I have not {} anything.',
    'really-done': 'To be exact, this is what was done: {}.',
    'nothing-was': 'To be clear: nothing of that kind was done.',
    'add-to': 'add to {}',
    'change-in': 'change in {}',
    'remove-from': 'remove from {}',
    tell: 'send a message',
  },
  de: {
    'shall-i': 'Soll ich das tun: {}?',
    yes: 'Ja, bitte',
    no: 'Nein',
    limit: 'Hier muss ich aufhören: Das ist mehr, als ich auf einmal tun darf.',
    'limit-with': 'Hier muss ich aufhören: Das ist mehr, als ich auf einmal tun darf. Was ich bis jetzt habe: {}',
    stopped: 'Ich habe aufgehört.',
    'anything-else': 'Was kann ich noch tun?',
    'not-done': 'Um genau zu sein: Ich habe nichts {}.',
    'really-done': 'Um genau zu sein, getan wurde dies: {}.',
    'nothing-was': 'Um genau zu sein: Nichts davon wurde getan.',
    'add-to': 'eintragen in {}',
    'change-in': 'ändern in {}',
    'remove-from': 'löschen aus {}',
    tell: 'eine Nachricht senden',
  },
  es: {
    'shall-i': '¿Hago esto?: {}',
    yes: 'Sí, por favor',
    no: 'No',
    limit: 'Tengo que parar aquí: esto es más de lo que puedo hacer de una vez.',
    'limit-with': 'Tengo que parar aquí: esto es más de lo que puedo hacer de una vez. Lo que tengo hasta ahora: {}',
    stopped: 'He parado.',
    'anything-else': '¿Qué más puedo hacer?',
    'not-done': 'Para ser exacto: no he {} nada.',
    'really-done': 'Para ser exacto, esto es lo que se hizo: {}.',
    'nothing-was': 'Para ser exacto: no se hizo nada de eso.',
    'add-to': 'añadir a {}',
    'change-in': 'cambiar en {}',
    'remove-from': 'borrar de {}',
    tell: 'enviar un mensaje',
  },
  fr: {
    'shall-i': 'Dois-je faire ceci : {} ?',
    yes: 'Oui, s’il vous plaît',
    no: 'Non',
    limit: 'Je dois m’arrêter ici : c’est plus que ce que je peux faire en une fois.',
    'limit-with': 'Je dois m’arrêter ici : c’est plus que ce que je peux faire en une fois. Ce que j’ai pour l’instant : {}',
    stopped: 'Je me suis arrêté.',
    'anything-else': 'Que puis-je faire d’autre ?',
    'not-done': 'Pour être exact : je n’ai rien {}.',
    'really-done': 'Pour être exact, voici ce qui a été fait : {}.',
    'nothing-was': 'Pour être exact : rien de tel n’a été fait.',
    'add-to': 'ajouter à {}',
    'change-in': 'changer dans {}',
    'remove-from': 'supprimer de {}',
    tell: 'envoyer un message',
  },
};

/** A saying in a language, else in the first of some others that we speak, else in English. */
export function agentWords(saying: AgentSaying, language: string, others: readonly string[], value = ''): string {
  const spoken = [language, ...others].find((l) => ofLanguage(WORDS, l) !== undefined) ?? 'en';
  const words = (ofLanguage(WORDS, spoken) ?? WORDS['en'])?.[saying] ?? '';
  return words.replace('{}', () => value);
}

/** What was not done, as it stands in the saying `not-done`. */
const NOT_DONE: Readonly<Record<string, Readonly<Record<EffectClass, string | undefined>>>> = {
  en: {
    book: 'booked',
    send: 'sent',
    tell: 'reported',
    note: 'noted',
    cancel: 'cancelled',
    change: 'changed',
    remove: 'removed',
    order: 'ordered',
    pay: 'paid or refunded',
    create: 'set up',
    confirm: 'confirmed',
    call: undefined,
    assign: 'assigned',
    done: 'done',
  },
  de: {
    book: 'gebucht',
    send: 'gesendet',
    tell: 'gemeldet',
    note: 'notiert',
    cancel: 'storniert',
    change: 'geändert',
    remove: 'gelöscht',
    order: 'bestellt',
    pay: 'bezahlt oder erstattet',
    create: 'angelegt',
    confirm: 'bestätigt',
    call: undefined,
    assign: 'zugeteilt',
    done: 'getan',
  },
  es: {
    book: 'reservado',
    send: 'enviado',
    tell: 'comunicado',
    note: 'anotado',
    cancel: 'cancelado',
    change: 'cambiado',
    remove: 'borrado',
    order: 'pedido',
    pay: 'pagado ni devuelto',
    create: 'creado',
    confirm: 'confirmado',
    call: undefined,
    assign: 'asignado',
    done: 'hecho',
  },
  fr: {
    book: 'réservé',
    send: 'envoyé',
    tell: 'signalé',
    note: 'noté',
    cancel: 'annulé',
    change: 'changé',
    remove: 'supprimé',
    order: 'commandé',
    pay: 'payé ni remboursé',
    create: 'créé',
    confirm: 'confirmé',
    call: undefined,
    assign: 'attribué',
    done: 'fait',
  },
};

/** The word for what was not done; undefined where none fits. */
export function notDoneWord(effect: EffectClass, language: string, others: readonly string[]): string | undefined {
  const spoken = [language, ...others].find((l) => ofLanguage(NOT_DONE, l) !== undefined) ?? 'en';
  return (ofLanguage(NOT_DONE, spoken) ?? NOT_DONE['en'])?.[effect];
}
