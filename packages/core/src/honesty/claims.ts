import { baseOf } from '../understanding/lexicon.js';
import { normalise } from '../understanding/words.js';
import { DONE_THINGS, doneWords, EFFECT_CLASSES, patternOf, type EffectClass } from './lexicon.js';
import { clausesOf, unquoted } from './sentences.js';

/*
 * Which sentences of a reply claim that something was done. Sentences that deny, ask, offer, promise, suppose, quote, or tell of a
 * time before or of other people claim nothing.
 */

/**
 * How it is claimed: that the bot did it, or that it is so. What only is so may have been read somewhere; what the bot did, it
 * did itself.
 */
export type ClaimKind = 'did' | 'is';

export interface Claim {
  readonly effect: EffectClass;
  readonly kind: ClaimKind;
  /** The words that claim it, normalised. */
  readonly words: string;
  /** The clause that they stand in. */
  readonly clause: string;
}

/** Words that the designer declares for a tool, by language, each with what it stands for. */
export interface DeclaredWords {
  readonly effect: EffectClass;
  readonly words: readonly string[];
}

interface Grammar {
  /** The bot did it: `%` is where the words of doing stand. */
  readonly did: readonly string[];
  /** It is done, for whoever listens. */
  readonly is: readonly string[];
  /** It begins with the words: "Booked!", "Done." */
  readonly bare: readonly string[];
  /** `#` is a thing that comes of a doing. */
  readonly things: readonly string[];
  /** It stands somewhere now where it did not stand before: in a list, in a plan. */
  readonly places: readonly string[];
  readonly never: string;
  readonly supposed: string;
  /** A supposition behind a claim makes a state of it, but not what the bot did. */
  readonly supposedBehind: string;
  readonly before: string;
  /** Somebody else is the source. */
  readonly reported: string;
  readonly prepare?: (text: string) => string;
}

const ADVERBS_EN =
  '(?:just |now |already |also |successfully |gladly |happily |then |only just |gone ahead (?:and )?|went ahead (?:and )?|been able to |duly |therefore |finally |been and |immediately |right away |quickly |both )*';
const ADVERBS_DE = '(?:\\S+ ){0,12}?';
const SOFT_ES =
  '(?:ya |ahora |tambien |acabo de |le |les |te |lo |la |los |las |se |me |nos |todo |correctamente |recien |por fin )*';
const SOFT_FR = '(?:deja |bien |aussi |maintenant |tout |vous |l |la |le |les |en |y |lui |leur |egalement |enfin |aussitot )*';

