import { ofLanguage } from '../understanding/lexicon.js';

/** What the bot says to have somebody sign in. `{}` is where a value stands. */
export interface SignInWords {
  readonly byMail: string;
  readonly elsewhere: string;
  readonly either: string;
  readonly sent: string;
  readonly notSent: string;
  readonly wrong: string;
  readonly used: string;
  readonly again: string;
  readonly signedIn: string;
  readonly cannot: string;
  readonly leave: string;
}

const WORDS: Readonly<Record<string, SignInWords>> = {
  en: {
    byMail: 'For this I have to know who you are. What is your e-mail address? I will send you a code.',
    elsewhere: 'For this I have to know who you are. Please sign in below.',
    either:
      'For this I have to know who you are. Please sign in below, or tell me your e-mail address and I will send you a code.',
    sent: 'I have sent a code to {}. What is it?',
    notSent: 'I could not send a code there: {}. Which address may I use?',
    wrong: 'That is not the code. Please look at the newest mail. Tries left: {}.',
    used: 'That code is not valid any more. Tell me your e-mail address and I will send another one.',
    again: 'I need the code of six digits from the mail, or another e-mail address.',
    signedIn: 'Thank you, you are signed in.',
    cannot: 'For this I have to know who you are, and nobody can sign in here.',
    leave: 'All right, then I cannot do this.',
  },
  de: {
    byMail: 'Dafür muss ich wissen, wer Sie sind. Wie ist Ihre E-Mail-Adresse? Ich schicke Ihnen einen Code.',
    elsewhere: 'Dafür muss ich wissen, wer Sie sind. Bitte melden Sie sich unten an.',
    either:
      'Dafür muss ich wissen, wer Sie sind. Bitte melden Sie sich unten an, oder nennen Sie mir Ihre E-Mail-Adresse, dann schicke ich Ihnen einen Code.',
    sent: 'Ich habe einen Code an {} geschickt. Wie lautet er?',
    notSent: 'Dorthin konnte ich keinen Code schicken: {}. Welche Adresse darf ich nehmen?',
    wrong: 'Das ist nicht der Code. Bitte sehen Sie in der neuesten Mail nach. Versuche übrig: {}.',
    used: 'Dieser Code gilt nicht mehr. Nennen Sie mir Ihre E-Mail-Adresse, dann schicke ich einen neuen.',
    again: 'Ich brauche den sechsstelligen Code aus der Mail, oder eine andere E-Mail-Adresse.',
    signedIn: 'Danke, Sie sind angemeldet.',
    cannot: 'Dafür muss ich wissen, wer Sie sind, und hier kann sich niemand anmelden.',
    leave: 'Gut, dann kann ich das nicht tun.',
  },
  es: {
    byMail: 'Para esto tengo que saber quién es usted. ¿Cuál es su correo electrónico? Le enviaré un código.',
    elsewhere: 'Para esto tengo que saber quién es usted. Inicie sesión aquí abajo.',
    either:
      'Para esto tengo que saber quién es usted. Inicie sesión aquí abajo, o dígame su correo electrónico y le enviaré un código.',
    sent: 'He enviado un código a {}. ¿Cuál es?',
    notSent: 'No he podido enviar un código allí: {}. ¿Qué dirección puedo usar?',
    wrong: 'Ese no es el código. Mire el último correo. Intentos que quedan: {}.',
    used: 'Ese código ya no vale. Dígame su correo electrónico y le enviaré otro.',
    again: 'Necesito el código de seis cifras del correo, u otra dirección.',
    signedIn: 'Gracias, ha iniciado sesión.',
    cannot: 'Para esto tengo que saber quién es usted, y aquí nadie puede iniciar sesión.',
    leave: 'De acuerdo, entonces no puedo hacerlo.',
  },
  fr: {
    byMail: 'Pour cela, je dois savoir qui vous êtes. Quelle est votre adresse e-mail ? Je vous enverrai un code.',
    elsewhere: 'Pour cela, je dois savoir qui vous êtes. Connectez-vous ci-dessous.',
    either:
      'Pour cela, je dois savoir qui vous êtes. Connectez-vous ci-dessous, ou donnez-moi votre adresse e-mail et je vous enverrai un code.',
    sent: 'J’ai envoyé un code à {}. Quel est-il ?',
    notSent: 'Je n’ai pas pu y envoyer de code : {}. Quelle adresse puis-je utiliser ?',
    wrong: 'Ce n’est pas le code. Regardez le dernier message. Essais restants : {}.',
    used: 'Ce code n’est plus valable. Donnez-moi votre adresse e-mail et j’en enverrai un autre.',
    again: 'Il me faut le code à six chiffres du message, ou une autre adresse.',
    signedIn: 'Merci, vous êtes connecté.',
    cannot: 'Pour cela, je dois savoir qui vous êtes, et personne ne peut se connecter ici.',
    leave: 'Très bien, alors je ne peux pas le faire.',
  },
};

/** What the bot says in a language to have somebody sign in; in English where we do not speak it. */
export function signInWords(language: string): SignInWords {
  return ofLanguage(WORDS, language) ?? (WORDS['en'] as SignInWords);
}
