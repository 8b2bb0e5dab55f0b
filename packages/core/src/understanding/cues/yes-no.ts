import { normalise } from '../words.js';
import { core, cue, CUE_LANGUAGES } from './cue.js';

/*
 * Agreement and refusal as people say them. A refusal that stands anywhere wins over agreement ("yes, well, rather not"), and
 * what puts something off is one: nothing is done on a half-hearted word.
 */

const YES = {
  en: 'yes;yep;yeah;yea;yup;ya;y;sure;sure thing;ok;okay;okey;k;of course;certainly;definitely;absolutely;indeed;right;correct;exactly;fine;alright;all right;very well;good;great;perfect;lovely;excellent;wonderful;super;cool;brilliant;agreed;deal;done;please;please do;go ahead;go on;go for it;do it;do that;book it;make it so;let s do (it|that|this);lets do (it|that|this);let s go( for it)?;why not;by all means;with pleasure;gladly;(that |it |this )?(sounds|looks|seems|is) (good|great|fine|perfect|right|ok|okay|lovely|correct|alright|all right)( to me)?;(that s|thats|it s|its|that is|that) (good|great|fine|perfect|right|ok|okay|lovely|correct|it|the one);(that |it )?(works|suits( me)?|will do|would be (good|great|fine|lovely|nice|perfect))( for me)?;i do;i would;i will;i am;i have;we do;we are;we have;we will;we would;it is;it does;there is;there are;i d (like|love) (that|to|it);i would (like|love) (that|to|it);yes please;that would be (good|great|fine|lovely|nice|perfect|kind);confirm;confirmed;i confirm;no problem;no objection;happy with that;i m (happy|fine|ok|okay|good) with (that|it);you (bet|may|can)',
  de: 'ja;jawohl;jo;jep;jup;joa;yes;klar;na klar;logisch;sicher;gerne?;sehr gerne?;genau;richtig;korrekt;stimmt;naturlich;selbstverstandlich;bestimmt;unbedingt;in ordnung;einverstanden;passt( so| mir| gut| schon)*;das passt( mir| so| gut)*;das (ist|ware|klingt|hort sich) (gut|super|prima|perfekt|schon|toll|ok|okay|richtig|in ordnung|nett)( an)?;(klingt|hort sich) (gut|super|prima|perfekt|toll)( an)?;gut;sehr gut;super;prima;perfekt;toll;wunderbar;ausgezeichnet;alles klar;ok;okay;machen wir( so)?;mach(en sie)? (das|es)( so)?;so machen wir (das|es);von mir aus;warum nicht;wieso nicht;bitte;ja bitte;ja gerne?;nur zu;los;weiter;bin dafur;kein problem;buchen( sie| wir)?( es| das| bitte)*;das stimmt;bestatige;bestatigt;habe ich;haben wir;bin ich;sind wir;mochte ich;mochten wir;will ich',
  es: 'si;sip;claro;claro que si;vale;de acuerdo;por supuesto;correcto;exacto;exactamente;eso es;asi es;desde luego;sin duda;bueno;bien;muy bien;esta bien;perfecto;genial;estupendo;excelente;fenomenal;ok;okay;okey;adelante;hazlo;hagalo;hagamoslo;reservalo;reservelo;por que no;como no;con mucho gusto;encantado;encantada;me parece (bien|perfecto|genial|estupendo);suena (bien|genial|perfecto);me (va|viene) (bien|perfecto|genial);trato hecho;confirmo;confirmado;dale;venga;me gustaria;lo quiero;por favor;si por favor;sin problema',
  fr: 'oui;ouais;ouip;si;bien sur;d accord;d ac;volontiers;avec plaisir;exact;exactement;tout a fait;c est (ca|cela|bon|parfait|exact|juste|bien|correct);certainement;evidemment;absolument;entendu;ok;okay;parfait;super;tres bien;bien;genial;excellent;allez y;vas y;allons y;faites (le|ca);fais (le|ca);pourquoi pas;ca (me )?(va|convient|marche|semble bien|semble parfait);ca me va( bien)?;c est d accord;je (le )?(veux|veux bien|confirme);confirme;pas de probleme;s il vous plait;reservez( le| la)?',
} as const;

