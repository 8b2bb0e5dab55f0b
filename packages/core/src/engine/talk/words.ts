import { baseOf, ofLanguage } from '../../understanding/lexicon.js';
import { MEMORY_SAYINGS, MEMORY_WORDS } from './memory-words.js';

/*
 * What the bot says of itself to lead a conversation, in the languages that we speak; in any other one it says it in the bot's
 * first language, or in English. Wordings are taken in turn.
 */

type Wordings = readonly string[];
export type TalkWords = Readonly<Record<TalkSaying, Wordings>>;

export const TALK_SAYINGS = [
  'corrected',
  'which-one',
  'same-already',
  'stands',
  'stands-while-asking',
  'anew',
  'back-to',
  'back-to-called',
  'later',
  'too-many',
  'now-to',
  'left-it',
  'nothing-to-leave',
  'first-question',
  'cannot-undo',
  'start-over',
  'nothing-said',
  'can-do',
  'can-do-nothing',
  'no-person',
  'welcome',
  'goodbye',
  'missed',
  'one-of',
  'you-can-say',
  'offer-person',
  'person',
  'did-you-mean',
  'none-of-these',
  'which-of-these',
  'sorry',
  'sorry-alone',
  'denied',
  'past-day',
  'future-day',
  ...MEMORY_SAYINGS,
] as const;
export type TalkSaying = (typeof TALK_SAYINGS)[number];

