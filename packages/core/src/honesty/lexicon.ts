import { ofLanguage } from '../understanding/lexicon.js';

/*
 * Words by which a reply claims that something was done, by what kind of doing it is. Compared with normalised text (see
 * `normalise`): small letters without marks. Each entry is a list of expressions parted by spaces; `_` stands for a space inside
 * one, and a Spanish or French entry may end in `*` for its endings.
 */

export const EFFECT_CLASSES = [
  'book',
  'send',
  'tell',
  'note',
  'cancel',
  'change',
  'remove',
  'order',
  'pay',
  'create',
  'confirm',
  'call',
  'assign',
  'done',
] as const;
export type EffectClass = (typeof EFFECT_CLASSES)[number];

type Words = Readonly<Record<EffectClass, string>>;

/** What somebody has done: participles, which in English are the past tense as well. */
export const DONE_WORDS: Readonly<Record<string, Words>> = {
  en: {
    book: 'booked rebooked reserved pre_booked prebooked blocked secured_a_place held_a_place',
    send: 'sent emailed e_mailed mailed forwarded messaged texted dispatched shipped posted passed_on passed_along delivered resent handed_over_to submitted shared sent_off sent_out sent_over',
    tell: 'informed notified told alerted let_them_know let_her_know let_him_know reported advised updated_them warned given_them_notice',
    note: 'noted recorded logged written_down added saved entered registered put_down filed stored jotted_down taken_down made_a_note taken_a_note put_it_on put_that_on put_this_on put_you_on put_you_down put_you_in written_it wrote_down wrote_it_down written_up listed included marked flagged recorded_it kept_a_note tracked documented enrolled signed_up signed_you_up subscribed got_you_down got_you_on got_you_in',
    cancel: 'cancelled canceled called_off revoked withdrawn voided annulled unbooked dropped_your',
    change:
      'changed updated moved rescheduled amended modified adjusted switched corrected postponed shifted swapped extended altered edited renamed transferred upgraded downgraded brought_forward pushed_back replaced increased reduced set_it_to',
    remove:
      'removed deleted erased taken_off taken_it_off taken_you_off took_it_off cleared unsubscribed wiped crossed_off struck_off',
    order: 'ordered reordered requested placed applied_for asked_for commissioned preordered',
    pay: 'paid charged refunded credited reimbursed billed debited invoiced waived settled',
    create:
      'created opened set_up made arranged scheduled planned prepared issued generated produced raised built set organised organized fixed_an_appointment started activated enabled printed drawn_up uploaded published',
    confirm:
      'confirmed approved completed finalised finalized processed validated authorised authorized accepted signed_off checked_in renewed',
    call: 'called phoned rung contacted reached_out reached got_in_touch spoken_to spoken_with talked_to rang',
    assign: 'assigned allocated appointed given_you_seat put_aside set_aside held kept_free',
    done: 'done taken_care_of sorted sorted_out handled resolved dealt_with finished seen_to seen_to_it put_through put_it_through got_it_done carried_out taken_care executed fulfilled fixed repaired mended completed_it gone_through',
  },
  de: {
    book: 'gebucht reserviert vorgemerkt eingebucht dazugebucht hinzugebucht festgemacht freigehalten',
    send: 'gesendet geschickt verschickt versendet gemailt weitergeleitet zugeschickt abgeschickt ubermittelt ubersandt zugesandt abgesandt weitergegeben eingereicht ausgeliefert hingeschickt losgeschickt',
    tell: 'informiert benachrichtigt bescheid_gegeben bescheid_gesagt mitgeteilt gemeldet verstandigt unterrichtet ausgerichtet gewarnt alarmiert angewiesen',
    note: 'notiert vermerkt eingetragen aufgeschrieben erfasst gespeichert festgehalten hinterlegt aufgenommen hinzugefugt protokolliert registriert niedergeschrieben verzeichnet erganzt markiert dokumentiert abgelegt aufgenommen',
    cancel:
      'storniert abgesagt annulliert abbestellt zuruckgezogen gestrichen gekundigt widerrufen ruckgangig_gemacht aufgehoben',
    change:
      'geandert verschoben umgebucht verlegt aktualisiert angepasst korrigiert verlangert umgestellt abgeandert vorgezogen getauscht ausgetauscht ersetzt umgeschrieben berichtigt umgetragen erhoht verringert',
    remove: 'geloscht entfernt ausgetragen herausgenommen gestrichen abgemeldet',
    order: 'bestellt angefordert beauftragt beantragt geordert nachbestellt in_auftrag_gegeben',
    pay: 'bezahlt erstattet abgebucht uberwiesen gutgeschrieben zuruckerstattet berechnet belastet ausgezahlt beglichen',
    create:
      'erstellt angelegt eingerichtet vereinbart geplant ausgestellt vorbereitet eroffnet angesetzt gesetzt ausgemacht terminiert generiert aktiviert freigeschaltet gestartet ausgedruckt gestellt hochgeladen',
    confirm: 'bestatigt abgeschlossen freigegeben genehmigt bearbeitet eingecheckt verifiziert angenommen',
    call: 'angerufen kontaktiert telefoniert erreicht gesprochen',
    assign: 'zugewiesen zugeteilt eingeteilt angemeldet zugeordnet zuruckgelegt eingeplant bereitgestellt',
    done: 'erledigt fertig getan gemacht geregelt organisiert veranlasst durchgefuhrt ausgefuhrt umgesetzt gelost behoben repariert gekummert abgewickelt in_ordnung_gebracht',
  },
  es: {
    book: 'reservad* apartad*',
    send: 'enviad* mandad* remitid* reenviad* entregad* despachad* transmitid* pasad* presentad*',
    tell: 'informad* avisad* notificad* comunicad* alertad* advertid* dado_aviso dicho reportad*',
    note: 'anotad* apuntad* registrad* guardad* anadid* agregad* inscrit* incluid* tomado_nota dejado_constancia escrit* marcad* archivad* almacenad* documentad*',
    cancel: 'cancelad* anulad* suspendid* dado_de_baja rescindid* revocad*',
    change:
      'cambiad* modificad* actualizad* movid* aplazad* pospuest* corregid* trasladad* ampliad* ajustad* adelantad* sustituid* reprogramad* editad*',
    remove: 'eliminad* borrad* quitad* retirad* suprimid* tachad*',
    order: 'pedid* encargad* solicitad* hecho_el_pedido hecho_un_pedido',
    pay: 'pagad* cobrad* reembolsad* devuelt* abonad* cargad* ingresad* facturad* transferid*',
    create:
      'cread* abiert* generad* emitid* preparad* programad* concertad* organizad* puest* fijad* agendad* planificad* activad* iniciad* establecid* planead* impres*',
    confirm: 'confirmad* completad* tramitad* procesad* realizad* aprobad* finalizad* formalizad* aceptad* validad* autorizad*',
    call: 'llamad* contactad* hablad* telefonead*',
    assign: 'asignad* adjudicad* nombrad* dado_de_alta',
    done: 'hech* list* resuelt* arreglad* gestionad* solucionad* ejecutad* terminad* reparad* encargado_de ocupado_de',
  },
  fr: {
    book: 'reserve* retenu*',
    send: 'envoye* transmis* expedie* adresse* fait_suivre transfere* poste* remis* livre*',
    tell: 'informe* prevenu* averti* avise* signale* notifie* alerte* dit',
    note: 'note* enregistre* inscrit* ajoute* consigne* sauvegarde* pris_note ecrit* marque* saisi* archive*',
    cancel: 'annule* resilie* decommande* revoque*',
    change: 'change* modifie* mis_a_jour deplace* reporte* corrige* avance* prolonge* remplace* adapte* decale*',
    remove: 'supprime* efface* retire* enleve* raye*',
    order: 'commande* demande* passe_commande passe_la_commande',
    pay: 'paye* rembourse* debite* credite* regle* facture* vire*',
    create:
      'cree* ouvert* genere* emis* prepare* programme* organise* fixe* planifie* mis_en_place pris_rendez_vous active* etabli* imprime*',
    confirm: 'confirme* valide* complete* traite* finalise* approuve* accepte* effectue*',
    call: 'appele* contacte* joint* telephone*',
    assign: 'attribue* affecte* nomme*',
    done: 'fait* termine* resolu* occupe_de regle* repare* execute* acheve*',
  },
};

