import { baseOf } from '../lexicon.js';
import { normalise } from '../words.js';
import { core, cue } from './cue.js';
import { polarityOf } from './yes-no.js';

/*
 * Words with which people steer within what is talked about: they put something right, go on from what was said before, deny
 * a wish, ask, or point at what was named.
 */

/** How surely words put something right: `sure` ones say so, a bare "no" may be anything. */
export interface Correcting {
  readonly sure: boolean;
  /** What is said instead, normalised; '' where nothing is. */
  readonly to: string;
  /** What is denied: "not Friday, Thursday". Normalised. */
  readonly not?: string;
}

const CORRECTS = cue('begins', {
  en: '(oh |no |ah |oops |sorry |wait |hold on |hang on )*(no )?(i (meant|mean)( to say)?|i (should have|should ve) said|actually|correction|scratch that|rather|make (it|that)|let s make (it|that)|change (it|that|this|the [a-z]+( [a-z]+)?) to|change to|can (we|you|i) (make|change|switch) (it|that|this|the [a-z]+( [a-z]+)?)( to)?|could (we|you|i) (make|change|switch) (it|that|this|the [a-z]+( [a-z]+)?)( to)?|switch (it |that )?to|(no )?wait|hold on|hang on|oops|sorry|it s actually|that should be|it should be|should be|better|i d (rather|prefer)|i would (rather|prefer)|on second thou?ghts?|no not|i said|no no|instead)( no)?( i (meant|mean)| make (it|that))?( (i|we) (meant|mean))?',
  de: '(ach |nein |oh |ah |ups |moment |halt |stopp |sorry |entschuldigung |tschuldigung )*(nein )?(ich (meinte|meine)|ich wollte sagen|eigentlich|genauer|korrektur|quatsch|(doch )?lieber|besser( doch)?|mach(en sie)?( das| es| mal)*( doch| lieber)*|andern sie( das| es| den [a-z]+| die [a-z]+)*( auf| zu)?|andere( das| es| den [a-z]+| die [a-z]+)*( auf| zu)?|moment|halt|warte(n sie)?|ups|sorry|entschuldigung|stattdessen|doch|es (muss|soll|sollte)( heissen)?|das war falsch|ich (wurde|mochte|will)( doch)? lieber|nein nein|ich sagte)( nein)?( ich (meinte|meine))?( doch)?( lieber)?',
  es: '(no |ay |ah |oh |perdon |perdona |perdone |espera |espere |disculpe )*(no )?((queria|quise|quiero) decir|en realidad|mejor( dicho| que sea| ponlo| pongalo)?|correccion|cambia(lo|r|rlo|me|r el [a-z]+|r la [a-z]+)?( a| por| para)?|cambie(lo)?( a| por| para)?|que sea|pon(lo|galo)?|espera|espere|perdon|perdona|perdone|prefiero|preferiria|en (vez|lugar) de eso|digo|me (he equivocado|equivoque)|es decir|no no)( no)?( (queria|quise) decir)?( mejor)?',
  fr: '(non |oh |ah |pardon |attends |attendez |desole |desolee )*(non )?(je (voulais|veux) dire|en fait|plutot|correction|chang(ez|er|e)( le [a-z]+| la [a-z]+)?( pour| par| a| en)?|mett(ez|ons)( plutot)?|attends|attendez|pardon|desolee?|je prefere(rais)?|a la place|c est plutot|je me suis trompee?|non non)( non)?( plutot)?( je (voulais|veux) dire)?',
});

/** The same in the middle: "the ladder is wrong, I meant the saw". */
const MEANT = cue('within', {
  en: 'i meant;i mean',
  de: 'ich meinte;ich meine',
  es: 'queria decir;quise decir;quiero decir',
  fr: 'je voulais dire;je veux dire',
});