/** `{}` is where a value stands. */
const WORDS: Readonly<Record<string, TalkWords>> = {
  en: {
    corrected: ['{}, then.', 'All right, {}.', '{} it is.'],
    'which-one': ['{}: which of these do you mean?'],
    'same-already': ['{} is what I have already.'],
    stands: ['That has been done already, and I do not undo it by myself. What I can do:'],
    'stands-while-asking': ['One part of that has been done already, and I do not undo it by myself, so it stays as it is.'],
    anew: ['Begin anew with {}'],
    'back-to': ['Back to where we were:', 'Now, to go on:', 'To come back to it:'],
    'back-to-called': ['Back to {}:', 'Now, {} again:', 'To go on with {}:'],
    later: ['One after the other. I will come to “{}” after this.', 'I will see to “{}” right after this.'],
    'too-many': ['I have enough to do first. Please tell me “{}” once more after that.'],
    'now-to': ['Now to “{}”.', 'And now, “{}”:'],
    'left-it': ['All right, I leave it at that.', 'Fine, we leave it.', 'No problem, I have dropped it.'],
    'nothing-to-leave': ['All right.', 'No problem.'],
    'first-question': ['There is no question before this one.'],
    'cannot-undo': ['What comes before this has been done already, so I cannot go back to it.'],
    'start-over': ['From the beginning, then.', 'Right, once more from the start.'],
    'nothing-said': ['I have not said anything yet.'],
    'can-do': ['You can say, for example: {}.', 'I can help when you say, for example: {}.'],
    'can-do-nothing': ['I answer what I was made for; just ask.'],
    'no-person': ['There is nobody here whom I could put you through to.'],
    welcome: ['You are welcome.', 'With pleasure.', 'Any time.'],
    goodbye: ['Goodbye.', 'Goodbye, and thank you.'],
    missed: ['Sorry, I did not understand that.', 'I still do not follow.', 'I am afraid I do not get it.'],
    'one-of': ['It can be one of these: {}.'],
    'you-can-say': ['Here you can answer the question, or say, for example: {}.', 'What I do understand, for example: {}.'],
    'offer-person': ['Shall I put you through to a person?', 'I do not seem to help you. Would you like to talk to a person?'],
    person: ['A person, please'],
    'did-you-mean': ['Did you mean one of these?', 'I am not sure. Do you mean one of these?'],
    'none-of-these': ['Neither'],
    'which-of-these': ['Which of these?', 'Several fit that. Which one?'],
    sorry: [
      'I am sorry that this is so trying for you. A person can take over, if you like.',
      'I am very sorry. Shall a person take over?',
    ],
    'sorry-alone': ['I am sorry that this is so trying for you. I will do what I can.'],
    denied: ['All right, then I will not do that.', 'Understood, I leave that.'],
    'past-day': ['{} is in the past.'],
    'future-day': ['{} is still to come.'],
    ...MEMORY_WORDS.en,
  },
  de: {
    corrected: ['{}, also.', 'Gut, {}.', 'Dann {}.'],
    'which-one': ['{}: Was davon meinen Sie?'],
    'same-already': ['{} habe ich schon so notiert.'],
    stands: ['Das ist schon erledigt, und von mir aus mache ich es nicht rückgängig. Was ich tun kann:'],
    'stands-while-asking': [
      'Ein Teil davon ist schon erledigt, und von mir aus mache ich ihn nicht rückgängig. Er bleibt also, wie er ist.',
    ],
    anew: ['Neu beginnen mit {}'],
    'back-to': ['Zurück zu unserer Sache:', 'Und nun weiter:', 'Um darauf zurückzukommen:'],
    'back-to-called': ['Zurück zu {}:', 'Nun wieder zu {}:', 'Weiter mit {}:'],
    later: ['Eins nach dem anderen. Zu „{}“ komme ich danach.', 'Um „{}“ kümmere ich mich gleich danach.'],
    'too-many': ['Ich habe noch genug vor mir. Sagen Sie mir „{}“ bitte danach noch einmal.'],
    'now-to': ['Nun zu „{}“.', 'Und jetzt „{}“:'],
    'left-it': ['Gut, dann lasse ich es dabei.', 'In Ordnung, wir lassen es.', 'Kein Problem, das ist vom Tisch.'],
    'nothing-to-leave': ['In Ordnung.', 'Kein Problem.'],
    'first-question': ['Davor gibt es keine Frage.'],
    'cannot-undo': ['Was davor kam, ist schon erledigt; dorthin kann ich nicht zurück.'],
    'start-over': ['Also von vorn.', 'Gut, noch einmal von Anfang an.'],
    'nothing-said': ['Ich habe noch nichts gesagt.'],
    'can-do': ['Sie können zum Beispiel sagen: {}.', 'Ich helfe, wenn Sie zum Beispiel sagen: {}.'],
    'can-do-nothing': ['Ich beantworte, wofür ich da bin; fragen Sie einfach.'],
    'no-person': ['Hier ist niemand, zu dem ich Sie durchstellen könnte.'],
    welcome: ['Gern geschehen.', 'Sehr gern.', 'Jederzeit.'],
    goodbye: ['Auf Wiedersehen.', 'Auf Wiedersehen, und danke.'],
    missed: ['Das habe ich leider nicht verstanden.', 'Ich komme noch nicht mit.', 'Damit kann ich leider nichts anfangen.'],
    'one-of': ['Möglich sind: {}.'],
    'you-can-say': ['Sie können hier die Frage beantworten, oder zum Beispiel sagen: {}.', 'Was ich verstehe, zum Beispiel: {}.'],
    'offer-person': [
      'Soll ich Sie mit einem Menschen verbinden?',
      'Ich helfe Ihnen wohl nicht weiter. Möchten Sie mit einem Menschen sprechen?',
    ],
    person: ['Einen Menschen, bitte'],
    'did-you-mean': ['Meinten Sie eines davon?', 'Ich bin nicht sicher. Meinen Sie eines davon?'],
    'none-of-these': ['Keins davon'],
    'which-of-these': ['Was davon?', 'Da passt mehreres. Was davon?'],
    sorry: [
      'Es tut mir leid, dass das so mühsam für Sie ist. Wenn Sie möchten, übernimmt ein Mensch.',
      'Das tut mir sehr leid. Soll ein Mensch übernehmen?',
    ],
    'sorry-alone': ['Es tut mir leid, dass das so mühsam für Sie ist. Ich tue, was ich kann.'],
    denied: ['Gut, dann tue ich das nicht.', 'Verstanden, das lasse ich.'],
    'past-day': ['{} ist schon vorbei.'],
    'future-day': ['{} liegt noch vor uns.'],
    ...MEMORY_WORDS.de,
  },
  es: {
    corrected: ['{}, entonces.', 'De acuerdo, {}.', 'Entendido: {}.'],
    'which-one': ['{}: ¿a cuál de estas se refiere?'],
    'same-already': ['{} es lo que ya tengo.'],
    stands: ['Eso ya está hecho, y no lo deshago por mi cuenta. Lo que puedo hacer:'],
    'stands-while-asking': ['Una parte ya está hecha, y no la deshago por mi cuenta, así que queda como está.'],
    anew: ['Empezar de nuevo con {}'],
    'back-to': ['Volvamos a lo nuestro:', 'Y ahora, para seguir:', 'Volviendo a lo de antes:'],
    'back-to-called': ['Volvamos a {}:', 'Sigamos con {}:', 'Y ahora, de nuevo, {}:'],
    later: ['Una cosa tras otra. Después voy con «{}».', 'De «{}» me ocupo justo después.'],
    'too-many': ['Ya tengo bastante que atender antes. Dígame «{}» otra vez después, por favor.'],
    'now-to': ['Ahora, «{}».', 'Y ahora vamos con «{}»:'],
    'left-it': ['De acuerdo, lo dejo así.', 'Muy bien, lo dejamos.', 'Sin problema, queda descartado.'],
    'nothing-to-leave': ['De acuerdo.', 'Sin problema.'],
    'first-question': ['No hay ninguna pregunta antes de esta.'],
    'cannot-undo': ['Lo anterior ya está hecho, así que no puedo volver atrás.'],
    'start-over': ['Desde el principio, entonces.', 'Bien, otra vez desde el principio.'],
    'nothing-said': ['Todavía no he dicho nada.'],
    'can-do': ['Puede decir, por ejemplo: {}.', 'Le ayudo si dice, por ejemplo: {}.'],
    'can-do-nothing': ['Respondo a aquello para lo que estoy; pregunte sin más.'],
    'no-person': ['Aquí no hay nadie con quien pueda comunicarle.'],
    welcome: ['De nada.', 'Con mucho gusto.', 'Cuando quiera.'],
    goodbye: ['Adiós.', 'Adiós, y gracias.'],
    missed: ['Perdone, no lo he entendido.', 'Sigo sin entenderlo.', 'Me temo que no lo entiendo.'],
    'one-of': ['Puede ser: {}.'],
    'you-can-say': ['Aquí puede responder a la pregunta o decir, por ejemplo: {}.', 'Lo que sí entiendo, por ejemplo: {}.'],
    'offer-person': ['¿Le comunico con una persona?', 'Parece que no le ayudo. ¿Quiere hablar con una persona?'],
    person: ['Una persona, por favor'],
    'did-you-mean': ['¿Se refiere a una de estas cosas?', 'No estoy seguro. ¿Es una de estas cosas?'],
    'none-of-these': ['Ninguna'],
    'which-of-these': ['¿Cuál de estas?', 'Hay varias que encajan. ¿Cuál?'],
    sorry: [
      'Siento que esto le resulte tan difícil. Si quiere, puede atenderle una persona.',
      'Lo siento mucho. ¿Quiere que le atienda una persona?',
    ],
    'sorry-alone': ['Siento que esto le resulte tan difícil. Haré lo que pueda.'],
    denied: ['De acuerdo, entonces no lo hago.', 'Entendido, lo dejo.'],
    'past-day': ['{} ya ha pasado.'],
    'future-day': ['{} todavía no ha llegado.'],
    ...MEMORY_WORDS.es,
  },
  fr: {
    corrected: ['{}, donc.', 'D’accord, {}.', 'Très bien : {}.'],
    'which-one': ['{} : de quoi s’agit-il ?'],
    'same-already': ['{}, c’est ce que j’ai déjà.'],
    stands: ['C’est déjà fait, et je ne l’annule pas de moi-même. Ce que je peux faire :'],
    'stands-while-asking': ['Une partie est déjà faite, et je ne l’annule pas de moi-même : elle reste telle quelle.'],
    anew: ['Recommencer avec {}'],
    'back-to': ['Revenons à notre affaire :', 'Pour continuer :', 'Pour en revenir là :'],
    'back-to-called': ['Revenons à {} :', 'Continuons avec {} :', 'Et maintenant, de nouveau, {} :'],
    later: ['Une chose après l’autre. Je viendrai ensuite à « {} ».', 'Je m’occupe de « {} » juste après.'],
    'too-many': ['J’ai déjà beaucoup à faire. Redites-moi « {} » après, s’il vous plaît.'],
    'now-to': ['Maintenant, « {} ».', 'Et à présent, « {} » :'],
    'left-it': ['D’accord, je m’arrête là.', 'Bien, on laisse cela.', 'Pas de problème, c’est abandonné.'],
    'nothing-to-leave': ['D’accord.', 'Pas de problème.'],
    'first-question': ['Il n’y a pas de question avant celle-ci.'],
    'cannot-undo': ['Ce qui précède est déjà fait ; je ne peux pas y revenir.'],
    'start-over': ['Depuis le début, donc.', 'Bien, reprenons depuis le début.'],
    'nothing-said': ['Je n’ai encore rien dit.'],
    'can-do': ['Vous pouvez dire, par exemple : {}.', 'Je peux aider si vous dites, par exemple : {}.'],
    'can-do-nothing': ['Je réponds à ce pour quoi je suis là ; demandez simplement.'],
    'no-person': ['Il n’y a ici personne à qui vous passer.'],
    welcome: ['Je vous en prie.', 'Avec plaisir.', 'Quand vous voulez.'],
    goodbye: ['Au revoir.', 'Au revoir, et merci.'],
    missed: ['Désolé, je n’ai pas compris.', 'Je ne vous suis toujours pas.', 'Je crains de ne pas comprendre.'],
    'one-of': ['Cela peut être : {}.'],
    'you-can-say': ['Vous pouvez répondre à la question, ou dire, par exemple : {}.', 'Ce que je comprends, par exemple : {}.'],
    'offer-person': [
      'Voulez-vous que je vous passe une personne ?',
      'Je ne vous aide pas, semble-t-il. Voulez-vous parler à une personne ?',
    ],
    person: ['Une personne, s’il vous plaît'],
    'did-you-mean': ['Vouliez-vous dire l’une de ces choses ?', 'Je ne suis pas sûr. Est-ce l’une de ces choses ?'],
    'none-of-these': ['Aucune'],
    'which-of-these': ['Laquelle ?', 'Plusieurs conviennent. Laquelle ?'],
    sorry: [
      'Je suis désolé que ce soit si pénible. Une personne peut prendre le relais, si vous voulez.',
      'Je suis vraiment désolé. Une personne doit-elle prendre le relais ?',
    ],
    'sorry-alone': ['Je suis désolé que ce soit si pénible. Je ferai ce que je peux.'],
    denied: ['D’accord, je ne le fais pas.', 'Entendu, je laisse cela.'],
    'past-day': ['{} est déjà passé.'],
    'future-day': ['{} est encore à venir.'],
    ...MEMORY_WORDS.fr,
  },
};

