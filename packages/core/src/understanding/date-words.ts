/** How far a named day is from today, or a day and a month of every year. */
export type NamedDay = number | readonly [month: number, day: number];

/** The words for days and times in one language, as they are compared: small letters without marks. */
export interface DateWords {
  /** From Sunday on, each with its short forms. */
  readonly weekdays: readonly (readonly string[])[];
  readonly months: readonly (readonly string[])[];
  /** From zero on. */
  readonly numbers: readonly string[];
  /** From first on. */
  readonly ordinals: readonly string[];
  readonly days: Readonly<Record<string, NamedDay>>;
  readonly units: Readonly<Record<Unit, readonly string[]>>;
  /** Words before a weekday or a unit, and behind it. */
  readonly thisOne: readonly string[];
  readonly next: readonly string[];
  readonly last: readonly string[];
  readonly nextAfter: readonly string[];
  readonly lastAfter: readonly string[];
  /** "in three days"; "three days ago" with the word behind or before. */
  readonly ahead: readonly string[];
  readonly ago: readonly string[];
  readonly agoBefore: readonly string[];
  /** Counted from the day that is talked about: "two days later", "the day before". */
  readonly later: readonly string[];
  readonly earlier: readonly string[];
  /** Phrases for the day after and before the one that is talked about, and for that day itself. */
  readonly dayAfter: readonly string[];
  readonly dayBefore: readonly string[];
  readonly sameDay: readonly string[];
  /** Before a day of the month without its month: "on the 5th". */
  readonly dayOfMonth: readonly string[];
  /** Between day and month. */
  readonly of: readonly string[];
  /** A week from the day named before: "Friday week". */
  readonly weekOn: readonly string[];
  readonly weekend: readonly string[];
  /** Before an hour: "at nine"; behind it: "o'clock". */
  readonly at: readonly string[];
  readonly clock: readonly string[];
  readonly noon: readonly string[];
  readonly midnight: readonly string[];
  readonly half: readonly string[];
  readonly quarter: readonly string[];
  readonly past: readonly string[];
  readonly to: readonly string[];
  /** German counts the half to the hour that comes. */
  readonly halfTo?: boolean;
  /** Spanish and French name the hour first: "nine and a half". */
  readonly hourFirst?: boolean;
  readonly morning: readonly string[];
  readonly evening: readonly string[];
}

export type Unit = 'minute' | 'hour' | 'day' | 'week' | 'month' | 'year';

/** Words of a list, parted by spaces; several words of one are joined by an underscore, other forms of it by a bar. */
const list = (text: string): string[] => text.split(' ').map((w) => w.replaceAll('_', ' '));
const forms = (text: string): string[][] => text.split(' ').map((w) => w.split('|').map((f) => f.replaceAll('_', ' ')));

const YEARLY = {
  christmasEve: [12, 24],
  christmas: [12, 25],
  boxingDay: [12, 26],
  newYearsEve: [12, 31],
  newYear: [1, 1],
} as const;

const en: DateWords = {
  weekdays: forms(
    'sunday|sun|sundays monday|mon|mondays tuesday|tue|tues|tuesdays wednesday|wed|wednesdays thursday|thu|thur|thurs|thursdays friday|fri|fridays saturday|sat|saturdays',
  ),
  months: forms(
    'january|jan february|feb march|mar april|apr may june|jun july|jul august|aug september|sep|sept october|oct november|nov december|dec',
  ),
  numbers: list(
    'zero one two three four five six seven eight nine ten eleven twelve thirteen fourteen fifteen sixteen seventeen eighteen nineteen twenty',
  ),
  ordinals: list(
    'first second third fourth fifth sixth seventh eighth ninth tenth eleventh twelfth thirteenth fourteenth fifteenth sixteenth seventeenth eighteenth nineteenth twentieth',
  ),
  days: {
    today: 0,
    'this morning': 0,
    'this afternoon': 0,
    'this evening': 0,
    'last night': -1,
    tonight: 0,
    tomorrow: 1,
    yesterday: -1,
    'the day after tomorrow': 2,
    'day after tomorrow': 2,
    'the day before yesterday': -2,
    'day before yesterday': -2,
    'christmas eve': YEARLY.christmasEve,
    'christmas day': YEARLY.christmas,
    christmas: YEARLY.christmas,
    'boxing day': YEARLY.boxingDay,
    'new year s eve': YEARLY.newYearsEve,
    'new year s day': YEARLY.newYear,
  },
  units: {
    minute: list('minute minutes min mins'),
    hour: list('hour hours hr hrs'),
    day: list('day days night nights'),
    week: list('week weeks'),
    month: list('month months'),
    year: list('year years'),
  },
  thisOne: list('this this_coming coming'),
  next: list('next'),
  last: list('last past this_past previous'),
  nextAfter: list('next'),
  lastAfter: list('last gone'),
  ahead: list('in within'),
  ago: list('ago back'),
  agoBefore: [],
  later: list('later after afterwards'),
  earlier: list('earlier before'),
  dayAfter: list('the_day_after the_next_day the_following_day a_day_later next_day day_after'),
  dayBefore: list('the_day_before a_day_earlier the_previous_day day_before'),
  sameDay: list('the_same_day same_day that_day'),
  dayOfMonth: list('the on_the'),
  of: list('of'),
  weekOn: list('week'),
  weekend: list('weekend'),
  at: list('at by around about from until till before after'),
  clock: list('o_clock oclock'),
  noon: list('noon midday noontime'),
  midnight: list('midnight'),
  half: list('half'),
  quarter: list('quarter a_quarter'),
  past: list('past after'),
  to: list('to'),
  morning: list('in_the_morning morning am a_m'),
  evening: list('in_the_evening in_the_afternoon at_night evening afternoon tonight pm p_m night'),
};