const BARE_NO = cue('begins', { en: 'no;nope;nah;not', de: 'nein;nee;ne;nicht', es: 'no', fr: 'non;pas' });
const INSTEAD = cue('ends', {
  en: 'instead;rather;after all;not [a-z]+;please instead;instead of (that|this|the [a-z]+|a [a-z]+|[a-z]+)',
  de: 'stattdessen;doch lieber;lieber;doch',
  es: 'en (su|vez|lugar)( lugar)?( de eso)?;mejor;en cambio',
  fr: 'plutot;a la place;au lieu de (ca|cela)',
});
/** "not Friday, Thursday", "Thursday, not Friday", "instead of Friday". */
const NOT_BUT = cue('whole', {
  en: '(?:no |sorry |oh )*not (?:on |to |from |at |the |with |a |an |in )*(.+?) (?:but|i mean|i meant|rather|sorry) (.+)',
  de: '(?:nein |sorry |oh )*nicht (?:am |nach |von |um |mit |der |die |das |den |dem |ein |einem |in )*(.+?) (?:sondern|ich meine|ich meinte|lieber) (.+)',
  es: '(?:no |perdon )*no (?:el |la |a |de |en |con |un |una |para )*(.+?) (?:sino|mejor|quiero decir|queria decir) (.+)',
  fr: '(?:non |pardon )*pas (?:le |la |a |de |en |avec |un |une |pour )*(.+?) (?:mais|plutot|je veux dire|je voulais dire) (.+)',
});

/** The same with a comma; "no" denies a word in Spanish alone. */
const NOT_COMMA = /^\s*(?:(?:no|nein|non|sorry|oh)[\s,.!…-]+)*(not|nicht|pas|no)\s+([^,;.–-]{1,60})[,;.–-]\s*([^,;]{1,80})$/iu;
const COMMA_NOT = /^\s*([^,;]{1,80})[,;.–-]\s*(?:and |und |y |et )?(not|nicht|pas|no)\s+([^,;]{1,60})$/iu;

/** "Yes, but …" */
const YES_BUT = /^(.{0,40}?)(?<!\p{L})(?:but|aber|jedoch|pero|mais)(?!\p{L})[\s,]*/iu;

/** What stands behind "yes, but"; undefined where nothing is agreed to before a "but". */
export function behindBut(text: string, language: string): string | undefined {
  const [all = '', before = ''] = YES_BUT.exec(text) ?? [];
  const rest = text.slice(all.length).trim();
  return rest !== '' && polarityOf(before, language)?.agrees === true ? rest : undefined;
}

/** Reads words that put something right, behind "yes, but" as well. */
export function correctionOf(text: string, language: string): Correcting | undefined {
  return correcting(text, language) ?? correcting(text.replace(YES_BUT, ''), language);
}

/** Reads words that put something right; undefined where they do not look like it. */
export function correcting(text: string, language: string): Correcting | undefined {
  const denying = (word = ''): boolean => word.toLowerCase() !== 'no' || baseOf(language) === 'es';
  const instead = (words = ''): string => {
    const to = normalise(words);
    return to.slice((CORRECTS(to, language)?.[0] ?? '').length).trim();
  };
  const pair = NOT_COMMA.exec(text);
  if (pair && denying(pair[1])) return { sure: true, not: normalise(pair[2] ?? ''), to: instead(pair[3]) };
  const turned = COMMA_NOT.exec(text);
  if (turned && denying(turned[2])) return { sure: true, to: instead(turned[1]), not: normalise(turned[3] ?? '') };
  const said = normalise(text);
  const [not, to] = (NOT_BUT(said, language) ?? []).slice(1).filter((g) => typeof g === 'string');
  if (not !== undefined && to !== undefined) return { sure: true, to, not };
  const begins = CORRECTS(said, language)?.[0];
  if (begins !== undefined) return { sure: true, to: said.slice(begins.length).trim() };
  const meant = MEANT(said, language);
  if (meant) return { sure: true, not: said.slice(0, meant.index).trim(), to: said.slice(meant.index + meant[0].length).trim() };
  const ends = INSTEAD(said, language)?.[0];
  if (ends !== undefined) return { sure: true, to: said.slice(0, said.length - ends.length).trim() };
  const no = BARE_NO(said, language)?.[0];
  return no === undefined ? undefined : { sure: false, to: said.slice(no.length).trim() };
}