const NO = {
  en: 'no;nope;nah;naw;n;never;not;no way;no thanks;no thank you;none;rather not;better not;not really;not (now|today|yet|tonight|this time)( after all)?;not (for me|at all|necessary|interested|sure|quite|right|correct|good);(i |we )?(d |would |had )?(rather|prefer|better) not( to)?;i (don t|dont|do not|won t|wont|will not|wouldn t|would not|can t|cannot) ?(want|think|like|need|wish|know|believe)?( so| to| it| that)*;i think not;i m not( sure)?;i am not( sure)?;no need;leave it;leave it( at that| be| then| out)*;forget it;never mind;nevermind;skip it;cancel( it| that)?;stop;wrong;incorrect;false;certainly not;definitely not;absolutely not;of course not;on second thou?ghts?( no)?;i (have |ve )?changed my mind;not a chance;hard pass;i ll pass;pass;later;maybe later;another time;some other time;let me think( about it)?;i ll think about it;i have to think;don t;do not;dont;too (expensive|late|early|much|dear);that s (not right|wrong|not it|too much)',
  de: 'nein;ne;nee;no;nicht;nie;niemals;keinesfalls;auf keinen fall;keine;keins;nein danke;lieber nicht;besser nicht;eher nicht;wohl nicht;doch nicht;noch nicht;jetzt nicht;heute nicht;nicht (jetzt|heute|mehr|notig|so|wirklich|doch|unbedingt)( doch)?;ich (mochte|will|wurde|glaube|denke)( lieber| eher| doch)* nicht;(das )?(ist|war|stimmt) (nicht|falsch)( richtig| gut)?;falsch;lass(en)?( sie| wir)?( es| das| mal| bleiben| sein| lieber)+;(lieber )?(spater|ein andermal);vielleicht (spater|nicht|ein andermal);muss ich (mir )?(noch )?uberlegen;ich uberlege( es)?( mir)?( noch)?;stopp?;abbrechen;schon gut;vergiss es;zu (teuer|spat|fruh);brauche ich nicht',
  es: 'no;nop;nunca;jamas;nada;para nada;en absoluto;no gracias;mejor no;prefiero que no;preferiria que no;prefiero no;ahora no;hoy no;todavia no;aun no;no (quiero|creo|me parece|me interesa|hace falta|es correcto|estoy seguro|estoy segura|lo se|por ahora|por el momento);de ninguna manera;ni hablar;claro que no;por supuesto que no;incorrecto;falso;dejalo;dejelo;olvidalo;olvidelo;para;mas tarde;luego;otro dia;en otro momento;quizas (mas tarde|otro dia|luego|no);tal vez no;me lo (pienso|pensare);lo pensare;tengo que pensarlo;demasiado (caro|tarde|pronto);he cambiado de (idea|opinion);cancela(r)?( eso)?',
  fr: 'non;nan;jamais;pas;pas du tout;aucun;aucune;non merci;plutot pas;mieux vaut pas;je (ne )?prefere(rais)? (pas|ne pas);pas (maintenant|aujourd hui|encore|vraiment|interesse|question|sur|sure|la peine);certainement pas;surement pas;bien sur que non;absolument pas;je (ne )?(veux|crois|pense|sais) pas;c est faux;faux;incorrect;laisse(z)?( tomber)?;oublie(z)?;stop;plus tard;une autre fois;peut etre (plus tard|pas);je vais (y )?reflechir;trop (cher|tard|tot);j ai change d avis;annule(r|z)?',
} as const;

const yesBegins = cue('begins', YES);
const yesWhole = cue('whole', YES);
const noBegins = cue('begins', NO);
const noWhole = cue('whole', NO);

/** Expressions with a word of refusal that agree: "why not", "no problem". */
const AGREES = cue('begins', {
  en: 'why not;no problem;no objection;no worries;not a problem;can t complain;don t mind;i don t mind;can t wait',
  de: 'warum nicht;wieso nicht;kein problem;nichts dagegen;habe nichts dagegen',
  es: 'por que no;como no;sin problema;no hay problema;no me importa',
  fr: 'pourquoi pas;pas de probleme;aucun probleme;pas de souci',
});