const GRAMMARS: Readonly<Record<string, Grammar>> = {
  en: {
    did: [
      `(?:^| )(?:i|we) (?:have |ve |had )?${ADVERBS_EN}(?:%)(?= |$)`,
      `(?:^| )(?:i|we) (?:have|ve)(?: got)?(?: (?!not |never |no |nothing |to |that |which |who |what |you |they |he |she |it |yet |been |several |many |some |found |seen |read |looked |checked )\\S+){1,4} (?:%)(?= for you| for your| under| as | on | to |$)`,
      `(?:^| )(?:i|we) (?:took|have taken|ve taken) the liberty of (?:book|reserv|send|cancel|chang|not|add|order)ing`,
      `(?:^)(?:have |just |already |also |successfully )*(?:%)(?= (?:you|your|it|that|this|the|them|everything|all|both|in|on|to|for|down)(?: |$))`,
    ],
    is: [
      `(?:^| )(?:has|have|s|ve) ${ADVERBS_EN}been ${ADVERBS_EN}(?:%)(?= |$)`,
      `(?:^| )(?:you|your \\S+(?: (?!is |are |was |were |has |have |can |will |must |says )\\S+){0,8}|it|that|this|everything|all|both) (?:is|are|s|re|was|were) (?:(?:now|already|all|also|successfully|officially|indeed|both|fully|safely|as good as|hereby) )*(?:%)(?= |$)`,
      `(?:^| )(?:is|are|was|were|s|re) (?:(?:now|already|all|also|successfully|officially) )*(?:%)(?= for you| for your| in your| to your| as (?:you|requested|asked|wished)| under)`,
      `(?:^| )(?:is|are) (?:now|already|successfully|hereby|all) (?:%)(?= |$)`,
      `(?:^| )(?:a|an|one|two|three|the|my|our) \\S+(?: \\S+){0,3} is (?:%)(?= |$)`,
      `(?:^| )you (?:have|ve) (?:now |just )?been (?:%)(?= |$)`,
      `(?:^| )(?:is|are|s|re) (?:all |now )?(?:all set|good to go|in the system|in the book|in the books|on the list|in place|on file)(?= |$)`,
      `(?:^| )you (?:now |already )have (?:a|an|your) (?:#)(?= |$)`,
      `(?:^| )that (?:s|is) (?:you|it|him|her|them|everything|all|both) (?:%)(?= |$)`,
      `(?:^| )(?:was|were|has been|have been) (?:%)(?: \\S+){0,6} successfully(?= |$)`,
    ],
    places: [
      `(?:^| )(?:i|we) (?:have |ve |had )?${ADVERBS_EN}(?:put|got|have|placed|moved|squeezed|pencilled|penciled|written) (?!not |no |nothing )\\S+(?: \\S+){0,3}? (?:down|on|in|onto|into|through)(?= (?:for|the|your|our|a|it|today|tomorrow|that|this|to|at|on)(?: |$)|$)`,
      `(?:^| )(?:is|are|s|re) (?:now |already |also )*(?:down for|in the (?:rota|list|book|books|system|schedule|calendar|diary|log|roster|plan|register|queue)|on the (?:rota|list|schedule|roster|books|plan|register|waiting list|passenger list|agenda))(?= |$)`,
      `(?:^| )(?:you|your \\S+(?: \\S+){0,2}) (?:is|are|re) now (?:on|in|under|with)(?= |$)`,
    ],
    bare: [
      '^(?:all |that s |thats |it s |its |that is |it is |and |ok |okay |great |perfect |right |sure |got it |there |consider it |everything s |everything is )*(?:%|all set|all sorted|good to go)(?= |$)',
    ],
    things: [
      `(?:^| )(?:your|the|a|this|that|our|my) (?:\\S+ ){0,3}(?:#)(?: \\S+){0,3}? (?:went through|has gone through|is through|is done|is complete|is completed|is in place|is in|is on (?:its|the) way|is out|was successful|is successful|succeeded|is all set|is set|has been made|has gone out|went out|is in the system|is on the list|is yours|stands)(?= |$)`,
      `^(?:the |your )?(?:#) (?:complete|completed|done|successful|confirmed|made|set|accepted)(?= |$)`,
      `(?:^| )your (?:\\S+ ){0,2}(?:#) (?:number|reference|code|id|no) is(?= |$)`,
      `(?:^| )(?:i|we) (?:have |ve )?${ADVERBS_EN}(?:made|placed|completed|put in|put through|filed|submitted|left|taken|processed|arranged|finished|raised|opened|created|set up|given|sorted) (?:a|an|the|your|this|that|their|both)? ?(?:\\S+ ){0,3}(?:#)(?:s)?(?= |$)`,
    ],
    never:
      '(?:^| )(?:not|never|nothing|nobody|none|neither|nor|cannot|can t|couldn t|won t|wouldn t|haven t|hasn t|isn t|aren t|wasn t|weren t|didn t|don t|doesn t|without|unable|failed|fails|refused|no longer|no \\S+ (?:was|has|is|were|have)|rather than|instead of|yet to|nt|n t|hardly|impossible|unfortunately could|pending|unsuccessful|almost|nearly|about to be)(?= |$)',
    supposed:
      '(?:^| )(?:if|unless|would|could|should|might|may|can|must|shall|suppose|supposing|in case|provided|assuming|will|ll|going to|about to|wish|hope|want|wants|like to|need|needs|let me|let us|happy to|able to|ready to|to have|to get|to be|have to|has to|as soon as|once|until|before|after|when|whether|whenever|how|usually|normally|generally|always|often|typically|each|every|any|by default|automatically|likely|probably|possibly|perhaps|maybe|tomorrow i|please|try|trying|am|be|being|getting)(?= |$)',
    supposedBehind:
      '(?:^| )(?:if|unless|once|as soon as|provided|when you|after you|before you|only when|whenever|in case|subject to|usually|normally|always|in advance|every|each|automatically|at the (?:desk|office|counter)|online|by (?:mail|e mail|email|post))(?= |$)',
    before:
      '(?:^| )(?:yesterday|ago|last (?:week|month|year|night|time|summer|winter|spring|autumn|monday|tuesday|wednesday|thursday|friday|saturday|sunday)|earlier (?:today|this|in|on)|previously|back then|at the time|originally|formerly|once before|the other day|in the past)(?= |$)|(?:^| )earlier$',
    reported:
      '(?:^| )(?:says|said|say|states|stated|according to|reads|reported that|told me|tells|writes|wrote that|claims|mentions|shows|list shows|you mentioned|you asked|you said|you told|you wanted|apparently)(?= |$)',
  },
  de: {
    did: [
      `(?:^| )(?:ich|wir) hab(?:e|en)?(?: |$)${ADVERBS_DE}(?:%)(?= |$)`,
      `(?:^| )hab(?:e|en)? (?:ich|wir)(?: |$)${ADVERBS_DE}(?:%)(?= |$)`,
      `(?:^)(?:soeben |gerade |bereits |schon |jetzt |hiermit )*hab(?:e|en)?(?: |$)${ADVERBS_DE}(?:%)(?= |$)`,
    ],
    is: [
      `(?:^| )(?:ist|sind|bist|seid|wurde|wurden|war|waren)(?: |$)${ADVERBS_DE}(?:%)(?= |$)`,
      `(?:^| )(?:%) (?:ist|sind|wurde|wurden|worden)(?= |$)`,
    ],
    bare: [
      '^(?:alles |schon |ist |und |gut |ok |okay |super |prima |klar |ja |so |alles klar |damit |ist hiermit |hiermit |ist alles |alles ist |sofort |sogleich )*(?:%|alles klar so)(?= |$)',
    ],
    places: [
      `(?:^| )(?:steht|stehen) (?:jetzt |nun |damit |schon |bereits )*(?:\\S+ ){0,8}?(?:im dienstplan|in der liste|auf der liste|im plan|im kalender|im system|im buch|im programm)(?= |$)`,
    ],
    things: [
      `(?:^| )(?:ihr|ihre|ihren|dein|deine|der|die|das|eine|ein) (?:\\S+ ){0,3}(?:#)(?: \\S+){0,3}? (?:ist durch|ist raus|ist unterwegs|ist drin|steht|ist im system|ist eingegangen|war erfolgreich|ist erfolgt|hat geklappt|ist abgeschlossen|ist fertig|ist perfekt|ist auf dem weg)(?= |$)`,
      `^(?:die |ihre )?(?:#) (?:abgeschlossen|erledigt|erfolgreich|bestatigt|durchgefuhrt|erfolgt|angelegt)(?= |$)`,
      `(?:^| )(?:ihr|ihre|deine) (?:\\S*(?:nummer|code|referenz)) lautet(?= |$)`,
    ],
    never:
      '(?:^| )(?:nicht|kein|keine|keinen|keiner|keinem|keines|nie|niemals|nichts|niemand|ohne|weder|noch nicht|leider konnte|fehlgeschlagen|statt|anstatt|unmoglich|gescheitert|beinahe|fast)(?= |$)',
    supposed:
      '(?:^| )(?:falls|wenn|sobald|bevor|nachdem|solange|ob|werde|werden|wird|wurden sie|wurde ich|wurde gern|wurdest|konnte|konnten|kann|konnen|soll|sollen|sollte|sollten|mochte|mochten|muss|mussen|musste|mussten|darf|durfte|hatte|hatten|ware|waren dann|will|wollen|damit ich|um zu|angenommen|normalerweise|meistens|immer|jeweils|jede|jeder|jedes|gewohnlich|automatisch|bitte|vielleicht|wahrscheinlich|wie man|erst wenn|sonst|ublicherweise|stets|pro|man|versuche|gern zu)(?= |$)',
    supposedBehind:
      '(?:^| )(?:falls|wenn|sobald|erst wenn|solange|sofern|normalerweise|immer|automatisch|im voraus|vor ort|am schalter|per (?:mail|e mail|post))(?= |$)',
    before:
      '(?:^| )(?:gestern|vorgestern|(?:letzte|vorige|vergangene)[nsr]? (?:woche|monat|jahr|nacht|mal|sommer|winter|montag|dienstag|mittwoch|donnerstag|freitag|samstag|sonntag)|fruher (?:war|wurde|hatte)|damals|vor (?:\\S+ )?(?:tag|tagen|woche|wochen|monat|monaten|jahr|jahren|stunde|stunden)|ursprunglich|zuvor|neulich|seinerzeit|einst)(?= |$)',
    reported:
      '(?:^| )(?:sagt|sagte|sagten|laut|steht|heisst es|schreibt|schrieb|zufolge|meldet|meldete|sie sagten|sie haben|du hast|ihr habt|er hat|sie hat|haben die|hat die|hat der|haben sie|hast du|angeblich|zeigt)(?= |$)',
  },
  es: {
    did: [
      `(?:^| )${SOFT_ES}(?:he|hemos) ${SOFT_ES}(?:%)(?= |$)`,
      `(?:^| )${SOFT_ES}(?:@)(?= |$)`,
      `(?:^| )(?:acabo|acabamos) de (?:reservar|enviar|mandar|cancelar|anular|anotar|apuntar|registrar|cambiar|modificar|eliminar|borrar|pedir|pagar|crear|confirmar|llamar|avisar|informar|anadir|guardar|programar|reembolsar|notificar|hacer|solicitar)(?:\\S*)(?= |$)`,
    ],
    is: [
      `(?:^| )(?:ha|han) (?:sido|quedado) ${SOFT_ES}(?:%)(?= |$)`,
      `(?:^| )se (?:ha|han|le ha|les ha|le han) ${SOFT_ES}(?:%)(?= |$)`,
      `(?:^| )(?:esta|estan|queda|quedan|quedo|quedaron|fue|fueron) ${SOFT_ES}(?:%)(?= |$)`,
      `(?:^| )(?:tiene|tienes) (?:ya )?(?:su |tu |una |un |la |el )?(?:\\S+ ){0,4}(?:%)(?= |$)`,
    ],
    bare: [
      '^(?:ya |todo |y |bien |vale |perfecto |muy bien |de acuerdo |ya esta |ya estan |queda |listo |genial |claro )*(?:%|listo|ya esta)(?= |$)',
    ],
    places: [
      `(?:^| )(?:esta|estan|figura|figuran) (?:ya |ahora )*(?:en la lista|en el plan|en el turno|en la agenda|en el calendario|en el sistema)(?= |$)`,
    ],
    things: [
      `(?:^| )(?:su|tu|la|el|una|un) (?:\\S+ ){0,3}(?:#)(?: \\S+){0,3}? (?:esta en camino|va en camino|ya esta|ha salido|se ha completado|fue un exito|esta completa|esta lista|esta listo|esta hecha|esta hecho|ha tenido exito|esta en el sistema)(?= |$)`,
      `^(?:la |su )?(?:#) (?:completad[oa]|hech[oa]|realizad[oa]|confirmad[oa]|tramitad[oa]|aceptad[oa])(?= |$)`,
      `(?:^| )(?:su|tu) (?:numero|codigo|referencia|localizador) de (?:\\S+ )?(?:#)? ?es(?= |$)`,
    ],
    never:
      '(?:^| )(?:no|nunca|nada|nadie|ningun|ninguna|ninguno|sin|tampoco|jamas|ni|imposible|fallo|fallado|casi|en vez de|en lugar de)(?= |$)',
    supposed:
      '(?:^| )(?:si|cuando|en cuanto|una vez|antes de|despues de|hasta que|a menos|salvo que|podria|podria|podemos|puedo|puede|pueden|debe|deben|deberia|quiere que|quieres que|desea|quisiera|voy a|vamos a|va a|habra|habre|sera|seran|hare|haria|tendria|hubiera|hubiese|habria|quiza|quizas|tal vez|normalmente|siempre|suele|suelen|cada|automaticamente|por favor|hay que|tiene que|tendra|como|para que|ojala|generalmente|habitualmente|intento|intentare|gustaria|puedes|reservare|enviare|cancelare|anotare|cambiare)(?= |$)',
    supposedBehind:
      '(?:^| )(?:si|cuando|en cuanto|una vez que|a menos que|siempre que|hasta que|normalmente|siempre|por adelantado|en la oficina|por (?:correo|mail|escrito))(?= |$)',
    before:
      '(?:^| )(?:ayer|anteayer|anoche|hace (?:\\S+ )?(?:dia|dias|semana|semanas|mes|meses|ano|anos|hora|horas)|(?:la|el) \\S+ pasad[oa]|anteriormente|antes de ayer|originalmente|en su dia)(?= |$)',
    reported:
      '(?:^| )(?:dice|dijo|dicen|segun|pone|indica|indico|escribe|escribio|comenta|usted ha|usted|ustedes|has|ellos|ella|el ha|me han|me ha|aparece|al parecer)(?= |$)',
    prepare: (text) =>
      text
        .replace(/(?<=\p{L})é(?=[^\p{L}]|$)/gu, 'e1')
        .replace(/(?<=\p{L})imos(?=[^\p{L}]|$)/gu, 'imos1')
        .replace(/(?<=\p{L})í(?=[^\p{L}]|$)/gu, 'i1'),
  },
  fr: {
    did: [
      `(?:^| )(?:j ai|nous avons|on a) ${SOFT_FR}(?:%)(?= |$)`,
      `(?:^| )(?:je|nous) (?:vous |l |lui |leur |les |la |le )*(?:ai|avons) ${SOFT_FR}(?:%)(?= |$)`,
      `(?:^| )(?:je me suis|nous nous sommes) ${SOFT_FR}(?:%)(?= |$)`,
      `(?:^| )(?:je viens|nous venons) de (?:vous |l |le |la |les )?(?:reserver|envoyer|annuler|noter|changer|modifier|supprimer|commander|payer|creer|confirmer|appeler|prevenir|ajouter|enregistrer|rembourser|faire)(?= |$)`,
    ],
    is: [
      `(?:^| )(?:a|ont) ${SOFT_FR}ete ${SOFT_FR}(?:%)(?= |$)`,
      `(?:^| )(?:votre|vos|ta|ton|tes|c|cela|ca|vous|tout|elle|il|la|le)(?: \\S+){0,4}? (?:est|sont|etes) ${SOFT_FR}(?:%)(?= |$)`,
      `(?:^| )c est ${SOFT_FR}(?:%)(?= |$)`,
    ],
    bare: ['^(?:c est |voila |bien |et |tout est |ok |d accord |parfait |tres bien |deja )*(?:%|c est bon)(?= |$)'],
    places: [
      `(?:^| )(?:est|sont|figure) (?:deja |maintenant )*(?:sur la liste|au planning|dans le systeme|a l agenda|au calendrier)(?= |$)`,
    ],
    things: [
      `(?:^| )(?:votre|ta|la|le|l|une|un) (?:\\S+ ){0,3}(?:#)(?: \\S+){0,3}? (?:est passee|est partie|est parti|est en route|est en place|est faite|est fait|a abouti|est dans le systeme)(?= |$)`,
      `^(?:la |votre )?(?:#) (?:terminee?|faite?|effectuee?|confirmee?|validee?)(?= |$)`,
      `(?:^| )votre (?:numero|code|reference) de (?:\\S+ )?(?:#)? ?est(?= |$)`,
    ],
    never: '(?:^| )(?:ne|n|pas|jamais|rien|personne|aucun|aucune|sans|ni|impossible|echoue|presque|au lieu de)(?= |$)',
    supposed:
      '(?:^| )(?:si|quand|lorsque|des que|une fois|avant de|apres|jusqu a|a moins|pourrais|pourrait|pouvez|peux|peut|dois|doit|devrait|devez|voulez vous|voudriez|souhaitez|vais|allons|va|sera|seront|ferai|ferais|aurais|aurait|serait|peut etre|normalement|toujours|chaque|automatiquement|faut|comment|pour que|habituellement|essaie|veuillez|aimerais)(?= |$)',
    supposedBehind:
      '(?:^| )(?:si|quand|lorsque|des que|une fois que|a condition|normalement|toujours|a l avance|au guichet|par (?:mail|courriel|courrier))(?= |$)',
    before:
      '(?:^| )(?:hier|avant hier|il y a|la semaine derniere|le mois dernier|l an dernier|l annee derniere|auparavant|autrefois|a l origine)(?= |$)',
    reported: '(?:^| )(?:dit|selon|indique|ecrit|vous avez|tu as|ils ont|elle a|il a|parait|d apres)(?= |$)',
  },
};

