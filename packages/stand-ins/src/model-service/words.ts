/** Words as the practice model compares them: in the languages that it reads, without endings and without what says nothing. */

export type Language = 'en' | 'de' | 'es' | 'fr';

/** Small letters without marks. */
export function plain(text: string): string {
  return text
    .normalize('NFKD')
    .replace(/\p{M}+/gu, '')
    .toLowerCase()
    .replaceAll('ß', 'ss');
}

const COMMON = new Set(
  (
    'the a an and or of to in on at for from by with is are was were be been it its this that these those there here i me my we us our you your he she they them his her their do does did can could will would shall should may might must have has had not no yes please just now then so if as into about up down out over some any all one what which who when where how why want need like get got give me there s t m re ve ll d hi hello thanks thank ' +
    'der die das den dem des ein eine einen einem einer und oder von zu zum zur im in am an auf fur mit bei ist sind war waren es ich mich mir wir uns unser sie ihr ihnen er du dir dich nicht kein keine ja nein bitte kann konnen konnte will mochte hatte haben hat habe werden wird was welche welcher wann wo wie warum noch auch schon mal gern danke hallo ' +
    'el la los las un una unos unas y o de del al en por para con es son era esta estan hay yo me mi nosotros nos usted su tu te se lo le les no si por favor puede puedo quiero quisiera que cual cuando donde como tengo tiene gracias hola ' +
    'le les des du et ou dans sur avec est sont je moi nous vous il elle ils pas oui non veux voudrais que quel quelle quand ou merci bonjour'
  ).split(/\s+/),
);

/** A word without a common ending, so that "bookings", "booked" and "booking" meet. */
export function stem(word: string): string {
  if (word.length <= 4) return word.replace(/s$/, '');
  return word.replace(/(?:ations?|ings?|ungen|ung|iones|ion|ados?|adas?|ies|ed|en|es|er|e|s|n|t)$/, '');
}

/** The words of a text that say what it is about. */
export function telling(text: string): string[] {
  return (plain(text).match(/[\p{L}\p{N}]+/gu) ?? []).filter((w) => w.length > 1 && !COMMON.has(w)).map(stem);
}

/** Words that mean the same for choosing among tools, whatever the trade. Written as stems. */
const ALIKE: readonly (readonly string[])[] = [
  ['book', 'reserv', 'buch', 'reservier', 'reserva'],
  [
    'list',
    'show',
    'find',
    'search',
    'look',
    'free',
    'available',
    'verfugbar',
    'frei',
    'libre',
    'disponible',
    'zeig',
    'such',
    'busca',
    'muestra',
    'liste',
    'lists',
    'which',
    'find',
  ],
  ['cancel', 'stornier', 'absag', 'cancela', 'anula', 'annul', 'delete', 'remov', 'losch', 'drop', 'borra', 'quita'],
  [
    'change',
    'move',
    'mov',
    'reschedul',
    'update',
    'updat',
    'ander',
    'verschieb',
    'verleg',
    'cambia',
    'mueve',
    'modif',
    'mark',
    'set',
  ],
  [
    'note',
    'not',
    'add',
    'record',
    'log',
    'report',
    'enter',
    'notier',
    'eintrag',
    'meld',
    'vermerk',
    'anota',
    'apunta',
    'registra',
    'anade',
    'broken',
    'break',
    'leak',
    'jam',
    'kaputt',
    'defekt',
    'rot',
    'repair',
    'fault',
    'damag',
    'defect',
    'torn',
    'tear',
    'crack',
    'rip',
    'bent',
    'wet',
    'stuck',
    'fail',
    'noise',
    'smell',
    'squeak',
    'flicker',
    'drip',
    'burnt',
    'blown',
    'dirty',
    'lost',
    'dead',
    'gerissen',
    'klemmt',
    'tropft',
    'roto',
    'averia',
  ],
  [
    'send',
    'tell',
    'know',
    'notice',
    'warn',
    'aware',
    'notify',
    'notifi',
    'inform',
    'message',
    'messag',
    'mail',
    'let',
    'schick',
    'sag',
    'benachrichtig',
    'envia',
    'manda',
    'avisa',
    'nachricht',
    'announce',
    'announc',
    'post',
  ],
  ['menu', 'dish', 'food', 'meal', 'eat', 'carta', 'plato', 'speisekart', 'gericht'],
  ['where', 'track', 'status', 'arriv', 'deliver', 'deliver', 'wo', 'donde'],
  ['convert', 'exchang', 'currenc', 'euro', 'dollar', 'pound', 'umrechn', 'convert', 'cambio'],
  ['price', 'pric', 'cost', 'fare', 'fee', 'preis', 'kost', 'precio', 'cuesta', 'tarif'],
  ['weather', 'wetter', 'tiempo', 'forecast', 'rain', 'wind', 'storm', 'regen'],
  ['order', 'bestell', 'pide', 'pedir', 'buy', 'purchas', 'kauf'],
  ['pay', 'refund', 'bezahl', 'erstatt', 'paga', 'reembols', 'money', 'geld'],
  ['rota', 'shift', 'roster', 'dienst', 'dienstplan', 'schicht', 'turno', 'duty'],
  ['open', 'hour', 'offnungszeit', 'horario'],
  ['sum', 'calculat', 'add', 'plus', 'total', 'multipl', 'rechn', 'suma', 'percent'],
  ['translat', 'ubersetz', 'traduc', 'spanish', 'german', 'english', 'french', 'spanisch', 'englisch'],
  ['table', 'tabl', 'tisch', 'mesa', 'seat', 'restaurant'],
  ['appoint', 'termin', 'cita', 'visit', 'doctor', 'arzt', 'medico'],
  ['loan', 'borrow', 'lend', 'renew', 'extend', 'ausleih', 'verlanger', 'prestam'],
  [
    'sailing',
    'sail',
    'boat',
    'ferry',
    'crossing',
    'train',
    'bus',
    'flight',
    'departur',
    'leav',
    'abfahrt',
    'fahrt',
    'salida',
    'trip',
    'connection',
  ],
  ['absent', 'absenc', 'ill', 'sick', 'away', 'krank', 'fehlt', 'enferm', 'cannot', 'missing'],
  ['room', 'zimmer', 'habitacion', 'hotel'],
  ['stock', 'warehous', 'inventor', 'lager', 'bestand', 'almacen'],
  ['invoice', 'bill', 'rechnung', 'factura'],
  ['custom', 'client', 'kunde', 'cliente'],
  ['work', 'works', 'arbeit', 'trabaj', 'rota', 'shift', 'duty'],
  ['remind', 'erinner', 'recuerda'],
];