const de: DateWords = {
  weekdays: forms(
    'sonntag|so|sonntags montag|mo|montags dienstag|di|dienstags mittwoch|mi|mittwochs donnerstag|do|donnerstags freitag|fr|freitags samstag|sa|sonnabend|samstags',
  ),
  months: forms(
    'januar|jan|janner februar|feb|feber marz|mar|maerz april|apr mai juni|jun juli|jul august|aug september|sep|sept oktober|okt november|nov dezember|dez',
  ),
  numbers: list(
    'null eins zwei drei vier funf sechs sieben acht neun zehn elf zwolf dreizehn vierzehn funfzehn sechzehn siebzehn achtzehn neunzehn zwanzig',
  ),
  ordinals: list(
    'ersten zweiten dritten vierten funften sechsten siebten achten neunten zehnten elften zwolften dreizehnten vierzehnten funfzehnten sechzehnten siebzehnten achtzehnten neunzehnten zwanzigsten',
  ),
  days: {
    heute: 0,
    'heute morgen': 0,
    'heute abend': 0,
    morgen: 1,
    ubermorgen: 2,
    gestern: -1,
    vorgestern: -2,
    heiligabend: YEARLY.christmasEve,
    'heiliger abend': YEARLY.christmasEve,
    weihnachten: YEARLY.christmas,
    silvester: YEARLY.newYearsEve,
    neujahr: YEARLY.newYear,
  },
  units: {
    minute: list('minute minuten min'),
    hour: list('stunde stunden std'),
    day: list('tag tage tagen nacht nachte nachten'),
    week: list('woche wochen'),
    month: list('monat monate monaten'),
    year: list('jahr jahre jahren'),
  },
  thisOne: list('diesen diese dieser dieses diesem kommenden kommende kommender'),
  next: list('nachsten nachste nachster nachstes nachstem'),
  last: list('letzten letzte letzter letztes letztem vergangenen vergangene vorigen vorige'),
  nextAfter: [],
  lastAfter: [],
  ahead: list('in'),
  ago: [],
  agoBefore: list('vor'),
  later: list('spater danach nachher'),
  earlier: list('fruher davor vorher'),
  dayAfter: list('am_tag_danach den_tag_danach am_nachsten_tag am_folgenden_tag einen_tag_spater tags_darauf'),
  dayBefore: list('am_tag_davor den_tag_davor am_tag_vorher einen_tag_fruher tags_zuvor'),
  sameDay: list('am_selben_tag am_gleichen_tag an_dem_tag'),
  dayOfMonth: list('am den der vom zum'),
  of: [],
  weekOn: list('in_einer_woche in_acht_tagen'),
  weekend: list('wochenende'),
  at: list('um gegen ab bis von vor nach'),
  clock: list('uhr h'),
  noon: list('mittag mittags'),
  midnight: list('mitternacht'),
  half: list('halb'),
  quarter: list('viertel'),
  past: list('nach'),
  to: list('vor'),
  halfTo: true,
  morning: list('morgens fruh vormittags vormittag am_morgen am_vormittag in_der_fruh'),
  evening: list('abends nachmittags nachts abend nachmittag am_abend am_nachmittag'),
};

