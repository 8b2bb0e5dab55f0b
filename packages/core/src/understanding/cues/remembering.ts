import { normalise } from '../words.js';
import { core, cue, saysNothing } from './cue.js';

/*
 * How people speak of what is kept about them: they ask what it is, have it forgotten, or have something kept; and how they say
 * that something always is so, is so for now, or is so no longer.
 */

const KNOWS = cue('whole', {
  en: '(so |and )?(can you |could you |please )*(tell me |show me |list )?(what|everything|anything|all)( all| else| exactly)?( that)?( do| did| have)? ?you( have| do)?( already| still| all)? ?(know|remember|keep|kept|store|stored|save|saved|recall|got|have|learned|learnt)( stored| saved| kept| down| on file)?( about| on| of)? ?(me|us)( so far| already| now| still)?;(what|which) (data|facts|information|things|details|info)( about me| on me)? (do|have) you( have| keep| kept| store| stored| hold| know| got| saved)*( about| on| of)? ?(me|us)?;(do|can) you (know|remember) (anything |something )?(about )?me( still)?;what is known (about|of) me;show me my (data|facts|memory);what s in your memory( about me)?',
  de: '(sag mir |sagen sie mir |zeig mir |zeigen sie mir |und )*(was|alles was) (alles )?(weisst|wissen|weiss|merkst|merken|speicherst|speichern|hast|haben|kennst|kennen)( du| sie| ihr)?( dir| sich)?( denn| eigentlich| alles| so| noch)*( uber mich| von mir| zu mir)( gespeichert| gemerkt| notiert| weisst| wissen| gespeichert hast)?;welche (daten|informationen|angaben|dinge) (hast|haben|speichern|speicherst|kennst)( du| sie| ihr)( denn)?( uber mich| von mir| zu mir)?( gespeichert)?;was (du|sie|ihr) (uber|von) (mich|mir) (weisst|wissen|wisst|gespeichert hast|gespeichert haben);(kennst|kennen|erinnerst|erinnern) (du|sie) (dich |sich )?(noch )?(mich|an mich)( noch)?',
  es: '(dime |digame |muestrame |y )*(que|todo lo que) (mas )?(sabes|sabe|saben|recuerdas|recuerda|guardas|guarda|tienes|tiene|conoces)( guardado| apuntado)?( sobre| de| acerca de)( mi| nosotros)( ya| todavia)?;que (datos|informacion|cosas)( mios| mias| mia)? (tienes|tiene|guardas|guarda|conoces)( guardados| guardada)?( sobre mi| de mi)?;(me |te )?(recuerdas|recuerda|acuerdas de|conoces)( a)? mi;que has guardado (sobre|de) mi',
  fr: '(dis moi |dites moi |montrez moi |et )*(ce que|que|qu est ce que|tout ce que) (vous |tu )?(savez|sais|gardez|gardes|retenez|retiens|connaissez|connais|avez|as)( vous| tu)?( retenu| garde| enregistre)?( sur| de| a propos de) (moi|nous);(quelles|que) (donnees|informations|choses) (avez|as|gardez|gardes|connaissez)( vous| tu)?( gardees| enregistrees)?( sur moi| de moi| a mon sujet)?;(vous |tu )?(souvenez|souviens|rappelez|rappelles)( vous| toi| te)? de moi;qu avez vous (retenu|garde|enregistre) (sur|de) moi',
});

const FORGETS = cue('begins', {
  en: '(please |can you |could you |would you |now |ok |no )*(forget|unlearn|erase|delete|wipe|do not remember|don t remember|dont remember|stop remembering|stop keeping)( about)?( please)?( the fact)?( that)?',
  de: '(bitte |kannst du |konnen sie |jetzt |nein )*(vergiss|vergessen sie|vergesst|losche|losch|loschen sie|merk dir nicht|merken sie sich nicht|nicht mehr merken)( bitte)?( mal)?( das mit| dass)?',
  es: '(por favor |puedes |puede |ahora |no )*(olvida|olvide|olvidate|olvidese|olvidar|borra|borre|borrar|elimina|elimine|no recuerdes|no guardes)( por favor)?( de| lo de| lo del| que)?',
  fr: '(s il vous plait |pouvez vous |peux tu |maintenant |non )*(oublie|oubliez|oublier|efface|effacez|effacer|supprime|supprimez|ne retiens pas|ne retenez pas)( s il vous plait)?( que| pour)?',
});