/** Things that come of a doing: "the booking went through" claims as much as "I have booked it". */
export const DONE_THINGS: Readonly<Record<string, Words>> = {
  en: {
    book: 'booking reservation seat place ticket',
    send: 'message mail email e_mail letter parcel notice text confirmation_mail',
    tell: 'notification alert report',
    note: 'note entry record row log',
    cancel: 'cancellation',
    change: 'change update amendment',
    remove: 'deletion removal',
    order: 'order request application',
    pay: 'payment refund charge',
    create: 'appointment reminder account task event shift',
    confirm: 'confirmation approval check_in',
    call: 'call',
    assign: 'assignment upgrade',
    done: 'it that everything all',
  },
  de: {
    book: 'buchung reservierung platz fahrkarte ticket',
    send: 'nachricht mail e_mail brief meldung',
    tell: 'benachrichtigung mitteilung',
    note: 'notiz eintrag vermerk',
    cancel: 'stornierung absage',
    change: 'anderung umbuchung',
    remove: 'loschung',
    order: 'bestellung auftrag antrag',
    pay: 'zahlung erstattung',
    create: 'termin erinnerung konto aufgabe schicht',
    confirm: 'bestatigung',
    call: 'anruf',
    assign: 'zuteilung',
    done: 'das alles es',
  },
  es: {
    book: 'reserva plaza asiento billete',
    send: 'mensaje correo carta aviso',
    tell: 'notificacion',
    note: 'nota anotacion registro',
    cancel: 'cancelacion anulacion',
    change: 'cambio modificacion',
    remove: 'eliminacion',
    order: 'pedido solicitud',
    pay: 'pago reembolso',
    create: 'cita recordatorio cuenta tarea turno',
    confirm: 'confirmacion',
    call: 'llamada',
    assign: 'asignacion',
    done: 'todo eso',
  },
  fr: {
    book: 'reservation place billet',
    send: 'message mail courriel lettre',
    tell: 'notification',
    note: 'note inscription',
    cancel: 'annulation',
    change: 'changement modification',
    remove: 'suppression',
    order: 'commande demande',
    pay: 'paiement remboursement',
    create: 'rendez_vous rappel compte tache',
    confirm: 'confirmation',
    call: 'appel',
    assign: 'attribution',
    done: 'tout cela',
  },
};