/** The wordings of a saying: in a language, else in the first of some others that we speak, else in English. */
export function talkWords(saying: TalkSaying, language: string, others: readonly string[]): readonly string[] {
  const spoken = [language, ...others].find((l) => ofLanguage(WORDS, l) !== undefined);
  return (ofLanguage(WORDS, spoken ?? 'en') ?? WORDS['en'])?.[saying] ?? [];
}

const formats = new Map<string, Intl.DateTimeFormat>();

/** How days are said in a language, made ready once. */
function formatOf(language: string): Intl.DateTimeFormat {
  const base = baseOf(language);
  const tag = base === 'en' ? 'en-GB' : base;
  const known =
    formats.get(tag) ?? new Intl.DateTimeFormat(tag, { weekday: 'long', day: 'numeric', month: 'long', timeZone: 'UTC' });
  formats.set(tag, known);
  return known;
}

/** A day as it is said: "Friday 15 May". */
export function dayInWords(day: string, language: string): string {
  if (Number.isNaN(Date.parse(day))) return day;
  return formatOf(language)
    .format(new Date(`${day.slice(0, 10)}T00:00:00Z`))
    .replaceAll(',', '');
}

const MARKS: Readonly<Record<string, readonly [string, string]>> = {
  en: ['“', '”'],
  de: ['„', '“'],
  es: ['«', '»'],
  fr: ['« ', ' »'],
};

/** Sayings in the marks of a language, joined by its word for "or". */
export function listed(sayings: readonly string[], language: string): string {
  const [open, close] = ofLanguage(MARKS, language) ?? ['“', '”'];
  return new Intl.ListFormat(baseOf(language), { type: 'disjunction' }).format(sayings.map((s) => `${open}${s}${close}`));
}