const EVERYTHING = cue('whole', {
  en: '(absolutely )?(everything|it all|all|all of it|me|all my data|my data|all (that )?you know|all (of )?(my|the) (facts|data|details|information|preferences)|my (facts|details|information|preferences|history|memory)|what you know|whatever you know|all about (me|us)|anything|who i am|us)( (that )?you (know|have|keep|remember|stored|kept)( of| about| on)?)?( (about|on|of) (me|us|myself))?( now| please)*',
  de: '(wirklich )?(alles|mich|alle (meine )?(daten|angaben|fakten|informationen)|meine (daten|angaben|informationen|fakten)|uns)( was)?( du| sie| ihr)?( uber mich| von mir| zu mir)?( weisst| wissen| gespeichert hast| gespeichert haben)?( bitte)?',
  es: '(absolutamente )?(todo|todos? mis datos|mis datos|a mi|de mi|me|todo lo mio|toda mi informacion|mi informacion)( lo que)?( sabes| sabe| tienes| guardas| recuerdas)?( sobre mi| de mi| acerca de mi)?( por favor)?',
  fr: '(absolument )?(tout|moi|toutes? mes (donnees|informations)|mes (donnees|informations))( ce que)?( vous| tu)?( savez| sais| avez| gardez)?( sur moi| de moi| a mon sujet)?',
});

const REMEMBERS = cue('begins', {
  en: '(please |can you |could you |and |oh |hey |so )*(remember|keep in mind|bear in mind|make a note|take note|note down|please note|do not forget|don t forget|dont forget|memorise|memorize|for the record|for next time|for the future)( please)?( that| this)?',
  de: '(bitte |kannst du |konnen sie |und |so )*(merk dir|merke dir|merken sie sich|denk daran|denk dran|denken sie daran|vergiss nicht|vergessen sie nicht|notier dir|notieren sie|behalt(e)?( im kopf)?|furs nachste mal|fur das nachste mal)( bitte)?( mal)?( dass)?',
  es: '(por favor |puedes |puede |y )*(recuerda|recuerde|ten en cuenta|tenga en cuenta|no olvides|no olvide|apunta|apunte|anota|anote|para la proxima( vez)?)( por favor)?( que)?',
  fr: '(s il vous plait |pouvez vous |peux tu |et )*(retiens|retenez|souviens toi|souvenez vous|rappelle toi|rappelez vous|n oublie pas|n oubliez pas|note|notez|pour la prochaine fois)( s il vous plait)?( bien)?( que)?',
});

const ALWAYS = cue('within', {
  en: 'always;every time;each time;every trip;every crossing;usually;normally;generally;as a rule;never;from now on;in future;in the future;mostly;most of the time;all the time;by default;as usual;any ?more;no longer;regularly;in general;for good;permanently;i tend to;we tend to;(i|we) (m|re|am|are)? ?(not )?allergic',
  de: 'immer;jedes mal;jedesmal;stets;meistens;meist;normalerweise;gewohnlich;grundsatzlich;generell;nie;niemals;ab jetzt;von jetzt an;in zukunft;kunftig;zukunftig;nicht mehr;kein(e|en|er|em)? mehr;in der regel;regelmassig;allergisch;dauerhaft',
  es: 'siempre;cada vez;todas las veces;normalmente;generalmente;por lo general;suelo;solemos;nunca;jamas;a partir de ahora;desde ahora;en adelante;en el futuro;ya no;habitualmente;alergic[oa]s?;por norma',
  fr: 'toujours;chaque fois;a chaque fois;d habitude;habituellement;normalement;en general;generalement;jamais;desormais;dorenavant;a partir de maintenant;a l avenir;ne [a-z]+ plus;n [a-z]+ plus;plus (de|d|du|le|la|les|mon|ma|mes);allergiques?;regulierement',
});