const FOLLOWS = cue('begins', {
  en: '(ok |okay |oh |hm |so |right |thanks |and )*(and|what about|how about|what if|same|the same|likewise|also|or|but)( (what|how) about| if| then| also| for| to| the same)*',
  de: '(ok |okay |oh |hm |so |gut |danke |und )*(und|wie (ist|sieht) es( aus)? (mit|bei|am|in|fur)|was ist mit|wie ware es mit|das ?selbe|das gleiche|genauso|auch|oder|aber)( (wie|was) ist( es)?( mit)?| dann| auch| fur| nach| das ?selbe| das gleiche)*',
  es: '(ok |vale |oh |bueno |gracias |y )*(y|que tal|que hay de|que pasa con|lo mismo|igual|tambien|o|pero)( (que tal|lo mismo)| si| entonces| tambien| para| a)*',
  fr: '(ok |oh |bon |merci |et )*(et|qu en est il|la meme chose|meme chose|pareil|aussi|ou|mais)( (pour|si|alors|aussi)| la meme chose)*',
});
const THEN = cue('ends', { en: 'then;too;as well;instead', de: 'dann;auch;denn', es: 'entonces;tambien', fr: 'alors;aussi' });

/** What is left where words go on from what was asked before, normalised; undefined where they do not look like it. */
export function followingUp(text: string, language: string): string | undefined {
  const said = normalise(text);
  const begins = FOLLOWS(said, language)?.[0];
  if (begins !== undefined) return said.slice(begins.length).trim();
  const ends = THEN(said, language)?.[0];
  return ends === undefined ? undefined : said.slice(0, said.length - ends.length).trim();
}

/** The same way in the other direction. */
const RETURNS = cue('whole', {
  en: '(ok |and |and the |and what about |what about |how about |the |and for |and for the )*(going |coming |come |get |getting )?(way |trip |journey |return |ride |one )*(back|return|home|other way|other way round|other way around|reverse|in the other direction|opposite direction|other direction)( again| home| then| too)*',
  de: '(und |wie ist es |und wie ist es |fur |der |den |die |mit )*(zuruck|ruckweg|ruckfahrt|ruckreise|retour|andersherum|umgekehrt|in die andere richtung|andere richtung|heim)( dann| auch| wieder)*',
  es: '(y |que tal |para |la |el |de )*(vuelta|de vuelta|regreso|de regreso|la vuelta|el regreso|al reves|en el otro sentido|en sentido contrario)( entonces| tambien)*',
  fr: '(et |pour |le |au |dans )*(retour|le retour|au retour|l autre sens|dans l autre sens|en sens inverse|inverse)( alors| aussi)*',
});

export function goesBack(text: string, language: string): boolean {
  return RETURNS(normalise(text), language) !== null || RETURNS(core(text, language), language) !== null;
}

/** Words that point at what was named: "book that one", "how do I get there". */
const POINTS = cue('within', {
  en: '(that|this) (one|boat|day|time|sailing|date|place|port|item|trip|crossing|ferry|offer|room|slot);(book|take|reserve|have|want|need|get|buy|rent|borrow|order|hire|choose|use) (that|it|them|this|those)( one)?;i ll have (that|it)( one)?;(book|put|get) me (on|onto|in) (it|that|this|the [a-z]+)( one)?;(to|from|over|get|go|going) there;the same( one| day| time| place| boat| way)?;same( one| day| time| place| boat| way)',
  de: '(diese[nrms]?|den|das|die)( da)? (nehmen|buchen|buche|nehme|reservieren|mieten|leihen|haben);(buche|buchen|nehme|nehmen|reservieren|reserviere)( sie| ich| wir| bitte| mir| doch)* (das|den|die|es|diese[nrms]?)( da)?;dorthin;dahin;von dort;an (dem|diesem) tag;(der|die|das|den|dem)selben?;diese[nrms]? (da|fahrt|tag|schiff|boot|hafen)',
  es: '(reserva|reserve|reservar|quiero|tomo|cojo|me quedo con|comprar|alquilar)( el| la)? ?(es[aeo]|est[aeo]|lo|la|aquel(la)?)( mism[oa])?;(reservar|comprar|coger|tomar|alquilar|reserva|reserve)(lo|la)( mism[oa])?;(ese|esa|ese mismo|esa misma|mism[oa]) (dia|barco|hora|puerto|viaje|ferry)?;hasta alli;para alli;desde alli;(el|la|lo) mism[oa]',
  fr: '(reserver|reservez|reserve|prendre|prends|veux|louer) (celui la|celle la|ca|cela|le|la);(celui|celle) (la|ci);ce (jour|bateau) la;la bas;le meme|la meme',
});