/** Spanish tells what the bot did by the ending of the verb: "reservé", "enviamos". */
const FIRST_PERSON_ES: Readonly<Partial<Record<EffectClass, string>>> = {
  book: 'reserve1 aparte1 reservamos',
  send: 'envie1 mande1 remiti1 enviamos mandamos pase1',
  tell: 'informe1 avise1 notifique1 comunique1 avisamos informamos',
  note: 'anote1 apunte1 registre1 guarde1 anadi1 agregue1 tome1_nota anotamos registramos inclui1 inscribi1',
  cancel: 'cancele1 anule1 cancelamos anulamos',
  change: 'cambie1 modifique1 actualice1 movi1 aplace1 cambiamos modificamos',
  remove: 'elimine1 borre1 quite1 eliminamos borramos',
  order: 'pedi1 encargue1 solicite1 solicitamos',
  pay: 'pague1 cobre1 reembolse1 devolvi1',
  create: 'cree1 abri1 genere1 prepare1 programe1 concerte1 organice1 agende1',
  confirm: 'confirme1 complete1 tramite1 realice1',
  call: 'llame1 contacte1',
  assign: 'asigne1',
  done: 'hice arregle1 resolvi1 gestione1',
};

const compiled = new Map<string, RegExp>();

function patternFor(
  language: string,
  effect: EffectClass,
  kind: ClaimKind | 'bare' | 'things' | 'places',
  extra: string,
): RegExp | undefined {
  const key = `${language} ${effect} ${kind} ${extra}`;
  const known = compiled.get(key);
  if (known) return known;
  const grammar = GRAMMARS[language];
  const words = [doneWords(language, effect), extra].filter(Boolean).join('|');
  const things = patternOf(DONE_THINGS[language]?.[effect] ?? '');
  const first = language === 'es' ? patternOf(FIRST_PERSON_ES[effect] ?? '') : '';
  // That something stands in a list or a plan is one kind of doing, whatever the words.
  if (kind === 'places' && effect !== 'note') return undefined;
  const sources = (grammar?.[kind] ?? []).flatMap((source) => {
    if (source.includes('%') && words === '') return [];
    if (source.includes('#') && (things === '' || effect === 'done')) return [];
    if (source.includes('@') && first === '') return [];
    return [source.replace('%', words).replace('#', things).replace('@', first)];
  });
  if (sources.length === 0) return undefined;
  const made = new RegExp(sources.map((s) => `(?:${s})`).join('|'));
  if (compiled.size < 2000) compiled.set(key, made);
  return made;
}