const FOR_NOW = cue('within', {
  en: 'today;this time;for now;just once;only once;just this once;this once;tonight;tomorrow;this (trip|crossing|booking|week|weekend|journey|morning|afternoon|evening);at the moment;right now;currently;exceptionally;for once;on (monday|tuesday|wednesday|thursday|friday|saturday|sunday)',
  de: 'heute;diesmal;dieses mal;nur jetzt;vorerst;morgen;ausnahmsweise;dieses wochenende;diese woche;im moment;gerade;einmalig;am (montag|dienstag|mittwoch|donnerstag|freitag|samstag|sonntag);heute abend',
  es: 'hoy;esta vez;por ahora;de momento;por el momento;manana;esta semana;este (viaje|fin de semana|fin|trayecto);ahora mismo;por una vez;excepcionalmente;el (lunes|martes|miercoles|jueves|viernes|sabado|domingo)',
  fr: 'aujourd hui;cette fois( ci)?;pour l instant;pour le moment;demain;ce soir;cette semaine;ce (week end|voyage|trajet);exceptionnellement;en ce moment;(lundi|mardi|mercredi|jeudi|vendredi|samedi|dimanche)',
});

const NOT_SO = cue('within', {
  en: 'no longer;not;n t;don t;doesn t;isn t;haven t;won t;didn t;dont;wont;never;without;no;none;stopped;gave up;gave away;got rid of;lost',
  de: 'nicht;kein(e|en|er|em|es)?;ohne;nie;niemals;nimmer',
  es: 'no;ya no;sin;nunca;jamas;deje de;dejamos de',
  fr: 'ne;n;pas;plus (de|d|du);sans;jamais;aucune?',
});

/** Words that put an end to what was so: "no longer", "not any more". */
const NO_LONGER = cue('within', {
  en: 'no longer;(not|n t|dont|wont|no|never) .*any ?more;stopped;gave up;gave away;got rid of;from now on without',
  de: 'nicht mehr;kein(e|en|er|em)?( [a-z]+)? mehr;nimmer',
  es: 'ya no;deje de;dejamos de',
  fr: '(ne|n) .*plus;plus (de|d|du) ',
});

/** The first person: who says so speaks of themselves. */
const OF_ONESELF = cue('within', {
  en: 'i;i m;im;i ve;ive;we;we re;my;our;me;us;mine;myself',
  de: 'ich;wir;mein(e|en|em|er|es)?;unser(e|en|em|er|es)?;mich;mir;uns',
  es: 'yo;nosotr[oa]s;mi;mis;nuestr[oa]s?;me;nos;conmigo;llevo;llevamos;viajo;viajamos;tengo;tenemos;soy;somos;estoy;prefiero;preferimos;suelo;solemos;uso;usamos;traigo;traemos;voy;vamos;necesito;necesitamos;como;bebo;siempre',
  fr: 'je;j;nous;mon;ma;mes;notre;nos;moi;on;me;m',
});