export function pointsBack(text: string, language: string): boolean {
  return POINTS(normalise(text), language) !== null;
}

const POINTERS = new Set(
  (
    'that this it them those these one there ' +
    'das den dies diese dieser dieses diesen da dorthin dahin es ' +
    'eso esa ese esto esta este lo alli ahi ' +
    'ca cela celui celle la bas'
  ).split(' '),
);

/** What is left of words that point at something without those that do, normalised. */
export function unpointed(text: string): string {
  return normalise(text)
    .split(' ')
    .filter((w) => !POINTERS.has(w))
    .join(' ');
}

const DENIES = cue('within', {
  en: '(do not|don t|dont|did not|didn t|didnt|never|not) (really |actually |even )?(want|wish|need|plan|intend|mean|like|care|asking|trying|looking|going|here)( to| for)?;not (to )?(book|buy|cancel|reserve|order|rent|borrow|report|change|sign);no need (to|for);wasn t (going|trying|asking) to;without (booking|buying|cancelling|reserving|ordering)',
  de: '(will|mochte|wollte|brauche|brauch|mochten|wollen|brauchen|will ich|mochte ich|wollte ich)( doch| ja| hier| gar| eigentlich| jetzt| noch| uberhaupt| das| es| mir| bei ihnen)*( nicht| nichts| kein| keine| keinen| gar nicht| gar nichts);(nicht|nichts|keine[nrms]?|kein) ([a-z]+ )?(buchen|kaufen|stornieren|reservieren|bestellen|mieten|leihen|ausleihen|melden|absagen)',
  es: 'no (quiero|queria|quisiera|necesito|pretendo|busco|deseo|me gustaria|estoy (buscando|pidiendo)|vengo a|hace falta);sin (reservar|comprar|cancelar)',
  fr: '(ne |n )?(veux|voulais|voudrais|souhaite|cherche|demande|ai) (pas|plus)( besoin)?;sans (reserver|acheter|annuler)',
});

/** True where words deny a wish: "I don't want to book". */
export function denies(text: string, language: string): boolean {
  return DENIES(normalise(text), language) !== null;
}

const ASKS = cue('begins', {
  en: '(and |but |so |also |oh |ok |wait |hm |well |by the way |btw |just |first |quick question |one question |a question )*(what|when|where|who|whom|whose|which|why|how|is|are|am|was|were|do|does|did|can|could|may|might|will|would|shall|should|has|have|had|any chance|tell me|i (was |am |m |just )?(wonder|wondering)|do you know|i d like to know|i (want|need) to know)',
  de: '(und |aber |also |noch |ach |ok |moment |hm |ubrigens |eine frage |kurze frage )*(was|wann|wo|wohin|woher|wer|wen|wem|wessen|welche[nrms]?|warum|wieso|weshalb|wie|wieviel|womit|woran|ist|sind|war|waren|kann|kannst|konnen|konnt|darf|durfen|muss|mussen|soll|sollen|gibt|gibt es|hat|haben|habt|wird|werden|macht|geht|fahrt|fahren|kostet|kommt|mochte wissen|wissen sie|weisst du|sagen sie mir)',
  es: '(y |pero |entonces |tambien |oh |vale |espera |por cierto |una pregunta )*(que|cuando|donde|adonde|quien|cual|cuales|por que|como|cuanto|cuanta|cuantos|cuantas|es|son|hay|puedo|puede|puedes|podemos|pueden|podria|tengo que|tienen|tiene|sabe|sabes|me puede|me puedes|se puede|quiero saber|dime|digame)',
  fr: '(et |mais |alors |aussi |oh |attendez |au fait |une question )*(que|qu|quoi|quand|ou|qui|quel|quelle|quels|quelles|pourquoi|comment|combien|est ce|est ce que|y a t il|puis je|peut on|pouvez vous|dois je|faut il|avez vous|savez vous|je voudrais savoir|dites moi)',
});

