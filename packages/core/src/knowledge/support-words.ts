/*
 * What the check of composed sentences knows of words: numbers, units, days, what denies, and what is the opposite of what. All are
 * written without accents, as `normalise` leaves them, but for what denies.
 */

/** Words for numbers, without accents. */
export const NUMBER_WORDS: Readonly<Record<string, number>> = Object.fromEntries(
  [
    'zero null cero',
    'one eins ein eine einen einem einer un una uno une',
    'two zwei dos deux twice zweimal doppelt doble double both beide ambos',
    'three drei tres trois thrice dreimal',
    'four vier cuatro quatre',
    'five funf cinco cinq',
    'six sechs seis',
    'seven sieben siete sept',
    'eight acht ocho huit',
    'nine neun nueve neuf',
    'ten zehn diez dix',
    'eleven elf once onze',
    'twelve zwolf doce douze dozen dutzend docena douzaine',
    'thirteen dreizehn trece treize',
    'fourteen vierzehn catorce quatorze',
    'fifteen funfzehn quince quinze',
    'sixteen sechzehn dieciseis seize',
    'seventeen siebzehn diecisiete',
    'eighteen achtzehn dieciocho',
    'nineteen neunzehn diecinueve',
    'twenty zwanzig veinte vingt',
  ]
    .flatMap((words, value) => words.split(' ').map((w) => [w, value] as const))
    .concat(
      [
        'thirty dreissig treinta trente',
        'forty vierzig cuarenta quarante',
        'fifty funfzig cincuenta cinquante',
        'sixty sechzig sesenta soixante',
        'seventy siebzig setenta',
        'eighty achtzig ochenta',
        'ninety neunzig noventa',
        'hundred hundert cien cent',
      ].flatMap((words, i) => words.split(' ').map((w) => [w, (i + 3) * 10] as const)),
    ),
);
/** Words that are articles as well as numbers: they count as numbers only where digits do not tell. */
export const ARTICLES = new Set(['ein', 'eine', 'einen', 'einem', 'einer', 'un', 'una', 'une', 'one', 'uno']);

/** Units by what they measure: two spellings of one unit are the same. */
export const UNITS: Readonly<Record<string, string>> = Object.fromEntries(
  Object.entries({
    '€': '€ euro euros eur',
    '£': '£ pound pounds gbp pfund libra libras livre livres',
    $: '$ dollar dollars usd',
    cent: 'cent cents ct',
    '%': '% percent prozent porcentaje pourcent',
    kg: 'kg kilo kilos kilogram kilograms kilogramm kilogramo kilogramos kilogramme kilogrammes',
    g: 'g gram grams gramm gramo gramos gramme grammes',
    cm: 'cm centimetre centimetres centimeter centimeters zentimeter centimetro centimetros centimetre',
    m: 'm metre metres meter meters metro metros metre',
    km: 'km kilometre kilometres kilometer kilometers kilometro kilometros',
    s: 's second seconds sekunde sekunden segundo segundos seconde secondes',
    min: 'min minute minutes minuten minuto minutos',
    h: 'h hour hours stunde stunden hora horas heure heures',
    d: 'day days tag tage tagen dia dias jour jours',
    night: 'night nights nacht nachte nachten noche noches nuit nuits',
    week: 'week weeks woche wochen semana semanas semaine semaines',
    month: 'month months monat monate monaten mes meses mois',
    year: 'year years jahr jahre jahren ano anos an ans annee annees',
    mb: 'mb megabyte megabytes',
    gb: 'gb gigabyte gigabytes',
    '°': '° degrees grad grados degres',
  }).flatMap(([unit, words]) => words.split(' ').map((w) => [w, unit] as const)),
);