/** Somebody else of whom a part speaks, where nobody says "I" or "we" besides: "my sister always brings a dog". */
const OF_OTHERS = cue('begins', {
  en: '(but |and |so |because |as )*(my|our) (little |big |old |older |younger |best |new )*(sister|brother|wife|husband|partner|girlfriend|boyfriend|fiancee?|mother|mom|mum|father|dad|parents?|son|daughter|child|children|kids?|friends?|neighbou?rs?|colleagues?|boss|aunt|uncle|cousins?|nephew|niece|grandmother|grandfather|grandma|grandpa|grandparents|flatmate|roommate|in laws|family)s?',
  de: '(aber |und |also |denn |weil )*(mein|meine|unser|unsere) (kleine[rs]? |grosse[rs]? |altere[rs]? |jungere[rs]? |beste[rs]? )*(schwester|bruder|frau|mann|partner(in)?|freund(in)?|verlobte[r]?|mutter|mama|vater|papa|eltern|sohn|tochter|kind|kinder|freunde|nachbar(in|n)?|kolleg(e|in|en)|chef(in)?|tante|onkel|cousine?|neffe|nichte|oma|opa|grosseltern|familie)n?',
  es: '(pero |y |porque )*(mi|mis|nuestr[oa]s?) (mejor |nuev[oa] )?(herman[oa]s?|mujer|esposa|marido|esposo|pareja|novi[oa]|madre|padre|mama|papa|padres|hij[oa]s?|nin[oa]s?|amig[oa]s?|vecin[oa]s?|compañer[oa]s?|companer[oa]s?|jef[ea]|ti[oa]s?|prim[oa]s?|sobrin[oa]s?|abuel[oa]s?|familia)',
  fr: '(mais |et |parce que )*(mon|ma|mes|notre|nos) (petite? |grande? |meilleure? )*(soeurs?|freres?|femme|epouse|mari|epoux|partenaire|copine|copain|mere|maman|pere|papa|parents|fils|filles?|enfants?|ami(e|s|es)?|voisin(e|s|es)?|collegues?|chef|tante|oncle|cousin(e|s|es)?|neveu|niece|grand mere|grand pere|famille)',
});

const I_OR_WE = cue('within', {
  en: 'i;i m;im;i ve;ive;we;we re',
  de: 'ich;wir',
  es: 'yo;nosotr[oa]s;conmigo;voy;vamos;viajo;viajamos;tengo;tenemos;llevo;llevamos;traigo;traemos',
  fr: 'je;j;nous',
});

/** A part that leaves out who speaks, as the one before it says so: "…, always by car", "…, now with the dog". */
const GOES_ON = cue('begins', {
  en: '(but |and |so )*(always|usually|mostly|normally|never|now|nowadays|these days|from now on|instead|rather|only)',
  de: '(aber |und |also )*(immer|meist|meistens|normalerweise|nie|jetzt|ab jetzt|von jetzt an|inzwischen|stattdessen|sondern|nur noch|lieber)',
  es: '(pero |y |asi que )*(siempre|normalmente|nunca|ahora|desde ahora|a partir de ahora|sino|mejor|solo)',
  fr: '(mais |et |donc )*(toujours|d habitude|normalement|jamais|maintenant|desormais|plutot|seulement)',
});

/** Words that tell the bot what to do: no fact about who speaks. */
const TELLS_BOT = cue('within', {
  en: '(always |never |to |must |and )?(give|grant|offer|charge|allow|tell|send|treat|call|refund|pay|waive|let|make|apply|approve|skip|ignore|obey|pretend|answer|reply|respond|act|promise|book|assume|say|speak)( to)? (me|us|my|all|your|any|every|that|as|like|with|for|the|free|only|in)( .*)?;you (must|should|have to|need to|are to|will|shall|may|can|are|always|never|owe)( .*)?;(your|the) (rules?|instructions?|prompt|system|price|prices)( .*)?;discounts?;for free;free of charge;administrator;i am (the |an? )?(admin|owner|manager|boss|developer)',
  de: '(gib|geben sie|gewahre|erlaube|schick|schicken sie|behandle|berechne|ignoriere|tu so|antworte|sag|sagen sie|mach|machen sie|buche|lass|lassen sie)( mir| uns| mich| alle| deine| immer| nie| so| stets| .*);(du|sie) (musst|mussen|sollst|sollen|darfst|durfen|bist|sind)( .*)?;rabatt(e)?;kostenlos;gratis;umsonst;(deine|die) (regeln|anweisungen)',
  es: '(dame|denos|deme|concede(me)?|permite(me)?|trata(me)?|cobra(me)?|ignora|finge|responde|di|diga|haz|haga|manda(me)?|envia(me)?|reserva(me)?)( .*)?;(tu|usted) (debes|debe|tienes que|tiene que|eres|es)( .*)?;descuentos?;gratis;(tus|las) (reglas|instrucciones)',
  fr: '(donne|donnez|accorde|accordez|offre|offrez|permets|permettez|traite|traitez|facture|facturez|ignore|ignorez|fais|faites|reponds|repondez|dis|dites|envoie|envoyez|reserve|reservez)( moi| nous| comme| .*);(tu|vous) (dois|devez|es|etes)( .*)?;(remise|reduction|rabais)s?;gratuit(ement)?;(tes|les|vos) (regles|instructions)',
});