/** Words that take back what stands before them, or put it off. */
const TAKES_BACK = cue('within', {
  en: 'rather not;better not;not today;not now;not tonight;not yet;maybe not;perhaps not;after all not;not after all;don t;dont;do not;changed my mind;never ?mind;forget it;leave it;maybe later;another time;no thanks;no thank you;on second thou?ghts?;let me think;think about it;i m not sure;i am not sure;not sure;not so sure;wouldn t;won t;cancel (it|that)',
  de: 'lieber nicht;besser nicht;doch nicht;heute nicht;jetzt nicht;noch nicht;vielleicht nicht;nicht mehr;lieber doch nicht;ein andermal;vielleicht spater;anders uberlegt;lass (es|das|mal|sein);lassen (sie|wir) (es|das);nein danke;nicht sicher;noch uberlegen',
  es: 'mejor no;hoy no;ahora no;todavia no;quizas no;tal vez no;otro dia;en otro momento;mas tarde;no gracias;dejalo;dejelo;cambiado de (idea|opinion);no estoy segur[oa];lo pensare;no lo (se|tengo claro);no quiero',
  fr: 'plutot pas;pas aujourd hui;pas maintenant;pas encore;peut etre pas;finalement pas;finalement non;une autre fois;plus tard;non merci;laisse(z)? tomber;change d avis;pas sure?;reflechir',
});

/** Words that agree where they end what is said: "go ahead and book it", "that one is fine". */
const yesEnds = cue('ends', {
  en: 'do it;do that;go ahead;book it;please do;go for it;let s do it;(sounds|looks|is) (good|great|fine|perfect|ok|okay)( to me)?;works for me;yes;yes please;i would like that;i d like that;that s right;that is right;that s correct',
  de: 'machen wir( so| das)*;mach(en sie)? das;buchen sie( es| das| bitte)*;ist (gut|ok|okay|in ordnung);klingt gut;passt( mir)?;ja;ja bitte;stimmt so;gerne',
  es: 'hazlo;hagalo;adelante;reservalo;reservelo;esta bien;me parece bien;de acuerdo;si;si por favor;me va bien',
  fr: 'allez y;vas y;faites le;c est bon;ca me va;d accord;oui;tres bien;je confirme',
});

const WAITS = cue('begins', {
  en: '(no )?(wait|hold on|hang on)',
  de: '(nein )?(warte(n sie)?|moment|halt)',
  es: '(no )?(espera|espere|un momento)',
  fr: '(non )?(attends|attendez|un instant)',
});

/** Whether words agree or refuse; `whole` where they say nothing else. Undefined where they do neither. */
export interface Polarity {
  readonly agrees: boolean;
  readonly whole: boolean;
}

/** Reads agreement or refusal in a language; English is understood everywhere, and a bare yes or no of any language. */
export function polarityOf(text: string, language: string): Polarity | undefined {
  const said = normalise(text);
  return said === '' ? undefined : (polarityHere(text, language) ?? inAnother(said, language));
}

/** The same by the words of one language and of English: what is a yes elsewhere may be a name here, as "Jo". */
export function polarityHere(text: string, language: string): Polarity | undefined {
  const said = normalise(text);
  if (said === '') return undefined;
  // "Wait" by itself puts off; before something else it only leads to that.
  const waits = WAITS(said, language)?.[0];
  const after = waits === undefined ? '' : core(said.slice(waits.length), language);
  if (after.includes(' ')) return polarityHere(after, language);
  const all = core(text, language);
  const agreesWhole = yesWhole(said, language) ?? yesWhole(all, language);
  if (agreesWhole) return { agrees: true, whole: true };
  if (noWhole(said, language) ?? noWhole(all, language)) return { agrees: false, whole: true };
  const rest = AGREES(all, language) ? said.replace(AGREES(all, language)?.[0] ?? '', ' ') : said;
  if (TAKES_BACK(rest, language)) return { agrees: false, whole: false };
  if (AGREES(all, language)) return { agrees: true, whole: false };
  const no = noBegins(all, language);
  const yes = yesBegins(all, language);
  if (no && (!yes || no[0].length >= yes[0].length))
    return { agrees: false, whole: onlyMore(all.slice(no[0].length), false, language) };
  if (yes) return { agrees: true, whole: onlyMore(all.slice(yes[0].length), true, language) };
  return yesEnds(all, language) ? { agrees: true, whole: false } : undefined;
}

/** A yes or a no in another language than the one that is spoken: "ja", "sí". */
function inAnother(said: string, language: string): Polarity | undefined {
  for (const other of CUE_LANGUAGES) {
    if (other === language) continue;
    if (yesWhole(said, other)) return { agrees: true, whole: true };
    if (noWhole(said, other)) return { agrees: false, whole: true };
  }
  return undefined;
}

/** True where what is left agrees or refuses as well, and says nothing new: "yes, sounds good, do it". */
function onlyMore(rest: string, agrees: boolean, language: string): boolean {
  const left = core(rest, language);
  if (left === '') return true;
  const next = (agrees ? yesBegins : noBegins)(left, language);
  return next !== null && next[0].length > 0 && onlyMore(left.slice(next[0].length), agrees, language);
}