export const NEGATIONS =
  /(?:^|[^\p{L}])(?:not|no|never|none|nobody|nothing|without|cannot|neither|nor|unless|except|\p{L}+n['’]t|nicht|kein\p{L}*|nie|niemals|ohne|niemand|nichts|weder|außer|nunca|sin|ningun\p{L}*|ningún|nadie|nada|ni|excepto|salvo|ne|pas|jamais|sans|aucun\p{L}*|personne|rien|sauf|forbidden|prohibited|banned|impossible|verboten|untersagt|unmöglich|prohibid[oa]s?|imposible|interdite?s?|free of charge)(?=[^\p{L}]|$)/giu;
/** "free" denies a charge as "kostenlos" does; it is no denial of its own. */
export const countNegations = (text: string): number =>
  [...text.matchAll(NEGATIONS)].filter(([m]) => !/free of charge/i.test(m)).length;

const WEEKDAYS = [
  'monday tuesday wednesday thursday friday saturday sunday',
  'montag dienstag mittwoch donnerstag freitag samstag sonntag',
  'lunes martes miercoles jueves viernes sabado domingo',
  'lundi mardi mercredi jeudi vendredi samedi dimanche',
].map((words) => words.split(' '));
const MONTHS = `january february march april may june july august september october november december
  januar februar marz april mai juni juli august september oktober november dezember
  enero febrero marzo abril mayo junio julio agosto septiembre octubre noviembre diciembre
  janvier fevrier mars avril mai juin juillet aout septembre octobre novembre decembre`.split(/\s+/);
/** Words that are months as well as others. */
const ALSO_OTHERS = new Set(['may', 'mars', 'mai']);
const SEASONS = [
  'spring fruhling fruhjahr primavera printemps',
  'summer sommer verano ete',
  'autumn herbst otono automne',
  'winter invierno hiver',
];
const WORKING_DAYS = 'weekday werktag werktags wochentag laborable laborables ouvrable ouvrables'.split(' ');
const FREE_DAYS = 'weekend wochenende finde'.split(' ');

const plainDay = (word: string): string =>
  word.length > 4 && word.endsWith('s') && DAYS.has(word.slice(0, -1)) ? word.slice(0, -1) : word;

/** Each word for a day or a month, with the days that it stands for: a weekday is each of five. */
const DAYS: ReadonlyMap<string, readonly string[]> = new Map([
  ...WEEKDAYS.flatMap((days) => days.map((day, i): [string, string[]] => [day, [`day ${i}`]])),
  ...MONTHS.filter((m) => !ALSO_OTHERS.has(m)).map((month): [string, string[]] => [month, [month]]),
  ...SEASONS.flatMap((words, i) => words.split(' ').map((word): [string, string[]] => [word, [`season ${i}`]])),
  ...WORKING_DAYS.map((word): [string, string[]] => [word, [0, 1, 2, 3, 4].map((i) => `day ${i}`)]),
  ...FREE_DAYS.map((word): [string, string[]] => [word, ['day 5', 'day 6']]),
]);

/** May is a month where it stands as one. */
const MAY =
  /(?:\b(?:in|of|until|till|from|to|since|by|and|during|before|after)|\d|(?:first|second|third|last)\s+of)\s+May\b(?!\s+(?:be|I|we|you|not))/;

/** The words of a text that stand for days and months, each with what it stands for. */
export function dayWords(text: string): readonly { readonly word: string; readonly days: readonly string[] }[] {
  const found = [...text.matchAll(/[\p{L}\p{M}]+/gu)].flatMap(([word]) => {
    const days = daysOf(
      word
        .normalize('NFKD')
        .replace(/\p{M}+/gu, '')
        .toLowerCase(),
    );
    return days ? [{ word, days }] : [];
  });
  return MAY.test(text) ? [...found, { word: 'May', days: ['may'] }] : found;
}

/** The days and months that a normalised word stands for; undefined for any other word. */
export function daysOf(word: string): readonly string[] | undefined {
  return DAYS.get(plainDay(word));
}

const pairs = (...lines: readonly string[]): readonly (readonly [ReadonlySet<string>, ReadonlySet<string>])[] =>
  lines.map((line) => {
    const [one = '', other = ''] = line.split(' / ');
    return [new Set(one.split(' ')), new Set(other.split(' '))];
  });

/** Words that turn a sentence into its contrary where the one stands in the place of the other. */
export const OPPOSITES = pairs(
  'open offen geoffnet abierto abierta abiertos abiertas ouvert ouverte ouverts / closed shut geschlossen cerrado cerrada cerrados cerradas ferme fermee fermes',
  'before vor antes avant / after nach despues apres',
  'first erste ersten erster primero primera premier premiere / last letzte letzten letzter ultimo ultima dernier derniere',
  'more extra mehr zusatzlich mas / less fewer weniger menos moins',
  'earlier fruher antes / later spater',
  'earliest fruhestens / latest spatestens',
  'longer langer / shorter kurzer',
  'over above uber / under below unter',
  'most maximum hochstens maximal maximo / least minimum mindestens minimo',
  'included inbegriffen incluido incluida inclus / excluded',
  'inside drinnen dentro dedans / outside draussen fuera dehors',
  'left links izquierda gauche / right rechts derecha droite',
  'arrives arrive ankommt llega / departs depart leaves leave abfahrt sale part',
  'always immer siempre toujours / sometimes manchmal',
  'full voll lleno / empty leer vacio',
  'morning mornings morgens vormittags manana matin / evening evenings abends abend soir',
  'daytime tagsuber / night nachts nacht noche nuit',
);

/** What leaves others out. */
export const ONLY = new Set(
  'only solely exclusively nur ausschliesslich lediglich solo solamente unicamente seulement uniquement'.split(' '),
);

/** What says of how many of a kind something holds, and is nothing that it holds of. */
export const QUANTIFIERS = new Set(
  'all every each any alle allen aller jede jeder jedes jeden todo todos toda todas cada tous toutes chaque'.split(' '),
);

/** That nothing is paid: where a source says nothing of it, it was made up. */
export const FREE =
  /(?<![\p{L}])(?:free(?:\s+of\s+charge)?|kostenlos\p{L}*|gratis|gratuit\p{L}*|umsonst|for nothing|no (?:charge|fee)|without (?:an? |any )?(?:charge|fee|cost)|not charged|kostenfrei\p{L}*|ohne Gebühr|sin (?:coste|cargo)|sans frais)(?![\p{L}])/iu;

const ORDINALS = 'first second third fourth fifth sixth seventh eighth ninth tenth eleventh twelfth'.split(' ');
/** The number of an ordinal, "first" or "1st", as it is written in dates. */
export function ordinalOf(word: string): string | undefined {
  const at = ORDINALS.indexOf(word.toLowerCase());
  return at >= 0 ? String(at + 1) : /^(\d{1,2})(?:st|nd|rd|th)$/i.exec(word)?.[1];
}