const cues = new Map<string, RegExp>();

function cueOf(source: string): RegExp {
  const known = cues.get(source) ?? new RegExp(source);
  cues.set(source, known);
  return known;
}

/** What denies behind words that begin a clause: "gebucht ist noch nichts". */
const DENIED_BEHIND = /(?:^| )(?:not|nothing|none|nichts|nicht|kein|keine|nada|rien|aucun|aucune)(?= |$)/;

/** Words that begin a clause and only tell which things it is about: "cancelled sailings are announced". */
const SAID_OF =
  /(?:^| )(?:is|are|was|were|will|must|can|cannot|have|has|had|may|werden|wird|wurden|kann|konnen|muss|mussen|sind|ist|se puede|pueden|puede|deben|debe|son|sera|seront|sont|peuvent|peut)(?= |$)/;

/** Words that say how full something is, and not that it was done: "fully booked". */
const STATES =
  /(?:^| )(?:fully|all|heavily|already fully|over) booked(?= |$)|booked (?:out|up|solid)|ausgebucht|voll gebucht|completo|completamente reservad|well done|as good as done|(?:easier|simply) said than done|made (?:of|by|up|from|sure)|set (?:out|off|sail|back|aside a)|called (?:a|the|after|for)|(?:is|are|s|re) called|noted for|so genannt|sogenannt|gemacht (?:aus|fur)|hecho (?:de|por)|fait (?:de|par)|list[oa]s? para|en fait|de hecho/;