/** Stems by which the name and the description of a tool tell what it does, in any of our languages. */
const TOOL_STEMS: Readonly<Record<EffectClass, string>> = {
  book: 'book reserv buch',
  send: 'send sent mail forward schick send versend envi mand transmi expedi notice message nachricht mensaje',
  tell: 'inform notif tell told alert benachricht meld avis comunic preven signal report',
  note: 'note record log add save enter regist write file notier vermerk eintrag erfass speicher anot apunt anad agreg guard enregistr inscri ajout track rota row repair list',
  cancel: 'cancel call_off storn absag annul anul revok',
  change:
    'chang updat move reschedul amend modif adjust switch correct postpon ander verschieb umbuch aktualis cambi actualiz mov deplac report edit',
  remove: 'remov delet eras losch entfern elimin borr quit supprim effac',
  order: 'order request appl bestell anforder beantrag ped encarg solicit command demand',
  pay: 'pay charg refund credit bezahl erstatt uberweis pag cobr reembols pay rembours',
  create:
    'creat open set_up make arrang schedul plan prepar issu generat erstell anleg einricht vereinbar cre abr gener program organi ouvr remind appoint rota shift',
  confirm: 'confirm approv complet finali process bestatig abschliess tramit valid',
  call: 'call phone ring contact anruf kontakt llam contact appel',
  assign: 'assign alloc appoint zuweis zuteil einteil asign attribu rota shift',
  done: 'do run execut repair fix',
};

const compiled = new Map<string, RegExp>();

/** A pattern of all expressions of a list: a star stands for the endings of gender and number. */
export function patternOf(list: string): string {
  const all = list
    .split(' ')
    .filter(Boolean)
    .sort((a, b) => b.length - a.length);
  return all.map((e) => e.replaceAll('_', ' ').replace(/\*$/, '(?:os|as|es|ee|ees|o|a|e|s)?')).join('|');
}

function once(key: string, make: () => RegExp): RegExp {
  const known = compiled.get(key);
  if (known) return known;
  const made = make();
  compiled.set(key, made);
  return made;
}

/** The words of a class in a language, as a pattern without borders; '' where the language has none. */
export function doneWords(language: string, effect: EffectClass): string {
  return patternOf(ofLanguage(DONE_WORDS, language)?.[effect] ?? '');
}

/** The kinds of doing that words are about, in whatever language: of a tool's name and description, or of what it gave. */
export function classesIn(said: string): ReadonlySet<EffectClass> {
  const found = EFFECT_CLASSES.filter((c) =>
    once(`stem ${c}`, () => new RegExp(`(?<![a-z])(?:${patternOf(TOOL_STEMS[c])})`)).test(said),
  );
  return new Set(found);
}

/** The kinds of doing that a text says were done: participles and things, in whatever language. */
export function doneIn(said: string): ReadonlySet<EffectClass> {
  const found = EFFECT_CLASSES.filter((c) =>
    once(`done ${c}`, () => {
      const all = [...Object.values(DONE_WORDS), ...Object.values(DONE_THINGS)].map((w) => patternOf(w[c])).filter(Boolean);
      return new RegExp(`(?<![a-z])(?:${all.join('|')})s?(?![a-z])`);
    }).test(said),
  );
  return new Set(found);
}
