/** The few words of the page itself; what the bot says comes from the bot. */
export interface Words {
  readonly about: string;
  readonly say: string;
  readonly send: string;
  readonly startOver: string;
  readonly writing: string;
  readonly choices: string;
  readonly notSent: string;
  readonly kept: string;
  readonly again: string;
  readonly reconnecting: string;
  readonly unreachable: string;
  readonly sources: string;
  readonly openDocument: string;
  readonly person: string;
  readonly stop: string;
  readonly attach: string;
  readonly detach: string;
  readonly open: string;
  readonly close: string;
  readonly more: string;
  readonly history: string;
  readonly noHistory: string;
  readonly back: string;
  readonly copy: string;
  readonly copied: string;
  readonly noCopy: string;
  readonly helpful: string;
  readonly unhelpful: string;
  readonly missing: string;
  readonly thanks: string;
  readonly didItHelp: string;
  readonly yes: string;
  readonly no: string;
  readonly signIn: string;
  readonly signOut: string;
  readonly signedInAs: string;
  readonly signedOut: string;
  readonly notSignedIn: string;
  readonly email: string;
  readonly sendCode: string;
  readonly code: string;
  readonly checkCode: string;
  readonly codeSent: string;
  readonly signInWith: string;
  readonly signInHere: string;
  readonly windowDone: string;
  readonly windowLost: string;
  readonly noWindow: string;
  readonly noStorage: string;
  readonly tooLarge: string;
  readonly tooMany: string;
  readonly questions: string;
  readonly unread: string;
  readonly speak: string;
  readonly listening: string;
  readonly noListening: string;
  readonly readAloud: string;
  readonly beSilent: string;
}

const ENGLISH: Words = {
  about: 'Answers by a bot.',
  say: 'Write a message',
  send: 'Send',
  startOver: 'Start over',
  writing: 'is writing',
  choices: 'Suggested answers',
  notSent: 'That did not reach us.',
  kept: 'Your words are kept.',
  again: 'Try again',
  reconnecting: 'The line was cut. Trying again…',
  unreachable: 'This chat cannot be reached just now.',
  sources: 'Where it stands',
  openDocument: 'Open the document',
  person: 'A person',
  stop: 'Stop',
  attach: 'Add a picture or a file',
  detach: 'Leave out',
  open: 'Ask us',
  close: 'Close the chat',
  more: 'More',
  history: 'Earlier conversations',
  noHistory: 'There are no earlier conversations.',
  back: 'Back to this conversation',
  copy: 'Copy this answer',
  copied: 'Copied',
  noCopy: 'Your browser does not let us copy. Select the words instead.',
  helpful: 'This helped',
  unhelpful: 'This did not help',
  missing: 'What was missing?',
  thanks: 'Thank you, that was noted.',
  didItHelp: 'Did this conversation help you?',
  yes: 'Yes',
  no: 'No',
  signIn: 'Sign in',
  signOut: 'Sign out',
  signedInAs: 'Signed in as',
  signedOut: 'Your sign-in is over. Sign in again to see what is yours.',
  notSignedIn: 'This page could not sign you in. You can go on without; reload the page to try again.',
  email: 'Your e-mail address',
  sendCode: 'Send me a code',
  code: 'The code from the mail',
  checkCode: 'Sign in with the code',
  codeSent: 'A code is on its way to',
  signInWith: 'Sign in with',
  signInHere: 'Sign in on this page',
  windowDone: 'You can close this window now.',
  windowLost: 'This window has lost the chat that opened it. Close it, and sign in there once more.',
  noWindow: 'Your browser did not open the window for signing in. Allow it, and try again.',
  noStorage: 'This browser keeps nothing for this chat, so the conversation ends when you leave the page.',
  tooLarge: 'is larger than 4 MB. Send a smaller file, or a part of it.',
  tooMany: 'is one file too many. Send it with your next message.',
  questions: 'Questions to begin with',
  unread: 'new messages',
  speak: 'Speak',
  listening: 'Listening… speak now',
  noListening: 'The browser may not use the microphone here.',
  readAloud: 'Read answers aloud',
  beSilent: 'Do not read aloud',
};

