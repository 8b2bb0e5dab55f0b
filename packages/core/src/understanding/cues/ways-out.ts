import { normalise } from '../words.js';
import { core, cue, type Cue } from './cue.js';

/** What a visitor can want at any time, whatever the conversation is about. */
export const WAYS_OUT = ['never-mind', 'back', 'start-over', 'again', 'help', 'a-person', 'thanks', 'goodbye'] as const;
export type WayOut = (typeof WAYS_OUT)[number];

const THANKS =
  'thanks( a lot| so much| very much| again)?;thank you( so much| very much| again)?;many thanks;thx;cheers;much appreciated;(thats|that s|that is|that was) (very |really |so )?(kind|nice|helpful|great)( of you)?;great thanks;perfect thanks;lovely thanks;ok thanks;ta';

const SAID: Readonly<Record<WayOut, Cue>> = {
  'never-mind': cue('whole', {
    en: '(oh |no |ah )*(never ?mind|nevermind|nvm)( it| that| then| about (it|that))?;(just |please |lets |let s )?(forget|drop|scrap|leave|skip) (it|that|this|about it|all that|the whole thing)( all)?( then| be| for now| now)?;(please )?(stop|cancel|abort|quit|exit)( it| this| that| here)?( now| please)?;i (have |ve )?changed my mind;i (do not|don t|dont) want (it|that|this)( any ?more| now)?;no need( any ?more)?;(it|that) does(n t| not) matter( any ?more)?;i ll do (it|that) (later|another time);another time( perhaps| maybe)?;let s not;(i )?(do not|don t) bother',
    de: '(ach |nein |ne |och )*(schon gut|lass|lassen sie|lass es|lassen sie es|lass gut sein|lassen wir es|lassen wir das)( gut sein| mal| sein| bleiben| es| das)*;vergiss es;vergessen sie es;(bitte )?(abbrechen|stopp|stop|abbruch|aufhoren)( bitte)?;ich hab(e)? es mir anders uberlegt;ich will (das |es )?(doch )?nicht( mehr)?;doch nicht;ein andermal;(das )?hat sich erledigt;ist nicht (mehr )?notig;brauche ich nicht mehr',
    es: '(no |ay )*(dejalo|dejelo|olvidalo|olvidelo|dejemoslo|no importa|nada|no es nada)( ya| entonces| estar)?;(cancela|cancelar|para|parar|basta|salir)( esto| eso| todo)?;he cambiado de (idea|opinion);(ya )?no (lo )?quiero( mas| ya)?;ya no hace falta;no hace falta;en otro momento',
    fr: '(non |oh )*(laisse|laissez|laisse tomber|laissez tomber|oublie|oubliez|oublie ca|oubliez ca|peu importe|tant pis|ce n est pas grave|pas grave);(annule|annuler|arrete|arretez|stop|quitter)( tout| ca| cela)?;j ai change d avis;je (n en |ne )?veux (plus|pas)( de ca)?;une autre fois;plus besoin',
  }),
  back: cue('whole', {
    en: '(please |can (we|i|you) |could (we|i|you) |i want to |i d like to |let me |let s )?(go |step |take me )?back( up)?( a| one| 1)?( step| question| bit| please)*;(go )?(to )?(the )?(previous|last|prior) (question|step)( again| please)?;undo( that| the last( one| answer| step)?)?;one (step|question) back;(can|could) (i|we) (change|correct|fix|redo) (that|my last answer|the last answer|the last one|what i (just )?said);(can|could) we go back( a step| one step| to that| again)?;that was wrong;oops go back',
    de: '(bitte )?(einen |ein |noch einen )?(schritt |mal )?zuruck( gehen| bitte)*;(geh|gehen sie|gehen wir|konnen wir|kann ich) (bitte )?(einen |noch )?(schritt |mal )?zuruck( gehen)?;(zur |die )?(vorherigen?|letzten?|vorigen?) frage( noch ?mal)?;ruckgangig( machen)?;das (letzte )?war falsch;eine frage zuruck',
    es: '(por favor )?(volver|vuelve|vuelva|regresar|ir|ve|vamos|podemos volver|puedo volver|quiero volver)( un paso)?( hacia)? atras;atras;un paso atras;(la )?pregunta anterior;(volver|vuelve|vuelva) a la (pregunta )?anterior;(deshacer|deshaz)( eso)?;eso estaba mal',
    fr: '(revenir|reviens|revenez|retour|on peut revenir|peut on revenir)( en arriere| a la question precedente| un pas en arriere)?;(un pas )?en arriere;(la )?question precedente;(annuler|defaire) la derniere( reponse)?;c etait faux',
  }),
  'start-over': cue('whole', {
    en: '(can (we|i) |could (we|i) |let s |lets |let me |i want to |i d like to |please )?(start|begin|try)( it all| everything| all)? (over|again|afresh|anew|from scratch|from the (beginning|start|top))( again| please)?;(once more )?from (the )?(beginning|start|top|scratch);restart;reset( everything| it all)?;all over again;new start',
    de: '(noch ?mal |noch einmal |bitte |wir |lass uns |konnen wir )*(ganz )?(von vorn|von vorne|von anfang an|neu)( an)?( anfangen| beginnen| starten| bitte)*;(fang|fangen wir|fangen sie|lass uns)( bitte)?( nochmal| noch einmal)?( von vorn| von vorne| neu)? ?(an|anfangen)?( von vorn| neu)?;neustart;neu starten;alles zurucksetzen',
    es: '(podemos |quiero |vamos a )?(empezar|empecemos|empieza|comenzar|comencemos|comienza|volver a empezar|volvamos a empezar)( todo)?( de nuevo| otra vez| desde el principio| desde cero| de cero)*;desde el principio;de nuevo desde el principio;de cero;reiniciar( todo)?',
    fr: '(on |je veux |peut on |il faut )?(recommencer|recommence|recommencons|reprendre|reprenons)( tout| depuis le debut| a zero| du debut| au debut)*;depuis le debut;du debut;(repartir|repartons) (de|a) zero;redemarrer',
  }),
  again: cue('whole', {
    en: '(sorry |pardon |excuse me )?what( was| is| s)? (that|this|it)( again)?;(sorry |pardon )?what did you (just )?say( again)?;what (was|were|is|are) (that|it|the (question|options|choices)|those) again;(can|could|would) you (please )?(say|repeat|show|tell me)( me)?( that| it| this| the question| all that)?( once more| again)?( please)?;(please )?(say|repeat|show)( me)? (that|it|this|the question|the options)( again| once more)?( please)?;(please )?repeat( please)?;(say|once) (again|more)( please)?;again( please)?;come again;(sorry |pardon )?(i )?(did not|didn t|didnt) (get|catch|understand|hear) (that|it|you)( last( one| bit)?)?;(sorry|pardon)( me)? what;what;huh;one more time( please)?;pardon( me)?',
    de: '(wie|was) (war|ist) das( noch ?mal| noch einmal| nochmals| gleich)?;wie bitte;was( haben sie| hast du)? (gesagt|gerade gesagt)( noch ?mal)?;was haben sie (gesagt|gerade gesagt);(bitte )?(noch ?mal|noch einmal|nochmals)( bitte)?;(bitte )?(wiederholen|wiederholen sie|wiederhole|sag|sagen sie)( das| es)?( bitte| noch ?mal| noch einmal)*;(konnen sie|kannst du) das (bitte )?(noch ?mal |noch einmal )?(wiederholen|sagen);das habe ich nicht verstanden;hab ich nicht verstanden;was;hae',
    es: '(que|como) (era|es|ha dicho|has dicho|dijo|dijiste|dices)( eso| esto)?( otra vez)?;(perdon )?(como|que)( has dicho| dice)?;(puede|puedes|podria|podrias) (repetir|repetirlo|repetirmelo|decirlo otra vez)( eso| por favor)?;(repite|repita|repitelo|repitalo|repetir)( eso| por favor)?;otra vez( por favor)?;una vez mas;no (lo )?he entendido( eso)?;no te he entendido',
    fr: '(c etait|qu est ce que c etait|c est) quoi( deja)?;qu avez vous dit;(pouvez vous|peux tu|vous pouvez|tu peux) (repeter|redire|le repeter|le redire)( ca| s il vous plait)?;(repetez|repete|redites)( ca| cela| le)?;encore une fois;comment;pardon;quoi;je n ai pas (compris|entendu)',
  }),
  help: cue('whole', {
    en: 'help( me)?( please)?;what (else )?(can|do|could) you (do|help( me)?( with)?|offer|know|answer)( for me| here| about)*;what (else )?can i (do|ask|say|choose)( you| here| now)*;what are (my|the) (options|choices);how does (this|it) work;(i )?(need|want) help;can you help( me)?;what (is|s) this( bot| chat)?( for)?;what are you( for)?;show me (what you can do|what you know|the menu|the options);menu;options;who are you;i (do not|don t|dont) know (what to (do|say|ask));i m (lost|stuck)',
    de: 'hilfe;hilf mir;was (kannst du|konnen sie|konnt ihr)( alles| denn| sonst)?( noch)?( fur mich)?( tun| machen)?;was (kann|darf|soll) ich( hier| dich| sie| sonst| jetzt)*( noch)? (fragen|tun|machen|sagen)( hier)?;wie (funktioniert|geht) das( hier)?;ich (brauche|mochte) hilfe;(kannst du|konnen sie) mir helfen;welche moglichkeiten( habe ich| gibt es)?;womit (kannst du|konnen sie) mir helfen;menu;wer bist du;wer sind sie;ich weiss nicht weiter',
    es: 'ayuda;ayudame;(que|en que|con que) (mas )?(puedes|puede|sabes|sabe)( hacer| ayudarme| ayudar)*( por mi| aqui)?;que (mas )?(puedo|te puedo|le puedo)( hacer| preguntar| decir| preguntarte)*( aqui)?;como funciona( esto)?;necesito ayuda;(puedes|puede|me puedes|me puede) ayudar(me)?;(cuales son (mis|las) )?opciones;menu;quien eres;que opciones( hay| tengo)?;no se que hacer',
    fr: 'aide;aidez moi;aide moi;(que|qu est ce que) (pouvez vous|peux tu|vous pouvez|tu peux|vous savez|sais tu)( faire)?( pour moi)?;(que|qu est ce que) (puis je|je peux)( vous)?( demander| faire)?;comment (ca|cela) (marche|fonctionne);j ai besoin d aide;(pouvez vous|peux tu) m aider;(quelles sont (mes|les) )?options;menu;qui etes vous;je suis perdu',
  }),
  'a-person': cue('whole', {
    en: '(a |an |any )?(real |actual |live )?(person|human|human being|agent|operator|representative|someone|somebody|staff|employee|clerk)( please)?( now)?;(can|could|may|let me|i want to|i d like to|i would like to|i need to|i wanna|please let me)( i)? ?(please )?(speak|talk|chat)( directly)? (to|with) (a |an |some |any )?(real |actual |live )?(person|human|human being|agent|operator|representative|someone|somebody|one|staff|your staff|employee|clerk|people|somebody real|someone real)( please| instead| there| now)*;(connect|transfer|put) me (to|through|through to|with) (a |an |some )?(real |live )?(person|human|agent|operator|someone|somebody|staff|your staff|employee|people)( please)?;(is|are) there (a |any )?(real )?(person|human|people|someone|somebody|anybody|anyone)( there| here| i can (talk|speak) to)*;(i want|give me|get me|i need) (a |an )?(real )?(person|human|agent|operator|human being)( please)?;not a (bot|robot|machine)',
    de: '((ein|einen|eine) )?(echten? |richtigen? )?(mensch|menschen|person|mitarbeiter|mitarbeiterin)( bitte)?;(kann|konnte|ich mochte|ich will|ich wurde gern|ich wurde gerne|darf|lass mich|lassen sie mich)( ich)?( bitte)?( direkt)? mit (einem |einer |jemandem?|irgendjemandem?)( echten | richtigen )? ?(menschen|mensch|person|mitarbeiter|mitarbeiterin)?( bitte)? ?(sprechen|reden|schreiben);(verbinden sie|verbinde) mich( bitte)?( mit (einem |einer |jemandem?)( echten | richtigen )? ?(menschen|person|mitarbeiter|mitarbeiterin)?)?;(gibt es|ist)( da| hier| dort)? (einen|ein|jemand|eine)( echten?| richtigen?)?( menschen| mensch| person)?( da| hier)?;ich (will|mochte|brauche) (einen|eine) (echten? )?(menschen|person|mitarbeiter)',
    es: '(una |un )?(persona|humano|agente|operador|empleado|alguien)( real| de verdad)?( por favor)?;(quiero|quisiera|puedo|podria|me gustaria|necesito|dejame|dejeme) (por favor )?hablar con (una |un )?(persona|humano|agente|operador|empleado|alguien)( real| de verdad)?( por favor)?;(paseme|pasame|comuniqueme|ponme|pongame) con (una |un )?(persona|agente|operador|empleado|alguien)( real)?;hay (alguna |una |algun )?(persona|alguien|humano)( real| ahi| ahi)?;quiero (una |un )?(persona|humano|agente)( real)?',
    fr: '(une |un )?(personne|humain|agent|operateur|employe|quelqu un|conseiller)( reelle?| s il vous plait)?;(je veux|je voudrais|puis je|j aimerais|est ce que je peux|je peux) parler (a|avec) (une |un )?(personne|humain|agent|employe|quelqu un|conseiller|vraie personne);(passez|passe) moi (une |un )?(personne|employe|agent|quelqu un|conseiller);(y a t il|il y a) (une |un )?(vraie )?(personne|humain|quelqu un)',
  }),
  thanks: cue('whole', {
    en: THANKS,
    de: '(vielen |besten |herzlichen |tausend )?dank(e)?( schon| sehr| dir| ihnen| fur die hilfe| fur alles)?;dankeschon;(das )?(ist|war) (sehr )?(nett|freundlich|lieb)( von ihnen| von dir)?;(super|prima|toll|perfekt|sehr gut|alles klar|ok) danke',
    es: '(muchas |mil |muchisimas )?gracias( por todo| por la ayuda| por su ayuda)?;te lo agradezco;se lo agradezco;muy amable;(perfecto|genial|vale|estupendo) gracias',
    fr: '(mille )?merci( beaucoup| bien| a vous| pour tout| infiniment)?;je vous remercie;(c est )?(tres )?(gentil|aimable)( a vous| de votre part)?;(parfait|super|d accord) merci',
  }),
  goodbye: cue('whole', {
    en: '((ok|okay|great|that s all|that is all|that was all|thanks|thank you|many thanks|thx|cheers)( so much| very much| a lot)? )*(bye|goodbye|good bye|bye bye|see you( later| soon| then)?|have a (nice|good) (day|evening|one)|good night|so long)( then| now)?( thanks| thank you)?;that s all( thanks| thank you)?;that is all( thanks| thank you)?;that will be all( thanks| thank you)?',
    de: '((ok|danke|vielen dank|das war s|das war alles|gut) )*(tschuss|auf wiedersehen|bis (bald|dann|spater)|schonen (tag|abend)( noch)?|ciao|gute nacht)( dann)?( danke)?;das war s( danke)?;das war alles( danke)?',
    es: '((vale|gracias|muchas gracias|eso es todo|nada mas) )*(adios|hasta (luego|pronto|manana)|chao|buenas noches|que tenga un buen dia)( gracias)?;eso es todo( gracias)?;nada mas( gracias)?',
    fr: '((ok|merci|merci beaucoup|c est tout) )*(au revoir|a bientot|a plus( tard)?|bonne (journee|soiree|nuit))( merci)?;c est tout( merci)?;ce sera tout( merci)?',
  }),
};

/** Which way out somebody takes, where that is all that they say; undefined where they say something else. */
export function wayOut(text: string, language: string): WayOut | undefined {
  const whole = normalise(text);
  const said = core(text, language);
  return WAYS_OUT.find((way) => SAID[way](whole, language) ?? SAID[way](said, language));
}