/**
 * The claims of one sentence, in a language that we know or else in English. `declared` are the designer's own words for what
 * tools do.
 */
export function claimsIn(sentence: string, language: string, declared: readonly DeclaredWords[] = []): Claim[] {
  const base = GRAMMARS[baseOf(language)] ? baseOf(language) : 'en';
  const grammar = GRAMMARS[base];
  if (!grammar) return [];
  const clauses = clausesOf(unquoted(sentence));
  const normal = clauses.map((c) => normalise(grammar.prepare?.(c.text) ?? c.text));
  const found: Claim[] = [];
  let supposed = false;
  let reported = false;
  let goesOn = false;
  clauses.forEach((clause, i) => {
    const words = normal[i] ?? '';
    const next = normal[i + 1] ?? '';
    // "If you like, …", "The guide says: …" reach over what follows them.
    const said = claimOfClause(words, { grammar, language: base, declared });
    const own = said ?? (goesOn ? goingOn(words, { grammar, language: base, declared }) : undefined);
    goesOn = saysDid(words, base) || (goesOn && own !== undefined);
    const behind = cueOf(grammar.supposedBehind).test(own ? words.slice(own.at) : words) || startsSupposed(grammar, next);
    const counts = own && !clause.asks && !supposed && !reported && !(own.kind === 'is' && behind);
    if (counts) found.push({ effect: own.effect, kind: own.kind, words: own.words, clause: clause.text });
    supposed ||= !own && startsSupposed(grammar, words);
    reported ||= !own && cueOf(grammar.reported).test(words) && /[:]|\bthat\b|\bdass\b|\bque\b/.test(sentence);
  });
  return found;
}