const es: DateWords = {
  weekdays: forms('domingo|dom|domingos lunes|lun martes miercoles|mie jueves|jue viernes|vie sabado|sab|sabados'),
  months: forms(
    'enero|ene febrero|feb marzo|mar abril|abr mayo|may junio|jun julio|jul agosto|ago septiembre|sep|sept|setiembre octubre|oct noviembre|nov diciembre|dic',
  ),
  numbers: list(
    'cero uno dos tres cuatro cinco seis siete ocho nueve diez once doce trece catorce quince dieciseis diecisiete dieciocho diecinueve veinte',
  ),
  ordinals: list('primero segundo tercero cuarto quinto sexto septimo octavo noveno decimo'),
  days: {
    hoy: 0,
    'esta noche': 0,
    'esta tarde': 0,
    'esta manana': 0,
    anoche: -1,
    manana: 1,
    'pasado manana': 2,
    ayer: -1,
    anteayer: -2,
    'antes de ayer': -2,
    nochebuena: YEARLY.christmasEve,
    navidad: YEARLY.christmas,
    nochevieja: YEARLY.newYearsEve,
    'ano nuevo': YEARLY.newYear,
  },
  units: {
    minute: list('minuto minutos min'),
    hour: list('hora horas h'),
    day: list('dia dias noche noches'),
    week: list('semana semanas'),
    month: list('mes meses'),
    year: list('ano anos'),
  },
  thisOne: list('este esta'),
  next: list('proximo proxima el_proximo la_proxima'),
  last: list('pasado pasada ultimo ultima'),
  nextAfter: list('que_viene proximo proxima siguiente'),
  lastAfter: list('pasado pasada'),
  ahead: list('en dentro_de'),
  ago: list('atras'),
  agoBefore: list('hace'),
  later: list('despues mas_tarde'),
  earlier: list('antes'),
  dayAfter: list('al_dia_siguiente el_dia_siguiente el_dia_despues un_dia_despues'),
  dayBefore: list('el_dia_anterior el_dia_antes un_dia_antes la_vispera'),
  sameDay: list('el_mismo_dia ese_dia mismo_dia'),
  dayOfMonth: list('el_dia dia el'),
  of: list('de del'),
  weekOn: [],
  weekend: list('fin_de_semana finde'),
  at: list('a_las a_la las sobre_las desde_las hasta_las de_las'),
  clock: list('horas h'),
  noon: list('mediodia'),
  midnight: list('medianoche'),
  half: list('media'),
  quarter: list('cuarto'),
  past: list('y'),
  to: list('menos'),
  hourFirst: true,
  morning: list('de_la_manana por_la_manana de_la_madrugada'),
  evening: list('de_la_tarde de_la_noche por_la_tarde por_la_noche esta_noche esta_tarde'),
};

const fr: DateWords = {
  weekdays: forms('dimanche|dim lundi|lun mardi mercredi|mer jeudi|jeu vendredi|ven samedi|sam'),
  months: forms(
    'janvier|janv fevrier|fev mars avril|avr mai juin juillet|juil aout septembre|sept octobre|oct novembre|nov decembre|dec',
  ),
  numbers: list(
    'zero un deux trois quatre cinq six sept huit neuf dix onze douze treize quatorze quinze seize dix_sept dix_huit dix_neuf vingt',
  ),
  ordinals: list('premier deuxieme troisieme'),
  days: {
    'aujourd hui': 0,
    'ce soir': 0,
    'ce matin': 0,
    'cet apres midi': 0,
    demain: 1,
    'apres demain': 2,
    hier: -1,
    'avant hier': -2,
    'veille de noel': YEARLY.christmasEve,
    'reveillon de noel': YEARLY.christmasEve,
    noel: YEARLY.christmas,
    'saint sylvestre': YEARLY.newYearsEve,
    'nouvel an': YEARLY.newYear,
  },
  units: {
    minute: list('minute minutes min'),
    hour: list('heure heures h'),
    day: list('jour jours nuit nuits'),
    week: list('semaine semaines'),
    month: list('mois'),
    year: list('an ans annee annees'),
  },
  thisOne: list('ce cette cet'),
  next: list('prochain prochaine'),
  last: list('dernier derniere'),
  nextAfter: list('prochain prochaine qui_vient en_huit'),
  lastAfter: list('dernier derniere passe passee'),
  ahead: list('dans d_ici'),
  ago: [],
  agoBefore: list('il_y_a'),
  later: list('plus_tard apres'),
  earlier: list('plus_tot avant'),
  dayAfter: list('le_lendemain le_jour_suivant le_jour_d_apres un_jour_plus_tard'),
  dayBefore: list('la_veille le_jour_d_avant un_jour_plus_tot'),
  sameDay: list('le_meme_jour ce_jour_la'),
  dayOfMonth: list('le du au'),
  of: list('de'),
  weekOn: list('en_huit'),
  weekend: list('week_end weekend'),
  at: list('a vers des jusqu_a'),
  clock: list('heures heure h'),
  noon: list('midi'),
  midnight: list('minuit'),
  half: list('demie demi'),
  quarter: list('quart le_quart'),
  past: list('et'),
  to: list('moins'),
  hourFirst: true,
  morning: list('du_matin le_matin matin'),
  evening: list('du_soir le_soir soir de_l_apres_midi l_apres_midi'),
};

/** What is read where a language has no words of its own. */
export const ENGLISH: DateWords = en;

/** Languages whose days and times are read. */
export const DATE_WORDS: Readonly<Record<string, DateWords>> = { en, de, es, fr };

/** "a", "one" and the like before a unit: one of it. */
export const ONE: Readonly<Record<string, readonly string[]>> = {
  en: ['a', 'an', 'one'],
  de: ['ein', 'eine', 'einen', 'einem', 'einer'],
  es: ['un', 'una'],
  fr: ['un', 'une'],
};
