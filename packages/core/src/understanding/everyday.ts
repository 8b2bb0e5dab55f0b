/** One everyday wish with how people say it, by language. */
export interface EverydayWish {
  readonly about: string;
  readonly phrases: Readonly<Record<string, readonly string[]>>;
}

/** Phrases are written as one text, parted by semicolons. */
function wish(about: string, said: Readonly<Record<string, string>>): EverydayWish {
  return { about, phrases: Object.fromEntries(Object.entries(said).map(([l, text]) => [l, text.split('; ')])) };
}

/** Languages of the ready set (BCP 47). */
export const EVERYDAY_LANGUAGES = ['en', 'de', 'es', 'fr', 'it', 'pt', 'nl', 'pl'] as const;

/** The ready set: wishes that people bring to any bot. An intent takes one over with `ready: hello`. */
export const EVERYDAY: Readonly<Record<string, EverydayWish>> = {
  hello: wish('greets', {
    en: 'hello; hi; hey; hi there; hello there; good morning; good afternoon; good evening; hey there',
    de: 'hallo; hi; hey; guten Tag; guten Morgen; guten Abend; moin; servus; grüß Gott',
    es: 'hola; buenas; buenos días; buenas tardes; buenas noches; hola, qué tal; muy buenas',
    fr: 'bonjour; salut; bonsoir; coucou; bonjour à vous; bien le bonjour',
    it: 'ciao; buongiorno; buonasera; salve; ciao a tutti; buon pomeriggio',
    pt: 'olá; oi; bom dia; boa tarde; boa noite; olá, tudo bem',
    nl: 'hallo; hoi; goedemorgen; goedemiddag; goedenavond; dag; hé hallo',
    pl: 'cześć; dzień dobry; dobry wieczór; hej; witam; siema',
  }),
  thanks: wish('says thank you', {
    en: 'thanks; thank you; thanks a lot; many thanks; thank you very much; cheers, thanks; that was kind',
    de: 'danke; vielen Dank; danke schön; besten Dank; danke sehr; herzlichen Dank; dankeschön',
    es: 'gracias; muchas gracias; mil gracias; gracias por todo; te lo agradezco; muy amable',
    fr: 'merci; merci beaucoup; merci bien; mille mercis; je vous remercie; merci à vous',
    it: 'grazie; grazie mille; molte grazie; ti ringrazio; la ringrazio; grazie tante',
    pt: 'obrigado; obrigada; muito obrigado; muito obrigada; agradeço; valeu, obrigado',
    nl: 'bedankt; dank je; dank u; dank je wel; heel erg bedankt; hartelijk dank',
    pl: 'dziękuję; dzięki; dziękuję bardzo; wielkie dzięki; serdecznie dziękuję',
  }),
  goodbye: wish('takes leave', {
    en: 'goodbye; bye; bye bye; see you; see you later; that is all, goodbye; have a nice day; talk to you later',
    de: 'tschüss; auf Wiedersehen; bis später; bis bald; ciao, bis dann; schönen Tag noch; das war alles, tschüss',
    es: 'adiós; hasta luego; hasta pronto; nos vemos; chao; que tengas un buen día; eso es todo, adiós',
    fr: 'au revoir; à bientôt; à plus tard; salut, à plus; bonne journée; ce sera tout, au revoir',
    it: 'arrivederci; a presto; ci vediamo; addio; buona giornata; è tutto, arrivederci',
    pt: 'adeus; até logo; até breve; tchau; tenha um bom dia; é tudo, adeus',
    nl: 'tot ziens; doei; tot later; dag hoor; fijne dag nog; dat was alles, doei',
    pl: 'do widzenia; na razie; pa; do zobaczenia; miłego dnia; to wszystko, do widzenia',
  }),
  yes: wish('agrees', {
    en: 'yes; yes please; yeah; sure; of course; that is right; correct; yes, do that; go ahead',
    de: 'ja; ja bitte; klar; genau; natürlich; stimmt; ja, mach das; gerne',
    es: 'sí; sí, por favor; claro; claro que sí; por supuesto; de acuerdo; correcto; adelante',
    fr: 'oui; oui, s’il vous plaît; bien sûr; d’accord; exactement; tout à fait; allez-y',
    it: 'sì; sì, per favore; certo; certamente; d’accordo; esatto; va bene, procedi',
    pt: 'sim; sim, por favor; claro; com certeza; isso mesmo; certo; pode ser',
    nl: 'ja; ja graag; zeker; natuurlijk; klopt; precies; ga je gang',
    pl: 'tak; tak, proszę; jasne; oczywiście; zgadza się; dokładnie; dobrze, zrób to',
  }),
  no: wish('declines', {
    en: 'no; no thanks; nope; not really; rather not; no, leave it; that is wrong; certainly not',
    de: 'nein; nein danke; nö; lieber nicht; auf keinen Fall; nein, lass das; das stimmt nicht',
    es: 'no; no, gracias; para nada; mejor no; de ninguna manera; no es correcto; no, déjalo',
    fr: 'non; non merci; pas vraiment; plutôt pas; certainement pas; ce n’est pas juste; non, laissez',
    it: 'no; no grazie; per niente; meglio di no; assolutamente no; non è giusto; no, lascia stare',
    pt: 'não; não, obrigado; de jeito nenhum; melhor não; não está certo; não, deixe',
    nl: 'nee; nee bedankt; liever niet; zeker niet; dat klopt niet; nee, laat maar',
    pl: 'nie; nie, dziękuję; raczej nie; na pewno nie; to się nie zgadza; nie, zostaw to',
  }),
  help: wish('asks what the bot can do', {
    en: 'help; what can you do; how does this work; I need help; can you help me; what can I ask you; show me what you know',
    de: 'Hilfe; was kannst du; wie funktioniert das; ich brauche Hilfe; kannst du mir helfen; was kann ich fragen',
    es: 'ayuda; qué puedes hacer; cómo funciona esto; necesito ayuda; puedes ayudarme; qué te puedo preguntar',
    fr: 'aide; que peux-tu faire; comment ça marche; j’ai besoin d’aide; pouvez-vous m’aider; que puis-je demander',
    it: 'aiuto; cosa sai fare; come funziona; ho bisogno di aiuto; puoi aiutarmi; cosa posso chiederti',
    pt: 'ajuda; o que você pode fazer; como funciona isto; preciso de ajuda; pode me ajudar; o que posso perguntar',
    nl: 'help; wat kun je; hoe werkt dit; ik heb hulp nodig; kun je me helpen; wat kan ik vragen',
    pl: 'pomoc; co potrafisz; jak to działa; potrzebuję pomocy; czy możesz mi pomóc; o co mogę zapytać',
  }),
  'start-over': wish('wants to begin again', {
    en: 'start over; start again; begin again; from the beginning; restart; let us start from scratch; reset everything',
    de: 'von vorn; noch einmal von vorne; neu anfangen; nochmal von Anfang an; neustart; alles zurücksetzen',
    es: 'empezar de nuevo; desde el principio; volver a empezar; reiniciar; comenzar otra vez; empecemos de cero',
    fr: 'recommencer; depuis le début; repartir de zéro; redémarrer; on recommence tout; reprendre au début',
    it: 'ricominciare; da capo; dall’inizio; ripartire da zero; riavvia; ricominciamo tutto',
    pt: 'recomeçar; começar de novo; desde o início; reiniciar; voltar ao começo; vamos do zero',
    nl: 'opnieuw beginnen; vanaf het begin; overnieuw; herstarten; begin maar opnieuw; alles resetten',
    pl: 'zacznij od nowa; od początku; jeszcze raz od początku; restart; zacznijmy od zera',
  }),
  'a-person': wish('wants to talk to a person', {
    en: 'a person please; I want to talk to a human; can I speak to someone; let me talk to your staff; is there a real person; connect me to somebody; I would like to speak with an employee',
    de: 'einen Menschen bitte; ich möchte mit einem Mitarbeiter sprechen; kann ich mit jemandem reden; verbinden Sie mich mit einer Person; gibt es dort einen echten Menschen',
    es: 'una persona por favor; quiero hablar con una persona; puedo hablar con alguien; páseme con un empleado; hay una persona real',
    fr: 'une personne s’il vous plaît; je veux parler à un humain; puis-je parler à quelqu’un; passez-moi un employé; y a-t-il une vraie personne',
    it: 'una persona per favore; voglio parlare con un umano; posso parlare con qualcuno; mi passi un operatore; c’è una persona vera',
    pt: 'uma pessoa por favor; quero falar com um humano; posso falar com alguém; passe-me a um funcionário; há uma pessoa real',
    nl: 'een mens alstublieft; ik wil met een medewerker praten; kan ik iemand spreken; verbind me door met een persoon; is daar een echt mens',
    pl: 'poproszę z człowiekiem; chcę rozmawiać z człowiekiem; czy mogę porozmawiać z kimś; połącz mnie z pracownikiem; czy jest tam prawdziwa osoba',
  }),
};