function startsSupposed(grammar: Grammar, words: string): boolean {
  return new RegExp(
    `^(?:then |and |so |but |dann |und |aber |y |pero |et |mais )?${grammar.supposedBehind.slice('(?:^| )'.length)}`,
  ).test(words);
}

/** Words by which a clause begins to tell what the bot did; the next clause may go on without them. */
const TELLS: Readonly<Record<string, RegExp>> = {
  en: /(?:^| )(?:i|we)(?: have| ve| had)? (?!can |could |will |would |may |am |do |did not|cannot )/,
  de: /(?:^| )(?:ich|wir) hab(?:e|en)?(?: |$)|(?:^| )hab(?:e|en)? (?:ich|wir)(?: |$)/,
  es: /(?:^| )(?:he|hemos) /,
  fr: /(?:^| )(?:j ai|nous avons|on a) /,
};

function saysDid(words: string, language: string): boolean {
  return TELLS[language]?.test(words) ?? false;
}

/** "I have noted it and told the caretaker": a clause that goes on without saying who did it. In German the words stand at its end. */
function goingOn(words: string, { grammar, language, declared }: Reading): ReturnType<typeof claimOfClause> {
  if ([grammar.never, grammar.before, grammar.supposed, grammar.reported].some((c) => cueOf(c).test(words))) return undefined;
  for (const effect of EFFECT_CLASSES) {
    const list = [doneWords(language, effect), extraOf(declared, effect)].filter(Boolean).join('|');
    if (list === '') continue;
    const source =
      language === 'de'
        ? `(?:^| )(?:${list})$`
        : `^(?:also |already |then |even |just |tambien |ya |aussi |deja )*(?:${list})(?= |$)`;
    const match = cueOf(source).exec(words);
    if (match) return { effect, kind: 'did', words: match[0].trim(), at: match.index + match[0].length };
  }
  return undefined;
}