/** True where words ask something, by their mark or by how they begin. */
export function isQuestion(text: string, language: string): boolean {
  return /\?(?:\s|$)|¿/.test(text) || ASKS(normalise(text), language) !== null;
}

/** Words by which a question asks for something that no yes and no greeting answers. */
const ASKS_FOR = cue('within', {
  en: 'what;which;where;when;who;whom;whose;why;how',
  de: 'was;welche[nrms]?;wo;wohin;woher;wann;wer;wen;wem;wessen;warum;wieso;wie;wieviel;womit',
  es: 'que;cual(es)?;donde;adonde;cuando;quien;como;cuant[oa]s?',
  fr: 'quoi;quel(le)?s?;ou;quand;qui;pourquoi;comment;combien',
});

/** True for a question that asks for something, and not whether something is so. */
export function asksForSomething(question: string, language: string): boolean {
  return ASKS_FOR(normalise(question), language) !== null;
}

const BARE_ANSWER = cue('whole', {
  en: '(yes|yeah|yep|no|nope|ok|okay|sure|yes yes|no no)( please| thanks| thank you)?',
  de: '(ja|jawohl|nein|ok|okay|klar)( bitte| danke)?',
  es: '(si|no|vale|claro|ok)( por favor| gracias)?',
  fr: '(oui|non|ok|d accord)( s il vous plait| merci)?',
});

/** True for a yes or no and nothing else. */
export function isBareAnswer(text: string, language: string): boolean {
  return BARE_ANSWER(normalise(text), language) !== null;
}

const PRONOUNS = cue('within', {
  en: 'it|its|they|them|that|this|these|those',
  de: 'es|sie|das|die|der|dies[nrms]?|damit|dafur|davon|ihn',
  es: 'lo|la|eso|esto|es[ea]|est[ea]',
  fr: 'ca|cela|il|elle|le|la|ce',
});

/** True where a word may stand for what is talked about just now: "does it have a lift?" */
export function mayPoint(text: string, language: string): boolean {
  return PRONOUNS(normalise(text), language) !== null;
}

const WRONG = cue('within', {
  en: '(is|was|s|are|looks|seems) (wrong|not right|incorrect|a mistake);(isn t|wasn t|is not|was not) (right|correct);wrong;(change|correct|fix|edit|redo) (the|my|that|this);(a )?different;(i )?(got|have|had) the wrong',
  de: '(ist|war|stimmt) (falsch|nicht|nicht richtig);falsch(e[nrms]?)?;(andern|andere|korrigieren|korrigiere) (sie )?(den|die|das|meinen|meine|mein);(einen|eine|ein) ander(e|en|er|es)',
  es: '(esta|estaba|es|era) (mal|equivocad[oa]|incorrect[oa]);(cambiar|cambia|cambie|corregir|corrige|corrija) (el|la|mi);(me equivoque de|equivocad[oa]);otr[oa]',
  fr: '(est|etait) (faux|fausse|incorrecte?);(changer|changez|change|corriger|corrigez) (le|la|mon|ma);(je me suis trompee? de);autre',
});

/** True where words say that something is wrong, or is to be changed, without what it should be. */
export function saysWrong(text: string, language: string): boolean {
  return WRONG(normalise(text), language) !== null;
}