const group = new Map<string, number>();
ALIKE.forEach((words, i) => words.forEach((w) => group.has(w) || group.set(w, i)));

/** The group of words that mean the same, for a stem; undefined where it stands alone. */
export function sense(word: string): number | undefined {
  if (group.has(word)) return group.get(word);
  for (const [known, at] of group)
    if (known.length >= 4 && word.length >= 4 && (word.startsWith(known) || known.startsWith(word))) return at;
  return undefined;
}

const MARKS: Readonly<Record<Language, RegExp>> = {
  en: /\b(?:the|and|what|is|are|you|please|for|with|tomorrow|which|how|need)\b/g,
  de: /\b(?:der|die|das|und|ist|ich|bitte|fur|mit|morgen|nicht|wie|welche|ein|eine|um)\b/g,
  es: /\b(?:el|los|las|y|es|por|para|con|manana|que|como|quiero|una|un|favor)\b/g,
  fr: /\b(?:le|les|et|est|je|pour|avec|demain|quel|quelle|une|un|vous|plait)\b/g,
};

/** The language of a text: that of most of its small words; English where none tells. */
export function languageOf(text: string): Language {
  const said = plain(text);
  const counts = (Object.entries(MARKS) as [Language, RegExp][]).map(
    ([language, marks]) => [language, (said.match(marks) ?? []).length] as const,
  );
  const [best] = counts.sort((a, b) => b[1] - a[1]);
  return best && best[1] > 0 ? best[0] : 'en';
}

/** The language that instructions ask for; undefined where they leave it open. */
export function wantedLanguage(told: string): Language | undefined {
  const said = plain(told);
  if (
    /\b(?:answer|reply|write|speak|respond) (?:only |always )?in german\b|\bantworte[n]? (?:sie )?(?:immer |nur )?auf deutsch\b/.test(
      said,
    )
  )
    return 'de';
  if (/\b(?:answer|reply|write|speak|respond) (?:only |always )?in spanish\b|\bresponde? (?:siempre )?en espanol\b/.test(said))
    return 'es';
  if (/\b(?:answer|reply|write|speak|respond) (?:only |always )?in french\b|\breponds? (?:toujours )?en francais\b/.test(said))
    return 'fr';
  return /\b(?:answer|reply|write|speak|respond) (?:only |always )?in english\b/.test(said) ? 'en' : undefined;
}