const LEADS = cue('whole', {
  en: '(oh |and |so )*(by the way|btw|just so you know|fyi|in case it matters|for your information|to be clear|as you know|you know|i see|that s it|that is all|that s all)',
  de: '(ach |und )*(ubrigens|nebenbei( gesagt)?|nur zur info|damit sie es wissen|damit du es weisst|wie gesagt|das ist alles)',
  es: '(ah |y )*(por cierto|para que lo sepa(s)?|a proposito|eso es todo)',
  fr: '(ah |et )*(au fait|d ailleurs|pour information|a propos|c est tout)',
});

/** True for a part of a sentence that says nothing by itself: a filler, a courtesy, "by the way". */
export function leadsOnly(text: string, language: string): boolean {
  return saysNothing(text, language) || LEADS(normalise(text), language) !== null;
}

/** What a message wants of what is kept. */
export type MemoryWish =
  | { readonly wants: 'knows' }
  | { readonly wants: 'forget-all' }
  /** What is to be forgotten, in their words, normalised. */
  | { readonly wants: 'forget'; readonly what: string };

/** Whether somebody asks what is kept about them, or has it forgotten; undefined where they do neither. */
export function memoryWish(text: string, language: string): MemoryWish | undefined {
  const said = core(text, language);
  if (said === '') return undefined;
  if (KNOWS(said, language)) return { wants: 'knows' };
  const forgets = FORGETS(said, language)?.[0];
  if (forgets === undefined) return undefined;
  const what = said.slice(forgets.length).trim();
  if (EVERYTHING(what, language)) return { wants: 'forget-all' };
  return what === '' ? undefined : { wants: 'forget', what };
}

/** What somebody says that is to be kept, as it was written: behind "remember that"; undefined where nobody says so. */
export function toRemember(text: string, language: string): string | undefined {
  const said = normalise(text);
  const asks = REMEMBERS(said, language)?.[0];
  if (asks === undefined) return undefined;
  return behindWords(text, asks.split(' ').filter(Boolean).length);
}

/** What stands in a text behind so many words. */
function behindWords(text: string, count: number): string {
  const words = [...text.matchAll(/[\p{L}\p{N}\p{M}]+/gu)];
  const last = words[count - 1];
  return last === undefined ? text : text.slice(last.index + last[0].length).replace(/^[\s:,;–-]+/u, '');
}

/** How a part of a sentence is meant, as far as its words tell. */
export interface Stated {
  /** It is said of who speaks. */
  readonly own: boolean;
  /** It is said of somebody else, whom the speaker knows. */
  readonly ofOthers: boolean;
  /** It leaves out of whom it is said: of whoever the part before it was about. */
  readonly goesOn: boolean;
  readonly always: boolean;
  readonly now: boolean;
  readonly denied: boolean;
  readonly noLonger: boolean;
  /** It tells the bot what to do. */
  readonly orders: boolean;
}

export function statedIn(text: string, language: string): Stated {
  const said = normalise(text);
  const has = (find: typeof ALWAYS) => find(said, language) !== null;
  return {
    own: has(OF_ONESELF),
    ofOthers: has(OF_OTHERS) && !has(I_OR_WE),
    goesOn: has(GOES_ON),
    always: has(ALWAYS),
    now: has(FOR_NOW),
    denied: has(NOT_SO),
    noLonger: has(NO_LONGER),
    orders: has(TELLS_BOT),
  };
}