interface Reading {
  readonly grammar: Grammar;
  readonly language: string;
  readonly declared: readonly DeclaredWords[];
}

/** The designer's words for one kind of doing, as a pattern. */
function extraOf(declared: readonly DeclaredWords[], effect: EffectClass): string {
  const own = declared.filter((d) => d.effect === effect);
  return own.length === 0 ? '' : patternOf(own.flatMap((d) => d.words.map((w) => normalise(w).replaceAll(' ', '_'))).join(' '));
}

/** The first claim of a clause, with where its words end. */
function claimOfClause(
  words: string,
  { grammar, language, declared }: Reading,
): { effect: EffectClass; kind: ClaimKind; words: string; at: number } | undefined {
  if (words === '' || STATES.test(words)) return undefined;
  if (cueOf(grammar.before).test(words)) return undefined;
  let best: { effect: EffectClass; kind: ClaimKind; words: string; at: number } | undefined;
  for (const effect of EFFECT_CLASSES) {
    const extra = extraOf(declared, effect);
    for (const [from, kind] of [
      ['did', 'did'],
      ['bare', 'did'],
      ['things', 'is'],
      ['is', 'is'],
      ['places', 'is'],
    ] as const) {
      const match = patternFor(language, effect, from, extra)?.exec(words);
      if (!match) continue;
      const end = match.index + match[0].length;
      // What supposes or reports before the words of the claim takes it back.
      const lead = words.slice(0, end);
      if ([grammar.supposed, grammar.reported, grammar.never].some((c) => cueOf(c).test(lead))) continue;
      if (from === 'bare' && (DENIED_BEHIND.test(words.slice(end)) || SAID_OF.test(words.slice(end)))) continue;
      if (!best || end < best.at || (end === best.at && best.effect === 'done'))
        best = { effect, kind, words: match[0].trim(), at: end };
      break;
    }
  }
  return best;
}
