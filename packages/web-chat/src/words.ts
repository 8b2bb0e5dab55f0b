/** The few words of the page itself; what the bot says comes from the bot. */
export interface Words {
  readonly about: string;
  readonly say: string;
  readonly send: string;
  readonly startOver: string;
  readonly writing: string;
  readonly choices: string;
  readonly notSent: string;
  readonly kept: string;
  readonly again: string;
  readonly reconnecting: string;
  readonly unreachable: string;
  readonly sources: string;
  readonly open: string;
  readonly person: string;
  readonly stop: string;
  readonly attach: string;
  readonly detach: string;
}

const ENGLISH: Words = {
  about: 'Answers by a bot.',
  say: 'Write a message',
  send: 'Send',
  startOver: 'Start over',
  writing: 'is writing',
  choices: 'Suggested answers',
  notSent: 'That did not reach us.',
  kept: 'Your words are kept.',
  again: 'Try again',
  reconnecting: 'The line was cut. Trying again…',
  unreachable: 'This chat cannot be reached just now.',
  sources: 'Where it stands',
  open: 'Open the document',
  person: 'A person',
  stop: 'Stop',
  attach: 'Add a picture or a file',
  detach: 'Leave out',
};

const WORDS: Readonly<Record<string, Words>> = {
  en: ENGLISH,
  de: {
    about: 'Hier antwortet ein Bot.',
    say: 'Nachricht schreiben',
    send: 'Senden',
    startOver: 'Neu beginnen',
    writing: 'schreibt',
    choices: 'Vorgeschlagene Antworten',
    notSent: 'Das kam nicht an.',
    kept: 'Ihre Worte sind nicht verloren.',
    again: 'Noch einmal',
    reconnecting: 'Die Verbindung ist unterbrochen. Neuer Versuch …',
    unreachable: 'Dieser Chat ist gerade nicht erreichbar.',
    sources: 'Wo es steht',
    open: 'Dokument öffnen',
    person: 'Ein Mensch',
    stop: 'Anhalten',
    attach: 'Bild oder Datei anhängen',
    detach: 'Weglassen',
  },
  es: {
    about: 'Responde un bot.',
    say: 'Escriba un mensaje',
    send: 'Enviar',
    startOver: 'Empezar de nuevo',
    writing: 'está escribiendo',
    choices: 'Respuestas sugeridas',
    notSent: 'No nos ha llegado.',
    kept: 'Sus palabras se conservan.',
    again: 'Intentar otra vez',
    reconnecting: 'Se cortó la conexión. Reintentando…',
    unreachable: 'No se puede acceder a este chat ahora.',
    sources: 'Dónde consta',
    open: 'Abrir el documento',
    person: 'Una persona',
    stop: 'Parar',
    attach: 'Añadir una imagen o un archivo',
    detach: 'Quitar',
  },
};

/** The words in a language, or English. */
export function wordsFor(language: string): Words {
  return WORDS[language.toLowerCase().split('-')[0] ?? 'en'] ?? ENGLISH;
}