const WORDS: Readonly<Record<string, Words>> = {
  en: ENGLISH,
  de: {
    about: 'Hier antwortet ein Bot.',
    say: 'Nachricht schreiben',
    send: 'Senden',
    startOver: 'Neu beginnen',
    writing: 'schreibt',
    choices: 'Vorgeschlagene Antworten',
    notSent: 'Das kam nicht an.',
    kept: 'Ihre Worte sind nicht verloren.',
    again: 'Noch einmal',
    reconnecting: 'Die Verbindung ist unterbrochen. Neuer Versuch …',
    unreachable: 'Dieser Chat ist gerade nicht erreichbar.',
    sources: 'Wo es steht',
    openDocument: 'Dokument öffnen',
    person: 'Ein Mensch',
    stop: 'Anhalten',
    attach: 'Bild oder Datei anhängen',
    detach: 'Weglassen',
    open: 'Fragen Sie uns',
    close: 'Chat schließen',
    more: 'Mehr',
    history: 'Frühere Gespräche',
    noHistory: 'Es gibt keine früheren Gespräche.',
    back: 'Zurück zu diesem Gespräch',
    copy: 'Antwort kopieren',
    copied: 'Kopiert',
    noCopy: 'Ihr Browser lässt uns nicht kopieren. Markieren Sie die Worte.',
    helpful: 'Das hat geholfen',
    unhelpful: 'Das hat nicht geholfen',
    missing: 'Was hat gefehlt?',
    thanks: 'Danke, das ist vermerkt.',
    didItHelp: 'Hat Ihnen dieses Gespräch geholfen?',
    yes: 'Ja',
    no: 'Nein',
    signIn: 'Anmelden',
    signOut: 'Abmelden',
    signedInAs: 'Angemeldet als',
    signedOut: 'Ihre Anmeldung ist abgelaufen. Melden Sie sich neu an, um Ihres zu sehen.',
    notSignedIn:
      'Diese Seite konnte Sie nicht anmelden. Sie können ohne Anmeldung fortfahren; laden Sie die Seite neu, um es noch einmal zu versuchen.',
    email: 'Ihre E-Mail-Adresse',
    sendCode: 'Code schicken',
    code: 'Der Code aus der Mail',
    checkCode: 'Mit dem Code anmelden',
    codeSent: 'Ein Code ist unterwegs an',
    signInWith: 'Anmelden mit',
    signInHere: 'Auf dieser Seite anmelden',
    windowDone: 'Sie können dieses Fenster jetzt schließen.',
    windowLost:
      'Dieses Fenster hat den Chat verloren, der es geöffnet hat. Schließen Sie es und melden Sie sich dort noch einmal an.',
    noWindow: 'Ihr Browser hat das Fenster zum Anmelden nicht geöffnet. Erlauben Sie es und versuchen Sie es noch einmal.',
    noStorage: 'Dieser Browser behält für diesen Chat nichts, daher endet das Gespräch, wenn Sie die Seite verlassen.',
    tooLarge: 'ist größer als 4 MB. Schicken Sie eine kleinere Datei oder einen Teil davon.',
    tooMany: 'ist eine Datei zu viel. Schicken Sie sie mit der nächsten Nachricht.',
    questions: 'Fragen für den Anfang',
    unread: 'neue Nachrichten',
    speak: 'Sprechen',
    listening: 'Ich höre zu … bitte sprechen',
    noListening: 'Der Browser darf das Mikrofon hier nicht benutzen.',
    readAloud: 'Antworten vorlesen',
    beSilent: 'Nicht vorlesen',
  },
  es: {
    about: 'Responde un bot.',
    say: 'Escriba un mensaje',
    send: 'Enviar',
    startOver: 'Empezar de nuevo',
    writing: 'está escribiendo',
    choices: 'Respuestas sugeridas',
    notSent: 'No nos ha llegado.',
    kept: 'Sus palabras se conservan.',
    again: 'Intentar otra vez',
    reconnecting: 'Se cortó la conexión. Reintentando…',
    unreachable: 'No se puede acceder a este chat ahora.',
    sources: 'Dónde consta',
    openDocument: 'Abrir el documento',
    person: 'Una persona',
    stop: 'Parar',
    attach: 'Añadir una imagen o un archivo',
    detach: 'Quitar',
    open: 'Pregúntenos',
    close: 'Cerrar el chat',
    more: 'Más',
    history: 'Conversaciones anteriores',
    noHistory: 'No hay conversaciones anteriores.',
    back: 'Volver a esta conversación',
    copy: 'Copiar esta respuesta',
    copied: 'Copiado',
    noCopy: 'Su navegador no permite copiar. Seleccione el texto.',
    helpful: 'Esto me ha ayudado',
    unhelpful: 'Esto no me ha ayudado',
    missing: '¿Qué faltaba?',
    thanks: 'Gracias, queda anotado.',
    didItHelp: '¿Le ha ayudado esta conversación?',
    yes: 'Sí',
    no: 'No',
    signIn: 'Iniciar sesión',
    signOut: 'Cerrar sesión',
    signedInAs: 'Ha iniciado sesión como',
    signedOut: 'Su sesión ha terminado. Vuelva a iniciarla para ver lo suyo.',
    notSignedIn: 'Esta página no pudo iniciar su sesión. Puede seguir sin ella; recargue la página para intentarlo otra vez.',
    email: 'Su correo electrónico',
    sendCode: 'Enviarme un código',
    code: 'El código del correo',
    checkCode: 'Iniciar sesión con el código',
    codeSent: 'Un código va camino de',
    signInWith: 'Iniciar sesión con',
    signInHere: 'Iniciar sesión en esta página',
    windowDone: 'Ya puede cerrar esta ventana.',
    windowLost: 'Esta ventana ha perdido el chat que la abrió. Ciérrela e inicie sesión allí otra vez.',
    noWindow: 'Su navegador no abrió la ventana para iniciar sesión. Permítalo e inténtelo otra vez.',
    noStorage: 'Este navegador no guarda nada de este chat: la conversación termina cuando salga de la página.',
    tooLarge: 'ocupa más de 4 MB. Envíe un archivo más pequeño o una parte.',
    tooMany: 'ya no cabe. Envíelo con el próximo mensaje.',
    questions: 'Preguntas para empezar',
    unread: 'mensajes nuevos',
    speak: 'Hablar',
    listening: 'Escuchando… hable ahora',
    noListening: 'El navegador no puede usar el micrófono aquí.',
    readAloud: 'Leer las respuestas en voz alta',
    beSilent: 'No leer en voz alta',
  },
  fr: {
    about: 'Un robot répond ici.',
    say: 'Écrivez un message',
    send: 'Envoyer',
    startOver: 'Recommencer',
    writing: 'écrit',
    choices: 'Réponses proposées',
    notSent: 'Cela ne nous est pas parvenu.',
    kept: 'Vos mots sont gardés.',
    again: 'Réessayer',
    reconnecting: 'La liaison est coupée. Nouvel essai…',
    unreachable: 'Cette discussion est injoignable pour le moment.',
    sources: 'Où cela se trouve',
    openDocument: 'Ouvrir le document',
    person: 'Une personne',
    stop: 'Arrêter',
    attach: 'Ajouter une image ou un fichier',
    detach: 'Retirer',
    open: 'Posez votre question',
    close: 'Fermer la discussion',
    more: 'Plus',
    history: 'Conversations précédentes',
    noHistory: 'Il n’y a pas de conversation précédente.',
    back: 'Revenir à cette conversation',
    copy: 'Copier cette réponse',
    copied: 'Copié',
    noCopy: 'Votre navigateur ne permet pas de copier. Sélectionnez le texte.',
    helpful: 'Cela m’a aidé',
    unhelpful: 'Cela ne m’a pas aidé',
    missing: 'Que manquait-il ?',
    thanks: 'Merci, c’est noté.',
    didItHelp: 'Cette conversation vous a-t-elle aidé ?',
    yes: 'Oui',
    no: 'Non',
    signIn: 'Se connecter',
    signOut: 'Se déconnecter',
    signedInAs: 'Connecté comme',
    signedOut: 'Votre session est terminée. Reconnectez-vous pour voir ce qui est à vous.',
    notSignedIn: 'Cette page n’a pas pu vous connecter. Vous pouvez continuer sans ; rechargez la page pour réessayer.',
    email: 'Votre adresse e-mail',
    sendCode: 'Envoyer un code',
    code: 'Le code du message',
    checkCode: 'Se connecter avec le code',
    codeSent: 'Un code est en route vers',
    signInWith: 'Se connecter avec',
    signInHere: 'Se connecter sur cette page',
    windowDone: 'Vous pouvez fermer cette fenêtre.',
    windowLost: 'Cette fenêtre a perdu la discussion qui l’a ouverte. Fermez-la et reconnectez-vous.',
    noWindow: 'Votre navigateur n’a pas ouvert la fenêtre de connexion. Autorisez-la et réessayez.',
    noStorage: 'Ce navigateur ne garde rien pour cette discussion : elle se termine quand vous quittez la page.',
    tooLarge: 'dépasse 4 Mo. Envoyez un fichier plus petit, ou une partie.',
    tooMany: 'est un fichier de trop. Envoyez-le avec le prochain message.',
    questions: 'Questions pour commencer',
    unread: 'nouveaux messages',
    speak: 'Parler',
    listening: 'À l’écoute… parlez',
    noListening: 'Le navigateur ne peut pas utiliser le microphone ici.',
    readAloud: 'Lire les réponses à voix haute',
    beSilent: 'Ne pas lire à voix haute',
  },
  ar: {
    about: 'يجيب هنا روبوت.',
    say: 'اكتب رسالة',
    send: 'إرسال',
    startOver: 'البدء من جديد',
    writing: 'يكتب',
    choices: 'ردود مقترحة',
    notSent: 'لم تصلنا رسالتك.',
    kept: 'كلماتك محفوظة.',
    again: 'حاول مجدداً',
    reconnecting: 'انقطع الاتصال. جارٍ المحاولة…',
    unreachable: 'لا يمكن الوصول إلى هذه المحادثة الآن.',
    sources: 'المصدر',
    openDocument: 'فتح المستند',
    person: 'شخص',
    stop: 'إيقاف',
    attach: 'إضافة صورة أو ملف',
    detach: 'إزالة',
    open: 'اسألنا',
    close: 'إغلاق المحادثة',
    more: 'المزيد',
    history: 'المحادثات السابقة',
    noHistory: 'لا توجد محادثات سابقة.',
    back: 'العودة إلى هذه المحادثة',
    copy: 'نسخ هذا الرد',
    copied: 'تم النسخ',
    noCopy: 'لا يسمح متصفحك بالنسخ. حدّد النص بدلاً من ذلك.',
    helpful: 'هذا ساعدني',
    unhelpful: 'هذا لم يساعدني',
    missing: 'ما الذي كان ينقص؟',
    thanks: 'شكراً، تم تسجيل ذلك.',
    didItHelp: 'هل ساعدتك هذه المحادثة؟',
    yes: 'نعم',
    no: 'لا',
    signIn: 'تسجيل الدخول',
    signOut: 'تسجيل الخروج',
    signedInAs: 'تم تسجيل الدخول باسم',
    signedOut: 'انتهت جلستك. سجّل الدخول مجدداً لترى ما يخصك.',
    notSignedIn: 'تعذّر على هذه الصفحة تسجيل دخولك. يمكنك المتابعة بدونه؛ أعد تحميل الصفحة للمحاولة مجدداً.',
    email: 'بريدك الإلكتروني',
    sendCode: 'أرسل لي رمزاً',
    code: 'الرمز من البريد',
    checkCode: 'تسجيل الدخول بالرمز',
    codeSent: 'أُرسل رمز إلى',
    signInWith: 'تسجيل الدخول عبر',
    signInHere: 'تسجيل الدخول في هذه الصفحة',
    windowDone: 'يمكنك إغلاق هذه النافذة الآن.',
    windowLost: 'فقدت هذه النافذة المحادثة التي فتحتها. أغلقها وسجّل الدخول هناك مجدداً.',
    noWindow: 'لم يفتح متصفحك نافذة تسجيل الدخول. اسمح بها وحاول مجدداً.',
    noStorage: 'لا يحتفظ هذا المتصفح بشيء لهذه المحادثة، لذا تنتهي عند مغادرة الصفحة.',
    tooLarge: 'أكبر من 4 ميغابايت. أرسل ملفاً أصغر أو جزءاً منه.',
    tooMany: 'ملف زائد. أرسله مع رسالتك التالية.',
    questions: 'أسئلة للبدء',
    unread: 'رسائل جديدة',
    speak: 'تحدّث',
    listening: 'أستمع… تحدّث الآن',
    noListening: 'لا يمكن للمتصفح استخدام الميكروفون هنا.',
    readAloud: 'قراءة الإجابات بصوت عالٍ',
    beSilent: 'إيقاف القراءة',
  },
};

/** The words in a language, or English. */
export function wordsFor(language: string): Words {
  const base = language.toLowerCase().split('-')[0] ?? '';
  return (Object.hasOwn(WORDS, base) ? WORDS[base] : undefined) ?? ENGLISH;
}

const RIGHT_TO_LEFT = new Set(['ar', 'fa', 'he', 'ur', 'ps', 'yi', 'sd', 'ckb', 'dv']);

/** In which direction a language is written. */
export function directionOf(language: string): 'rtl' | 'ltr' {
  return RIGHT_TO_LEFT.has(language.toLowerCase().split('-')[0] ?? '') ? 'rtl' : 'ltr';
}
